"""The keys of hosts and points that speak a format of the user's own, and of USB devices."""

from __future__ import annotations

from cavet.settings import Key

USB_LINK_KEYS = (
    Key(
        name="address",
        kind="text",
        doc="`simulated`, `usbip:HOST:PORT` of a device that is exported, or VENDOR:PRODUCT of one that is plugged in",
        default="simulated",
    ),
    Key(
        name="port",
        kind="whole",
        doc="the port that a simulated one is exported on; 0 for any free one",
        default=0,
        low=0,
        high=65535,
    ),
)

HOST_KEYS = (
    Key(
        name="plan",
        kind="text",
        doc="plan: the plan file beside the bench whose frames are spoken, or the name of one that ships",
        default="",
    ),
    Key(
        name="asks",
        kind="text",
        doc="plan: the frame that, with its fields 0 or as near as they come, asks the board how it stands",
        default="",
    ),
)

POINT_KEYS = (
    Key(name="field", kind="text", doc="plan: `FRAME.FIELD` that carries it", default=""),
    Key(
        name="line",
        kind="whole",
        doc="plan: the bit of the field, where it is one of several",
        default=None,
        low=0,
        high=63,
    ),
    Key(name="mask", kind="text", doc="plan: the field that has a 1 for what is meant", default=""),
)
