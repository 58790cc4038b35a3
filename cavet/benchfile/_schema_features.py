"""The keys of points at steppers."""

from __future__ import annotations

from cavet.settings import Key

_COILS = ("coil_1", "coil_2", "coil_3", "coil_4")

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
