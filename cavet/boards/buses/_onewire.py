"""A OneWire line: devices at one pin, each with an address of its own, and whatever registers it has behind that.

The rules of the line are the trade's: a reset, which whoever is there answers; a command about addresses; then what is
the device's own. Its registers are read and written as on other buses: their number first.
"""

from __future__ import annotations

from collections.abc import Callable
from enum import IntEnum

from cavet.boards._rig import Function, Rig
from cavet.boards.buses._converters import Measuring
from cavet.boards.buses._device import map_key
from cavet.boards.buses._registers import RegisterDevice
from cavet.boards.parts import Around, Part, Settings, Wires
from cavet.expressions import Expression
from cavet.protocols.checks import Crc
from cavet.record import Tell
from cavet.settings import Key

ADDRESS_CRC = Crc(8, 0x31, reflect=True)
ADDRESS_BYTES = 8
RESET_SECONDS, BYTE_SECONDS = 960e-6, 8 * 70e-6
"""What a reset and a byte take at the standard speed."""


class AddressCommand(IntEnum):
    """What may follow a reset."""

    READ = 0x33
    MATCH = 0x55
    SKIP = 0xCC
    SEARCH = 0xF0
    SEARCH_ALARMS = 0xEC


class OneWireDevice(Part):
    """A device on the line. `registers` is what it has behind its address; `alarm` the condition for an alarm search.

    Its address: the family, six bytes of serial number with the low one first, and a check over these.
    """

    kind = "onewire"
    SETTINGS = (
        Key("pin", "pin", "the pin of its OneWire line, which several may share", required=True),
        Key("family", "whole", "the first byte of its address", required=True, low=0, high=0xFF),
        Key("serial", "whole", "its serial number", required=True, low=0, high=0xFFFF_FFFF_FFFF),
        map_key("converters#adc4"),
        Key(
            "channels",
            "table",
            "what its registers measure: a register's name and an expression of the rig",
            default={},
        ),
        Key("range", "range", "what reads 0, and what reads full", unit="", default=(0.0, 1.0)),
        Key("bits", "whole", "how many bits it has", default=12, low=1, high=32),
        Key("alarm", "expression", "the condition at which it answers a search for alarms", default=None),
    )
    watches_rig = False

    def __init__(
        self, name: str, wires: Wires, registers: RegisterDevice, *, family: int, serial: int,
        alarm: Expression | None = None,
    ) -> None:  # fmt: skip
        super().__init__(name, wires)
        body = bytes((family,)) + serial.to_bytes(6, "little")
        self.address = body + bytes((ADDRESS_CRC.of(body),))
        self._registers = registers
        self._alarm = alarm
        self._alarms: Function | None = None
        self._heard: bytearray | None = None
        """The bytes of the command about addresses; `None` once that is over."""
        self._chosen = False
        self._reading = False
        self._given = b""
        """What it says of its address."""

    @classmethod
    def make(cls, name: str, settings: Settings, around: Around) -> Part:
        low, high = settings["range"]
        measuring = Measuring(
            name, {}, settings["map"], address=0, channels=settings["channels"], low=low, high=high,
            bits=settings["bits"],
        )  # fmt: skip
        wires, alarm = cls.wires_in(settings), settings["alarm"]
        return cls(name, wires, measuring, family=settings["family"], serial=settings["serial"], alarm=alarm)

    def join(self, rig: Rig, tell: Tell, stir: Callable[[], None]) -> None:
        super().join(rig, tell, stir)
        self._registers.join(rig, tell, stir)
        if self._alarm is not None:
            self._alarms = rig.bind(self._alarm)

    @property
    def has_alarm(self) -> bool:
        """Whether it answers a search for alarms."""
        return self._alarms is not None and bool(self._alarms(self._rig.row))

    def reset(self, at: float) -> None:
        """The line was reset: a command about addresses comes next."""
        if self._chosen:
            self._registers.stop(at)
        self._heard, self._chosen, self._reading, self._given = bytearray(), False, False, b""

    def write(self, byte: int, at: float, cause: int | None) -> None:
        """A byte was written on the line."""
        if self._heard is not None:
            self._heard.append(byte)
            self._choose(bytes(self._heard), at, cause)
        elif self._chosen:
            if self._reading:
                self._registers.begin(False, at, cause)
                self._reading = False
            self._registers.write(byte, at)

    def _choose(self, heard: bytes, at: float, cause: int | None) -> None:
        if heard[0] == AddressCommand.MATCH and len(heard) <= ADDRESS_BYTES:
            return
        self._heard = None
        if heard[0] == AddressCommand.READ:
            self._given = self.address
        self._chosen = heard[0] in (AddressCommand.SKIP, AddressCommand.READ) or heard[1:] == self.address
        if self._chosen:
            self._registers.begin(False, at, cause)

    def read(self, at: float, cause: int | None) -> int:
        """Give the next byte; FF where it says nothing."""
        if self._given:
            byte, self._given = self._given[0], self._given[1:]
            return byte
        if not self._chosen:
            return 0xFF
        if not self._reading:
            self._registers.begin(True, at, cause)
            self._reading = True
        return self._registers.read(at)

    def tells(self, now: float) -> str:
        return self._registers.tells(now) or self.address.hex(" ").upper()


class OneWire:
    """The line at one pin."""

    def __init__(self, devices: list[OneWireDevice]) -> None:
        self.devices = devices

    def reset(self, at: float) -> None:
        """Reset the line."""
        for device in self.devices:
            device.reset(at)

    def write(self, byte: int, at: float, cause: int | None) -> None:
        """Write a byte to all."""
        for device in self.devices:
            device.write(byte, at, cause)

    def read(self, at: float, cause: int | None) -> int:
        """Read a byte: whoever pulls low, wins."""
        byte = 0xFF
        for device in self.devices:
            byte &= device.read(at, cause)
        return byte

    def search(self, *, alarms: bool = False) -> list[bytes]:
        """The addresses, in the order in which a search finds them: by their bits, the lowest first."""
        found = [device.address for device in self.devices if not alarms or device.has_alarm]
        return sorted(found, key=lambda address: [byte >> bit & 1 for byte in address for bit in range(8)])
