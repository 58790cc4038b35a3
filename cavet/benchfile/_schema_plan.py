"""The keys of a plan file: frames of the user's own, and register maps."""

from __future__ import annotations

from cavet.protocols.plans import CHECKS, KINDS, MAX_FRAME_BYTES
from cavet.protocols.registers import ACCESS, ADDRESSING
from cavet.settings import Key, Section

ORDERS = ("big", "little")

PLAN_FILE = Section(
    title="the file itself",
    doc="What stands at the top, before any table.",
    keys=(
        Key(name="format", kind="whole", doc="the format of the file: 1", required=True, low=1),
        Key(name="name", kind="text", doc="what it describes", default=""),
        Key(name="frames", kind="table", doc="see below", default={}),
        Key(name="maps", kind="table", doc="see below", default={}),
    ),
)

FRAME = Section(
    title="[frames.NAME]",
    doc="A frame: what one side says in one go.",
    keys=(
        Key(name="fields", kind="tables", doc="its fields, in brackets", default=()),
        Key(name="size", kind="whole", doc="how many bytes it has", default=None, low=1, high=MAX_FRAME_BYTES),
        Key(name="byte_order", kind="word", doc="which byte of a number comes first", choices=ORDERS, default="big"),
        Key(
            name="bit_order",
            kind="word",
            doc="where a byte's first field lies: from the highest bit down, or from the lowest up",
            choices=("msb", "lsb"),
            default="msb",
        ),
        Key(name="start", kind="octets", doc="what it begins with", default=b""),
        Key(name="end", kind="octets", doc="what it ends with", default=b""),
        Key(name="escape", kind="table", doc="how these are hidden inside it, see below", default=None),
        Key(name="text", kind="text", doc="a line of text, with `{NAME}` where a field stands", default=None),
    ),
)

ESCAPE = Section(
    title="[frames.NAME.escape]",
    doc="Inside the frame, a byte of `start` or `end`, and this one, becomes this one and itself XORed.",
    keys=(
        Key(name="byte", kind="whole", doc="the byte that stands before a hidden one", required=True, low=0, high=255),
        Key(name="xor", kind="whole", doc="what hidden bytes are XORed with", default=0x20, low=0, high=255),
    ),
)

FIELD = Section(
    title="a field in `fields`",
    doc="A value in a frame. All fields of a frame have `at`, or none: then they follow one another.",
    keys=(
        Key(name="name", kind="text", doc="what it is called", required=True),
        Key(name="bits", kind="whole", doc="how many bits it has", default=None, low=1, high=8 * MAX_FRAME_BYTES),
        Key(name="bytes", kind="whole", doc="the same in bytes", default=None, low=1, high=MAX_FRAME_BYTES),
        Key(name="at", kind="scalar", doc='its byte, or `"BYTE.BIT"` of its lowest bit', default=None),
        Key(name="type", kind="word", doc="what it is", choices=KINDS, default="uint"),
        Key(name="const", kind="scalar", doc="what it always is", default=None),
        Key(name="values", kind="table", doc="words for its numbers: `{ open = 1, shut = 0 }`", default={}),
        Key(name="scale", kind="quantity", unit="", doc="how much one count is", default=1.0),
        Key(name="offset", kind="quantity", unit="=unit", doc="what 0 on the wire stands for", default=0.0),
        Key(name="unit", kind="text", doc="its unit", default=""),
        Key(name="min", kind="quantity", unit="=unit", doc="its least value", default=None),
        Key(name="max", kind="quantity", unit="=unit", doc="its greatest value", default=None),
        Key(name="count", kind="whole", doc="how many of it there are", default=None, low=1, high=MAX_FRAME_BYTES),
        Key(
            name="length_of",
            kind="names",
            doc="the field whose length in bytes it tells; of several in brackets, their length together",
            default=(),
        ),
        Key(name="count_of", kind="text", doc="the field whose number of items it tells", default=""),
        Key(
            name="when",
            kind="table",
            doc='the field is there only when an earlier one has this value, or one of these: `{ kind = "set" }`',
            default=None,
        ),
        Key(name="check", kind="word", doc="what checks all bytes before it", choices=CHECKS, default=None),
        Key(name="polynomial", kind="whole", doc="of a `crc`, without its top bit, not reflected", default=None, low=0),
        Key(name="initial", kind="whole", doc="what a `crc` begins with", default=0, low=0),
        Key(name="final_xor", kind="whole", doc="what a `crc` is XORed with at the end", default=0, low=0),
        Key(name="reflect", kind="switch", doc="whether a `crc` takes in bits from the low end", default=False),
        Key(name="byte_order", kind="word", doc="else the frame's", choices=ORDERS, default=None),
    ),
)

MAP = Section(
    title="[maps.NAME]",
    doc="The registers of a device on a bus.",
    keys=(
        Key(name="doc", kind="text", doc="what the device is", default=""),
        Key(
            name="address",
            kind="whole",
            doc="its address on the bus, 7 bits, with all straps low",
            default=None,
            low=0,
            high=0x7F,
        ),
        Key(name="straps", kind="whole", doc="how many lower bits of the address straps set", default=0, low=0, high=6),
        Key(name="pointer", kind="whole", doc="how many bytes choose a register", default=1, low=1, high=2),
        Key(
            name="addressing",
            kind="word",
            doc="whether each byte has an address of its own, or each register, however long",
            choices=ADDRESSING,
            default="bytes",
        ),
        Key(name="auto_increment", kind="switch", doc="whether the address counts up by itself", default=True),
        Key(
            name="last", kind="whole", doc="behind this address it begins again at 0", default=None, low=0, high=0xFFFF
        ),
        Key(name="banked_by", kind="text", doc="the register, or REGISTER.FIELD, that chooses the bank", default=""),
        Key(name="registers", kind="table", doc="see below", required=True),
    ),
)

REGISTER = Section(
    title="[maps.NAME.registers.NAME]",
    doc="A register.",
    keys=(
        Key(name="at", kind="whole", doc="its address", required=True, low=0, high=0xFFFF),
        Key(name="size", kind="whole", doc="how many bytes it has", default=1, low=1, high=8),
        Key(name="reset", kind="whole", doc="what it holds after power-on", default=0, low=0),
        Key(name="access", kind="word", doc="what it allows", choices=ACCESS, default="read-write"),
        Key(name="order", kind="word", doc="which of its bytes comes first", choices=ORDERS, default="big"),
        Key(name="bank", kind="whole", doc="the bank that it is in", default=None, low=0, high=255),
        Key(name="fields", kind="table", doc="its bit fields, see below", default={}),
        Key(name="doc", kind="text", doc="what it is for", default=""),
    ),
)

BIT_FIELD = Section(
    title="[maps.NAME.registers.NAME.fields.NAME]",
    doc="Bits of a register that mean something together.",
    keys=(
        Key(name="at", kind="whole", doc="its lowest bit", required=True, low=0, high=63),
        Key(name="bits", kind="whole", doc="how many bits it has", default=1, low=1, high=64),
        Key(name="access", kind="word", doc="else the register's", choices=ACCESS, default=None),
        Key(name="values", kind="table", doc="words for its numbers", default={}),
        Key(name="doc", kind="text", doc="what it is for", default=""),
    ),
)

PLAN_SECTIONS = (PLAN_FILE, FRAME, ESCAPE, FIELD, MAP, REGISTER, BIT_FIELD)
