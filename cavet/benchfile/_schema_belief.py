"""The keys of the belief: hosts and points."""

from __future__ import annotations

from cavet.benchfile._schema_checks import NEEDS
from cavet.benchfile.hosts import PROTOCOLS
from cavet.benchfile.hosts._firmata import COILS
from cavet.colours import CHANNELS
from cavet.hosts import PointKind
from cavet.settings import Key, Section, gathered

FIRMATA = ("firmata",)
STEPPER_KEYS = (
    *(
        Key(name, "pin", doc, default=None, concerns=FIRMATA)
        for name, doc in (
            ("direction", "stepper with a driver: the pin of the direction"),
            *((coil, "stepper without a driver: the pin of this wire") for coil in COILS),
        )
    ),
    Key("fastest", "quantity", "stepper: steps a second", unit="", concerns=FIRMATA, default=200.0, low=0.01),
    Key(
        "acceleration",
        "quantity",
        "stepper: by how many steps a second it gains speed, each second; 0 for at once",
        unit="",
        concerns=FIRMATA,
        default=0.0,
        low=0,
    ),
)

HOST = Section(
    title="[hosts.NAME]",
    doc="How the host talks to a board: its belief. NAME is the board's name as the points use it.",
    keys=(
        Key("link", "text", "the link that it opens", names="link", required=True),
        Key("protocol", "word", "what it speaks", choices=tuple(PROTOCOLS), required=True),
        Key(
            "poll",
            "quantity",
            "Modbus and SCPI: how often points are read",
            unit="s",
            concerns=("modbus", "scpi"),
            default=0.25,
            low=0.005,
        ),
        Key(
            "boot_wait", "quantity", "how long it waits for the board to announce itself", unit="s", default=2.0, low=0
        ),
        Key("reply_within", "quantity", "how long an answer may take", unit="s", default=0.5, low=0.001),
        Key("retries", "whole", "how often it sends again what was not confirmed", default=2, low=0, high=100),
        Key(
            "sampling",
            "quantity",
            "how often analog inputs are reported; 0 for the board's default",
            unit="s",
            default=0.0,
            low=0,
            high=16,
        ),
        Key(
            "reopen",
            "quantity",
            "the pause before a lost link is opened again; with MQTT it grows by itself",
            unit="s",
            default=0.5,
            low=0.05,
        ),
        Key(
            "lost_after",
            "quantity",
            "a link that is not back after so long is lost for good: a routine that needs it ends",
            unit="s",
            default=30.0,
            low=0.1,
        ),
        *gathered({name: protocol.HOST_KEYS for name, protocol in PROTOCOLS.items()}),
    ),
)

_MOVES, _SENSES, _READS = (
    Key("part", "text", f"the part that it is meant to {what}; else the one of its own name", names="part", default="")
    for what in ("move", "sense", "read")
)

_LEVEL_KEYS = (
    Key("unit", "unit", "the unit that it is asked in", default="%"),
    Key("range", "range", "its limits; backwards for a reversed sense", unit="=unit", default=(0.0, 100.0)),
    Key("rest", "quantity", "where the rest key sends it", unit="=unit", default=0.0),
    Key("start", "quantity", "where the host believes that it begins", unit="=unit", default=None),
    Key("step", "quantity", "how far a small nudge goes; else a fiftieth of the range", unit="=unit", default=0.0),
    Key("confirm", "switch", "whether it is read back", default=True),
    Key(
        "tolerance",
        "quantity",
        "how far what is read back may lie off and still be what was asked; else what the wire can tell apart",
        unit="=unit",
        default=0.0,
        low=0,
    ),
    _MOVES,
)

_WIRE = Key(
    "wire",
    "whole-list",
    "the numbers on the wire at both ends of the range; else its mode's own, or the range",
    default=None,
)

_SWITCH_WORDS = Key("words", "words", "what its two values are called", default=("off", "on"))

POINT = Section(
    title="[points.NAME]",
    doc="One output or input as the host believes it to be. Where it is on the board is told by `pin`, by `table` and "
    "`address`, by `set` and `ask`, or by `command` and `state`, after what its host speaks.",
    keys=(
        Key("board", "text", "the host's name for the board that it is on", names="host", required=True),
        Key("kind", "word", "what it is to a person", choices=tuple(kind.value for kind in PointKind), required=True),
        NEEDS,
        *gathered({name: protocol.POINT_KEYS for name, protocol in PROTOCOLS.items()}),
    ),
    variants={
        "level": (
            Key(
                "mode",
                "word",
                "Firmata: how the pin is driven",
                choices=("pwm", "servo", "stepper"),
                concerns=FIRMATA,
                default=None,
            ),
            *STEPPER_KEYS,
            *_LEVEL_KEYS,
            _WIRE,
        ),
        "switch": (
            Key("rest", "switch", "where the rest key sends it", default=False),
            Key("start", "switch", "where the host believes that it begins", default=None),
            Key("active", "word", "the level that means on", choices=("high", "low"), default="high"),
            Key("momentary", "switch", "on only while it is held", default=False),
            Key("confirm", "switch", "whether it is read back", default=True),
            _MOVES,
            _SWITCH_WORDS,
        ),
        "pulse": (
            Key("unit", "unit", "the unit that its length is asked in", default="ms"),
            Key("range", "range", "its limits", unit="=unit", default=(0.0, 1000.0)),
            Key("step", "quantity", "how far a small nudge goes", unit="=unit", default=0.0),
            Key("part", "text", "the part that it works; else the one of its own name", names="part", default=""),
            _WIRE,
        ),
        "bridge": (
            Key("ahead", "pin", "the pin that is high for values above 0", required=True),
            Key("astern", "pin", "the pin that is high for values below 0", required=True),
            Key(
                "pause",
                "quantity",
                "how long it stands before it is turned the other way",
                unit="s",
                default=0.0,
                low=0,
                high=60,
            ),
            *_LEVEL_KEYS,
        ),
        "contact": (
            Key(
                "mode",
                "word",
                "Firmata: how the pin is read",
                choices=("input", "pull-up"),
                concerns=FIRMATA,
                default="input",
            ),
            Key("active", "word", "the level that means on", choices=("high", "low"), default="high"),
            _SENSES,
            _SWITCH_WORDS,
        ),
        "reading": (
            Key("unit", "unit", "its unit", default=""),
            Key("range", "range", "what the two ends on the wire stand for", unit="=unit", required=True),
            Key(
                "mode",
                "word",
                "Firmata: a voltage, or an encoder's count",
                choices=("analog", "encoder"),
                concerns=FIRMATA,
                default="analog",
            ),
            Key("second", "pin", "Firmata: the pin of an encoder's contact B", default=None, concerns=FIRMATA),
            Key(
                "wire",
                "whole-list",
                "the numbers on the wire at both ends; else 0 and 1023 on a pin, and the range elsewhere",
                default=None,
            ),
            _READS,
        ),
        "text": (
            Key("rest", "text", "where the rest key sends it", default=""),
            Key("start", "text", "where the host believes that it begins", default=None),
            Key("confirm", "switch", "whether it is read back", default=True),
            _MOVES,
        ),
        "pixels": (
            Key("rest", "text", "where the rest key sends it", default="clear"),
            Key("start", "text", "where the host believes that it begins", default=None),
            Key("confirm", "switch", "whether it is read back", default=True),
            _MOVES,
        ),
        "colour": (
            *(
                Key(name, "pin", f"Firmata: the pin of its {name}, PWM", default=None, concerns=FIRMATA)
                for name in CHANNELS
            ),
            Key("rest", "text", "where the rest key sends it", default="#000000"),
            Key("start", "text", "where the host believes that it begins", default=None),
            Key("confirm", "switch", "whether it is read back", default=True),
            _MOVES,
        ),
        "words": (_READS,),
    },
)
