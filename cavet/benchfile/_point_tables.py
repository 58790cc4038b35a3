"""The tables of points, by what each is to a person. Where on its board it is, the rooms of the protocols know."""

from typing import Annotated, Any

from cavet.hosts import PointKind
from cavet.settings import Meaning, Table

FIRMATA = ("firmata",)
MOVES, SENSES, READS = (
    Meaning(f"the part that it is meant to {what}; else the one of its own name", names="part")
    for what in ("move", "sense", "read")
)
WIRE = Meaning("the numbers on the wire at both ends of the range; else its mode's own, or the range")
WORDS = Meaning("what its two values are called: off, then on", kind="switch-words")
ACTIVE = Meaning("the level that means on", ("high", "low"))
CONFIRM = Meaning("whether it is read back")
REST = Meaning("where the rest key sends it")
REST_IN_WORDS = Meaning("where the rest key sends it, in one of its `words`", unit="=words")
START_IN_WORDS = Meaning("where the host believes that it begins, in one of its `words`", unit="=words")
REST_IN_UNIT = Meaning("where the rest key sends it", unit="=unit")
START = Meaning("where the host believes that it begins")
STEPPER, ENCODER = ("mode", ("stepper",)), ("mode", ("encoder",))
COIL = Meaning("the pin of this wire, where there is no driver", concerns=FIRMATA, kind="pin", beside=STEPPER)
FIELDS = ("board", "part", "unit", "step", "tolerance", "confirm", "momentary", "rest", "start", "words")
"""Keys that are fields of a point as they are."""
STEPS = 50
"""A small nudge goes so many times into the range, where nothing is said of it."""


class PointTable(Table, kw_only=True):
    """One output or input as the host believes it to be. Where it is on the board is told by `pin`, by `table` and
    `address`, by `set` and `ask`, or by `command` and `state`, after what its host speaks."""

    TITLE = "[points.NAME]"
    board: Annotated[str, Meaning("the host's name for the board that it is on", names="host")]
    kind: Annotated[str, Meaning("what it is to a person", kind="word")]
    needs: Annotated[
        tuple[str, ...],
        Meaning("outputs that are set before this one can move its part, as `POINT=VALUE`: a walk sets them first"),
    ] = ()

    def fields(self) -> dict[str, Any]:
        """What it says, as fields of a point."""
        return {name: getattr(self, name) for name in FIELDS if hasattr(self, name)} | {"kind": PointKind(self.kind)}


class ScaledTable(PointTable, kw_only=True):
    """Something with a range."""

    range: Annotated[tuple[float, float], Meaning("its limits", unit="=unit")]
    wire: tuple[float, float] | None = None

    def fields(self) -> dict[str, Any]:
        low, high = self.range
        first, last = self.wire or self.range
        fields = super().fields() | {"low": low, "high": high, "wire_low": first, "wire_high": last}
        return {**fields, "step": fields.get("step") or abs(high - low) / STEPS}


class SteeredTable(ScaledTable, kw_only=True):
    """A number that is set."""

    unit: Annotated[
        str, Meaning("the unit that it is asked in; that of its range, where that has one", kind="unit")
    ] = "%"
    range: Annotated[tuple[float, float], Meaning("its limits; backwards for a reversed sense", unit="=unit")] = (
        0.0,
        100.0,
    )
    rest: Annotated[float, REST_IN_UNIT] = 0.0
    start: Annotated[float | None, Meaning("where the host believes that it begins", unit="=unit")] = None
    step: Annotated[float, Meaning("how far a small nudge goes; else a fiftieth of the range", unit="=unit")] = 0.0
    confirm: Annotated[bool, CONFIRM] = True
    tolerance: Annotated[
        float,
        Meaning(
            "how far what is read back may lie off and still be what was asked; else what the wire can tell apart",
            unit="=unit", low=0,
        ),
    ] = 0.0  # fmt: skip
    part: Annotated[str, MOVES] = ""


class LevelTable(SteeredTable, kw_only=True):
    """A level."""

    mode: Annotated[
        str | None, Meaning("Firmata: how the pin is driven", ("pwm", "servo", "stepper"), concerns=FIRMATA)
    ] = None
    direction: Annotated[
        int | None, Meaning("the pin of its driver's direction", concerns=FIRMATA, kind="pin", beside=STEPPER)
    ] = None
    coil_2: Annotated[int | None, COIL] = None
    coil_3: Annotated[int | None, COIL] = None
    coil_4: Annotated[int | None, COIL] = None
    fastest: Annotated[float, Meaning("steps a second", low=0.01, high=1e6, concerns=FIRMATA, beside=STEPPER)] = 200.0
    acceleration: Annotated[
        float,
        Meaning(
            "by how many steps a second it gains speed, each second; 0 for at once",
            low=0,
            high=1e9,
            least=0.01,
            concerns=FIRMATA,
            beside=STEPPER,
        ),
    ] = 0.0
    wire: Annotated[tuple[float, float] | None, WIRE] = None


class SwitchTable(PointTable, kw_only=True):
    """Something that is on or off."""

    rest: Annotated[bool, REST_IN_WORDS] = False
    start: Annotated[bool | None, START_IN_WORDS] = None
    active: Annotated[str, ACTIVE] = "high"
    momentary: Annotated[bool, Meaning("on only while it is held")] = False
    confirm: Annotated[bool, CONFIRM] = True
    part: Annotated[str, MOVES] = ""
    words: Annotated[tuple[str, str], WORDS] = ("off", "on")

    def fields(self) -> dict[str, Any]:
        start = None if self.start is None else float(self.start)
        return super().fields() | {"rest": float(self.rest), "start": start, "active_low": self.active == "low"}


class PulseTable(ScaledTable, kw_only=True):
    """Something that is done for so long."""

    unit: Annotated[str, Meaning("the unit that its length is asked in", kind="unit")] = "ms"
    range: Annotated[tuple[float, float], Meaning("its limits", unit="=unit")] = (0.0, 1000.0)
    step: Annotated[float, Meaning("how far a small nudge goes", unit="=unit")] = 0.0
    part: Annotated[str, Meaning("the part that it works; else the one of its own name", names="part")] = ""
    wire: Annotated[tuple[float, float] | None, WIRE] = None


class BridgeTable(SteeredTable, kw_only=True):
    """A motor in two directions."""

    ahead: Annotated[int, Meaning("the pin that is high for values above 0", kind="pin")]
    astern: Annotated[int, Meaning("the pin that is high for values below 0", kind="pin")]
    pause: Annotated[
        float, Meaning("how long it stands before it is turned the other way", unit="s", low=0, high=60)
    ] = 0.0


class ContactTable(PointTable, kw_only=True):
    """A contact that is read."""

    mode: Annotated[
        str, Meaning("Firmata, buses: how the pin or line is read", ("input", "pull-up"), concerns=("firmata", "buses"))
    ] = "input"
    active: Annotated[str, ACTIVE] = "high"
    part: Annotated[str, SENSES] = ""
    words: Annotated[tuple[str, str], WORDS] = ("off", "on")

    def fields(self) -> dict[str, Any]:
        return super().fields() | {"active_low": self.active == "low"}


class ReadingTable(ScaledTable, kw_only=True):
    """A number that is read."""

    unit: Annotated[str, Meaning("its unit; that of its range, where that has one", kind="unit")] = ""
    range: Annotated[tuple[float, float], Meaning("what the two ends on the wire stand for", unit="=unit")]
    mode: Annotated[
        str, Meaning("Firmata: a voltage, or an encoder's count", ("analog", "encoder"), concerns=FIRMATA)
    ] = "analog"
    second: Annotated[int | None, Meaning("the pin of its contact B", concerns=FIRMATA, kind="pin", beside=ENCODER)] = (
        None
    )
    wire: Annotated[
        tuple[float, float] | None,
        Meaning(
            "the numbers on the wire at both ends; else those of the converter on a pin, 0 and 1023 where its bits are "
            "not known, and the range elsewhere"
        ),
    ] = None
    part: Annotated[str, READS] = ""


class TextTable(PointTable, kw_only=True):
    """A text that is set."""

    rest: Annotated[str, REST] = ""
    start: Annotated[str | None, START] = None
    confirm: Annotated[bool, CONFIRM] = True
    part: Annotated[str, MOVES] = ""


class PixelsTable(TextTable, kw_only=True):
    """A picture of dots that is set."""

    rest: Annotated[str, REST] = "clear"


class ColourTable(TextTable, kw_only=True):
    """A colour that is set."""

    red: Annotated[int | None, Meaning("Firmata: the pin of its red, PWM", concerns=FIRMATA, kind="pin")] = None
    green: Annotated[int | None, Meaning("Firmata: the pin of its green, PWM", concerns=FIRMATA, kind="pin")] = None
    blue: Annotated[int | None, Meaning("Firmata: the pin of its blue, PWM", concerns=FIRMATA, kind="pin")] = None
    rest: Annotated[str, REST] = "#000000"


class WordsTable(PointTable, kw_only=True):
    """A text that is read."""

    part: Annotated[str, READS] = ""


PointTable.VARIANTS = {
    "level": LevelTable, "switch": SwitchTable, "bridge": BridgeTable, "contact": ContactTable,
    "reading": ReadingTable, "text": TextTable, "words": WordsTable, "pixels": PixelsTable, "colour": ColourTable,
    "pulse": PulseTable,
}  # fmt: skip
