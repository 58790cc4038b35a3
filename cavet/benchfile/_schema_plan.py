"""The keys of a plan file: frames of the user's own, and register maps."""

from typing import Annotated, Any, Literal

from cavet.protocols.plans import CHECKS, KINDS, MAX_FRAME_BYTES
from cavet.protocols.registers import ACCESS, ADDRESSING
from cavet.settings import Meaning, Table

ORDERS = ("big", "little")


class PlanTable(Table, kw_only=True):
    """What stands at the top, before any table."""

    TITLE = "the file itself"
    format: Annotated[int, Meaning("the format of the file: 1", low=1)]
    name: Annotated[str, Meaning("what it describes")] = ""
    frames: Annotated[dict[str, Any], Meaning("see below")] = {}
    maps: Annotated[dict[str, Any], Meaning("see below")] = {}


class FrameTable(Table, kw_only=True):
    """A frame: what one side says in one go."""

    TITLE = "[frames.NAME]"
    fields: Annotated[tuple[object, ...], Meaning("its fields, in brackets")] = ()
    size: Annotated[int | None, Meaning("how many bytes it has", low=1, high=MAX_FRAME_BYTES)] = None
    byte_order: Annotated[str, Meaning("which byte of a number comes first", ORDERS)] = "big"
    bit_order: Annotated[
        Literal["msb", "lsb"],
        Meaning("where a byte's first field lies: from the highest bit down, or from the lowest up", ("msb", "lsb")),
    ] = "msb"
    start: Annotated[bytes, Meaning("what it begins with")] = b""
    end: Annotated[bytes, Meaning("what it ends with")] = b""
    escape: Annotated[dict[str, Any] | None, Meaning("how these are hidden inside it, see below")] = None
    text: Annotated[str | None, Meaning("a line of text, with `{NAME}` where a field stands")] = None


class EscapeTable(Table, kw_only=True):
    """Inside the frame, a byte of `start` or `end`, and this one, becomes this one and itself XORed."""

    TITLE = "[frames.NAME.escape]"
    byte: Annotated[int, Meaning("the byte that stands before a hidden one", low=0, high=255)]
    xor: Annotated[int, Meaning("what hidden bytes are XORed with", low=0, high=255)] = 0x20


CRC, NUMBER = ("check", ("crc",)), ("type", ("uint", "int", "float"))


class FieldTable(Table, kw_only=True):
    """A value in a frame. All fields of a frame have `at`, or none: then they follow one another."""

    TITLE = "a field in `fields`"
    name: Annotated[str, Meaning("what it is called")]
    bits: Annotated[int | None, Meaning("how many bits it has", low=1, high=8 * MAX_FRAME_BYTES)] = None
    bytes: Annotated[int | None, Meaning("the same in bytes", low=1, high=MAX_FRAME_BYTES)] = None
    at: Annotated[float | str | None, Meaning('its byte, or `"BYTE.BIT"` of its lowest bit')] = None
    type: Annotated[str, Meaning("what it is", KINDS)] = "uint"
    const: Annotated[float | str | None, Meaning("what it always is")] = None
    values: Annotated[dict[str, Any], Meaning("words for its numbers: `{ open = 1, shut = 0 }`")] = {}
    scale: Annotated[float, Meaning("how much one count is", beside=NUMBER)] = 1.0
    offset: Annotated[float, Meaning("what 0 on the wire stands for", unit="=unit", beside=NUMBER)] = 0.0
    unit: Annotated[str, Meaning("its unit")] = ""
    min: Annotated[float | None, Meaning("its least value", unit="=unit", beside=NUMBER)] = None
    max: Annotated[float | None, Meaning("its greatest value", unit="=unit", beside=NUMBER)] = None
    count: Annotated[int | None, Meaning("how many of it there are", low=1, high=MAX_FRAME_BYTES)] = None
    length_of: Annotated[
        tuple[str, ...],
        Meaning(
            "the field whose length in bytes it tells; of several in brackets, their length together", kind="names"
        ),
    ] = ()
    count_of: Annotated[str, Meaning("the field whose number of items it tells")] = ""
    when: Annotated[
        dict[str, Any] | None,
        Meaning('the field is there only when an earlier one has this value, or one of these: `{ kind = "set" }`'),
    ] = None
    check: Annotated[str | None, Meaning("what checks all bytes before it", CHECKS)] = None
    polynomial: Annotated[
        int | None, Meaning("its polynomial without the top bit, not reflected", low=0, beside=CRC)
    ] = None
    initial: Annotated[int, Meaning("what it begins with", low=0, beside=CRC)] = 0
    final_xor: Annotated[int, Meaning("what it is XORed with at the end", low=0, beside=CRC)] = 0
    reflect: Annotated[bool, Meaning("whether it takes in bits from the low end", beside=CRC)] = False
    byte_order: Annotated[str | None, Meaning("else the frame's", ORDERS)] = None


class MapTable(Table, kw_only=True):
    """The registers of a device on a bus."""

    TITLE = "[maps.NAME]"
    doc: Annotated[str, Meaning("what the device is")] = ""
    address: Annotated[int | None, Meaning("its address on the bus, 7 bits, with all straps low", low=0, high=0x7F)] = (
        None
    )
    straps: Annotated[int, Meaning("how many lower bits of the address straps set", low=0, high=6)] = 0
    pointer: Annotated[int, Meaning("how many bytes choose a register", low=1, high=2)] = 1
    addressing: Annotated[
        str, Meaning("whether each byte has an address of its own, or each register, however long", ADDRESSING)
    ] = "bytes"
    auto_increment: Annotated[bool, Meaning("whether the address counts up by itself")] = True
    last: Annotated[int | None, Meaning("behind this address it begins again at 0", low=0, high=0xFFFF)] = None
    banked_by: Annotated[str, Meaning("the register, or REGISTER.FIELD, that chooses the bank")] = ""
    registers: Annotated[dict[str, Any], Meaning("see below")]


class RegisterTable(Table, kw_only=True):
    """A register."""

    TITLE = "[maps.NAME.registers.NAME]"
    at: Annotated[int, Meaning("its address", low=0, high=0xFFFF)]
    size: Annotated[int, Meaning("how many bytes it has", low=1, high=8)] = 1
    reset: Annotated[int, Meaning("what it holds after power-on", low=0)] = 0
    access: Annotated[str, Meaning("what it allows", ACCESS)] = "read-write"
    order: Annotated[str, Meaning("which of its bytes comes first", ORDERS)] = "big"
    bank: Annotated[int | None, Meaning("the bank that it is in", low=0, high=255)] = None
    fields: Annotated[dict[str, Any], Meaning("its bit fields, see below")] = {}
    doc: Annotated[str, Meaning("what it is for")] = ""


class BitFieldTable(Table, kw_only=True):
    """Bits of a register that mean something together."""

    TITLE = "[maps.NAME.registers.NAME.fields.NAME]"
    at: Annotated[int, Meaning("its lowest bit", low=0, high=63)]
    bits: Annotated[int, Meaning("how many bits it has", low=1, high=64)] = 1
    access: Annotated[str | None, Meaning("else the register's", ACCESS)] = None
    values: Annotated[dict[str, Any], Meaning("words for its numbers")] = {}
    doc: Annotated[str, Meaning("what it is for")] = ""


PLAN_TABLES = (PlanTable, FrameTable, EscapeTable, FieldTable, MapTable, RegisterTable, BitFieldTable)
