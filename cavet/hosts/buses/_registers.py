"""The host's side of a device with registers: points at registers and bit fields of any map."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from cavet.hosts._base import Wish
from cavet.hosts._points import DevicePoint
from cavet.hosts.buses._calls import Call
from cavet.hosts.buses._driver import DeviceSettings, Driver, Owner
from cavet.protocols.registers import Register, RegisterMap
from cavet.record import Purpose


class RegistersDriver(Driver):
    """Reads a register for what is at it; writes it whole, its other bits from a shadow or from what is read before."""

    def __init__(self, settings: DeviceSettings, points: Iterable[DevicePoint], owner: Owner) -> None:
        super().__init__(settings, points, owner)
        assert settings.registers is not None
        self._map: RegisterMap = settings.registers
        self._shadow: dict[str, int] = {}
        self._answers = False
        """Whether it has ever been read since the link is open."""

    def begin(self, now: float) -> None:
        """Read all registers at which there are points; one that can only be written is as after its reset."""
        self._answers = False
        for register in self._registers(self.points):
            if register.mask("write-only"):
                self._shadow[register.name] = register.reset
                self._hear(register, register.reset, now, None)
            else:
                self._read(register, Purpose.SET_UP)

    def _registers(self, points: Iterable[DevicePoint]) -> list[Register]:
        return [self._map.register(name) for name in dict.fromkeys(point.register for point in points)]

    def doubt(self) -> None:
        self._shadow.clear()

    def poll(self, now: float) -> None:
        if not self._answers and not all(register.mask("write-only") for register in self._registers(self.points)):
            self.begin(now)
            return
        for register in self._registers(point for point in self.points if not point.kind.is_output):
            self._read(register, Purpose.POLL, inputs_only=True)

    def look(self, point: DevicePoint) -> bool:
        register = self._map.register(point.register)
        readable = not register.mask("write-only")
        if readable:
            self._read(register, Purpose.POLL)
        return readable

    def _read(self, register: Register, purpose: Purpose, *, inputs_only: bool = False) -> None:
        def hear(data: bytes, now: float, cause: int | None) -> None:
            self._answers = True
            self._hear(register, int.from_bytes(data, register.order), now, cause, inputs_only=inputs_only)

        self._owner.call(self._reading(register, purpose=purpose, then=hear, failed=self._trouble, is_poll=inputs_only))

    def _reading(self, register: Register, **fields: object) -> Call:
        return self._call(data=self._pointer(register), count=register.size, **fields)

    def _pointer(self, register: Register) -> bytes:
        return register.at.to_bytes(self._map.pointer, "big")

    def _hear(
        self, register: Register, value: int, now: float, cause: int | None, *, inputs_only: bool = False
    ) -> None:
        self._shadow[register.name] = value
        for point in self.points:
            if point.register == register.name and not (inputs_only and point.kind.is_output):
                self._owner.stands(point, point.take_from(value), now, cause)

    def write(self, wish: Wish, now: float) -> None:
        point = wish.point
        assert isinstance(point, DevicePoint)
        register = self._map.register(point.register)
        if (self.settings.writes == "shadow" and register.name in self._shadow) or register.mask("write-only"):
            self._owner.call(*self._writing(wish, register, self._shadow.get(register.name, register.reset)))
            return

        def modify(data: bytes, now: float, cause: int | None) -> None:
            self._owner.call_first(*self._writing(wish, register, int.from_bytes(data, register.order)))

        self._owner.call(
            self._reading(register, wish=wish, purpose=Purpose.READ_BACK, then=modify, failed=self._failing(wish))
        )

    def _writing(self, wish: Wish, register: Register, before: int) -> list[Call]:
        """The calls that write a register and read it back. Bits that a 1 would clear get a 0."""
        point = wish.point
        assert isinstance(point, DevicePoint)
        value = point.put_into(before & ~register.mask("write-one-to-clear"), wish.value)
        self._shadow[register.name] = value
        data = self._pointer(register) + value.to_bytes(register.size, register.order)
        writing = self._call(data=data, wish=wish)
        calls = [writing]
        if not point.confirm:
            writing.then, writing.failed = self._gone(wish), self._failing(wish)
        else:
            calls.append(
                self._reading(
                    register,
                    wish=wish,
                    purpose=Purpose.READ_BACK,
                    then=self._compare(wish, register),
                    failed=self._failing(wish),
                )
            )
        return calls

    def _compare(self, wish: Wish, register: Register) -> Callable[[bytes, float, int | None], None]:
        def compare(data: bytes, now: float, cause: int | None) -> None:
            point = wish.point
            assert isinstance(point, DevicePoint)
            value = int.from_bytes(data, register.order)
            found = point.take_from(value)
            if point.put_into(0, found) == point.put_into(0, wish.value):
                self._shadow[register.name] = value
                self._owner.done(wish, now)
            else:
                self._fail(wish, f"read back {point.show(found)} from {point.where}", now)

        return compare
