"""The host's side of an expander of sixteen lines: outputs by their latch, inputs by polling or by its interrupt."""

from __future__ import annotations

from collections.abc import Iterable

from cavet.hosts._base import Wish
from cavet.hosts._point import DevicePoint
from cavet.hosts.buses._calls import Call
from cavet.hosts.buses._driver import DevicePlan, Driver, Owner
from cavet.protocols.registers import RegisterMap
from cavet.record import READ_BACK

PORTS = "ab"


class ExpanderDriver(Driver):
    """Knows the registers by their names in the map; keeps a shadow of direction and latch."""

    def __init__(self, plan: DevicePlan, points: Iterable[DevicePoint], owner: Owner) -> None:
        super().__init__(plan, points, owner)
        assert plan.registers is not None
        self._map: RegisterMap = plan.registers
        self._shadow: dict[str, int] = {}
        self._ready = False

    def _at(self, name: str) -> int:
        return self._map.register(name).at

    def begin(self, now: float) -> None:
        """Read how it stands, then give each line its direction."""
        self._ready = False
        count = self._at("identity") + 1 if self._has("identity") else self._at("captured_b") + 1
        self._owner.call(self._call(data=b"\0", count=count, note="set-up", then=self._learn, failed=self._trouble))

    def doubt(self) -> None:
        self._ready = False  # it is set up anew at the next poll

    def _has(self, name: str) -> bool:
        return any(register.name == name for register in self._map.registers)

    def _learn(self, data: bytes, now: float, cause: int | None) -> None:
        registers = {register.name: data[register.at] for register in self._map.registers if register.at < len(data)}
        self._shadow = {name: value for name, value in registers.items() if not name.startswith(("level", "captured"))}
        for role in ("direction", "pull_up", "interrupt"):
            self._set_role(role)
        self._ready = True
        self._read_levels("level")
        for point in self.points:
            if point.kind.is_output:
                latch = registers[f"latch_{PORTS[point.line // 8]}"]
                self._owner.stands(point, point.from_wire(latch >> point.line % 8 & 1), now, cause)

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
                    "interrupt": not point.kind.is_output and self.plan.reads == "interrupt",
                }[role]
                value = value | bit if wanted else value & ~bit
            self._put(f"{role}_{port}", value)

    def _put(self, name: str, value: int) -> None:
        """Set a register up, if it is not so already."""
        if self._shadow[name] != value:
            self._shadow[name] = value
            self._owner.call(self._call(data=bytes((self._at(name), value)), note="set-up"))

    def write(self, wish: Wish, now: float) -> None:
        """Change one bit of a latch, from its shadow or from what is read before."""
        assert isinstance(wish.point, DevicePoint)
        name = f"latch_{PORTS[wish.point.line // 8]}"
        if self.plan.writes == "shadow":
            self._write_bit(wish, name, self._shadow[name])
            return

        def modify(data: bytes, now: float, cause: int | None) -> None:
            self._write_bit(wish, name, data[0])

        self._owner.call(
            self._call(
                data=bytes((self._at(name),)), count=1, wish=wish, note=READ_BACK, then=modify,
                failed=lambda why, now: self._fail(wish, why, now),
            )
        )  # fmt: skip

    def _write_bit(self, wish: Wish, name: str, before: int) -> None:
        """Write a latch and read the level, before anything else that waits."""
        point = wish.point
        assert isinstance(point, DevicePoint)
        bit = 1 << point.line % 8
        value = before | bit if point.to_wire(wish.value) else before & ~bit
        self._shadow[name] = value
        calls = [self._call(data=bytes((self._at(name), value)), wish=wish)]
        if point.confirm:
            calls.append(self._read_level(wish, bit, bool(value & bit)))
        self._owner.call_first(*calls)

    def _read_level(self, wish: Wish, bit: int, wanted: bool) -> Call:
        """A call that reads whether a line has the level that a wish must have brought about."""
        point = wish.point
        assert isinstance(point, DevicePoint)

        def compare(data: bytes, now: float, cause: int | None) -> None:
            if bool(data[0] & bit) == wanted:
                self._owner.done(wish, now)
            else:
                self._fail(wish, f"the level at {point.where} is another", now)

        return self._call(
            data=bytes((self._at(f"level_{PORTS[point.line // 8]}"),)), count=1, wish=wish, note=READ_BACK,
            then=compare, failed=lambda why, now: self._fail(wish, why, now),
        )  # fmt: skip

    def poll(self, now: float) -> None:
        if not self._ready:
            self.begin(now)
        elif self.plan.reads == "poll":
            self._read_levels("level")

    def interrupted(self, now: float) -> None:
        """Read what was captured, which takes the interrupt back, then the levels as they are by now."""
        if self._ready and self.plan.reads == "interrupt":
            self._read_levels("captured")
            self._read_levels("level")

    def _read_levels(self, role: str) -> None:
        inputs = [point for point in self.points if not point.kind.is_output]
        for number, port in enumerate(PORTS):
            here = [point for point in inputs if point.line // 8 == number]
            if not here:
                continue

            def hear(data: bytes, now: float, cause: int | None, here: list[DevicePoint] = here) -> None:
                for point in here:
                    self._owner.stands(point, point.from_wire(data[0] >> point.line % 8 & 1), now, cause)

            data = bytes((self._at(f"{role}_{port}"),))
            self._owner.call(
                self._call(data=data, count=1, note="poll", then=hear, failed=self._trouble, is_poll=role == "level")
            )
