"""What the parts of the Frames screen have in common: the tape, the frame under the cursor, what is typed, who has the
keys."""

from __future__ import annotations

from cavet.bench import Tape
from cavet.benchfile import LinkSetup
from cavet.record import Trail
from cavet.workbench import keymap
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.tape import title_cells
from cavet.workbench.frames import ways
from cavet.workbench.frames.editing import Editing
from cavet.workbench.frames.reading import Reading
from cavet.workbench.frames.sentence import Sentence
from cavet.workbench.frames.slate import Slate
from cavet.workbench.screens.frame import Frame
from cavet.workbench.typed import Typed

TAPE, ON_RULER, SAYING = "tape", "ruler", "say"
VALUE, BLANK, SUM, SEARCH, BYTES = "value", "blank", "slate", "find", "bytes"
"""What may be typed."""
BEFORE = {SUM: "", SEARCH: "find ", BYTES: "say the bytes "}
"""What is typed below, on the slate, and what stands before it there."""
BEGINS_VALUE = '0123456789.-"'


class FramesBase(Frame):
    """State and keys of the Frames screen."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._reading: Reading | None = None
        self._editing: Editing | None = None
        self._shown: tuple[str, int] = ("", -1)
        """The frame that the ruler is of."""
        self._sentences: dict[str, Sentence] = {}
        self._slate = Slate()
        self._focus = TAPE
        self._typing = ""
        self._entry: Typed | None = None
        self._before = ""
        """What stood in the blank that is typed into."""
        self._ways: tuple[ways.Way, ...] = ()
        self._way = 0
        self._with_wave = True
        self._strokes = 0
        self._expected: tuple[Trail, int] | None = None
        """The trail whose frame is waited for, and how many keys were pressed here before that."""

    @property
    def reading(self) -> Reading:
        """Where one is on the tape; it is begun when the screen is first looked at."""
        if self._reading is None:
            record = self._desk.bench.record
            hosts = {link.link.name: link for link in self._desk.bench.host_links.values()}
            tape = Tape(self._desk.bench.setup, record, lambda link: hosts[link].clients if link in hosts else set())
            self._reading = Reading(tape, record)
        return self._reading

    @property
    def _cells(self) -> int:
        width = self.picture("tape").size.width or self.app.size.width
        return max(10, width - title_cells(width))

    @property
    def _link(self) -> LinkSetup | None:
        return self._desk.bench.setup.links.get(self.reading.link)

    @property
    def _host(self) -> str:
        """The host on the chosen link; "" where there is none."""
        return next((host.name for host in self._desk.bench.setup.hosts.values() if host.link == self.reading.link), "")

    @property
    def _sentence(self) -> Sentence:
        link = self.reading.link
        if link not in self._sentences:
            setup = self._link
            meanings = self._desk.meanings(setup.board) if setup is not None else None
            self._sentences[link] = Sentence(self.reading.on.tongue, meanings, setup.board if setup is not None else "")
        return self._sentences[link]

    @property
    def _place(self) -> str:
        link = self._link
        return f"{link.board} {link.kind}" if link is not None else self.reading.link

    def _refused(self) -> str:
        """Why nothing can be said on the chosen link."""
        if self._desk.past:
            return "a record: nothing runs here"
        if not self._host:
            return "nobody of this bench speaks here: other programs do. `cavet say` takes this link."
        link = self._desk.bench.host_links[self._host]
        return "" if link.held else f"{link.words}; o takes it up again"

    def _require_host(self) -> None:
        if refused := self._refused():
            raise ways.refusal(self._place, refused)

    # keys

    def hear(self, key: str, character: str | None) -> bool:
        """Take a key; tell whether it was one of ours."""
        self._strokes += 1
        if self._entry is not None:
            return self._type(self._entry, key, character)
        taken = keymap.actions(self.commands()).get(key) or keymap.actions(self.commands()).get(character or "")
        if taken is not None:
            name, given = taken
            self.attempt(lambda: getattr(self, f"action_{name}")(*given))
            return True
        if character is not None and self._begins(character):
            self._begin_value(character)
            return True
        return False

    def paste(self, text: str) -> None:
        """It goes on with what is typed, or begins a value."""
        if self._entry is not None:
            self._take(self._entry.put(text))
        elif self._begins(text[0]):
            self._begin_value(text)

    def _begins(self, character: str) -> bool:
        """Whether a value is begun with that, where nothing is typed yet."""
        return character in BEGINS_VALUE and (self._focus == ON_RULER or self._is_filling)

    @property
    def _is_filling(self) -> bool:
        return self._focus == SAYING and not self._sentence.choosing and not self._ways

    def _begin_value(self, text: str) -> None:
        self._begin(VALUE if self._focus == ON_RULER else BLANK, text.removeprefix('"'))

    def _begin(self, what: str, text: str) -> None:
        self._typing, self._entry = what, Typed.of(text)
        blank = self._sentence.blank if what == BLANK else None
        self._before = blank.text if blank is not None else ""
        self._show_typed()
        self.follow()

    def _show_typed(self) -> None:
        """What is typed into a blank stands in it at once, so that its bytes can be seen."""
        if self._typing == BLANK and self._entry is not None:
            self._sentence.put(self._entry.text)

    def _type(self, entry: Typed, key: str, character: str | None) -> bool:
        """Go on with what is typed; tell whether the key was one for that."""
        if key == "enter":
            what, self._typing, self._entry = self._typing, "", None
            self.attempt(lambda: self._entered(what, entry.text))
        elif key == "escape":
            if self._typing == BLANK:
                self._sentence.put(self._before)
            self._typing, self._entry = "", None
        elif (typed := entry.hear(key, character)) is not None:
            self._entry = typed
        else:
            return False
        self._take(self._entry)
        return True

    def _take(self, entry: Typed | None) -> None:
        """This is what is typed now; `None` where that has ended."""
        self._entry = entry
        self._show_typed()
        self.follow()

    def _entered(self, what: str, text: str) -> None:
        """Something was typed to its end."""
        raise NotImplementedError
