"""A board during one call of a program: brought to the present, and who makes the call stands in the record."""

from __future__ import annotations

import errno
import os
from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from cavet.bench import RunningBench
from cavet.boards import Board
from cavet.boards.buses import Outcome, Part, SpiChip
from cavet.kernel._mapping import Mapping
from cavet.kernel.errors import Refused
from cavet.record import Kind, Purpose, Reason, Topic
from cavet.wording import counted, plain

T = TypeVar("T")


class Touch:
    """A mapped board during one call. `who` is the process, `call` what it calls."""

    def __init__(self, bench: RunningBench, mapping: Mapping, who: str, call: str) -> None:
        self.bench = bench
        self._mapping = mapping
        self.who = f"{who}, {call} on {plain(mapping.path)}"
        self._call = call
        self._has_begun = False
        self.ends_at = 0.0
        """When what was done has passed on the wires, in bench time."""

    def begin(self, words: str, written: bytes | None = None) -> tuple[Board, int]:
        """Give the board, and the event that what it does follows from; `written` are the bytes on its wires, where it
        is that. Raises `Refused`."""
        bench, name = self.bench, self._mapping.board
        bench.board_side.turn()
        board = bench.world.boards.get(name)
        if board is None or board.fault:
            raise Refused(errno.EIO)
        self._has_begun = True
        return board, self._tell_taken(words if written is None else written, words)

    def refuse(self, refused: Refused) -> None:
        """The call ends with an error: that is in the record, too, where nothing was begun that says why."""
        if self._has_begun:
            return
        name, kind, record = self._mapping.board, self._mapping.kind, self.bench.record
        taken = self._tell_taken(self._call, self._call)
        number = refused.number
        why = f"{errno.errorcode.get(number, number)}, {refused.why or os.strerror(number).lower()}"
        record.append(Kind.REFUSED, name, Topic.MESSAGE, kind, number, taken, why, reason=Reason.NOT_ALLOWED)

    def _tell_taken(self, said: str | bytes, words: str) -> int:
        """It has come from the program, and the board has it."""
        append, name = self.bench.record.append, self._mapping.board
        carried = append(Kind.CARRIED, name, Topic.LINK, name, said, None, self.who, purpose=Purpose.OUTSIDE)
        return append(Kind.TAKEN, name, Topic.MESSAGE, self._mapping.kind, said, carried, words)

    def attempt(self, board: Board, act: Callable[..., T], *arguments: Any) -> T:
        """Let the board do something, and what follows from it; give what that gives. Raises `Refused` where the board
        fails."""
        done = self.bench.world.attempt(board, act, *arguments)
        if board.fault:
            raise Refused(errno.EIO)
        self.bench.board_side.turn()
        return done  # type: ignore[return-value]  # it is only `None` for a fault, or where the act gives that

    def transfer(self, parts: Sequence[Part]) -> Outcome:
        """Do an I2C transaction. Raises `Refused`."""
        written = b"".join(part.data for part in parts if part.data is not None)
        board, taken = self.begin(", ".join(map(_words, parts)), written)
        outcome = self.attempt(board, board.circuit.bus.transfer, parts, self.bench.clock.now(), taken)
        if outcome.problem:
            self.bench.record.append(Kind.REFUSED, board.name, Topic.BUS, "i2c", None, taken, outcome.problem)
        self.ends_at = outcome.ends_at
        return outcome

    def shift(self, data: bytes, mode: int, rate: int, pause: float) -> bytes:
        """Send bytes to the chip, and give what came back; where there is none, the line reads 0. Raises `Refused`."""
        chip_number = self._mapping.chip
        words = f"chip select {chip_number}, mode {mode}, {rate} Hz, {counted(len(data), 'byte')}"
        board, taken = self.begin(words, data)
        end = max(self.bench.clock.now(), self.ends_at) + 8 * len(data) / rate
        self.ends_at = end + pause
        chips = [part for part in board.circuit.parts.values() if isinstance(part, SpiChip)]
        chip = next((chip for chip in chips if chip.chip == chip_number), None)
        if chip is None or not data:
            return bytes(len(data))
        came = self.attempt(board, lambda: chip.transfer(data, end, taken, mode=mode))
        self.bench.record.append(Kind.BUS, board.name, Topic.BUS, "spi", data, taken, words)
        return came


def _words(part: Part) -> str:
    what = f"write {part.data.hex(' ')}".rstrip() if part.data is not None else f"read {counted(part.count, 'byte')}"
    return f"0x{part.address:02X} {what}"
