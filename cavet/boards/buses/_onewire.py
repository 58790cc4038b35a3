"""A OneWire line: devices at one pin, each with an address of its own, and whatever registers it has behind that.

The rules of the line are the trade's: a reset, which whoever is there answers; a command about addresses; then what is
the device's own. Its registers are read and written as on other buses: their number first.
"""

from collections.abc import Callable
from enum import IntEnum
from typing import Annotated, Any

from cavet.boards._rig import Function, Rig
from cavet.boards.buses._converters import Measuring, MeasuringSettings, measured
from cavet.boards.buses._device import MAP
from cavet.boards.parts import Around, Part, PartSettings
from cavet.expressions import Expression
from cavet.protocols.checks import Crc
from cavet.protocols.registers import RegisterMap
from cavet.record import Tell
from cavet.settings import Meaning

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


class OneWireDeviceSettings(PartSettings, kw_only=True):
    """The keys of a device on a OneWire line."""

    pin: Annotated[int, Meaning("the pin of its OneWire line, which several may share", kind="pin")]
    family: Annotated[int, Meaning("the first byte of its address", low=0, high=0xFF)]
    serial: Annotated[int, Meaning("its serial number", low=0, high=0xFFFF_FFFF_FFFF)]
    map: Annotated[str, MAP] = "converters#adc4"
    channels: Annotated[
        dict[str, Any], Meaning("what its registers measure: a register's name and an expression of the rig")
    ] = {}
    range: Annotated[tuple[float, float], Meaning("what reads 0, and what reads full")] = (0.0, 1.0)
    bits: Annotated[int, Meaning("how many bits it has", low=1, high=32)] = 12
    alarm: Annotated[Expression | None, Meaning("the condition at which it answers a search for alarms")] = None
    register_map: RegisterMap | None = None
    """What that name stands for, once it was looked up."""

    @property
    def expressions(self) -> dict[tuple[str, ...], Expression]:
        return super().expressions | measured(self.channels)


class OneWireDevice(Part):
    """A device on the line. Behind its address it has what measures.

    Its address: the family, six bytes of serial number with the low one first, and a check over these.
    """

    kind = "onewire"
    by_level = False
    SETTINGS = OneWireDeviceSettings
    watches_rig = False

    def __init__(self, name: str, settings: OneWireDeviceSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        body = bytes((settings.family,)) + settings.serial.to_bytes(6, "little")
        self.address = body + bytes((ADDRESS_CRC.of(body),))
        measuring = MeasuringSettings(
            kind=Measuring.kind, address=0, channels=settings.channels, range=settings.range, bits=settings.bits,
            register_map=settings.register_map,
        )  # fmt: skip
        self._registers = Measuring(name, measuring, around)
        self._alarm = settings.alarm
        self._alarms: Function | None = None
        self._heard: bytearray | None = None
        """The bytes of the command about addresses; `None` once that is over."""
        self._chosen = False
        self._reading = False
        self._given = b""
        """What it says of its address."""

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
