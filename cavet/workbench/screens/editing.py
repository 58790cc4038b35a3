"""The keys of what is in a row: each can be changed where it stands, checked as it is typed."""

from __future__ import annotations

from cavet.benchfile import BenchFile, renamed
from cavet.drawings.canvas import ASKED, CORAL, GOT, PAPER, QUIET
from cavet.faults import FORESEEN
from cavet.wording import plain
from cavet.workbench import keymap
from cavet.workbench.drawing.sheet import Line, Sheet
from cavet.workbench.screens.modal import KeyedModal
from cavet.workbench.typed import Typed
from cavet.workbench.wiring.changing import Change, changed
from cavet.workbench.wiring.keys import NAME, KeyRow, keys_of, read_value

MOVES = {"up": -1, "down": 1, "pageup": -10, "pagedown": 10}
NAME_CELLS, VALUE_CELLS = 14, 26
MOST_FITTING = 12


class EditScreen(KeyedModal[Change | None]):
    """The keys of several tables of the file. It gives back the change that was made."""

    CAN = keymap.EDITING

    def __init__(self, file: BenchFile, things: list[tuple[str, ...]]) -> None:
        super().__init__()
        self._file = file
        self._rows: list[tuple[tuple[str, ...], KeyRow]] = [
            (thing, row) for thing in things for row in keys_of(file, thing)
        ]
        self._cursor = 1 if len(self._rows) > 1 and self._rows[0][1].kind == NAME else 0
        self._entry: Typed | None = None
        self._problem = ""

    @property
    def first(self) -> int:
        room = max(1, self.leaf.room - 6)
        line = self._line_of(self._cursor)
        return max(0, line - room)

    def _line_of(self, cursor: int) -> int:
        """The line of the sheet at which a key stands."""
        heads = 0
        before: tuple[str, ...] | None = None
        for thing, _ in self._rows[: cursor + 1]:
            if thing != before:
                heads += 2 if before is not None else 1
                before = thing
        return cursor + heads

    def sheet(self) -> Sheet:
        lines: list[Line] = []
        before: tuple[str, ...] | None = None
        for place, (thing, row) in enumerate(self._rows):
            if thing != before:
                if before is not None:
                    lines.append([])
                lines.append([(plain(".".join(thing)), PAPER._replace(bold=True))])
                before = thing
            lines += self._key_lines(row, chosen=place == self._cursor)
        return Sheet("change what is here", lines)

    def _key_lines(self, row: KeyRow, *, chosen: bool) -> list[Line]:
        typed = self._entry if chosen else None
        value = typed.shown() if typed is not None else row.value or row.usual
        ink = ASKED if typed is not None else PAPER if row.value else QUIET
        line: Line = [
            ("▸ " if chosen else "  ", PAPER), (f"{row.name:{NAME_CELLS}} ", PAPER._replace(bold=chosen)),
            (f"{plain(value):{VALUE_CELLS}} ", ink),
        ]  # fmt: skip
        if not chosen:
            return [line]
        line.append((row.doc, QUIET))
        more: list[Line] = [line]
        if row.fits:
            fitting = [each for each in row.fits if each.startswith(self._text)] or list(row.fits)
            more.append([("    fits: ", QUIET), (plain(", ".join(fitting[:MOST_FITTING])), GOT)])
        if self._problem:
            more.append([("    ", QUIET), (plain(self._problem), CORAL)])
        return more

    def paste(self, text: str) -> None:
        if not self.is_left and self._rows:
            self._problem = ""
            self._type((self._entry or Typed()).put(text))
            self.follow()

    @property
    def _text(self) -> str:
        """What is typed."""
        return self._entry.text if self._entry is not None else ""

    def _type(self, entry: Typed) -> None:
        """Something is typed; what is wrong with it is told at once."""
        self._entry = entry
        self._check()

    def hear(self, key: str, character: str | None) -> None:
        self._problem = ""
        if not self._rows:
            self.leave()
        elif key == "escape":
            if self._entry is None:
                self.leave()
            self._entry = None
        elif key == "enter":
            self._enter()
        elif key in MOVES and self._entry is None:
            self._cursor = min(len(self._rows) - 1, max(0, self._cursor + MOVES[key]))
        elif key == "tab" and self._entry is not None:
            self._complete()
        elif self._entry is not None or character is not None:
            entry = (self._entry or Typed()).hear(key, character)
            if entry is not None:
                self._type(entry)

    def _complete(self) -> None:
        row = self._rows[self._cursor][1]
        fitting = [each for each in row.fits if each.startswith(self._text)]
        if fitting:
            self._type(Typed.of(fitting[0]))

    def _change(self) -> Change:
        """The change that is typed. Raises `WrongError`."""
        thing, row = self._rows[self._cursor]
        entry = self._text.strip()
        if row.kind == NAME:
            point = entry if thing[0] == "points" else ""
            board = entry if thing[0] == "boards" and len(thing) == 2 else ""
            return Change(renamed(self._file, thing, entry), f"{thing[-1]} is called {entry}", point, board)
        value = read_value(entry, row.kind)
        words = f"{'.'.join(thing)}.{row.name} = {value}" if value is not None else f"{row.name} left out"
        return Change(changed(self._file, [((*thing, row.name), value)]), words)

    def _check(self) -> Change | None:
        """The change that is typed, or what would be wrong with it."""
        thing, row = self._rows[self._cursor]
        if row.kind == NAME and self._text == thing[-1]:
            return None
        try:
            return self._change()
        except FORESEEN as error:
            self._problem = str(error)
        except ExceptionGroup as group:
            self._problem = str(group.exceptions[0])
        return None

    def _enter(self) -> None:
        if self._entry is None:
            self._entry = Typed.of(self._rows[self._cursor][1].value)
        elif (change := self._check()) is not None:
            self.leave(change)
