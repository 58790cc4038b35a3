"""Defects: what is wrong on purpose, to be switched while it runs."""

from __future__ import annotations

from textual.message import Message

from cavet.drawings.canvas import ASKED, PAPER, QUIET
from cavet.workbench import keymap
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.sheet import Line, Sheet
from cavet.workbench.screens.modal import Modal


class DefectsScreen(Modal[None]):
    """The list of defects, each with what it does."""

    CAN = keymap.DEFECTS
    IS_LIVE = True
    BINDINGS = keymap.bindings(keymap.DEFECTS)

    class Keep(Message):
        """Write the switches into the bench file."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._cursor = 0

    def sheet(self) -> Sheet:
        lines: list[Line] = []
        for place, defect in enumerate(self._desk.bench.world.defects.values()):
            mark = "▸" if place == self._cursor else " "
            name = PAPER._replace(bold=place == self._cursor)
            switch = ("on ", ASKED._replace(bold=True)) if defect.on else ("off", QUIET)
            lines += [[(f"{mark} ", PAPER), switch, (f"  {defect.name:18}", name), (defect.tells, QUIET)]]
        if not lines:
            lines = [[("this bench has none; write them in [defects] of its file", QUIET)]]
        return Sheet("made wrong on purpose", lines)

    def action_move(self, by: int) -> None:
        count = len(self._desk.bench.world.defects)
        self._cursor = min(max(0, count - 1), max(0, self._cursor + by))
        self.follow()

    def action_switch(self) -> None:
        defects = list(self._desk.bench.world.defects.values())
        if defects:
            self._desk.switch_defect(defects[self._cursor].name)
        self.follow()

    def action_save(self) -> None:
        self.post_message(self.Keep())
