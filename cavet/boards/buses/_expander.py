"""Expanders: more lines, worked over the bus. One with sixteen lines and registers, one with eight and none."""

from collections.abc import Iterable
from typing import Annotated

from cavet.boards._pins import PinMode
from cavet.boards.buses._device import MAP, BusDevice, BusSettings, MappedSettings
from cavet.boards.buses._lines import Lines
from cavet.boards.buses._registers import RegisterDevice
from cavet.boards.parts import Around
from cavet.protocols.registers import Register, RegisterMap
from cavet.record import Kind, Topic
from cavet.settings import Meaning

PORTS = ("a", "b")
ROLES = ("direction", "latch", "level", "pull_up", "inversion", "interrupt", "captured")
"""What a map of an expander must have for each port, as `direction_a` and so on."""


class ExpanderSettings(MappedSettings, kw_only=True):
    """The keys of an expander."""

    interrupt: Annotated[int | None, Meaning("the pin of its interrupt line, low while it waits", kind="pin")] = None
    map: Annotated[str, MAP] = "expander16"


class Expander(RegisterDevice):
    """Sixteen lines in two ports. Each is an input or an output; a change of an input can raise its interrupt.

    The levels at the time of the interrupt are kept until their register is read; that takes the interrupt back. The
    interrupt wire is pulled low by it, and open otherwise.
    """

    kind = "expander"
    SETTINGS = ExpanderSettings

    def __init__(self, name: str, settings: ExpanderSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.lines: Lines = Lines(16)
        self._seen = [0, 0]
        """The levels of each port when it was looked at last."""
        self._pending = [False, False]
        self._raw = [0, 0]
        self._unread = [0] * 16
        """How often each line that senses has changed since the host read it last."""

    @property
    def interrupts(self) -> bool:
        """Whether it holds its interrupt wire low."""
        return any(self._pending)

    def look(self, register: Register, at: float) -> int | None:
        role, _, port = register.name.rpartition("_")
        return self._levels(PORTS.index(port)) if role == "level" and port in PORTS else None

    def _levels(self, port: int) -> int:
        return self.lines.levels(8 * port) ^ self._held[f"inversion_{PORTS[port]}"]

    def was_written(self, register: Register, at: float, cause: int) -> None:
        changed = [self._drive(port, bit, at, cause) for port in range(2) for bit in range(8)]
        role, _, name = register.name.rpartition("_")
        if role == "latch" and name in PORTS and not any(changed):
            self.lines.insist(8 * PORTS.index(name), 8, at, cause)
        for port in range(2):
            if register.name.startswith(("direction", "pull_up", "inversion", "interrupt")):
                self._seen[port] = self._levels(port)  # what the host has brought about itself is no change
                self._raw[port] = self.lines.levels(8 * port)

    def _drive(self, port: int, bit: int, at: float, cause: int) -> bool:
        name = PORTS[port]
        is_input = self._held[f"direction_{name}"] >> bit & 1
        level = None if is_input else bool(self._held[f"latch_{name}"] >> bit & 1)
        pull_up = bool(self._held[f"pull_up_{name}"] >> bit & 1)
        return self.lines.drive(8 * port + bit, level, pull_up, at, cause)

    def was_read(self, register: Register, at: float) -> None:
        role, _, port = register.name.rpartition("_")
        if role == "level" and port in PORTS:
            self._tell_unseen(PORTS.index(port))
        if role == "captured" and port in PORTS and self._pending[PORTS.index(port)]:
            self._pending[PORTS.index(port)] = False
            for line in range(8 * PORTS.index(port), 8 * PORTS.index(port) + 8):
                self._unread[line] = max(0, self._unread[line] - 1)  # what was captured has been seen now
            self._seen[PORTS.index(port)] = self._held[register.name]
            self._stir()
            self.line_changed(at)

    def _tell_unseen(self, port: int) -> None:
        """The host has read a port: tell which changes it never saw, because they were over by then."""
        for line in range(8 * port, 8 * port + 8):
            count, self._unread[line] = self._unread[line], 0
            if count > 1:
                note = f"changed {count} times since it was read last: the host has seen only how it stands now"
                self._tell(Kind.REMARK, Topic.LINE, f"{self.name}.{_label(line)}", count, self.lines.cause(line), note)

    def _note_changes(self, port: int) -> None:
        raw = self.lines.levels(8 * port)
        changed, self._raw[port] = raw ^ self._raw[port], raw
        for bit in range(8):
            line = 8 * port + bit
            if changed >> bit & 1 and self.lines.senses(line):
                self._unread[line] += 1
                level = bool(raw >> bit & 1)
                self._tell(Kind.LEVEL, Topic.LINE, f"{self.name}.{_label(line)}", level, self.lines.cause(line))

    def line_changed(self, now: float) -> None:
        """A part has given another level to a line: keep the levels and raise the interrupt, where that is wanted."""
        for port, name in enumerate(PORTS):
            self._note_changes(port)
            levels = self._levels(port)
            watched = self._held[f"interrupt_{name}"] & self._held[f"direction_{name}"]
            changed = (levels ^ self._seen[port]) & watched
            if self._pending[port]:
                continue
            self._seen[port] = levels
            if changed:
                self._pending[port] = True
                self._held[f"captured_{name}"] = levels
                line = 8 * port + (changed & -changed).bit_length() - 1
                self.cause = self._tell(
                    Kind.LEVEL,
                    Topic.REGISTER,
                    f"{self.name}.captured_{name}",
                    levels,
                    self.lines.cause(line),
                    "interrupt",
                )
                self._stir()

    def level(self, wire: str) -> bool | None:
        return False if wire == "interrupt" and self.interrupts else None

    def stands_as(self, now: float) -> float:
        return self._levels(0) | self._levels(1) << 8

    def tells(self, now: float) -> str:
        waits = ", interrupt" if self.interrupts else ""
        return f"0x{self.address:02X} A {self.lines.levels(0):02X} B {self.lines.levels(8):02X}{waits}"


class LatchExpander(BusDevice):
    """Eight lines without registers: the byte written is the lines, and a read gives their levels.

    A line that is written high is only held high weakly, so that what hangs on it can pull it low.
    """

    kind = "latch"

    def __init__(self, name: str, settings: BusSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.lines: Lines = Lines(8)
        for pin in self.lines.pins:
            pin.mode = PinMode.PULL_UP
        self.value = 0xFF

    def write(self, byte: int, at: float) -> bool:
        self.value = byte
        cause = self._tell(Kind.DRIVEN, Topic.REGISTER, f"{self.name}.lines", byte, self._from)
        changed = [self.lines.hold(line, bool(self.value >> line & 1), at, cause) for line in range(8)]
        if not any(changed):
            self.lines.insist(0, 8, at, cause)
        return True

    def read(self, at: float) -> int:
        return self.lines.levels(0)

    def stands_as(self, now: float) -> float:
        return self.value

    def tells(self, now: float) -> str:
        return f"0x{self.address:02X} {self.value:02X}"


def _label(line: int) -> str:
    """A line's name: its port and its number."""
    return f"{PORTS[line // 8].upper()}{line % 8}"


def missing_registers(registers: RegisterMap) -> Iterable[str]:
    """The registers that a map lacks to be that of an expander."""
    names = {register.name for register in registers.registers}
    return [f"{role}_{port}" for role in ROLES for port in PORTS if f"{role}_{port}" not in names]
