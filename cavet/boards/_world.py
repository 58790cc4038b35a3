"""The world: all simulated boards of a bench, their parts, and the rig, brought through time together."""

from __future__ import annotations

from collections.abc import Callable
from math import inf
from typing import Any, TypeVar

from cavet.boards._board import Board
from cavet.boards._cable import Cable
from cavet.boards._pins import Pin
from cavet.boards._rig import Rig
from cavet.boards._running import Firmware, Outgoing
from cavet.boards.defects import Defect
from cavet.boards.parts import Part
from cavet.faults import FORESEEN, fault_words, note_fault
from cavet.record import Kind, Record, Topic
from cavet.units import finite
from cavet.wording import WrongError, unknown

T = TypeVar("T")
LATE_SECONDS, MOST_CAUGHT_UP = 0.002, 32
"""So late nobody minds; and so much that was due is done one after the other at most, where it comes later still."""
TELL_SECONDS = 0.1
"""How often it is told at most where the quantities of the rig stand."""


class World:
    """Brings everything to a time, in one order: rig, boards, parts, pins.

    What raises in a board stops that board, and no other: its outputs go to rest, it is marked (`Board.fault`), told in
    the record, and can be started again. A part that has raised is not called any more until then.
    """

    def __init__(
        self, boards: list[Board], rig: Rig, defects: list[Defect], record: Record,
        elsewhere: frozenset[str] = frozenset(),
    ) -> None:  # fmt: skip
        """`elsewhere` are the names of boards that are described, and not simulated here."""
        self._elsewhere = elsewhere
        self.boards = {board.name: board for board in boards}
        self.rig = rig
        self.defects = {defect.name: defect for defect in defects}
        self._record = record
        self._parts: list[Part] = [part for board in boards for part in board.circuit.parts.values()]
        self._ranks = {part: rank for rank, part in enumerate(self._parts)}
        rig.awake.update(self._parts)
        self._owners = {part: board for board in boards for part in board.circuit.parts.values()}
        self._broken: set[Part] = set()
        self._is_rig_stopped = False
        self._cables = [part for part in self._parts if isinstance(part, Cable)]
        self.has_cables = bool(self._cables)
        """Whether boards talk to one another."""
        self._watchers = [part for part in self._parts if part.watches_rig]
        self.all_boards = boards
        self._paces = [
            (board, board.firmware if type(board.firmware).restless is not Firmware.restless else None)
            for board in boards
        ]
        """All boards, each with its firmware where that may be restless."""
        self._restless = [firmware for _, firmware in self._paces if firmware is not None]
        self.listeners: list[Callable[[Board, list[Pin]], None]] = []
        """Told of pins whose level has changed."""
        self.now = 0.0
        """The time that it was last brought to."""
        self._due = 0.0
        self._tells_rig_at = 0.0
        self._sagging: list[Board] = []
        """Boards whose supply can give only so much."""
        for board in boards:
            self._spoil(board, None)

    def go_on(self, before: World, now: float) -> None:
        """Go on in the place of another world: parts that were there go on from where they stand."""
        self.rig.go_on(before.rig, now)
        self.listeners = before.listeners
        self.now = now
        self._broken = {part for part in before._broken if part in self._owners}
        for part in self._parts:
            part.touch(now)
        for board in self.all_boards:
            board.wake = now
            board.circuit.stir()

    @property
    def is_moving(self) -> bool:
        """Whether any part is still on its way to where it was sent, at the time that it was last brought to."""
        return any(part.busy(self.now) for part in self._parts)

    def catch_up(self, now: float) -> None:
        """Bring the world to `now`, where nothing has been done to it since it was last advanced."""
        if now >= self._due:
            self.advance(now)
        else:
            self.now = now = max(now, self.now)
            if now >= self.rig.next_at or self.rig.touched or now >= self._tells_rig_at:
                self._step_rig(now)

    def was_away(self, now: float, seconds: float) -> None:
        """Time has passed in which nobody was there, since the program was stopped, say."""
        for board in self.all_boards:
            board.was_away(now, seconds)

    def advance(self, now: float) -> float:
        """Bring the world to `now`; give when it next wants to be called. A machine that was busy may come late: what
        was due before is done first, at its own time, so that all happens in its order."""
        if now - self._due > LATE_SECONDS:
            for _ in range(MOST_CAUGHT_UP):
                self._advance(self._due)
                if now - self._due <= LATE_SECONDS:
                    break
        return self._advance(now)

    def _advance(self, now: float) -> float:
        now = max(now, self.now)
        self.now = now
        if now >= self.rig.next_at or self.rig.touched or now >= self._tells_rig_at:
            self._step_rig(now)
        due = inf
        for board, firmware in self._paces:
            wake = board.wake
            if wake <= now or (firmware is not None and firmware.restless):
                try:
                    wake = board.advance(now)
                except Exception as error:  # noqa: BLE001
                    self.fail(board, error)
                    wake = inf
            if wake < due:
                due = wake
        for cable in self._cables:
            if cable not in self._broken:
                try:
                    cable.collect(now)
                except Exception as error:  # noqa: BLE001
                    self._fail_part(cable, error)
        if self.rig.take_stir():
            for part in self._watchers:
                part.call_by(now)
        if self.rig.calls_at <= now:
            self._call_parts(now)
            if [firmware for firmware in self._restless if firmware.restless]:
                due = now  # what they wait for may have arrived just now
        for board in self._sagging:
            self.attempt(board, board.look_at_supply, now)
            due = min(due, board.wake)
        if self.rig.calls_at < due:
            due = self.rig.calls_at
        for board in self.all_boards:
            if not board.circuit.is_stirred or board.fault:
                continue
            try:
                changed = board.circuit.settle(now)
                if changed:
                    board.levels_changed(changed, now)
                    for listener in self.listeners:
                        listener(board, changed)
                    due = now  # what it makes of that may itself be due soon
            except Exception as error:  # noqa: BLE001
                self.fail(board, error)
        self._due = due
        return due

    def alone_until(self, board: Board) -> float:
        """When something else is due than what a board tells by itself; −inf where that can't be said."""
        until = min(self.rig.calls_at, board.else_at)
        for each, firmware in self._paces:
            if each.circuit.is_stirred or each.spoiled.current < inf or (firmware is not None and firmware.restless):
                return -inf
            if each.wake < until and each is not board:
                until = each.wake
        return -inf if self.has_cables else until

    def report(self, board: Board, now: float) -> list[Outgoing] | None:
        """Bring the rig to `now`, and let a board tell of its inputs, where that is all that happens then; give what it
        says. `None` where something has stirred: the world is to be advanced as always."""
        self.now = now
        self._step_rig(now)
        if self.rig.is_stirred:
            return None
        return self.attempt(board, board.report, now)

    def reported(self, board: Board) -> float:
        """A board has told of its inputs for a while: give when something is due next."""
        self._due = min(board.wake, self.alone_until(board))
        return self._due

    def _call_parts(self, now: float) -> None:
        """Call the parts that want it. One that another has touched meanwhile is called in the next turn."""
        awake = self.rig.awake
        for part in sorted(awake, key=self._ranks.__getitem__):
            if part.wake <= now:
                try:
                    part.wake = part.advance(now) if part not in self._broken else inf
                except Exception as error:  # noqa: BLE001
                    self._fail_part(part, error)
                if part.stirs_rig:
                    self.rig.touched = True
            if part.wake == inf:
                awake.discard(part)
        self.rig.calls_at = min([part.wake for part in awake], default=inf)

    def _step_rig(self, now: float) -> None:
        if self._is_rig_stopped:
            return
        try:
            self.rig.advance(now)
        except Exception as error:  # noqa: BLE001
            self._find_fault_in_rig(now, error)
        if now >= self._tells_rig_at:
            self._tells_rig_at = now + TELL_SECONDS
            for name, value in self.rig.changes():
                self._record.append(Kind.CHANGED, "", Topic.RIG, name, round(value, 6))

    def _find_fault_in_rig(self, now: float, error: Exception) -> None:
        """A part that can't say where it stands is left where it was last; else the rig itself is stopped."""
        found = False
        for part in self._parts:
            try:
                part.fraction(now)
            except Exception as own:  # noqa: BLE001
                found = found or part not in self._broken
                self.rig.leave_out(part)
                self._fail_part(part, own)
        if not found:
            self._is_rig_stopped = True
            words = note_fault("the rig", error)
            self._record.append(Kind.FAULT, "", Topic.RIG, "rig", type(error).__name__, None, words)

    def _fail_part(self, part: Part, error: Exception) -> None:
        part.wake = inf
        self._broken.add(part)
        self.fail(self._owners[part], error, Topic.PART, part.name)

    def fail(self, board: Board, error: Exception, topic: Topic = Topic.BOARD, subject: str = "") -> None:
        """A board has raised: stop it and bring it to rest. What it raises later, on the way there, is only logged."""
        words = note_fault(board.name, error)
        if board.fault:
            return
        named = subject or board.name
        told = self._record.append(Kind.FAULT, board.name, topic, named, type(error).__name__, None, words)
        board.fail(words, self.now, told)

    def _spoil(self, board: Board, cause: int | None) -> None:
        """Let a board take up its defects, as they are switched now, by the event `cause`."""
        board.spoil(list(self.defects.values()), self.now, cause)
        self._sagging = [each for each in self.all_boards if each.spoiled.current < inf]

    def attempt(self, board: Board, act: Callable[..., T], *arguments: Any) -> T | None:
        """Let a board do something; give what that gives. Whatever is unforeseen is the board's own fault."""
        try:
            return act(*arguments)
        except FORESEEN:
            raise
        except Exception as error:  # noqa: BLE001
            self.fail(board, error)
            return None

    def restart(self, name: str) -> None:
        """Start a board again, as after power-on; also one that has not failed."""
        if name not in self.boards:
            known = self.boards
            raise unknown("board", name, known)
        board = self.boards[name]
        for part in board.circuit.parts.values():
            self._broken.discard(part)
            part.touch(self.now)
        self.rig.take_in()
        self._is_rig_stopped = False
        self.attempt(board, board.restart, self.now)

    @property
    def parts(self) -> dict[str, Part]:
        """All parts, by `BOARD.PART`."""
        return {
            f"{board.name}.{name}": part for board in self.boards.values() for name, part in board.circuit.parts.items()
        }

    def part(self, path: str) -> Part:
        """Find a part by `BOARD.PART`."""
        paths = self.parts
        board = path.partition(".")[0]
        if path not in paths and board in self._elsewhere:
            expected = f"one of a board that is simulated here: of {board} only its points can be looked at"
            raise WrongError("part", found=path, expected=expected)
        if path not in paths:
            raise unknown("part", path, paths)
        return paths[path]

    def act(self, path: str, do: str, *, seconds: float | None = None, value: float | None = None) -> None:
        """Do something to a part by hand."""
        part = self.part(path)
        value = None if value is None else finite(value, path, "a number")
        seconds = None if seconds is None else finite(seconds, path, "seconds, 0 or more", 0.0)
        try:
            part.act(do, self.now, seconds=seconds, value=value)
            part.touch(self.now)
        except FORESEEN:
            raise
        except Exception as error:
            self._fail_part(part, error)
            found = f"a fault, {fault_words(error)}"
            raise WrongError(path, found=found, expected="a part that works") from error

    def place(self, quantity: str, value: float) -> None:
        """Put a quantity of the rig somewhere by hand."""
        names = [known.name for known in self.rig.quantities]
        if quantity not in names:
            raise unknown("rig", quantity, names)
        self.rig.set(quantity, finite(value, f"rig.{quantity}", "a number"))
        self._record.append(Kind.RIG, "", Topic.RIG, quantity, self.rig.value(quantity), None, "by hand")

    def switch_defect(self, name: str, on: bool) -> None:
        """Switch a defect on or off."""
        if name not in self.defects:
            known = self.defects
            raise unknown("defect", name, known)
        defect = self.defects[name]
        defect.on = on
        told = self._record.append(Kind.DEFECT, defect.board, Topic.DEFECT, name, on, None, defect.tells)
        self._spoil(self.boards[defect.board], told)
