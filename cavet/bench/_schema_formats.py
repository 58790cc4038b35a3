"""The keys of boards and points that speak a format of the user's own, and of USB devices."""

from __future__ import annotations

from cavet.settings import Key, Section

BOARD_KEYS = (
    Key(
        name="plan",
        kind="text",
        doc="plan, usb, target: the plan file beside the bench whose frames it speaks, or the name of one that ships",
        default="",
    ),
    Key(name="takes", kind="table", doc="plan, usb, target: the frames that it takes, see below", default={}),
    Key(name="gives", kind="table", doc="plan, usb, target: the frames that it gives, see below", default={}),
    Key(name="usb", kind="table", doc="usb: who the device says it is, see below", default={}),
)

TAKES = Section(
    title="[boards.NAME.takes.FRAME.FIELD]",
    doc="What a field of a frame that the board takes does.",
    keys=(
        Key(
            name="pins",
            kind="text",
            doc="the pins that it drives: each with a bit of the field, the lowest first, or with a byte, the highest "
            "first, in mode pwm; one alone with its value",
            default="",
        ),
        Key(name="blinks", kind="text", doc="the pins that blink where it has a 1, in place of `pins`", default=""),
        Key(name="mask", kind="text", doc="the field that has a 1 for each pin that is meant", default=""),
        Key(
            name="mode", kind="word", doc="how the pins are driven", choices=("output", "pwm", "tone"), default="output"
        ),
        Key(
            name="full",
            kind="quantity",
            unit="",
            doc="for pwm: the value that means full duty; for a tone: how many hertz one is",
            default=1.0,
        ),
    ),
)

GIVES = Section(
    title="[boards.NAME.gives.FRAME]",
    doc="A frame that the board gives.",
    keys=(
        Key(
            name="when",
            kind="word",
            doc="after each frame that it takes, on a change of its fields, or at every interval; usb, target: `taken`",
            choices=("taken", "changed", "every"),
            default="taken",
        ),
        Key(name="every", kind="quantity", unit="s", doc="the interval", default=1.0, low=0.001),
        Key(name="fields", kind="table", doc="where its fields come from, see below", required=True),
    ),
)

GIVEN = Section(
    title="[boards.NAME.gives.FRAME.fields.FIELD]",
    doc="Where a field of a frame that the board gives comes from: one of these.",
    keys=(
        Key(
            name="pins",
            kind="text",
            doc="levels of pins, a bit each, or of PWM a byte; one as its number",
            default="",
        ),
        Key(name="blinks", kind="text", doc="the pins that may blink: a 1 for each that does", default=""),
        Key(
            name="faults",
            kind="switch",
            doc="what was wrong with the last frame, once: 1 length, 2 check, 4 value",
            default=False,
        ),
        Key(name="of", kind="sum", doc="a sum of the rig and the parts", default=None),
        Key(name="full", kind="quantity", unit="", doc="for a pin with pwm: the value at full duty", default=1.0),
    ),
)

USB = Section(
    title="[boards.NAME.usb]",
    doc="Who a USB device says it is. It has a bulk endpoint each way.",
    keys=(
        Key(name="vendor", kind="whole", doc="its vendor's number", default=0x1209, low=0, high=0xFFFF),
        Key(name="product", kind="whole", doc="its product's number", required=True, low=0, high=0xFFFF),
        Key(
            name="version",
            kind="whole",
            doc="its version, in binary-coded decimals",
            default=0x0100,
            low=0,
            high=0xFFFF,
        ),
        Key(name="maker", kind="text", doc="who made it", default="Cavet"),
        Key(name="title", kind="text", doc="what it is called; else the board's name with a capital", default=""),
        Key(name="serial", kind="text", doc="its serial number", default="0001"),
        Key(
            name="endpoints",
            kind="word",
            doc="what its two endpoints are",
            choices=("bulk", "interrupt"),
            default="bulk",
        ),
        Key(name="out", kind="whole", doc="the endpoint that hears", default=0x02, low=1, high=15),
        Key(
            name="in",
            kind="whole",
            doc="the endpoint that says, with its direction bit",
            default=0x81,
            low=0x81,
            high=0x8F,
        ),
    ),
)

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
