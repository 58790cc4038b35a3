"""The keys of what hangs at pins with a feature of their own: steppers, encoders, OneWire lines, serial ports."""

from __future__ import annotations

from cavet.bench._keys import Key
from cavet.bench._schema_bus import map_key

_COILS = ("coil_1", "coil_2", "coil_3", "coil_4")

SHAFT_PARTS: dict[str, tuple[Key, ...]] = {
    "stepper": (
        Key(name="pulse", kind="pin", doc="with a driver: the pin that gives the steps", default=None),
        Key(name="direction", kind="pin", doc="with a driver: the pin of the direction", default=None),
        *(
            Key(name=name, kind="pin", doc="without a driver: the pin of this wire; two to four of them", default=None)
            for name in _COILS
        ),
        Key(name="enable", kind="pin", doc="the pin that gives it current while it is high", default=None),
        Key(name="per_turn", kind="whole", doc="how many full steps a turn has", default=200, low=1, high=1_000_000),
        Key(
            name="fastest",
            kind="quantity",
            unit="",
            doc="how many full steps a second it can follow; at more it stalls",
            default=1000.0,
            low=1,
        ),
        Key(name="stops", kind="whole-list", doc="the ends of its way in full steps, where it has any", default=None),
    ),
    "encoder": (
        Key(name="a", kind="pin", doc="the pin of its contact A, which leads where it counts up", required=True),
        Key(name="b", kind="pin", doc="the pin of its contact B", required=True),
        Key(name="per_turn", kind="whole", doc="how many counts a turn has", default=96, low=4, high=1_000_000),
        Key(
            name="fastest",
            kind="quantity",
            unit="",
            doc="how many counts a second it is turned by",
            default=500.0,
            low=1,
            high=5000,
        ),
        Key(name="follows", kind="sum", doc="what turns it, in counts: a sum of the rig; else a hand", default=None),
    ),
}
"""Parts that turn."""

LINE_PARTS: dict[str, tuple[Key, ...]] = {
    "onewire": (
        Key(name="pin", kind="pin", doc="the pin of its OneWire line, which several may share", required=True),
        Key(name="family", kind="whole", doc="the first byte of its address", required=True, low=0, high=0xFF),
        Key(name="serial", kind="whole", doc="its serial number", required=True, low=0, high=0xFFFF_FFFF_FFFF),
        map_key("converters#adc4"),
        Key(
            name="channels",
            kind="table",
            doc="what its registers measure: a register's name and a sum of the rig",
            default={},
        ),
        Key(name="range", kind="range", unit="", doc="what reads 0, and what reads full", default=(0.0, 1.0)),
        Key(name="bits", kind="whole", doc="how many bits it has", default=12, low=1, high=32),
        Key(name="alarm", kind="sum", doc="the condition at which it answers a search for alarms", default=None),
    ),
    "serial": (
        Key(name="port", kind="whole", doc="which of the board's serial ports", required=True, low=0, high=7),
        Key(
            name="board",
            kind="text",
            doc="the board at the other end of the cable; it needs no link of its own",
            required=True,
        ),
        Key(name="rate", kind="whole", doc="at how many baud that board runs", default=9600, low=50, high=4_000_000),
    ),
}
"""What hangs on a line of its own kind."""

STEPPER_POINT_KEYS = (
    Key(name="direction", kind="pin", doc="stepper with a driver: the pin of the direction", default=None),
    *(
        Key(name=name, kind="pin", doc="stepper without a driver: the pin of this wire", default=None)
        for name in _COILS[1:]
    ),
    Key(
        name="fastest",
        kind="quantity",
        unit="",
        doc="stepper: steps a second",
        default=200.0,
        low=0.01,
    ),
    Key(
        name="acceleration",
        kind="quantity",
        unit="",
        doc="stepper: by how many steps a second it gains speed, each second; 0 for at once",
        default=0.0,
        low=0,
    ),
)
