"""A device with registers, as its map has them: pointer, counting up, banks, side effects."""

from typing import Annotated, ClassVar

from cavet.boards.buses._device import BusDevice, MappedSettings
from cavet.boards.parts import Around, PartSettings
from cavet.protocols.registers import Register, RegisterMap
from cavet.record import Kind, Topic
from cavet.settings import Meaning


class RegisterDeviceSettings(MappedSettings, kw_only=True):
    """The keys of a register device."""

    ten_bit: Annotated[bool, Meaning("whether its address has ten bits")] = False


class RegisterDevice(BusDevice):
    """Runs any register map. A kind of device that does something with its registers takes the three hooks."""

    kind = "registers"
    SETTINGS: ClassVar[type[PartSettings]] = RegisterDeviceSettings

    def __init__(self, name: str, settings: MappedSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        registers = settings.register_map
        assert registers is not None  # else the file was refused
        self.map = registers
        self._held = {register.name: register.reset for register in registers.registers}
        self._places = _places(registers)
        self._pointer = 0
        self._chosen = 0
        """How many bytes of the pointer have come in this write."""
        self._offset = 0
        """The byte within a register, where each has only one address."""
        self._latched = b""
        """The bytes of a register that is being read: they belong together."""
        self._incoming = bytearray()

    # hooks

    def look(self, register: Register, at: float) -> int | None:
        """Give what a register holds now, where that is not what was written to it."""
        return None

    def was_read(self, register: Register, at: float) -> None:
        """A register was read to its end."""

    def was_written(self, register: Register, at: float, cause: int) -> None:
        """A register was written to its end."""

    # the bus

    def begin(self, read: bool, at: float, cause: int | None) -> None:
        super().begin(read, at, cause)
        self._chosen = 0
        self._offset = 0
        self._incoming.clear()
        self._latched = b""

    def write(self, byte: int, at: float) -> bool:
        if self._chosen < self.map.pointer:
            self._pointer = (self._pointer << 8 | byte) & (1 << 8 * self.map.pointer) - 1
            self._chosen += 1
            return True
        register, place = self._here()
        if register is None:
            self._tell(
                Kind.REMARK, Topic.PART, self.name, byte, self._from, f"there is no register 0x{self._pointer:02X}"
            )
        else:
            self._take(register, place, byte, at)
        self._step(register)
        return True

    def _take(self, register: Register, place: int, byte: int, at: float) -> None:
        """Take a byte of a register; it is written when its last one has come."""
        if place == 0 or len(self._incoming) != place:
            self._incoming = bytearray(self.value(register.name, at).to_bytes(register.size, register.order)[:place])
        self._incoming.append(byte)
        if place < register.size - 1:
            return
        written = int.from_bytes(self._incoming, register.order)
        self._incoming = bytearray()
        cause = self.put(register, written, self._from)
        self.was_written(register, at, cause)

    def put(self, register: Register, written: int, cause: int | None) -> int:
        """Write a register as the bus does; give the event of that."""
        held = self._held[register.name]
        writable = register.mask("read-write", "write-only")
        cleared = register.mask("write-one-to-clear") & written
        self._held[register.name] = (held & ~writable | written & writable) & ~cleared
        note = "it can only be read" if not writable and not register.mask("write-one-to-clear") else ""
        subject = f"{self.name}.{register.name}"
        return self._tell(Kind.DRIVEN, Topic.REGISTER, subject, self._held[register.name], cause, note)

    def read(self, at: float) -> int:
        register, place = self._here()
        if register is None:
            self._step(None)
            return 0
        if place == 0 or len(self._latched) != register.size:
            shown = self.value(register.name, at) & ~register.mask("write-only")
            self._latched = shown.to_bytes(register.size, register.order)
        byte = self._latched[place]
        if place == register.size - 1:
            self._held[register.name] &= ~register.mask("clear-on-read")
            self._latched = b""
            self.was_read(register, at)
        self._step(register)
        return byte

    def _here(self) -> tuple[Register | None, int]:
        """The register at the pointer, and which of its bytes."""
        registers = self._places.get(self._pointer, ())
        bank = self._bank()
        for register, place in registers:
            if register.bank is None or register.bank == bank:
                return register, place + self._offset
        return None, 0

    def _bank(self) -> int | None:
        if not self.map.banked_by:
            return None
        name, _, part = self.map.banked_by.partition(".")
        held = self._held[name]
        field = self.map.register(name).field(part) if part else None
        return field.get(held) if field is not None else held

    def _step(self, register: Register | None) -> None:
        if self.map.addressing == "registers" and register is not None:
            self._offset = (self._offset + 1) % register.size
            if self._offset:
                return
        if self.map.auto_increment:
            self._pointer = 0 if self._pointer >= self.map.last else self._pointer + 1

    # values

    def value(self, name: str, at: float) -> int:
        """What a register holds now."""
        seen = self.look(self.map.register(name), at)
        return self._held[name] if seen is None else seen

    def hold(self, name: str, value: int) -> None:
        """Put a value into a register from inside the device."""
        self._held[name] = value

    def tells(self, now: float) -> str:
        return f"0x{self.address:02X}"


def _places(registers: RegisterMap) -> dict[int, list[tuple[Register, int]]]:
    """Which registers stand at each address, and with which of their bytes."""
    places: dict[int, list[tuple[Register, int]]] = {}
    for register in registers.registers:
        for byte in range(register.size if registers.addressing == "bytes" else 1):
            places.setdefault(register.at + byte, []).append((register, byte))
    return places
