"""Firmata: points on pins, and at the devices of the board's buses."""

from collections.abc import Sequence
from math import inf
from typing import Annotated, Any, ClassVar

from cavet.benchfile._point_tables import BridgeTable, ColourTable, LevelTable, ReadingTable, ScaledTable
from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.benchfile.hosts._devices import (
    BusHost,
    BusPlace,
    constants_at_device,
    limits_at_device,
    read_devices,
    read_point_at_device,
)
from cavet.benchfile.hosts._protocol import Constant, HostProtocol, HostTables, PointTables
from cavet.boards import PinMode
from cavet.colours import CHANNELS
from cavet.hosts import ENCODER, STEPPER, DevicePoint, FirmataSession, PinPoint, Point, PointKind, StepperPoint
from cavet.protocols import firmata
from cavet.record import Tell
from cavet.settings import Meaning, Table
from cavet.wording import digits

COILS = ("coil_2", "coil_3", "coil_4")
COILS_THERE = [[number < count for number in range(3)] for count in range(4)]
USUAL_MODES = {PointKind.BRIDGE: "pwm", PointKind.READING: "analog", PointKind.SWITCH: "output"}
USUAL_WIRES, USUAL_BITS = {"pwm": (0, 255), "servo": (0, 180)}, 10
"""The numbers on the wire by the mode; and the bits of a converter, where it is not known what board it is on."""
FULL_TURN = 180
"""The degrees that a servo's number on the wire can say. Source: Firmata 2.7, analog message to a servo pin."""
MOST_ON_A_PIN = (1 << 14) - 1
"""The greatest number for a pin. Source: Firmata 2.7, analog message: two bytes of seven bits."""


class FirmataPlace(BusPlace, kw_only=True):
    """Where a point is, with Firmata."""

    pin: Annotated[int | None, Meaning("Firmata: the pin that it is on", kind="pin")] = None


class FirmataProtocol(HostProtocol):
    """Firmata: a pin is the place of a point, or a device on a bus of the board's."""

    name: ClassVar[str] = "firmata"
    HOST: ClassVar[type[Table]] = BusHost
    POINT: ClassVar[type[Table]] = FirmataPlace
    HAS_BUS: ClassVar[bool] = True

    def read_host(self, tables: HostTables) -> dict[str, Any]:
        return {"devices": read_devices(tables)}

    def reported(self, host: HostSetup, points: Sequence[Any]) -> float:
        channels = {point.pin for point in points if isinstance(point, PinPoint) and point.mode == "analog"}
        return firmata.ANALOG_BYTES * len(channels) / (host.settings.sampling or firmata.SAMPLING_SECONDS)

    def session(
        self, host: HostSetup, link: LinkSetup, points: Sequence[PinPoint | DevicePoint], tell: Tell
    ) -> FirmataSession:
        return FirmataSession(host.name, points, host.settings, tell, host.devices)

    def read_point(self, tables: PointTables) -> Point | None:
        kind, table, place = tables.kind, tables.table, tables.own(FirmataPlace)
        if place is None:
            return None
        if place.device:
            return read_point_at_device(tables)
        if isinstance(table, ColourTable):
            return self._on_three_pins(tables, table)
        if kind.is_text:
            tables.wrong("kind", found=kind.value, expected="a kind that a pin can have: no text")
            return None
        mode = getattr(table, "mode", None) or USUAL_MODES.get(kind, "input")
        if not tables.has("pin", place.pin, "the pin that it is on"):
            return None
        driven = "how the pin is driven, pwm, servo or stepper"
        if isinstance(table, LevelTable) and not tables.has("mode", table.mode, driven):
            return None
        if not tables.has_pins(table, place):
            return None
        fields = {**tables.common(), "pin": place.pin, "mode": mode}
        if isinstance(table, LevelTable) and mode == STEPPER:
            return self._stepper(tables, table, fields)
        if isinstance(table, ReadingTable) and mode == ENCODER:
            if not tables.has("second", table.second, "the pin of its other contact"):
                return None
            return PinPoint(**fields, second=table.second)
        if isinstance(table, ScaledTable):
            wire = table.wire or self._degrees(tables, fields) or USUAL_WIRES.get(mode)
            wire = wire or self._counts(tables, fields["pin"])
            fields |= {"wire_low": wire[0], "wire_high": wire[1]}
        if isinstance(table, BridgeTable):
            fields |= {"ahead": table.ahead, "astern": table.astern, "pause": table.pause}
        return PinPoint(**fields)

    def _on_three_pins(self, tables: PointTables, table: ColourTable) -> Point | None:
        """A colour: a pin of PWM for its red, its green, its blue."""
        if not all(tables.has(name, getattr(table, name), f"the pin of its {name}") for name in CHANNELS):
            return None
        if not tables.has_pins(table) or not tables.has_colours(table):
            return None
        red, green, blue = (getattr(table, name) for name in CHANNELS)
        return PinPoint(**tables.common(), pin=red, green=green, blue=blue, mode="pwm")

    def _degrees(self, tables: PointTables, fields: dict[str, Any]) -> tuple[float, float] | None:
        """The wire of a servo that is asked in degrees, where it says no other: degrees are degrees, and 0 is the
        middle where they go below it."""
        ends = fields["low"], fields["high"]
        if fields["mode"] != "servo" or fields["unit"] not in ("deg", "°"):
            return None
        middle = FULL_TURN / 2 if min(ends) < 0 else 0
        low, high = (end + middle for end in ends)
        if not 0 <= min(low, high) <= max(low, high) <= FULL_TURN:
            expected = f"0 to {FULL_TURN} deg, or −{FULL_TURN // 2} to {FULL_TURN // 2} deg; or a `wire`, for a gear"
            tables.wrong("range", found=" to ".join(digits(end) for end in ends), expected=expected)
            return None
        return low, high

    def _counts(self, tables: PointTables, pin: int) -> tuple[float, float]:
        """What a pin's converter counts from and to."""
        bits = tables.bits(pin, PinMode.ANALOG) or USUAL_BITS
        return 0, (1 << bits) - 1

    def _stepper(self, tables: PointTables, table: LevelTable, fields: dict[str, Any]) -> Point | None:
        """A stepper; without `wire` the numbers there are those of the range: steps."""
        coils = [table.coil_2, table.coil_3, table.coil_4]
        wired = [coil is not None for coil in coils]
        if wired not in COILS_THERE or (table.direction is None) == (not any(wired)):
            expected = "`direction`, or the further wires: coil_2, and with it coil_3 and coil_4"
            tables.wrong("direction", found="a stepper wired otherwise", expected=expected)
            return None
        there = tuple(coil for coil in coils if coil is not None)
        return StepperPoint(
            **fields, direction=table.direction, coils=there, fastest=table.fastest, acceleration=table.acceleration
        )

    def limits(self, point: Point, host: HostSetup) -> tuple[float, float]:
        if isinstance(point, DevicePoint):
            return limits_at_device(point)
        assert isinstance(point, PinPoint)
        if point.mode in (STEPPER, ENCODER):
            return -inf, inf
        return (0, FULL_TURN) if point.mode == "servo" else (0, MOST_ON_A_PIN)

    def constants_of(self, point: PinPoint | DevicePoint, about: str) -> list[Constant]:
        if isinstance(point, DevicePoint):
            return constants_at_device(point, about)
        lines = (("AHEAD", point.ahead), ("ASTERN", point.astern))
        return [
            Constant("PIN", point.pin, f"mode {point.mode}; {about}"),
            *(Constant(f"{word}_PIN", pin, "direction") for word, pin in lines if pin is not None),
        ]
