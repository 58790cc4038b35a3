"""From the tables of points to points, after what their hosts speak."""

from __future__ import annotations

from collections.abc import Callable
from math import inf
from typing import Any

from cavet.benchfile._check import Checker
from cavet.benchfile._device_reading import place_at_device
from cavet.benchfile._messages import joined, read_payload
from cavet.benchfile._places import Path
from cavet.benchfile._values import BITS, value_form
from cavet.boards import Profile
from cavet.colours import CHANNELS, parse_colour
from cavet.hosts import (
    ENCODER,
    ON_SPI,
    STEPPER,
    DevicePlan,
    DevicePoint,
    FieldPoint,
    Format,
    HeaderPoint,
    PinPoint,
    Point,
    PointKind,
    RegisterPoint,
    StepperPoint,
    TopicPoint,
)
from cavet.messaging import PayloadForm
from cavet.protocols.mqtt import filter_problem, name_problem
from cavet.protocols.plans import FieldPlan
from cavet.wording import WrongError, listed

ResolvePins = Callable[[Path, dict[str, Any], Profile | None], bool]
SHAFT_KEYS = ("direction", "coil_2", "coil_3", "coil_4", "second")
PLACES = {
    "firmata": ("pin", "device", *CHANNELS, *SHAFT_KEYS),
    "buses": ("device",),
    "modbus": ("table", "address"),
    "scpi": ("set", "on", "off", "ask"),
    "mqtt": ("command", "state"),
    "plan": ("field", "mask", "line", "state"),
}
"""The keys that say where a point is, by what is spoken."""
COLOUR_BITS = 24
ON_PINS = (PointKind.BRIDGE, PointKind.COLOUR)
"""The kinds that only pins have; a colour can be a field, too."""
TEXTS = (PointKind.TEXT, PointKind.WORDS)
WRITABLE = ("coils", "holding-registers")
COILS = ("coil_2", "coil_3", "coil_4")
COILS_THERE = [[number < count for number in range(3)] for count in range(4)]
USUAL_WIRES, COUNTS = {"pwm": (0, 255), "servo": (0, 180)}, (0, 1023)
FULL_TURN = 180
"""The degrees that a servo's number on the wire can say. Source: Firmata 2.7, analog message to a servo pin."""
MOST_ON_A_PIN = (1 << 14) - 1
"""The greatest number for a pin. Source: Firmata 2.7, analog message: two bytes of seven bits."""


class PointReader:
    """Reads points; what is wrong stands in the checker's errors."""

    def __init__(
        self, checker: Checker, protocols: dict[str, str], bases: dict[str, str], formats: dict[str, Format],
        devices: dict[str, dict[str, DevicePlan]],
        resolve_pins: ResolvePins,
    ) -> None:  # fmt: skip
        self._checker = checker
        self._protocols = protocols
        self._bases = bases
        self._formats = formats
        self._devices = devices
        self._resolve_pins = resolve_pins

    def read(self, name: str, table: dict[str, Any], profile: Profile | None) -> Point | None:
        """Read one point; `None` where nothing can be made of it."""
        path: Path = ("points", name)
        protocol = self._protocols[table["board"]]
        kind = PointKind(table["kind"])
        if not self._only_its_own(path, table, protocol):
            return None
        if kind is PointKind.PULSE and protocol != "mqtt":
            self._checker.wrong((*path, "kind"), found="pulse", expected=f"a kind that {protocol} has")
            return None
        make = {
            "firmata": self._on_pin,
            "modbus": self._at_address,
            "scpi": self._behind_header,
            "mqtt": self._at_topics,
            "plan": self._in_frame,
            "buses": self._at_device,
        }[protocol]
        point = make(path, table, kind, profile)
        return point if point is not None and self._is_right(path, point, table) else None

    def _only_its_own(self, path: Path, table: dict[str, Any], protocol: str) -> bool:
        """Whether it says where it is in the way that its host understands, and in no other."""
        good = True
        for other, keys in PLACES.items():
            for key in keys if other != protocol else ():
                if key in PLACES[protocol]:
                    continue
                if table.get(key) not in (None, ""):
                    expected = f"none: its host speaks {protocol}"
                    self._checker.wrong((*path, key), found=table[key], expected=expected)
                    good = False
        return good

    def _require(self, path: Path, table: dict[str, Any], key: str, doc: str) -> bool:
        if table.get(key) in (None, ""):
            self._checker.wrong((*path, key), found="nothing", expected=f"{doc}; it must be there")
            return False
        return True

    def _is_right(self, path: Path, point: Point, table: dict[str, Any]) -> bool:
        self._check_wire(path, point, table)
        try:
            point.check()
        except WrongError as error:
            where = self._checker.place((*path, error.place.rpartition(".")[2]))
            self._checker.errors.append(WrongError(where, found=error.found, expected=error.expected))
        return True

    def _check_wire(self, path: Path, point: Point, table: dict[str, Any]) -> None:
        """Whether the numbers at both ends can stand on the wire."""
        if point.kind.is_text or point.kind.is_switch:
            return
        least, most = self._limits(point)
        ends = (point.wire_low, point.wire_high)
        if any(not least <= end <= most for end in ends):
            key = "wire" if table.get("wire") else "range"
            found = " to ".join(f"{end:g}" for end in ends)
            self._checker.wrong((*path, key), found=found, expected=f"what is carried there: {least:g} to {most:g}")

    def _limits(self, point: Point) -> tuple[float, float]:
        """The least and the greatest number that is carried where a point is."""
        if isinstance(point, PinPoint) and point.mode not in (STEPPER, ENCODER):
            return (0, FULL_TURN) if point.mode == "servo" else (0, MOST_ON_A_PIN)
        if isinstance(point, RegisterPoint):
            return point.form.limits
        if isinstance(point, TopicPoint) and point.form.kind == "raw":
            return 0, (1 << 8 * point.form.size) - 1
        if isinstance(point, DevicePoint) and point.register:
            signed = min(point.wire_low, point.wire_high) < 0
            return (-(1 << point.bits - 1), (1 << point.bits - 1) - 1) if signed else (0, (1 << point.bits) - 1)
        if isinstance(point, FieldPoint):
            plan = self._formats[point.board]
            used = ((point.frame, point.field), (point.state_frame, point.state_field))
            return _field_limits([plan.codecs[frame].plan.field(field) for frame, field in used if frame])
        return -inf, inf

    def _at_device(self, path: Path, table: dict[str, Any], kind: PointKind, profile: Profile | None) -> Point | None:
        if not self._require(path, table, "device", "the device that it is at"):
            return None
        place = place_at_device(self._checker, path, table, kind, self._devices.get(table["board"], {}))
        if place is None:
            return None
        fields = _common(path[-1], table, kind)
        if self._devices[table["board"]][place["device"]].kind in ON_SPI:
            fields["confirm"] = False  # what it shows can't be read back
        point = DevicePoint(**{**fields, **place})
        if kind is PointKind.PIXELS:
            for key in ("rest", "start"):
                if table[key] is not None:
                    self._check_picture((*path, key), point, table[key])
        return point

    def _check_picture(self, path: Path, point: DevicePoint, text: str) -> None:
        try:
            point.picture(text)
        except WrongError as error:
            self._checker.wrong(path, found=error.found, expected=error.expected)

    def _on_pin(self, path: Path, table: dict[str, Any], kind: PointKind, profile: Profile | None) -> Point | None:
        if table["device"]:
            return self._at_device(path, table, kind, profile)
        if kind is PointKind.COLOUR:
            return self._on_three_pins(path, table, profile)
        if kind.is_text:
            self._checker.wrong((*path, "kind"), found=kind.value, expected="a kind that a pin can have: no text")
            return None
        if not self._require(path, table, "pin", "the pin that it is on"):
            return None
        if kind is PointKind.LEVEL and not self._require(path, table, "mode", "how the pin is driven, pwm or servo"):
            return None
        if not self._resolve_pins(path, table, profile):
            return None
        fields = _common(path[-1], table, kind)
        usual = {PointKind.BRIDGE: "pwm", PointKind.READING: "analog", PointKind.SWITCH: "output"}
        mode = table.get("mode") or usual.get(kind, "input")
        if not kind.is_switch:
            wire = table.get("wire") or self._degrees(path, table, mode) or USUAL_WIRES.get(mode, COUNTS)
            fields |= {"wire_low": wire[0], "wire_high": wire[1]}
        if mode in (STEPPER, ENCODER):
            return self._on_shaft(path, table, fields, mode)
        for key in SHAFT_KEYS:
            if table.get(key) is not None:
                self._checker.wrong((*path, key), found=table[key], expected=f"none in mode {mode}")
                return None
        lines = {key: table[key] for key in ("ahead", "astern") if key in table}
        pause = table.get("pause") or 0.0
        return PinPoint(**fields, **lines, pin=table["pin"], mode=mode, pause=pause)

    def _on_three_pins(self, path: Path, table: dict[str, Any], profile: Profile | None) -> Point | None:
        """A colour: a pin of PWM for its red, its green, its blue."""
        if not all(self._require(path, table, name, f"the pin of its {name}") for name in CHANNELS):
            return None
        if not self._resolve_pins(path, table, profile):
            return None
        if not self._are_colours(path, table):
            return None
        fields = _common(path[-1], table, PointKind.COLOUR)
        red, green, blue = (table[name] for name in CHANNELS)
        return PinPoint(**fields, pin=red, green=green, blue=blue, mode="pwm")

    def _are_colours(self, path: Path, table: dict[str, Any]) -> bool:
        """Whether rest and start are; they are written as colours are from then on."""
        good = True
        for key in ("rest", "start"):
            try:
                table[key] = None if table[key] is None else parse_colour(table[key], "")
            except WrongError as error:
                self._checker.wrong((*path, key), found=error.found, expected=error.expected, nearest=error.nearest)
                good = False
        return good

    def _degrees(self, path: Path, table: dict[str, Any], mode: str) -> tuple[float, float] | None:
        """The wire of a servo that is asked in degrees, where it says no other: degrees are degrees, and 0 is the
        middle where they go below it."""
        if mode != "servo" or table["unit"] not in ("deg", "°"):
            return None
        middle = FULL_TURN / 2 if min(table["range"]) < 0 else 0
        low, high = (end + middle for end in table["range"])
        if not 0 <= min(low, high) <= max(low, high) <= FULL_TURN:
            expected = f"0 to {FULL_TURN} deg, or −{FULL_TURN // 2} to {FULL_TURN // 2} deg; or a `wire`, for a gear"
            found = " to ".join(f"{end:g}" for end in table["range"])
            self._checker.wrong((*path, "range"), found=found, expected=expected)
            return None
        return low, high

    def _on_shaft(self, path: Path, table: dict[str, Any], fields: dict[str, Any], mode: str) -> Point | None:
        """A stepper, or an encoder; without `wire` the numbers there are those of the range: steps, or counts."""
        low, high = table.get("wire") or table["range"]
        fields |= {"wire_low": low, "wire_high": high}
        if mode == ENCODER:
            if not self._require(path, table, "second", "the pin of its other contact"):
                return None
            return PinPoint(**fields, pin=table["pin"], mode=mode, second=table["second"])
        coils = [table[key] for key in COILS]
        if [coil is not None for coil in coils] not in COILS_THERE or (table["direction"] is None) == (not any(coils)):
            expected = "`direction`, or the further wires: coil_2, and with it coil_3 and coil_4"
            self._checker.wrong((*path, "direction"), found="a stepper wired otherwise", expected=expected)
            return None
        return StepperPoint(
            **fields, pin=table["pin"], mode=mode, direction=table["direction"],
            coils=tuple(coil for coil in coils if coil is not None), fastest=table["fastest"],
            acceleration=table["acceleration"],
        )  # fmt: skip

    def _at_address(self, path: Path, table: dict[str, Any], kind: PointKind, profile: Profile | None) -> Point | None:
        if not self._require(path, table, "table", "in which table"):
            return None
        if not self._require(path, table, "address", "where it begins"):
            return None
        if not self._fits_table(path, table, kind):
            return None
        form = value_form(table)
        fields = _common(path[-1], table, kind)
        point = RegisterPoint(**fields, table=table["table"], address=table["address"], form=form)
        if point.address + point.size > 0x10000:
            self._checker.wrong((*path, "address"), found=point.address, expected=f"room for {point.size} registers")
            return None
        return point

    def _fits_table(self, path: Path, table: dict[str, Any], kind: PointKind) -> bool:
        if kind.is_output and table["table"] not in WRITABLE:
            self._checker.wrong((*path, "table"), found=table["table"], expected="a table that can be written")
            return False
        is_bit = table["table"] in BITS or table["data"] == "bit"
        is_text = table["data"] == "text" and not is_bit
        if kind in ON_PINS or is_text != kind.is_text or is_bit != kind.is_switch:
            expected = "a single bit" if kind.is_switch else "text in registers" if kind.is_text else "a number"
            found = f"{table['data']} in {table['table']}"
            if kind in ON_PINS:
                found, expected = f"a {kind.value}", f"level, switch, contact or reading: only pins have {kind.value}s"
            self._checker.wrong((*path, "kind"), found=found, expected=expected)
            return False
        return True

    def _behind_header(
        self, path: Path, table: dict[str, Any], kind: PointKind, profile: Profile | None
    ) -> Point | None:
        if kind in ON_PINS:
            self._checker.wrong((*path, "kind"), found=f"a {kind.value}", expected="level, switch, contact or reading")
            return None
        for key in ("set", "on", "off", "ask"):
            if "\n" in table[key] or not table[key].isascii():
                self._checker.wrong((*path, key), found=table[key], expected="ASCII, in one line")
                return None
        pair = bool(table["on"]) and bool(table["off"]) and kind is PointKind.SWITCH
        if kind.is_output and not pair and "{}" not in table["set"]:
            expected = "`set` with {} in it" + (", or `on` and `off`" if kind is PointKind.SWITCH else "")
            self._checker.wrong((*path, "set"), found=table["set"] or "nothing", expected=expected)
            return None
        if not kind.is_output and not self._require(path, table, "ask", "the query for its value"):
            return None
        if kind.is_output and not table["ask"] and table["confirm"]:
            expected = "the query for its value, or `confirm = false`: without it nothing can be read back"
            self._checker.wrong((*path, "ask"), found="nothing", expected=expected)
            return None
        fields = _common(path[-1], table, kind)
        places = {"set": table["set"], "turn_on": table["on"], "turn_off": table["off"], "query": table["ask"]}
        return HeaderPoint(**fields, **places)

    def _at_topics(self, path: Path, table: dict[str, Any], kind: PointKind, profile: Profile | None) -> Point | None:
        if kind in ON_PINS:
            self._checker.wrong((*path, "kind"), found=f"a {kind.value}", expected="level, switch, contact or reading")
            return None
        needed, doc = ("command", "the topic that it is set at") if kind.is_output else ("state", "where it is told")
        if not self._require(path, table, needed, doc):
            return None
        base = self._bases[table["board"]]
        command, state = joined(base, table["command"]), joined(base, table["state"])
        problems = {
            "command": (command, name_problem(command) if command else ""),
            "state": (state, filter_problem(state, 4) if state else ""),
        }
        wrong = {key: found for key, found in problems.items() if found[1]}
        for key, (topic, problem) in wrong.items():
            self._checker.wrong((*path, key), found=topic, expected=problem.partition("expected ")[2] or problem)
        form = read_payload(self._checker, path, table, kind.value)
        if wrong or not self._fits_payload(path, kind, form):
            return None
        fields = _common(path[-1], table, kind)
        fields["confirm"] = bool(state) and fields.get("confirm", False)
        return TopicPoint(**fields, command=command, state=state, form=form, qos=table["qos"], retain=table["retain"])

    def _in_frame(self, path: Path, table: dict[str, Any], kind: PointKind, profile: Profile | None) -> Point | None:
        if kind is PointKind.BRIDGE:
            self._checker.wrong((*path, "kind"), found="a bridge", expected="level, switch, contact or reading")
            return None
        needed, doc = ("field", "the FRAME.FIELD that carries it") if kind.is_output else ("state", "where it is told")
        if not self._require(path, table, needed, doc):
            return None
        plan = self._formats.get(table["board"])
        if plan is None:
            return None  # told at its host
        places: dict[str, Any] = {}
        for key, names in (("field", ("frame", "field")), ("state", ("state_frame", "state_field"))):
            found = self._field_of((*path, key), table[key], plan, kind) if table[key] else ("", "")
            if found is None or (table[key] and not self._has_line(path, table["line"], found, plan)):
                return None
            places |= dict(zip(names, found, strict=True))
        frame = plan.codecs[places["frame"]].plan if places["frame"] else None
        known = [field.name for field in frame.fields if field.is_whole and not frame.repeats(field)] if frame else []
        if table["mask"] and table["mask"] not in known:
            near = self._checker.nearest(table["mask"], known)
            expected = f"a whole number of the frame: {listed(known) or 'it has none'}"
            self._checker.wrong((*path, "mask"), found=table["mask"], expected=expected, nearest=near)
            return None
        if kind is PointKind.COLOUR and not self._are_colours(path, table):
            return None
        fields = _common(path[-1], table, kind)
        fields["confirm"] = bool(places["state_frame"]) and fields.get("confirm", False)
        used = ((places["frame"], places["field"]), (places["state_frame"], places["state_field"]))
        steps = max(_step(plan.codecs[frame].plan.field(field)) for frame, field in used if frame)
        return FieldPoint(**fields, **places, bit=table["line"], mask=table["mask"], steps=steps)

    def _field_of(self, path: Path, text: str, plan: Format, kind: PointKind) -> tuple[str, str] | None:
        """Take FRAME.FIELD apart: one number, or for a text one text or bytes."""
        frame, _, field = text.partition(".")
        known = [
            f"{name}.{each.name}"
            for name, codec in plan.codecs.items()
            for each in codec.plan.fields
            if _carries(each, kind) and not codec.plan.repeats(each)
        ]
        if text not in known:
            what = f"a whole number of {COLOUR_BITS} bits" if kind is PointKind.COLOUR else "one number"
            expected = f"{'a text' if kind in TEXTS else what}: {listed(known) or 'there is none'}"
            self._checker.wrong(path, found=text, expected=expected, nearest=self._checker.nearest(text, known))
            return None
        return frame, field

    def _has_line(self, path: Path, line: int | None, place: tuple[str, str], plan: Format) -> bool:
        """Whether a field has the bit that is meant, where one is."""
        if line is None:
            return True
        field = plan.codecs[place[0]].plan.field(place[1])
        if field.is_whole and (field.bits is None or line < field.bits):
            return True
        bits = f"0 to {field.bits - 1}" if field.is_whole and field.bits else "a field that is a whole number"
        self._checker.wrong((*path, "line"), found=line, expected=f"{bits}, the bits of {'.'.join(place)}")
        return False

    def _fits_payload(self, path: Path, kind: PointKind, form: PayloadForm) -> bool:
        fitting = ("text", "json") if kind.is_text else ("words", "json", "number", "raw") if kind.is_switch else (
            "number", "json", "raw"
        )  # fmt: skip
        if form.kind not in fitting:
            self._checker.wrong((*path, "payload"), found=form.kind, expected=f"{listed(fitting)} for a {kind.value}")
        return form.kind in fitting


def _carries(field: FieldPlan, kind: PointKind) -> bool:
    """Whether a field can carry a point of a kind: a colour is a whole number, a text a text, all else a number."""
    if kind is PointKind.COLOUR:
        return field.is_whole and not field.is_scaled and not field.values and field.bits == COLOUR_BITS
    return field.is_number is not kind.is_text


def _field_limits(fields: list[FieldPlan]) -> tuple[float, float]:
    """What all of these fields can carry."""
    least, most = -inf, inf
    for field in fields:
        ends = sorted(end * field.scale + field.offset for end in field.wire_limits)
        least = max(least, ends[0] if field.low is None else field.low)
        most = min(most, ends[1] if field.high is None else field.high)
    return least, most


def _step(field: FieldPlan) -> float:
    """The least difference between two values of a field; 0 for any."""
    return abs(field.scale) if field.is_whole else 0.0


def _common(name: str | int, table: dict[str, Any], kind: PointKind) -> dict[str, Any]:
    """The fields that points have everywhere."""
    fields: dict[str, Any] = {"name": name, "kind": kind, "board": table["board"], "part": table["part"]}
    fields |= {key: table[key] for key in ("unit", "momentary", "step", "confirm", "tolerance") if key in table}
    if kind.is_output and kind is not PointKind.PULSE:
        fields |= {"rest": table["rest"], "start": table["start"]}
    if kind.is_text:
        return fields
    if kind.is_output and kind is not PointKind.PULSE:
        fields |= {key: None if table[key] is None else float(table[key]) for key in ("rest", "start")}
    if kind.is_switch:
        return {**fields, "words": table["words"], "active_low": table["active"] == "low"}
    low, high = table["range"]
    first, last = table.get("wire") or (low, high)
    fields |= {"low": low, "high": high, "wire_low": first, "wire_high": last}
    return {**fields, "step": fields.get("step") or abs(high - low) / 50}
