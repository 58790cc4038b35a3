"""The world: all simulated boards of a bench, their parts, and the rig, brought through time together."""

from __future__ import annotations

from math import inf

from cavet.boards._board import Board
from cavet.boards._cable import Cable
from cavet.boards._defects import Defect
from cavet.boards._rig import Rig
from cavet.boards.parts import Part
from cavet.record import Kind, Record, Topic
from cavet.wording import WrongError, listed, nearest


class World:
    """Brings everything to a time, in one order: rig, boards, parts, pins."""

    def __init__(self, boards: list[Board], rig: Rig, defects: list[Defect], record: Record) -> None:
        self.boards = {board.name: board for board in boards}
        self.rig = rig
        self.defects = {defect.name: defect for defect in defects}
        self._record = record
        self._parts: list[Part] = [part for board in boards for part in board.circuit.parts.values()]
        self._cables = [part for part in self._parts if isinstance(part, Cable)]
        self._watchers = [part for part in self._parts if part.watches_rig]
        self._boards = boards
        self._now = 0.0
        self._due = 0.0
        for board in boards:
            board.spoil(defects, 0.0)

    @property
    def now(self) -> float:
        """The time that it was last brought to."""
        return self._now

    def catch_up(self, now: float) -> None:
        """Bring the world to `now`, where nothing has been done to it since it was last advanced."""
        if now >= self._due:
            self.advance(now)
        else:
            self._now = max(now, self._now)
            self.rig.advance(self._now)

    def advance(self, now: float) -> float:
        """Bring the world to `now`; give when it next wants to be called."""
        now = max(now, self._now)
        self._now = now
        self.rig.advance(now)
        due = inf
        for board in self._boards:
            wake = board.wake
            if wake <= now or board.firmware.restless:
                wake = board.advance(now)
            if wake < due:
                due = wake
        for cable in self._cables:
            cable.collect(now)
        if self.rig.take_stir():
            for part in self._watchers:
                part.call_by(now)
        if self.rig.calls_at <= now:
            self._call_parts(now)
        if self.rig.calls_at < due:
            due = self.rig.calls_at
        for board in self._boards:
            changed = board.circuit.settle(now)
            if changed:
                board.levels_changed(changed, now)
                due = now  # what it makes of that may itself be due soon
        self._due = due
        return due

    def _call_parts(self, now: float) -> None:
        """Call the parts that want it. One that another has touched meanwhile is called in the next turn."""
        for part in self._parts:
            if part.wake <= now:
                part.wake = part.advance(now)
                self.rig.touched = True
        self.rig.calls_at = min((part.wake for part in self._parts), default=inf)

    def part(self, path: str) -> Part:
        """Find a part by `BOARD.PART`."""
        paths = {
            f"{board.name}.{name}": part for board in self.boards.values() for name, part in board.circuit.parts.items()
        }
        if path not in paths:
            raise WrongError("part", found=path, expected=f"one of {listed(paths)}", nearest=nearest(path, paths))
        return paths[path]

    def act(self, path: str, do: str, *, seconds: float | None = None, value: float | None = None) -> None:
        """Do something to a part by hand."""
        part = self.part(path)
        part.act(do, self._now, seconds=seconds, value=value)
        part.touch(self._now)

    def place(self, quantity: str, value: float) -> None:
        """Put a quantity of the rig somewhere by hand."""
        names = [known.name for known in self.rig.quantities]
        if quantity not in names:
            raise WrongError(
                "rig", found=quantity, expected=f"one of {listed(names)}", nearest=nearest(quantity, names)
            )
        self.rig.set(quantity, value)
        self._record.append(Kind.RIG, "", Topic.RIG, quantity, self.rig.value(quantity), None, "by hand")

    def switch_defect(self, name: str, on: bool) -> None:
        """Switch a defect on or off."""
        if name not in self.defects:
            known = self.defects
            raise WrongError("defect", found=name, expected=f"one of {listed(known)}", nearest=nearest(name, known))
        defect = self.defects[name]
        defect.on = on
        self._record.append(Kind.DEFECT, defect.board, Topic.DEFECT, name, on, None, defect.tells)
        self.boards[defect.board].spoil(list(self.defects.values()), self._now)
