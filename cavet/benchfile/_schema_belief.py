"""The keys of the belief: hosts and points."""

from __future__ import annotations

from cavet.benchfile._schema_checks import NEEDS
from cavet.benchfile.hosts import PROTOCOLS
from cavet.colours import CHANNELS
from cavet.hosts import PointKind
from cavet.settings import Key, Section, gathered

FIRMATA = ("firmata",)
COILS = ("coil_2", "coil_3", "coil_4")
STEPPER_KEYS = (
    *(
        Key(name=name, kind="pin", doc=doc, default=None, concerns=FIRMATA)
        for name, doc in (
            ("direction", "stepper with a driver: the pin of the direction"),
            *((coil, "stepper without a driver: the pin of this wire") for coil in COILS),
        )
    ),
    Key(
        name="fastest",
        kind="quantity",
        unit="",
        doc="stepper: steps a second",
        concerns=FIRMATA,
        default=200.0,
        low=0.01,
    ),
    Key(
        name="acceleration",
        kind="quantity",
        unit="",
        doc="stepper: by how many steps a second it gains speed, each second; 0 for at once",
        concerns=FIRMATA,
        default=0.0,
        low=0,
    ),
)

HOST = Section(
    title="[hosts.NAME]",
    doc="How the host talks to a board: its belief. NAME is the board's name as the points use it.",
    keys=(
        Key(name="link", kind="text", names="link", doc="the link that it opens", required=True),
        Key(
            name="protocol",
            kind="word",
            doc="what it speaks",
            choices=tuple(PROTOCOLS),
            required=True,
        ),
        Key(
            name="poll",
            kind="quantity",
            unit="s",
            doc="Modbus and SCPI: how often points are read",
            concerns=("modbus", "scpi"),
            default=0.25,
            low=0.005,
        ),
        Key(
            name="boot_wait",
            kind="quantity",
            unit="s",
            doc="how long it waits for the board to announce itself",
            default=2.0,
            low=0,
        ),
        Key(name="reply_within", kind="quantity", unit="s", doc="how long an answer may take", default=0.5, low=0.001),
        Key(
            name="retries",
            kind="whole",
            doc="how often it sends again what was not confirmed",
            default=2,
            low=0,
            high=100,
        ),
        Key(
            name="sampling",
            kind="quantity",
            unit="s",
            doc="how often analog inputs are reported; 0 for the board's default",
            default=0.0,
            low=0,
            high=16,
        ),
        Key(
            name="reopen",
            kind="quantity",
            unit="s",
            doc="the pause before a lost link is opened again; with MQTT it grows by itself",
            default=0.5,
            low=0.05,
        ),
        Key(
            name="lost_after",
            kind="quantity",
            unit="s",
            doc="a link that is not back after so long is lost for good: a routine that needs it ends",
            default=30.0,
            low=0.1,
        ),
        *gathered({name: protocol.HOST_KEYS for name, protocol in PROTOCOLS.items()}),
    ),
)

_MOVES, _SENSES, _READS = (
    Key(
        name="part",
        kind="text",
        names="part",
        doc=f"the part that it is meant to {what}; else the one of its own name",
        default="",
    )
    for what in ("move", "sense", "read")
)

_LEVEL_KEYS = (
    Key(name="unit", kind="unit", doc="the unit that it is asked in", default="%"),
    Key(
        name="range", kind="range", unit="=unit", doc="its limits; backwards for a reversed sense", default=(0.0, 100.0)
    ),
    Key(name="rest", kind="quantity", unit="=unit", doc="where the rest key sends it", default=0.0),
    Key(name="start", kind="quantity", unit="=unit", doc="where the host believes that it begins", default=None),
    Key(
        name="step",
        kind="quantity",
        unit="=unit",
        doc="how far a small nudge goes; else a fiftieth of the range",
        default=0.0,
    ),
    Key(name="confirm", kind="switch", doc="whether it is read back", default=True),
    Key(
        name="tolerance",
        kind="quantity",
        unit="=unit",
        doc="how far what is read back may lie off and still be what was asked; else what the wire can tell apart",
        default=0.0,
        low=0,
    ),
    _MOVES,
)

_WIRE = Key(
    name="wire",
    kind="whole-list",
    doc="the numbers on the wire at both ends of the range; else its mode's own, or the range",
    default=None,
)

_SWITCH_WORDS = Key(name="words", kind="words", doc="what its two values are called", default=("off", "on"))

POINT = Section(
    title="[points.NAME]",
    doc="One output or input as the host believes it to be. Where it is on the board is told by `pin`, by `table` and "
    "`address`, by `set` and `ask`, or by `command` and `state`, after what its host speaks.",
    keys=(
        Key(name="board", kind="text", names="host", doc="the host's name for the board that it is on", required=True),
        Key(
            name="kind",
            kind="word",
            doc="what it is to a person",
            choices=tuple(kind.value for kind in PointKind),
            required=True,
        ),
        NEEDS,
        *gathered({name: protocol.POINT_KEYS for name, protocol in PROTOCOLS.items()}),
    ),
    variants={
        "level": (
            Key(
                name="mode",
                kind="word",
                choices=("pwm", "servo", "stepper"),
                doc="Firmata: how the pin is driven",
                concerns=FIRMATA,
                default=None,
            ),
            *STEPPER_KEYS,
            *_LEVEL_KEYS,
            _WIRE,
        ),
        "switch": (
            Key(name="rest", kind="switch", doc="where the rest key sends it", default=False),
            Key(name="start", kind="switch", doc="where the host believes that it begins", default=None),
            Key(name="active", kind="word", choices=("high", "low"), doc="the level that means on", default="high"),
            Key(name="momentary", kind="switch", doc="on only while it is held", default=False),
            Key(name="confirm", kind="switch", doc="whether it is read back", default=True),
            _MOVES,
            _SWITCH_WORDS,
        ),
        "pulse": (
            Key(name="unit", kind="unit", doc="the unit that its length is asked in", default="ms"),
            Key(name="range", kind="range", unit="=unit", doc="its limits", default=(0.0, 1000.0)),
            Key(name="step", kind="quantity", unit="=unit", doc="how far a small nudge goes", default=0.0),
            Key(
                name="part",
                kind="text",
                names="part",
                doc="the part that it works; else the one of its own name",
                default="",
            ),
            _WIRE,
        ),
        "bridge": (
            Key(name="ahead", kind="pin", doc="the pin that is high for values above 0", required=True),
            Key(name="astern", kind="pin", doc="the pin that is high for values below 0", required=True),
            Key(
                name="pause",
                kind="quantity",
                unit="s",
                doc="how long it stands before it is turned the other way",
                default=0.0,
                low=0,
                high=60,
            ),
            *_LEVEL_KEYS,
        ),
        "contact": (
            Key(
                name="mode",
                kind="word",
                choices=("input", "pull-up"),
                doc="Firmata: how the pin is read",
                concerns=FIRMATA,
                default="input",
            ),
            Key(name="active", kind="word", choices=("high", "low"), doc="the level that means on", default="high"),
            _SENSES,
            _SWITCH_WORDS,
        ),
        "reading": (
            Key(name="unit", kind="unit", doc="its unit", default=""),
            Key(name="range", kind="range", unit="=unit", doc="what the two ends on the wire stand for", required=True),
            Key(
                name="mode",
                kind="word",
                choices=("analog", "encoder"),
                doc="Firmata: a voltage, or an encoder's count",
                concerns=FIRMATA,
                default="analog",
            ),
            Key(
                name="second",
                kind="pin",
                doc="Firmata: the pin of an encoder's contact B",
                default=None,
                concerns=FIRMATA,
            ),
            Key(
                name="wire",
                kind="whole-list",
                doc="the numbers on the wire at both ends; else 0 and 1023 on a pin, and the range elsewhere",
                default=None,
            ),
            _READS,
        ),
        "text": (
            Key(name="rest", kind="text", doc="where the rest key sends it", default=""),
            Key(name="start", kind="text", doc="where the host believes that it begins", default=None),
            Key(name="confirm", kind="switch", doc="whether it is read back", default=True),
            _MOVES,
        ),
        "pixels": (
            Key(name="rest", kind="text", doc="where the rest key sends it", default="clear"),
            Key(name="start", kind="text", doc="where the host believes that it begins", default=None),
            Key(name="confirm", kind="switch", doc="whether it is read back", default=True),
            _MOVES,
        ),
        "colour": (
            *(
                Key(name=name, kind="pin", doc=f"Firmata: the pin of its {name}, PWM", default=None, concerns=FIRMATA)
                for name in CHANNELS
            ),
            Key(name="rest", kind="text", doc="where the rest key sends it", default="#000000"),
            Key(name="start", kind="text", doc="where the host believes that it begins", default=None),
            Key(name="confirm", kind="switch", doc="whether it is read back", default=True),
            _MOVES,
        ),
        "words": (_READS,),
    },
)
