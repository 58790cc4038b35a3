"""The keys of devices on a bus as the host believes them to be."""

from __future__ import annotations

from cavet.boards.buses import ADDRESS, CHIP, MODE, map_key
from cavet.settings import Key, Section

_BRIGHTNESS = Key(name="brightness", kind="whole", doc="0 to 15", default=15, low=0, high=15)
_TURN = Key(
    name="turn", kind="whole", doc="how many quarter turns clockwise each matrix is mounted", default=0, low=0, high=3
)
_SCROLL = Key(
    name="scroll",
    kind="quantity",
    unit="s",
    doc="how long what does not fit stands before it moves on; 0 leaves it cut off",
    default=0.4,
    low=0,
    high=60,
)

_WRITES = Key(
    name="writes",
    kind="word",
    doc="how a bit is changed: from what was written last, or from what is read before",
    choices=("shadow", "read"),
    default="shadow",
)
_RATE = Key(name="rate", kind="quantity", unit="Hz", doc="how fast it is clocked", default=1e6, low=100, high=100e6)

DEVICE = Section(
    title="[hosts.NAME.devices.NAME]",
    doc="A device on the board's bus, as the host believes it to be.",
    keys=(
        Key(
            name="kind",
            kind="word",
            doc="what it is",
            choices=("expander", "panel", "matrix", "registers", "chain", "shift"),
            required=True,
        ),
    ),
    variants={
        "expander": (
            ADDRESS,
            map_key("expander16"),
            _WRITES,
            Key(
                name="reads",
                kind="word",
                doc="how inputs are read: at every interval, or by its interrupt line",
                choices=("poll", "interrupt"),
                default="poll",
            ),
            Key(name="interrupt", kind="pin", doc="the pin of its interrupt line", default=None),
        ),
        "panel": (
            ADDRESS,
            Key(name="columns", kind="whole", doc="how many characters a line has", default=16, low=1, high=40),
            Key(name="rows", kind="whole", doc="how many lines it has", default=2, low=1, high=4),
            _SCROLL,
        ),
        "matrix": (ADDRESS, map_key("matrix8"), _BRIGHTNESS, _TURN, _SCROLL),
        "registers": (
            ADDRESS,
            Key(name="ten_bit", kind="switch", doc="whether its address has ten bits", default=False),
            map_key(""),
            _WRITES,
        ),
        "shift": (
            CHIP,
            MODE,
            _RATE,
            Key(name="registers", kind="whole", doc="how many registers it has", default=1, low=1, high=8),
        ),
        "chain": (
            CHIP,
            MODE,
            _RATE,
            Key(name="modules", kind="whole", doc="how many matrices it has", default=4, low=1, high=64),
            Key(name="reversed", kind="switch", doc="whether the nearest one is the rightmost", default=False),
            _BRIGHTNESS,
            _TURN,
            _SCROLL,
        ),
    },
)

DEVICE_POINT_KEYS = (
    Key(
        name="device",
        kind="text",
        names="device",
        doc="a device of its host's; `DEVICE.LINE` of an expander or of shift registers, `DEVICE.REGISTER` or "
        "`DEVICE.REGISTER.FIELD` where it has a map",
        default="",
    ),
)

BUSES_LINK_KEYS = (
    Key(
        name="i2c",
        kind="text",
        doc="`simulated`, or the system's device of the I2C bus, such as `/dev/i2c-1`",
        default="simulated",
    ),
    Key(
        name="spi",
        kind="text",
        doc="where `i2c` is a device: that of the SPI bus without its chip select, such as `/dev/spidev0`",
        default="",
    ),
)
