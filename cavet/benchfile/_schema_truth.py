"""The keys of the truth: boards, what is wired to them, what stands at their addresses, the rig, defects, profiles."""

from __future__ import annotations

from cavet.benchfile.boards import FIRMWARES
from cavet.boards import DEFECTS, DOES, EDGES
from cavet.boards import KINDS as PART_KINDS
from cavet.settings import Key, Section, gathered

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
            choices=tuple(FIRMWARES),
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
                ("reflexes", "rules that it follows by itself, see below"),
                (
                    "kernel",
                    "the kernel's devices that it stands for (`cavet with`), each path with `i2c`, `spi.CHIP`, `gpio`, "
                    '`serial` or a serial link\'s name: `"/dev/i2c-1" = "i2c"`',
                ),
            )
        ),
        *gathered({name: device.KEYS for name, device in FIRMWARES.items()}),
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

REFLEX = Section(
    title="[boards.NAME.reflexes.NAME]",
    doc="A rule that a board follows by itself, whatever it speaks: when a pin changes, it drives another one.",
    keys=(
        Key(name="pin", kind="pin", doc="the pin that it watches", required=True),
        Key(
            name="mode",
            kind="word",
            choices=("input", "pull-up"),
            doc="how that is read",
            default="input",
        ),
        Key(name="edge", kind="word", doc="at which change", choices=EDGES, default="falling"),
        Key(
            name="debounce",
            kind="quantity",
            unit="s",
            doc="how long the level must stay so: contacts bounce",
            default=0.02,
            low=0,
            high=10,
        ),
        Key(name="does", kind="word", doc="what then; `follow` gives the level on", choices=DOES, default="toggle"),
        Key(name="target", kind="pin", doc="the pin that it drives", required=True),
    ),
)

QUANTITY = Section(
    title="[rig.NAME]",
    doc="A quantity of the outside world. Sums name quantities, and parts as `board.part` (0 to 1; a motor −1 to 1).",
    keys=(
        Key(name="unit", kind="unit", doc="its unit", default=""),
        Key(name="start", kind="quantity", unit="=unit", doc="where it begins", default=0.0),
        Key(name="range", kind="range", unit="=unit", doc="its least and greatest value", default=None),
        Key(
            name="rate", kind="expression", doc="its change in units a second; without it, it holds still", default=None
        ),
        Key(name="free", kind="expression", doc="it can only move while this is true", default=None),
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
