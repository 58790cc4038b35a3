"""The keys of the belief, and of the links between it and the truth: links, hosts, points."""

from __future__ import annotations

from cavet.benchfile import _schema_formats as formats
from cavet.benchfile._schema_checks import NEEDS
from cavet.benchfile._schema_devices import BUSES_LINK_KEYS, DEVICE_POINT_KEYS
from cavet.benchfile._schema_features import STEPPER_POINT_KEYS
from cavet.benchfile._schema_mqtt import HOST_KEYS, LINK_KEYS, POINT_KEYS
from cavet.benchfile._values import DATA_KEYS
from cavet.boards.firmware.modbus import TABLES
from cavet.colours import CHANNELS
from cavet.hosts import PointKind
from cavet.settings import Key, Section

LINK_KINDS = ("serial", "tcp", "mqtt", "usb", "buses")
LINK = Section(
    title="[links.NAME]",
    doc="What carries the bytes between a host and a board.",
    keys=(
        Key(name="kind", kind="word", doc="what it is", choices=LINK_KINDS, required=True),
        Key(name="board", kind="text", names="board", doc="the board at its far end", required=True),
        Key(
            name="framing",
            kind="word",
            doc="Modbus: how its units travel; else tcp on a network and rtu on a serial line",
            choices=("tcp", "rtu", "ascii"),
            default=None,
        ),
    ),
    variants={
        "mqtt": LINK_KEYS,
        "usb": formats.USB_LINK_KEYS,
        "buses": BUSES_LINK_KEYS,
        "serial": (
            Key(
                name="port",
                kind="text",
                doc="`simulated`, a real board's device, or its URL: `rfc2217://HOST:PORT`, `socket://HOST:PORT`",
                default="simulated",
            ),
            Key(name="rate", kind="whole", doc="baud", default=57600, low=50, high=4_000_000),
            Key(name="settings", kind="text", doc="data bits, parity, stop bits", default="8N1"),
            Key(
                name="served",
                kind="word",
                doc="how a simulated one is offered: as a device file, or over TCP, as raw bytes or by RFC 2217",
                choices=("device", "raw", "rfc2217"),
                default="device",
            ),
            Key(
                name="listen",
                kind="whole",
                doc="the port that it listens on when it is served over TCP; 0 for any free one",
                default=0,
                low=0,
                high=65535,
            ),
        ),
        "tcp": (
            Key(name="address", kind="text", doc="`simulated`, or HOST:PORT of a real board", default="simulated"),
            Key(
                name="port",
                kind="whole",
                doc="the port that a simulated board listens on; 0 for any free one",
                default=0,
                low=0,
                high=65535,
            ),
            Key(name="tls", kind="switch", doc="whether it is encrypted", default=False),
            Key(name="certificate", kind="text", doc="with tls: the PEM file of the board's certificate", default=""),
            Key(name="key", kind="text", doc="with tls: the PEM file of its key", default=""),
            Key(name="trust", kind="text", doc="with tls: whose certificates the host trusts, a PEM file", default=""),
        ),
    },
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
            choices=("firmata", "modbus", "scpi", "mqtt", "plan", "buses"),
            required=True,
        ),
        Key(
            name="unit",
            kind="whole",
            doc="Modbus: the unit that it talks to; 0 on a serial line for all at once, who do not answer",
            default=1,
            low=0,
            high=255,
        ),
        Key(
            name="turnaround",
            kind="quantity",
            unit="s",
            doc="Modbus: the pause after what was told to all",
            default=0.1,
            low=0,
            high=10,
        ),
        Key(
            name="poll",
            kind="quantity",
            unit="s",
            doc="Modbus and SCPI: how often points are read",
            default=0.25,
            low=0.005,
        ),
        Key(
            name="in_flight",
            kind="whole",
            doc="Modbus over TCP: how many requests may wait for their answers at once",
            default=4,
            low=1,
            high=64,
        ),
        Key(
            name="repeat_writes",
            kind="switch",
            doc="Modbus: whether a write is sent again when it is not known whether the first one was done",
            default=False,
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
        *HOST_KEYS,
        *formats.HOST_KEYS,
        Key(name="devices", kind="table", doc="Firmata, buses: what is on its bus, see below", default={}),
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

_PLACE_KEYS = (
    Key(name="pin", kind="pin", doc="Firmata: the pin that it is on", default=None),
    Key(name="table", kind="word", doc="Modbus: in which table", choices=TABLES, default=None),
    Key(name="address", kind="whole", doc="Modbus: where it begins, from 0", default=None, low=0, high=65535),
    *DATA_KEYS,
    Key(
        name="set",
        kind="text",
        doc="SCPI: what is sent to set it, `{}` in the place of the value, such as `SOUR1:VOLT {}`",
        default="",
    ),
    Key(name="on", kind="text", doc="SCPI: what is sent to switch it on, in the place of `set`", default=""),
    Key(name="off", kind="text", doc="SCPI: what is sent to switch it off", default=""),
    Key(name="ask", kind="text", doc="SCPI: the query for its value, such as `SOUR1:VOLT?`", default=""),
    *POINT_KEYS,
    *formats.POINT_KEYS,
    *DEVICE_POINT_KEYS,
)

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
        *_PLACE_KEYS,
    ),
    variants={
        "level": (
            Key(
                name="mode",
                kind="word",
                choices=("pwm", "servo", "stepper"),
                doc="Firmata: how the pin is driven",
                default=None,
            ),
            *STEPPER_POINT_KEYS,
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
                default="analog",
            ),
            Key(name="second", kind="pin", doc="Firmata: the pin of an encoder's contact B", default=None),
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
                Key(name=name, kind="pin", doc=f"Firmata: the pin of its {name}, PWM", default=None)
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
