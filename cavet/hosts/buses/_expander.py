"""The host's side of an expander of sixteen lines: outputs by their latch, inputs by polling or by its interrupt."""

from __future__ import annotations

from collections.abc import Iterable

from cavet.hosts._base import Wish
from cavet.hosts._points import DevicePoint
from cavet.hosts.buses._calls import Call, Then
from cavet.hosts.buses._driver import DeviceSettings, Driver, Owner
from cavet.protocols.registers import RegisterMap
from cavet.record import Purpose

PORTS = "ab"


class ExpanderDriver(Driver):
    """Knows the registers by their names in the map; keeps a shadow of direction and latch."""

    def __init__(self, settings: DeviceSettings, points: Iterable[DevicePoint], owner: Owner) -> None:
        super().__init__(settings, points, owner)
        assert settings.registers is not None
        self._map: RegisterMap = settings.registers
        self._shadow: dict[str, int] = {}
        self._ready = False
        self._begun = False
        """Whether it is being set up."""
        self._kept: list[Wish] = []
        """What is wished for meanwhile."""

    def _at(self, name: str) -> int:
        return self._map.register(name).at

    def begin(self, now: float) -> None:
        """Read how it stands, then give each line its direction."""
        self._kept.clear()
        self._set_up()

    def _set_up(self) -> None:
        self._ready, self._begun = False, True
        count = self._at("identity") + 1 if self._has("identity") else self._at("captured_b") + 1
        self._owner.call(
            self._call(data=b"\0", count=count, purpose=Purpose.SET_UP, then=self._learn, failed=self._missing)
        )

    def _missing(self, why: str, now: float) -> None:
        self._begun = False
        kept, self._kept = self._kept, []
        for wish in kept:
            self._owner.failed(wish, why, now)
        self._trouble(why, now)

    def doubt(self) -> None:
        self._ready = False  # it is set up anew at the next poll

    def _has(self, name: str) -> bool:
        return any(register.name == name for register in self._map.registers)

    def _learn(self, data: bytes, now: float, cause: int | None) -> None:
        registers = {register.name: data[register.at] for register in self._map.registers if register.at < len(data)}
        self._shadow = {name: value for name, value in registers.items() if not name.startswith(("level", "captured"))}
        for role in ("direction", "pull_up", "interrupt"):
            self._set_role(role)
        self._ready, self._begun = True, False
        self._read_levels("level")
        for point in self.points:
            if point.kind.is_output:
                latch = registers[f"latch_{PORTS[point.line // 8]}"]
                self._owner.stands(point, point.from_wire(latch >> point.line % 8 & 1), now, cause)
        kept, self._kept = self._kept, []
        for wish in kept:
            self.write(wish, now)

    def _set_role(self, role: str) -> None:
        """Bring both ports' registers of a role to what the points need; lines without a point stay as they are."""
        for number, port in enumerate(PORTS):
            value = self._shadow[f"{role}_{port}"]
            for point in self.points:
                if point.line // 8 != number:
                    continue
                bit = 1 << point.line % 8
                wanted = {
                    "direction": not point.kind.is_output,
                    "pull_up": not point.kind.is_output and point.pull_up,
                    "interrupt": not point.kind.is_output and self.settings.reads == "interrupt",
                }[role]
                value = value | bit if wanted else value & ~bit
            self._put(f"{role}_{port}", value)

    def _put(self, name: str, value: int) -> None:
        """Set a register up, if it is not so already."""
        if self._shadow[name] != value:
            self._shadow[name] = value
            self._owner.call(self._call(data=bytes((self._at(name), value)), purpose=Purpose.SET_UP))

    def write(self, wish: Wish, now: float) -> None:
        """Change one bit of a latch, from its shadow or from what is read before."""
        if not self._ready:
            self._kept.append(wish)
            if not self._begun:
                self._set_up()
            return
        name, bit, high = self._wanted(wish)
        stands = bool(self._shadow[name] & bit) == high
        if self.settings.writes == "shadow":
            if stands and self._may_stand(wish):
                self._look(wish)
            else:
                self._owner.call(*self._writing(wish, self._shadow[name]))
            return

        def modify(data: bytes, now: float, cause: int | None) -> None:
            if bool(data[0] & bit) == high and self._may_stand(wish):
                self._owner.unchanged(wish, now)
            else:
                self._owner.call_first(*self._writing(wish, data[0]))

        self._owner.call(self._reading(wish, name, modify))

    def _wanted(self, wish: Wish) -> tuple[str, int, bool]:
        """The latch, the bit in it, and what that is to be."""
        point = wish.point
        assert isinstance(point, DevicePoint)
        return f"latch_{PORTS[point.line // 8]}", 1 << point.line % 8, bool(point.to_wire(wish.value))

    def _reading(self, wish: Wish, name: str, then: Then) -> Call:
        return self._call(
            data=bytes((self._at(name),)),
            count=1,
            wish=wish,
            purpose=Purpose.READ_BACK,
            then=then,
            failed=self._failing(wish),
        )

    def _look(self, wish: Wish) -> None:
        """It was written so before: look whether it stands so, before anything is written."""
        name, _, high = self._wanted(wish)

        def compare(data: bytes, now: float, cause: int | None) -> None:
            if self._level(wish, data[0]) == high:
                self._owner.unchanged(wish, now)
            else:
                self._owner.call_first(*self._writing(wish, self._shadow[name]))

        self._owner.call(self._reading(wish, name.replace("latch", "level"), compare))

    def _level(self, wish: Wish, levels: int) -> bool:
        """The level of a wish's line, in what was read of its port."""
        name, bit, _ = self._wanted(wish)
        return bool((levels ^ self._shadow[name.replace("latch", "inversion")]) & bit)

    def _writing(self, wish: Wish, before: int) -> list[Call]:
        """The calls that write a latch and read the level that this must have brought about."""
        name, bit, high = self._wanted(wish)
        value = before | bit if high else before & ~bit
        self._shadow[name] = value
        writing = self._call(data=bytes((self._at(name), value)), wish=wish)
        if not wish.point.confirm:
            writing.then, writing.failed = self._gone(wish), self._failing(wish)
            return [writing]

        def compare(data: bytes, now: float, cause: int | None) -> None:
            if self._level(wish, data[0]) == high:
                self._owner.done(wish, now)
            else:
                here, wanted = ("low", "high") if high else ("high", "low")
                self._fail(wish, f"the level at {wish.point.where} is {here}, expected {wanted}", now)

        return [writing, self._reading(wish, name.replace("latch", "level"), compare)]

    def poll(self, now: float) -> None:
        if not self._ready and not self._begun:
            self._set_up()
        elif self._ready and self.settings.reads == "poll":
            self._read_levels("level")

    def look(self, point: DevicePoint) -> bool:
        if self._ready:
            self._owner.call(self._hearing(f"level_{PORTS[point.line // 8]}", [point], is_poll=False))
        return True

    def interrupted(self, now: float) -> None:
        """Read what was captured, which takes the interrupt back, then the levels as they are by now."""
        if self._ready and self.settings.reads == "interrupt":
            self._read_levels("captured")
            self._read_levels("level")

    def _read_levels(self, role: str) -> None:
        inputs = [point for point in self.points if not point.kind.is_output]
        for number, port in enumerate(PORTS):
            here = [point for point in inputs if point.line // 8 == number]
            if here:
                self._owner.call(self._hearing(f"{role}_{port}", here, is_poll=role == "level"))

    def _hearing(self, name: str, here: list[DevicePoint], *, is_poll: bool) -> Call:
        """A call that reads levels, and tells how the points there stand."""

        def hear(data: bytes, now: float, cause: int | None) -> None:
            for point in here:
                self._owner.stands(point, point.from_wire(data[0] >> point.line % 8 & 1), now, cause)

        data = bytes((self._at(name),))
        return self._call(data=data, count=1, purpose=Purpose.POLL, then=hear, failed=self._trouble, is_poll=is_poll)
