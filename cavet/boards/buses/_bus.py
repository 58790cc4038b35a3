"""An I2C bus: a controller's transactions, byte by byte, at its devices, in the time that they take on the wires.

Source: I2C-bus specification 7.0, sections 3.1.1 to 3.1.10.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Protocol

import msgspec

from cavet.protocols.i2c import Mark, Octet, Token, address_bytes, show_marks
from cavet.record import Kind, Tell, Topic

MOST_COUNTED = 32
"""So many bytes a block has at most. Source: SMBus 2.0, section 5.5.7."""
HOLD_SECONDS = 0.035
"""How long a controller waits for a line that is held low. Source: SMBus 2.0, section 3.1.1, T-timeout."""


class Target(Protocol):
    """What hangs on the bus and can be called. Times are those at which its bits are on the wires."""

    name: str
    address: int
    ten_bit: bool
    stretch: float
    """How long it holds the clock low behind each byte, in seconds."""

    @property
    def answers(self) -> bool:
        """Whether it acknowledges its address."""

    def begin(self, read: bool, at: float, cause: int | None) -> None:
        """It was called."""

    def write(self, byte: int, at: float) -> bool:
        """A byte came; tell whether it is acknowledged."""

    def read(self, at: float) -> int:
        """Give the next byte."""

    def stop(self, at: float) -> None:
        """The transaction has ended, or another device is called."""


class Outcome(msgspec.Struct, frozen=True):
    """How a transaction went: what was on the wires, what was read, when it ended, and what went wrong."""

    tokens: tuple[Token, ...]
    data: bytes
    ends_at: float
    problem: str = ""
    fault: str = ""
    """At what it went wrong: `address`, `data`, `count` or `stuck`; "" where it went well."""
    reads: tuple[bytes, ...] = ()
    """What was read by each part that reads."""


class Part(msgspec.Struct, frozen=True, kw_only=True):
    """One message of a transaction: bytes that are written, or how many are read. Where the first byte that is read
    says how many follow (`counts`), `count` is how many there are in all besides those: it counts itself, and a check.
    Source: SMBus 2.0, section 5.5.7."""

    address: int
    data: bytes | None = None
    count: int = 0
    counts: bool = False
    ten_bit: bool = False


class I2cBus:
    """The wires and what hangs on them. `rate` is the controller's, in Hz."""

    def __init__(self, name: str, targets: Iterable[Target], tell: Tell, rate: float = 100e3) -> None:
        self.name = name
        self.rate = rate
        self.targets = list(targets)
        self.stuck = ""
        """Which line is held low by a defect: `data`, `clock`, or "" for none."""
        self.is_unheard: Callable[[str, float], bool] = lambda name, now: False
        """Whether a device does not hear its address just now."""
        self._tell = tell
        self._free_at = 0.0

    @property
    def clashes(self) -> list[tuple[Target, Target]]:
        """Devices that have the same address."""
        found = []
        for place, one in enumerate(self.targets):
            found += [
                (one, other)
                for other in self.targets[place + 1 :]
                if (one.address, one.ten_bit) == (other.address, other.ten_bit)
            ]
        return found

    def write(self, address: int, data: bytes, now: float, cause: int | None, *, ten_bit: bool = False) -> Outcome:
        """Write bytes to a device."""
        return self._transact(address, data, 0, now, cause, ten_bit=ten_bit)

    def read(self, address: int, count: int, now: float, cause: int | None, *, ten_bit: bool = False) -> Outcome:
        """Read bytes from a device."""
        return self._transact(address, None, count, now, cause, ten_bit=ten_bit)

    def write_read(
        self, address: int, data: bytes, count: int, now: float, cause: int | None, *, ten_bit: bool = False
    ) -> Outcome:
        """Write bytes to a device, then read from it after a repeated start."""
        return self._transact(address, data, count, now, cause, ten_bit=ten_bit)

    def _transact(
        self, address: int, data: bytes | None, count: int, now: float, cause: int | None, *, ten_bit: bool
    ) -> Outcome:
        parts = [Part(address=address, data=data, ten_bit=ten_bit)] if data is not None else []
        if count:
            parts.append(Part(address=address, count=count, ten_bit=ten_bit))
        return self.transfer(parts or [Part(address=address, data=b"", ten_bit=ten_bit)], now, cause)

    def transfer(self, parts: Sequence[Part], now: float, cause: int | None) -> Outcome:
        """Do all parts in one transaction, with a repeated start between two; nothing more behind one that fails."""
        wire = _Wire(max(now, self._free_at), 1 / self.rate)
        if self.stuck:
            at = f"0x{parts[0].address:02X}"
            problem = f"{at} can't be called: the bus is stuck, its {self.stuck} line stays low"
            return self._ended(wire, [], problem, "stuck", cause, wire.at + HOLD_SECONDS)
        problem = fault = clash = ""
        called: list[Target] = []
        reads: list[bytes] = []
        for place, part in enumerate(parts):
            wire.mark(Mark.RESTART if place else Mark.START)
            there = self._at(part, wire.at)
            for target in called:
                if target not in there:
                    target.stop(wire.at)
            if len(there) > 1:
                clash = f"{' and '.join(target.name for target in there)} both answer at 0x{part.address:02X}"
            goes_on = bool(place) and parts[place - 1].address == part.address and parts[place - 1].data is not None
            called = there
            problem, fault = self._do(wire, called, part, reads, cause, is_known=goes_on)
            if problem:
                break
        wire.mark(Mark.STOP)
        for target in called:
            target.stop(wire.at)
        if clash and not problem:
            self._tell(Kind.REMARK, Topic.BUS, self.name, None, cause, clash)
        return self._ended(wire, reads, problem, fault, cause, wire.at)

    def _at(self, part: Part, at: float) -> list[Target]:
        there = [target for target in self.targets if (target.address, target.ten_bit) == (part.address, part.ten_bit)]
        return [target for target in there if not self.is_unheard(target.name, at)]

    def _do(
        self, wire: _Wire, called: list[Target], part: Part, reads: list[bytes], cause: int | None, *, is_known: bool
    ) -> tuple[str, str]:
        """Do one part, whose start is on the wires; give what went wrong, and at what."""
        if part.data is not None:
            problem = self._call(wire, called, part.address, ten_bit=part.ten_bit, read=False, cause=cause)
            if problem:
                return problem, "address"
            problem = self._write(wire, called, part.address, part.data)
            return problem, "data" if problem else ""
        if part.ten_bit and not is_known:  # whom it means is said by a write. Source: section 3.1.11
            problem = self._call(wire, called, part.address, ten_bit=True, read=False, cause=cause)
            if problem:
                return problem, "address"
            wire.mark(Mark.RESTART)
        problem = self._call(wire, called, part.address, ten_bit=part.ten_bit, read=True, cause=cause)
        if problem:
            return problem, "address"
        if part.counts:
            first = self._read(wire, called, 1, goes_on=True)
            size = first[0]
            if not 1 <= size <= MOST_COUNTED:
                return f"0x{part.address:02X} says that {size} bytes follow, expected 1 to {MOST_COUNTED}", "count"
            reads.append(first + self._read(wire, called, size + part.count - 1))
        else:
            reads.append(self._read(wire, called, part.count))
        return "", ""

    def _call(
        self, wire: _Wire, called: list[Target], address: int, *, ten_bit: bool, read: bool, cause: int | None
    ) -> str:
        """Send the address; give what went wrong."""
        answering = [target for target in called if target.answers]
        for byte in address_bytes(address, read=read, ten_bit=ten_bit):
            wire.byte(byte, acknowledged=bool(answering))
            if not answering:
                return f"nobody acknowledges 0x{address:02X}"
        for target in answering:
            target.begin(read, wire.at, cause)
        wire.at += max([target.stretch for target in answering])
        return ""

    def _write(self, wire: _Wire, called: list[Target], address: int, data: bytes) -> str:
        for place, byte in enumerate(data):
            done = wire.at + 9 * wire.bit
            taken = [target.write(byte, done) for target in called if target.answers]
            wire.byte(byte, acknowledged=any(taken))
            wire.at += max([target.stretch for target in called])
            if not any(taken):
                return f"address 0x{address:02X} did not acknowledge byte {place + 1} of {len(data)}"
        return ""

    def _read(self, wire: _Wire, called: list[Target], count: int, *, goes_on: bool = False) -> bytes:
        read = bytearray()
        for place in range(count):
            byte = 0xFF
            for target in called:
                if target.answers:
                    byte &= target.read(wire.at)  # whoever pulls low, wins
            wire.byte(byte, acknowledged=goes_on or place < count - 1)
            wire.at += max([target.stretch for target in called])
            read.append(byte)
        return bytes(read)

    def _ended(
        self, wire: _Wire, reads: Sequence[bytes], problem: str, fault: str, cause: int | None, at: float
    ) -> Outcome:
        self._free_at = at
        tokens = tuple(wire.tokens)
        seen = bytes([token[0] for token in tokens if isinstance(token, Octet)])
        self._tell(Kind.BUS, Topic.BUS, self.name, seen, cause, problem or show_marks(tokens[:MAX_NOTED]))
        return Outcome(tokens, b"".join(reads) if not problem else b"", at, problem, fault, tuple(reads))


MAX_NOTED = 64
"""So many marks and bytes of a transaction stand in the record's note; its bytes are there whole."""


class _Wire:
    """What passes in one transaction, and the time as it passes."""

    def __init__(self, at: float, bit: float) -> None:
        self.at = at
        self.bit = bit
        self.tokens: list[Token] = []

    def mark(self, mark: Mark) -> None:
        self.tokens.append(mark)
        self.at += self.bit

    def byte(self, value: int, *, acknowledged: bool) -> None:
        self.tokens.append(Octet(value, acknowledged))
        self.at += 9 * self.bit
