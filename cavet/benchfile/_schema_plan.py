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
        Key("format", "whole", "the format of the file: 1", required=True, low=1),
        Key("name", "text", "what it describes", default=""),
        Key("frames", "table", "see below", default={}),
        Key("maps", "table", "see below", default={}),
    ),
)

FRAME = Section(
    title="[frames.NAME]",
    doc="A frame: what one side says in one go.",
    keys=(
        Key("fields", "tables", "its fields, in brackets", default=()),
        Key("size", "whole", "how many bytes it has", default=None, low=1, high=MAX_FRAME_BYTES),
        Key("byte_order", "word", "which byte of a number comes first", choices=ORDERS, default="big"),
        Key(
            "bit_order",
            "word",
            "where a byte's first field lies: from the highest bit down, or from the lowest up",
            choices=("msb", "lsb"),
            default="msb",
        ),
        Key("start", "octets", "what it begins with", default=b""),
        Key("end", "octets", "what it ends with", default=b""),
        Key("escape", "table", "how these are hidden inside it, see below", default=None),
        Key("text", "text", "a line of text, with `{NAME}` where a field stands", default=None),
    ),
)

ESCAPE = Section(
    title="[frames.NAME.escape]",
    doc="Inside the frame, a byte of `start` or `end`, and this one, becomes this one and itself XORed.",
    keys=(
        Key("byte", "whole", "the byte that stands before a hidden one", required=True, low=0, high=255),
        Key("xor", "whole", "what hidden bytes are XORed with", default=0x20, low=0, high=255),
    ),
)

FIELD = Section(
    title="a field in `fields`",
    doc="A value in a frame. All fields of a frame have `at`, or none: then they follow one another.",
    keys=(
        Key("name", "text", "what it is called", required=True),
        Key("bits", "whole", "how many bits it has", default=None, low=1, high=8 * MAX_FRAME_BYTES),
        Key("bytes", "whole", "the same in bytes", default=None, low=1, high=MAX_FRAME_BYTES),
        Key("at", "scalar", 'its byte, or `"BYTE.BIT"` of its lowest bit', default=None),
        Key("type", "word", "what it is", choices=KINDS, default="uint"),
        Key("const", "scalar", "what it always is", default=None),
        Key("values", "table", "words for its numbers: `{ open = 1, shut = 0 }`", default={}),
        Key("scale", "quantity", "how much one count is", unit="", default=1.0),
        Key("offset", "quantity", "what 0 on the wire stands for", unit="=unit", default=0.0),
        Key("unit", "text", "its unit", default=""),
        Key("min", "quantity", "its least value", unit="=unit", default=None),
        Key("max", "quantity", "its greatest value", unit="=unit", default=None),
        Key("count", "whole", "how many of it there are", default=None, low=1, high=MAX_FRAME_BYTES),
        Key(
            "length_of",
            "names",
            "the field whose length in bytes it tells; of several in brackets, their length together",
            default=(),
        ),
        Key("count_of", "text", "the field whose number of items it tells", default=""),
        Key(
            "when",
            "table",
            'the field is there only when an earlier one has this value, or one of these: `{ kind = "set" }`',
            default=None,
        ),
        Key("check", "word", "what checks all bytes before it", choices=CHECKS, default=None),
        Key("polynomial", "whole", "of a `crc`, without its top bit, not reflected", default=None, low=0),
        Key("initial", "whole", "what a `crc` begins with", default=0, low=0),
        Key("final_xor", "whole", "what a `crc` is XORed with at the end", default=0, low=0),
        Key("reflect", "switch", "whether a `crc` takes in bits from the low end", default=False),
        Key("byte_order", "word", "else the frame's", choices=ORDERS, default=None),
    ),
)

MAP = Section(
    title="[maps.NAME]",
    doc="The registers of a device on a bus.",
    keys=(
        Key("doc", "text", "what the device is", default=""),
        Key("address", "whole", "its address on the bus, 7 bits, with all straps low", default=None, low=0, high=0x7F),
        Key("straps", "whole", "how many lower bits of the address straps set", default=0, low=0, high=6),
        Key("pointer", "whole", "how many bytes choose a register", default=1, low=1, high=2),
        Key(
            "addressing",
            "word",
            "whether each byte has an address of its own, or each register, however long",
            choices=ADDRESSING,
            default="bytes",
        ),
        Key("auto_increment", "switch", "whether the address counts up by itself", default=True),
        Key("last", "whole", "behind this address it begins again at 0", default=None, low=0, high=0xFFFF),
        Key("banked_by", "text", "the register, or REGISTER.FIELD, that chooses the bank", default=""),
        Key("registers", "table", "see below", required=True),
    ),
)

REGISTER = Section(
    title="[maps.NAME.registers.NAME]",
    doc="A register.",
    keys=(
        Key("at", "whole", "its address", required=True, low=0, high=0xFFFF),
        Key("size", "whole", "how many bytes it has", default=1, low=1, high=8),
        Key("reset", "whole", "what it holds after power-on", default=0, low=0),
        Key("access", "word", "what it allows", choices=ACCESS, default="read-write"),
        Key("order", "word", "which of its bytes comes first", choices=ORDERS, default="big"),
        Key("bank", "whole", "the bank that it is in", default=None, low=0, high=255),
        Key("fields", "table", "its bit fields, see below", default={}),
        Key("doc", "text", "what it is for", default=""),
    ),
)

BIT_FIELD = Section(
    title="[maps.NAME.registers.NAME.fields.NAME]",
    doc="Bits of a register that mean something together.",
    keys=(
        Key("at", "whole", "its lowest bit", required=True, low=0, high=63),
        Key("bits", "whole", "how many bits it has", default=1, low=1, high=64),
        Key("access", "word", "else the register's", choices=ACCESS, default=None),
        Key("values", "table", "words for its numbers", default={}),
        Key("doc", "text", "what it is for", default=""),
    ),
)

PLAN_SECTIONS = (PLAN_FILE, FRAME, ESCAPE, FIELD, MAP, REGISTER, BIT_FIELD)
