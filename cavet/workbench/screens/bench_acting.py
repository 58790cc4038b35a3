"""What a person does on the Bench screen: changing the bench, asking around."""

from __future__ import annotations

from collections.abc import Callable

from textual.screen import ModalScreen

from cavet import wiring
from cavet.benchfile import BenchFile
from cavet.faults import FORESEEN
from cavet.remarks import Remark
from cavet.wiring import SectionRow, Wiring
from cavet.wording import WrongError, listed
from cavet.workbench.screens import bench_sheets
from cavet.workbench.screens.adding import AddScreen
from cavet.workbench.screens.addressing import AddressScreen
from cavet.workbench.screens.editing import EditScreen
from cavet.workbench.screens.frame import Frame
from cavet.workbench.screens.jogging import JogScreen, check_jogged
from cavet.workbench.screens.making import MakeScreen
from cavet.workbench.screens.moving import CopyScreen, MoveScreen
from cavet.workbench.screens.sheet import SheetScreen
from cavet.workbench.screens.taking import TakeScreen
from cavet.workbench.wiring import views
from cavet.workbench.wiring.adding import sorts_for
from cavet.workbench.wiring.around import Around
from cavet.workbench.wiring.boards import with_bench
from cavet.workbench.wiring.changing import Change, Changes, Place, changed
from cavet.workbench.wiring.removing import board_removal, removal

BOARDS, REMARKS, AROUND = "boards", "remarks", "around"
PANES = (BOARDS, REMARKS, AROUND)


class BenchActing(Frame):
    """Acts for the screen, which says where one is."""

    _open: str
    """The board that is open."""
    _cursor: tuple[str | int, ...]
    _pane: str
    _remark: int
    _at_around: int
    _around: Around
    _names: list[str]

    @property
    def _row(self) -> SectionRow | None:
        raise NotImplementedError

    def _judge(self) -> tuple[list[Remark], list[str]]:
        raise NotImplementedError

    def _unfold(self, board: str) -> None:
        raise NotImplementedError

    # changing

    def _mend(self) -> None:
        remarks, _ = self._judge()
        if not remarks:
            self.say("nothing to mend")
            return
        remark = remarks[min(self._remark, len(remarks) - 1)]
        if remark.mend is None:
            self.say("no mend is sure here: change the row itself")
            return
        changes = [(edit.keys, edit.value) for edit in remark.mend.edits]
        self._change(changes, f"{remark.place}: {remark.mend.words}")

    def _edit(self) -> None:
        """Change a key of what is in this row."""
        row = self._row
        changing = self._desk.changing
        if row is None or changing is None:
            return
        things = bench_sheets.things_in(self._desk, self._open, row)
        if not things:
            self.say("nothing here to change; n makes a new output or input")
            return
        self.app.push_screen(EditScreen(changing.file, things), self._take)

    def action_whole_board(self) -> None:
        """Change a key of the open board itself, or of what is around it."""
        self._ask(lambda file: EditScreen(file, bench_sheets.things_of(file, self._open)))

    def _change(self, changes: Changes, words: str) -> None:
        changing = self._desk.changing
        if changing is not None:
            self._take(Change(changed(changing.file, changes), words))

    def _take(self, change: Change | None) -> None:
        """Take a change that was made; one is where it was made then, or at what is new."""
        changing = self._desk.changing
        if changing is None or change is None:
            return
        changing.take(change)
        setup = change.file.setup
        if change.board:
            self._unfold(change.board)
        if change.point in setup.points:
            keys = Wiring(setup, self._open).keys_of(setup.points[change.point])
            self._cursor = keys[0] if keys else self._cursor
        self._start_again(change.words)

    def _start_again(self, message: str) -> None:
        """The running bench takes the change over; the screens are made anew, and one is at the same place again."""
        changing = self._desk.changing
        if changing is not None:
            checking = self._desk.made_checking
            message += "; the checks that were run have ended" if checking is not None and checking.is_going else ""
            changing.place = Place(self._open, self._cursor, self._pane, message)
            self.app.exit(0)

    def _ask(self, make: Callable[[BenchFile], ModalScreen[Change | None]]) -> None:
        """Ask for a change on a sheet of its own."""
        changing = self._desk.changing
        if changing is not None:
            self.app.push_screen(make(changing.file), self._take)

    def action_add(self) -> None:
        """Something new at the open board."""
        if not sorts_for(self._desk.bench.setup, self._open):
            self.action_make()
            return
        self._ask(lambda file: AddScreen(file, self._open))

    def action_make(self) -> None:
        """Anything new: a board, or a table of any sort."""
        self._ask(lambda file: MakeScreen(file, self._open))

    def action_copy(self) -> None:
        """What is in this row once more."""
        place = self._place_here()
        self._ask(lambda file: CopyScreen(file, self._open, place))

    def action_move_pin(self) -> None:
        """What is in this row to another pin."""
        place = self._place_here()
        self._ask(lambda file: MoveScreen(file, self._open, place))

    def _place_here(self) -> wiring.Place:
        """The place of this row. Raises `WrongError` for a row that has none."""
        row = self._row
        place = views.wiring_of(self._desk, self._open).by_key.get(row.key) if row is not None else None
        if place is None:
            raise WrongError(
                "row", found="no place of the board", expected="a row with a pin, or an address that has one"
            )
        return place

    def action_jog(self) -> None:
        """Find the ends of the output of this row by trying."""
        row = self._row
        names = row.believed.names if row is not None and row.believed is not None else ()
        point = check_jogged(self._desk.bench.setup.points.get(names[0]) if names else None)
        self._ask(lambda file: JogScreen(self._desk, file, point))

    def action_remove(self) -> None:
        """Take away what is in this row, or the folded board."""
        if self._cursor[:1] == ("board",):
            name = str(self._cursor[1])
            self._change(board_removal(self._desk.bench.setup, name), f"{name} taken away; u brings it back")
            return
        row, changing = self._row, self._desk.changing
        if row is None or changing is None:
            return
        place = views.wiring_of(self._desk, self._open).by_key.get(row.key)
        points = row.believed.names if row.believed is not None else ()
        part = row.hanging.name if row.hanging is not None else ""
        changes = removal(changing.file.setup, self._open, points, part, place.table if place is not None else ())
        if not changes:
            self.say("nothing here to take away")
            return
        gone = list(dict.fromkeys(path[-1] for path, _ in changes))
        self._change(changes, f"{listed(gone, 'and')} taken away; u brings it back")

    def action_undo(self) -> None:
        if self._desk.changing is not None:
            self._start_again(f"taken back: {self._desk.changing.undo()}")

    def action_redo(self) -> None:
        if self._desk.changing is not None:
            self._start_again(f"made again: {self._desk.changing.redo()}")

    def action_save(self) -> None:
        if self._desk.changing is not None:
            self.say(self._desk.changing.save(), well=True)

    # elsewhere

    def action_pin_map(self) -> None:
        if self._names:
            self.app.push_screen(SheetScreen(lambda: bench_sheets.pin_sheet(self._desk, self._open)))

    def action_explain(self) -> None:
        if self._pane == AROUND:
            around = self._row_around()
            self.app.push_screen(SheetScreen(lambda: bench_sheets.around_sheet(around)))
            return
        remarks, _ = self._judge()
        row = self._row
        self.app.push_screen(SheetScreen(lambda: bench_sheets.row_sheet(self._desk, self._open, row, remarks)))

    def _rows_around(self) -> list[views.AroundRow]:
        return views.around_rows(self._desk, self._around.found, self._around.told, self._around.news())

    def _row_around(self) -> views.AroundRow:
        """What is chosen around this machine. Raises `WrongError`."""
        rows = self._rows_around()
        if not rows or self._pane != AROUND:
            raise WrongError("around", found="nothing chosen", expected="something around this machine: tab goes there")
        return rows[min(self._at_around, len(rows) - 1)]

    def action_ask_who(self) -> None:
        row = self._row_around()
        held = {host.address: name for name, host in self._desk.bench.host_links.items() if host.held}
        if row.address in held:
            self.say(f"this bench has it open: {held[row.address]}; o on Drive lets go of it")
            return
        self.run_worker(self._around.ask(row.address), group="who", exclusive=True, exit_on_error=False)

    def action_ask_address(self) -> None:
        """Ask who is at an address that a person names; it stands among what is around then."""
        self.app.push_screen(AddressScreen(), self._named)

    def _named(self, address: str | None) -> None:
        if address is not None:
            self._around.name(address)
            self._pane = AROUND
            rows = self._rows_around()
            self._at_around = next((place for place, row in enumerate(rows) if row.address == address), 0)
            self.run_worker(self._around.ask(address), group="who", exclusive=True, exit_on_error=False)

    def action_take_in(self) -> None:
        """What is around becomes a link's place, or a board of its own."""
        row, changing = self._row_around(), self._desk.changing
        if changing is None:
            return
        if any(row.address == endpoint.address for endpoint in self._desk.bench.endpoints):
            self.say("it is of this bench already: a board that is simulated here")
            return
        known = self._around.known.get(row.address)
        screen = TakeScreen(changing.file, row.kind, row.address, known)
        if not screen.can_be_answered:
            self.say(f"no link of this bench can be at {row.kind or 'such a place'}: N makes one")
            return
        self.app.push_screen(screen, lambda answer: self._taken_in(row.address, answer))

    def _taken_in(self, address: str, answer: Change | str | None) -> None:
        if isinstance(answer, Change):
            self._take(answer)
        elif answer is not None:
            self.say(f"asking {address} what it is and what it can do; esc breaks it off", well=True)
            self.run_worker(self._learn(address), group="who", exclusive=True, exit_on_error=False)

    async def _learn(self, address: str) -> None:
        """Ask a board what it can do, and take it into the bench."""
        changing = self._desk.changing
        if changing is None:
            return
        try:
            file, board = with_bench(changing.file, await self._around.learn(address))
        except FORESEEN as error:
            self.say(str(error))
            return
        self._take(Change(file, f"{board} is there, as it told of itself", board=board))
