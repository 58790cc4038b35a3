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
            "profile",
            "text",
            "what kind of board it is: a shipped profile, or one of `[profiles]`",
            names="profile",
            required=True,
        ),
        Key("firmware", "word", "what it speaks", choices=tuple(FIRMWARES), required=True),
        Key("firmware_name", "text", "how it announces itself; else the board's name", default=""),
        Key(
            "failsafe",
            "quantity",
            "after so long a silence its outputs go low; 0 for never",
            unit="s",
            default=0.0,
            low=0,
        ),
        Key(
            "baud",
            "whole",
            "the rate at which it runs its serial line; else the link's",
            default=None,
            low=50,
            high=4_000_000,
        ),
        *(
            Key(name, "table", doc, default={})
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
        Key("pull_up", "quantity", "its pull-up resistors", unit="Ohm", default=None, low=1),
        Key("capacitance", "quantity", "of a line against ground", unit="F", default=None, low=1e-13),
        Key("rate", "quantity", "its clock", unit="Hz", default=100e3, low=1, high=1e6),
    ),
)

SUPPLY = Section(
    title="[boards.NAME.supplies.NAME]",
    doc="A supply of its own for motors and servos, which name it as their `supply`.",
    keys=(
        Key("volts", "quantity", "its voltage", unit="V", required=True, low=0.1),
        Key("amperes", "quantity", "what it can give", unit="A", required=True, low=0.001),
    ),
)

PART = Section(
    title="[boards.NAME.parts.NAME]",
    doc="Something wired to a board's pins.",
    keys=(Key("kind", "word", "what it is", required=True, choices=tuple(PART_KINDS)),),
    variants={kind: part.SETTINGS for kind, part in PART_KINDS.items()},
)

REFLEX = Section(
    title="[boards.NAME.reflexes.NAME]",
    doc="A rule that a board follows by itself, whatever it speaks: when a pin changes, it drives another one.",
    keys=(
        Key("pin", "pin", "the pin that it watches", required=True),
        Key("mode", "word", "how that is read", choices=("input", "pull-up"), default="input"),
        Key("edge", "word", "at which change", choices=EDGES, default="falling"),
        Key(
            "debounce",
            "quantity",
            "how long the level must stay so: contacts bounce",
            unit="s",
            default=0.02,
            low=0,
            high=10,
        ),
        Key("does", "word", "what then; `follow` gives the level on", choices=DOES, default="toggle"),
        Key("target", "pin", "the pin that it drives", required=True),
    ),
)

QUANTITY = Section(
    title="[rig.NAME]",
    doc="A quantity of the outside world. Sums name quantities, and parts as `board.part` (0 to 1; a motor −1 to 1).",
    keys=(
        Key("unit", "unit", "its unit", default=""),
        Key("start", "quantity", "where it begins", unit="=unit", default=0.0),
        Key("range", "range", "its least and greatest value", unit="=unit", default=None),
        Key("rate", "expression", "its change in units a second; without it, it holds still", default=None),
        Key("free", "expression", "it can only move while this is true", default=None),
        Key("step", "quantity", "how far a nudge by hand goes", unit="=unit", default=None),
        Key("basin", "whole", "draw it as a basin of water, the so-manieth from the left", default=0, low=0, high=9),
        Key(
            "opening",
            "text",
            "the part that opens the wall on the basin's right, as `board.part`",
            names="board.part",
            default="",
        ),
        Key("gate", "text", "the quantity, in %, that takes that wall out of the way", names="quantity", default=""),
    ),
)

DEFECT = Section(
    title="[defects.NAME]",
    doc="Something made wrong on purpose; it can be switched while the bench runs.",
    keys=(
        Key("kind", "word", "what is wrong", choices=tuple(DEFECTS), required=True),
        Key("board", "text", "at which board", names="board", required=True),
        Key("on", "switch", "whether it is on at the start", default=True),
    ),
    variants={kind: defect.SETTINGS for kind, defect in DEFECTS.items()},
)

PROFILE = Section(
    title="[profiles.NAME]",
    doc='A kind of board, where no shipped one fits. Pin lists are written as `"2-13, 18"`.',
    keys=(
        Key("pins", "text", "the pins that it has", required=True),
        Key(
            "reserved",
            "table",
            "pins that can't be used, each with what it is kept for: its number and a text",
            default={},
        ),
        Key("output", "text", "the pins that can be switched", default=""),
        Key("input", "text", "the pins that can be read", default=""),
        Key("pull_up", "text", "the pins with a pull-up", default=""),
        Key("pwm", "text", "the pins with PWM, which can give a tone as well", default=""),
        Key("pwm_rate", "quantity", "how often PWM swings", unit="Hz", default=490.0, low=1),
        Key("servo", "text", "the pins that can drive a servo", default=""),
        Key("bus", "text", "the pins of the I2C bus: data, clock", default=""),
        Key("stepper", "text", "the pins that can drive steppers", default=""),
        Key("encoder", "text", "the pins that can count encoders", default=""),
        Key("onewire", "text", "the pins that can be a OneWire line", default=""),
        Key(
            "serial",
            "text",
            "the pins of its serial ports, from port 1 on: of each its receiver, then its transmitter",
            default="",
        ),
        Key("dac", "text", "the pins that give a voltage", default=""),
        Key("dac_bits", "whole", "the bits of these", default=12, low=1, high=16),
        Key(
            "lines",
            "text",
            "where pins are numbered by position: those of the lines L0, L1, … in their order",
            default="",
        ),
        Key(
            "released",
            "word",
            "what becomes of a line that a program has let go of (`cavet with`): its pin goes back to how it was "
            "before, at rest, or stays",
            choices=("rest", "kept"),
            default="rest",
        ),
        Key("analog", "text", "the pins with a converter, channel 0 first; they are also A0, A1, …", default=""),
        Key("analog_bits", "whole", "the converter's bits", default=10, low=1, high=16),
        Key("supply", "quantity", "its supply, and the converter's full scale", unit="V", default=5.0, low=0.1),
        Key("pin_current", "quantity", "what a pin may carry", unit="A", default=0.02, low=0),
        Key("board_current", "quantity", "what all pins together may carry", unit="A", default=0.12, low=0),
        Key("boot", "quantity", "how long it hears nothing after a reset", unit="s", default=0.0, low=0, high=60),
        Key(
            "resets",
            "switch",
            "whether the opening of its link resets it; only one program can be at it then",
            default=False,
        ),
    ),
)
