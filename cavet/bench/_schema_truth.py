"""The keys of the truth: boards, what is wired to them, what stands at their addresses, the rig, defects, profiles."""

from __future__ import annotations

from cavet.bench._schema_formats import BOARD_KEYS
from cavet.boards import DEFECTS
from cavet.boards import KINDS as PART_KINDS
from cavet.boards.firmware.modbus import TABLES
from cavet.boards.firmware.scpi import MEASURES
from cavet.protocols.modbus import KINDS, ORDERS
from cavet.settings import Key, Section

BOARD = Section(
    title="[boards.NAME]",
    doc="A simulated board: the truth.",
    keys=(
        Key(
            name="profile",
            kind="text",
            names="profile",
            doc="what kind of board it is: a shipped profile, or one of `[profiles]`",
            required=True,
        ),
        Key(
            name="firmware",
            kind="word",
            doc="what it speaks",
            choices=("firmata", "modbus", "scpi", "mqtt", "plan", "usb", "target", "buses"),
            required=True,
        ),
        Key(name="firmware_name", kind="text", doc="how it announces itself; else the board's name", default=""),
        Key(
            name="failsafe",
            kind="quantity",
            unit="s",
            doc="after so long a silence its outputs go low; 0 for never",
            default=0.0,
            low=0,
        ),
        Key(name="unit", kind="whole", doc="Modbus: its unit", default=1, low=1, high=247),
        Key(
            name="baud",
            kind="whole",
            doc="the rate at which it runs its serial line; else the link's",
            default=None,
            low=50,
            high=4_000_000,
        ),
        *(
            Key(name=name, kind="table", doc=doc, default={})
            for name, doc in (
                ("parts", "what is wired to it, see below"),
                ("bus", "the wires of its I2C bus, see below"),
                ("supplies", "what its motors and servos draw from, see below"),
                ("identity", "what it says of itself, see below"),
                ("map", "Modbus: what stands at which address, see below"),
                ("files", "Modbus: its files, see below"),
                ("queues", "Modbus: its queues, see below"),
                ("commands", "SCPI: its own commands, see below"),
                ("station", "MQTT: who it is at its broker, see below"),
                ("topics", "MQTT: where it takes commands and reports, see below"),
                ("health", "MQTT: what it tells of its health, see below"),
                ("reflexes", "rules that it follows by itself, see below"),
                (
                    "kernel",
                    "the kernel's devices that it stands for (`cavet with`), each path with `i2c`, `spi.CHIP`, `gpio`, "
                    '`serial` or a serial link\'s name: `"/dev/i2c-1" = "i2c"`',
                ),
            )
        ),
        *BOARD_KEYS,
    ),
)

BUS = Section(
    title="[boards.NAME.bus]",
    doc="The wires of a board's I2C bus, for remarks on them; what is left out is not reckoned with.",
    keys=(
        Key(name="pull_up", kind="quantity", unit="Ohm", doc="its pull-up resistors", default=None, low=1),
        Key(name="capacitance", kind="quantity", unit="F", doc="of a line against ground", default=None, low=1e-13),
        Key(name="rate", kind="quantity", unit="Hz", doc="its clock", default=100e3, low=1, high=1e6),
    ),
)

SUPPLY = Section(
    title="[boards.NAME.supplies.NAME]",
    doc="A supply of its own for motors and servos, which name it as their `supply`.",
    keys=(
        Key(name="volts", kind="quantity", unit="V", doc="its voltage", required=True, low=0.1),
        Key(name="amperes", kind="quantity", unit="A", doc="what it can give", required=True, low=0.001),
    ),
)

IDENTITY = Section(
    title="[boards.NAME.identity]",
    doc="What a board answers when it is asked who it is. SCPI gives the first four, Modbus all but the serial number.",
    keys=tuple(
        Key(name=name, kind="text", doc=doc, default="")
        for name, doc in (
            ("vendor", "who made it; else `Cavet`"),
            ("product", "its product code; else the board's name with a capital"),
            ("serial", "its serial number; else 0001"),
            ("revision", "its revision; else 1.0"),
            ("url", "where more is told of it"),
            ("product_name", "the product's name"),
            ("model", "the model"),
            ("application", "what it is used for"),
        )
    ),
)

DATA_KEYS = (
    Key(name="data", kind="word", doc="what it is", choices=KINDS, default="uint16"),
    Key(name="word_order", kind="word", doc="which word comes first", choices=ORDERS, default="high-first"),
    Key(name="byte_order", kind="word", doc="which byte of a word comes first", choices=ORDERS, default="high-first"),
    Key(name="length", kind="whole", doc="how many registers a text takes", default=1, low=1, high=125),
    Key(name="bit", kind="whole", doc="which bit of the register, 0 the lowest", default=0, low=0, high=15),
)

CELL = Section(
    title="[boards.NAME.map.NAME]",
    doc="A value of a Modbus board, at its address. Addresses count from 0, as on the wire.",
    keys=(
        Key(name="table", kind="word", doc="in which table", choices=TABLES, required=True),
        Key(name="address", kind="whole", doc="where it begins", required=True, low=0, high=65535),
        *DATA_KEYS,
        Key(name="pin", kind="pin", doc="the pin that it works or reads", default=None),
        Key(
            name="mode",
            kind="word",
            doc="how the pin is used; else output for coils, input for discrete inputs, pwm or analog for registers; a "
            "tone takes hertz",
            choices=("output", "pwm", "tone", "input", "pull-up", "analog"),
            default=None,
        ),
        Key(name="of", kind="sum", doc="what it measures: a sum of the rig and the parts, or `uptime`", default=None),
        Key(name="scale", kind="quantity", unit="", doc="how much one count is", default=1.0),
        Key(name="high", kind="whole", doc="a higher value counts as this", default=None, low=1, high=65535),
        Key(name="start", kind="scalar", doc="what it holds after power-on", default=0),
    ),
)

RECORDS = Section(
    title="[boards.NAME.files.NAME]",
    doc="A file of a Modbus board: records of one register each.",
    keys=(
        Key(name="number", kind="whole", doc="its number", required=True, low=1, high=65535),
        Key(name="records", kind="whole", doc="how many records it has", required=True, low=1, high=10000),
        Key(name="start", kind="wholes", doc="what the first records hold after power-on", default=()),
    ),
)

QUEUE = Section(
    title="[boards.NAME.queues.NAME]",
    doc="A queue of a Modbus board.",
    keys=(
        Key(name="address", kind="whole", doc="where its count stands", required=True, low=0, high=65535),
        Key(name="values", kind="wholes", doc="what waits in it", default=()),
    ),
)

COMMAND = Section(
    title="[boards.NAME.commands.NAME]",
    doc="A command of a SCPI board, with its query.",
    keys=(
        Key(
            name="header",
            kind="text",
            doc="such as `SOURce<1-2>:VOLTage[:LEVel]`: short forms in capitals, optional nodes in brackets, ranges of "
            "suffixes in angle brackets; with `?` at the end where there is only the query",
            required=True,
        ),
        Key(
            name="does",
            kind="word",
            doc="`set` keeps a value and drives a pin with it; `close` and `open` switch the pins of the channels "
            "named; `measure` answers what is measured at the parts behind them",
            choices=("set", "close", "open", "close-all", "open-all", "measure"),
            required=True,
        ),
        Key(
            name="takes",
            kind="word",
            doc="what a `set` takes",
            choices=("number", "boolean", "keyword", "string", "block"),
            default="number",
        ),
        Key(name="unit", kind="text", doc="a number's unit", default=""),
        Key(name="range", kind="range", unit="=unit", doc="a number's limits", default=(0.0, 1.0)),
        Key(name="default", kind="scalar", doc="what it is after *RST", default=0),
        Key(name="choices", kind="texts", doc="the keywords, their short forms in capitals", default=()),
        Key(name="pins", kind="text", doc="the pins: one for each suffix or channel, in order", default=""),
        Key(
            name="mode",
            kind="word",
            doc="how a `set` drives them; else by voltage, pwm or on and off, whatever they can first; a tone takes "
            "hertz",
            choices=("output", "pwm", "dac", "tone"),
            default=None,
        ),
        Key(name="channels", kind="text", doc="the numbers of the channels, such as `101-108`", default=""),
        Key(name="parts", kind="texts", names="part", doc="the parts behind the channels, to be measured", default=()),
        Key(name="measures", kind="word", doc="what of them", choices=MEASURES, default="voltage"),
        Key(
            name="overlapped",
            kind="switch",
            doc="whether the next command may begin before what this one moves has arrived",
            default=False,
        ),
    ),
)

PART = Section(
    title="[boards.NAME.parts.NAME]",
    doc="Something wired to a board's pins.",
    keys=(
        Key(
            name="kind",
            kind="word",
            doc="what it is",
            required=True,
            choices=tuple(PART_KINDS),
        ),
    ),
    variants={kind: part.SETTINGS for kind, part in PART_KINDS.items()},
)

QUANTITY = Section(
    title="[rig.NAME]",
    doc="A quantity of the outside world. Sums name quantities, and parts as `board.part` (0 to 1; a motor −1 to 1).",
    keys=(
        Key(name="unit", kind="unit", doc="its unit", default=""),
        Key(name="start", kind="quantity", unit="=unit", doc="where it begins", default=0.0),
        Key(name="range", kind="range", unit="=unit", doc="its least and greatest value", default=None),
        Key(name="rate", kind="sum", doc="its change in units a second; without it, it holds still", default=None),
        Key(name="free", kind="sum", doc="it can only move while this is true", default=None),
        Key(name="step", kind="quantity", unit="=unit", doc="how far a nudge by hand goes", default=None),
        Key(
            name="basin",
            kind="whole",
            doc="draw it as a basin of water, the so-manieth from the left",
            default=0,
            low=0,
            high=9,
        ),
        Key(
            name="opening",
            kind="text",
            names="board.part",
            doc="the part that opens the wall on the basin's right, as `board.part`",
            default="",
        ),
        Key(
            name="gate",
            kind="text",
            names="quantity",
            doc="the quantity, in %, that takes that wall out of the way",
            default="",
        ),
    ),
)

DEFECT = Section(
    title="[defects.NAME]",
    doc="Something made wrong on purpose; it can be switched while the bench runs.",
    keys=(
        Key(
            name="kind",
            kind="word",
            doc="what is wrong",
            choices=tuple(DEFECTS),
            required=True,
        ),
        Key(name="board", kind="text", names="board", doc="at which board", required=True),
        Key(name="on", kind="switch", doc="whether it is on at the start", default=True),
    ),
    variants={kind: defect.SETTINGS for kind, defect in DEFECTS.items()},
)

PROFILE = Section(
    title="[profiles.NAME]",
    doc='A kind of board, where no shipped one fits. Pin lists are written as `"2-13, 18"`.',
    keys=(
        Key(name="pins", kind="text", doc="the pins that it has", required=True),
        Key(
            name="reserved",
            kind="table",
            doc="pins that can't be used, each with what it is kept for: its number and a text",
            default={},
        ),
        Key(name="output", kind="text", doc="the pins that can be switched", default=""),
        Key(name="input", kind="text", doc="the pins that can be read", default=""),
        Key(name="pull_up", kind="text", doc="the pins with a pull-up", default=""),
        Key(name="pwm", kind="text", doc="the pins with PWM, which can give a tone as well", default=""),
        Key(name="pwm_rate", kind="quantity", unit="Hz", doc="how often PWM swings", default=490.0, low=1),
        Key(name="servo", kind="text", doc="the pins that can drive a servo", default=""),
        Key(name="bus", kind="text", doc="the pins of the I2C bus: data, clock", default=""),
        Key(name="stepper", kind="text", doc="the pins that can drive steppers", default=""),
        Key(name="encoder", kind="text", doc="the pins that can count encoders", default=""),
        Key(name="onewire", kind="text", doc="the pins that can be a OneWire line", default=""),
        Key(
            name="serial",
            kind="text",
            doc="the pins of its serial ports, from port 1 on: of each its receiver, then its transmitter",
            default="",
        ),
        Key(name="dac", kind="text", doc="the pins that give a voltage", default=""),
        Key(name="dac_bits", kind="whole", doc="the bits of these", default=12, low=1, high=16),
        Key(
            name="lines",
            kind="text",
            doc="where pins are numbered by position: those of the lines L0, L1, … in their order",
            default="",
        ),
        Key(
            name="released",
            kind="word",
            doc="what becomes of a line that a program has let go of (`cavet with`): its pin goes back to how it was "
            "before, at rest, or stays",
            choices=("rest", "kept"),
            default="rest",
        ),
        Key(
            name="analog",
            kind="text",
            doc="the pins with a converter, channel 0 first; they are also A0, A1, …",
            default="",
        ),
        Key(name="analog_bits", kind="whole", doc="the converter's bits", default=10, low=1, high=16),
        Key(
            name="supply",
            kind="quantity",
            unit="V",
            doc="its supply, and the converter's full scale",
            default=5.0,
            low=0.1,
        ),
        Key(name="pin_current", kind="quantity", unit="A", doc="what a pin may carry", default=0.02, low=0),
        Key(
            name="board_current", kind="quantity", unit="A", doc="what all pins together may carry", default=0.12, low=0
        ),
        Key(
            name="boot",
            kind="quantity",
            unit="s",
            doc="how long it hears nothing after a reset",
            default=0.0,
            low=0,
            high=60,
        ),
        Key(
            name="resets",
            kind="switch",
            doc="whether the opening of its link resets it; only one program can be at it then",
            default=False,
        ),
    ),
)
