"""Firmata: points on pins, and at the devices of the board's buses."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf
from typing import Any, ClassVar

from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.benchfile.hosts._devices import (
    DEVICE_KEY,
    DEVICES_KEY,
    constants_at_device,
    limits_at_device,
    read_devices,
    read_point_at_device,
)
from cavet.benchfile.hosts._protocol import Constant, HostProtocol, HostTables, PointTable
from cavet.colours import CHANNELS
from cavet.hosts import ENCODER, STEPPER, DevicePoint, FirmataSession, PinPoint, Point, PointKind, StepperPoint
from cavet.record import Tell
from cavet.settings import Key

COILS = ("coil_2", "coil_3", "coil_4")
COILS_THERE = [[number < count for number in range(3)] for count in range(4)]
SHAFT_KEYS = ("direction", *COILS, "second")
USUAL_MODES = {PointKind.BRIDGE: "pwm", PointKind.READING: "analog", PointKind.SWITCH: "output"}
USUAL_WIRES, COUNTS = {"pwm": (0, 255), "servo": (0, 180)}, (0, 1023)
FULL_TURN = 180
"""The degrees that a servo's number on the wire can say. Source: Firmata 2.7, analog message to a servo pin."""
MOST_ON_A_PIN = (1 << 14) - 1
"""The greatest number for a pin. Source: Firmata 2.7, analog message: two bytes of seven bits."""


class FirmataProtocol(HostProtocol):
    """Firmata: a pin is the place of a point, or a device on a bus of the board's."""

    name: ClassVar[str] = "firmata"
    HOST_KEYS: ClassVar[tuple[Key, ...]] = (DEVICES_KEY,)
    POINT_KEYS: ClassVar[tuple[Key, ...]] = (
        Key("pin", "pin", "Firmata: the pin that it is on", default=None),
        DEVICE_KEY,
    )
    PLACES: ClassVar[tuple[str, ...]] = ("pin", "device", *CHANNELS, *SHAFT_KEYS)
    HAS_BUS: ClassVar[bool] = True

    def read_host(self, tables: HostTables) -> dict[str, Any]:
        return {"devices": read_devices(tables)}

    def session(
        self, host: HostSetup, link: LinkSetup, points: Sequence[PinPoint | DevicePoint], tell: Tell
    ) -> FirmataSession:
        return FirmataSession(host.name, points, host.settings, tell, host.devices)

    def read_point(self, table: PointTable) -> Point | None:
        kind, raw = table.kind, table.table
        if raw["device"]:
            return read_point_at_device(table)
        if kind is PointKind.COLOUR:
            return self._on_three_pins(table)
        if kind.is_text:
            table.wrong("kind", found=kind.value, expected="a kind that a pin can have: no text")
            return None
        if not table.has("pin", "the pin that it is on"):
            return None
        if kind is PointKind.LEVEL and not table.has("mode", "how the pin is driven, pwm or servo"):
            return None
        if not table.has_pins():
            return None
        fields = table.common()
        mode = raw.get("mode") or USUAL_MODES.get(kind, "input")
        if not kind.is_switch:
            wire = raw.get("wire") or self._degrees(table, mode) or USUAL_WIRES.get(mode, COUNTS)
            fields |= {"wire_low": wire[0], "wire_high": wire[1]}
        if mode in (STEPPER, ENCODER):
            return self._on_shaft(table, fields, mode)
        for key in SHAFT_KEYS:
            if raw.get(key) is not None:
                table.wrong(key, found=raw[key], expected=f"none in mode {mode}")
                return None
        lines = {key: raw[key] for key in ("ahead", "astern") if key in raw}
        return PinPoint(**fields, **lines, pin=raw["pin"], mode=mode, pause=raw.get("pause") or 0.0)

    def _on_three_pins(self, table: PointTable) -> Point | None:
        """A colour: a pin of PWM for its red, its green, its blue."""
        if not all(table.has(name, f"the pin of its {name}") for name in CHANNELS):
            return None
        if not table.has_pins() or not table.has_colours():
            return None
        red, green, blue = (table.table[name] for name in CHANNELS)
        return PinPoint(**table.common(), pin=red, green=green, blue=blue, mode="pwm")

    def _degrees(self, table: PointTable, mode: str) -> tuple[float, float] | None:
        """The wire of a servo that is asked in degrees, where it says no other: degrees are degrees, and 0 is the
        middle where they go below it."""
        ends = table.table["range"]
        if mode != "servo" or table.table["unit"] not in ("deg", "°"):
            return None
        middle = FULL_TURN / 2 if min(ends) < 0 else 0
        low, high = (end + middle for end in ends)
        if not 0 <= min(low, high) <= max(low, high) <= FULL_TURN:
            expected = f"0 to {FULL_TURN} deg, or −{FULL_TURN // 2} to {FULL_TURN // 2} deg; or a `wire`, for a gear"
            table.wrong("range", found=" to ".join(f"{end:g}" for end in ends), expected=expected)
            return None
        return low, high

    def _on_shaft(self, table: PointTable, fields: dict[str, Any], mode: str) -> Point | None:
        """A stepper, or an encoder; without `wire` the numbers there are those of the range: steps, or counts."""
        raw = table.table
        low, high = raw.get("wire") or raw["range"]
        fields |= {"wire_low": low, "wire_high": high}
        if mode == ENCODER:
            if not table.has("second", "the pin of its other contact"):
                return None
            return PinPoint(**fields, pin=raw["pin"], mode=mode, second=raw["second"])
        coils = [raw[key] for key in COILS]
        if [coil is not None for coil in coils] not in COILS_THERE or (raw["direction"] is None) == (not any(coils)):
            expected = "`direction`, or the further wires: coil_2, and with it coil_3 and coil_4"
            table.wrong("direction", found="a stepper wired otherwise", expected=expected)
            return None
        return StepperPoint(
            **fields, pin=raw["pin"], mode=mode, direction=raw["direction"],
            coils=tuple(coil for coil in coils if coil is not None), fastest=raw["fastest"],
            acceleration=raw["acceleration"],
        )  # fmt: skip

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
