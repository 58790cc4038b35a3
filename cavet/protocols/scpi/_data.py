"""Program data: numbers with suffixes, keywords, strings, blocks, channel lists, expressions.

Source: IEEE 488.2-1992, section 7.7; channel lists from SCPI 1999, volume 1, section 8.3.2.
"""

from __future__ import annotations

import math
import re

import msgspec

from cavet.protocols._codec import Side
from cavet.protocols.scpi._faults import FaultError as FaultError
from cavet.wording import hex_pairs, plain

WHITE = bytes([*range(0x00, 0x0A), *range(0x0B, 0x21)])
"""White space: all control characters but LF, and the space. Source: 488.2, section 7.4.1.2."""
_WHITE_TEXT = WHITE.decode("latin-1")
MAX_WORD = 12
"""Characters of a mnemonic, a keyword or a suffix. Source: 488.2, sections 7.6.1.4.1 and 7.7.1.4."""
MAX_DIGITS = 255
MAX_EXPONENT = 32000
MAX_EXPONENT_DIGITS = 12
MAX_CHANNELS = 10_000

MULTIPLIERS = {
    "EX": 1e18, "PE": 1e15, "T": 1e12, "G": 1e9, "MA": 1e6, "K": 1e3,
    "M": 1e-3, "U": 1e-6, "N": 1e-9, "P": 1e-12, "F": 1e-15, "A": 1e-18,
}  # fmt: skip
"""Source: 488.2, table 7-2."""
UNITS = {
    "V", "A", "W", "OHM", "HZ", "S", "F", "H", "SIE", "C", "J", "N", "M", "G", "PA", "T", "WB", "LM", "CD",
    "DEG", "RAD", "CEL", "K", "FAR", "PCT", "PPM", "DB", "DBM", "DBV", "DBUV", "BD", "MOL", "BAR", "MIN", "HR",
}  # fmt: skip
"""Source: 488.2, table 7-1, and SCPI 1999, volume 1, section 7.1."""

_NUMBER = re.compile(r"([+-]?)(\d+\.?\d*|\.\d+)(?:[ \t]*[eE][ \t]*([+-]?[ \t]*\d+))?(.*)", re.DOTALL)
_BASED = {"H": (16, "0123456789ABCDEF"), "Q": (8, "01234567"), "B": (2, "01")}
_KEYWORD = re.compile(r"[A-Za-z][A-Za-z0-9_]*")
_SUFFIX = re.compile(r"/?[A-Za-z][A-Za-z0-9]*(?:-?\d)?(?:[./][A-Za-z][A-Za-z0-9]*(?:-?\d)?)*")
_ENCLOSES = re.compile(rb"[\"'#(]")
_NUMERIC = re.compile(r"[+\-.]?[\d.]")
_CHANNEL = re.compile(r"\s*(\d{1,9})\s*(?::\s*(\d{1,9})\s*)?")
_FLAT_LIST = re.compile(rf"{_CHANNEL.pattern}(?:,{_CHANNEL.pattern})*")
_SPEC = r"\s*\d{1,9}\s*(?:!\s*\d{1,9}\s*)*"
_RANGE = rf"{_SPEC}(?::{_SPEC})?"
_ENTRY = rf"(?:{_RANGE}|\s*[A-Za-z]\w*\s*\({_RANGE}(?:,{_RANGE})*\)\s*|\s*(?:\"[^\"]*\"|'[^']*')\s*)"
_OTHER_LIST = re.compile(rf"{_ENTRY}(?:,{_ENTRY})*")
"""Lists that can't be told as single numbers: of several dimensions (`1!2`), of a module (`card1(1:3)`), of paths by
their names. Source: SCPI 1999, volume 1, section 8.3.2."""


class Datum(msgspec.Struct, frozen=True):
    """One value: its type, what it is, and its base unit where it has one."""

    type: str
    value: object
    unit: str | None = None


def strip_white(data: bytes) -> bytes:
    """Take white space off both ends. Source: IEEE 488.2, section 7.4.1.2."""
    return data.strip(WHITE)


def split_data(data: bytes) -> list[bytes]:
    """Cut data at its commas; those inside strings, brackets and blocks do not separate."""
    if _ENCLOSES.search(data) is None:
        return data.split(b",")
    pieces, begin, at, depth = [], 0, 0, 0
    while at < len(data):
        byte = data[at : at + 1]
        if byte in (b'"', b"'"):
            at = skip_string(data, at)
            continue
        if byte == b"#":
            is_open = data[at + 1 : at + 2] == b"0" and not strip_white(data[begin:at])
            at = len(data) if is_open else max(at + 1, skip_block(data, at) or 0)
            continue
        depth += (byte == b"(") - (byte == b")")
        if byte == b"," and depth <= 0:
            pieces.append(data[begin:at])
            begin = at + 1
        at += 1
    return [*pieces, data[begin:]]


def skip_string(data: bytes, at: int) -> int:
    """Where a string that begins at `at` is over; at the end of the data where it is left open."""
    end = data.find(data[at : at + 1], at + 1)
    return end + 1 if end >= 0 else len(data)


def skip_block(data: bytes, at: int) -> int | None:
    """Where a definite-length block that begins at `at` is over, though it may be beyond what is there.

    `None` when it is none, or its length is not there yet.
    """
    digits = data[at + 1 : at + 2]
    if not digits.isdigit() or digits == b"0":
        return None
    size = data[at + 2 : at + 2 + int(digits)]
    if len(size) < int(digits) or not size.isdigit():
        return None
    return at + 2 + int(digits) + int(size)


def read_datum(data: bytes, side: Side) -> Datum:
    """Read one value. Raises `FaultError` with the standard's number."""
    data = data.lstrip(WHITE)
    first = data[:1]
    if first != b"#":
        data = data.rstrip(WHITE)
    if not first:
        raise FaultError(-102, "nothing between two commas")
    if first in (b'"', b"'"):
        return _string(data)
    if first == b"#":
        return _hash(data)
    text = data.decode("latin-1")
    if first == b"(":
        return _bracketed(text)
    if _NUMERIC.match(text):
        return _number(text, side)
    return _keyword(text, side)


def _string(data: bytes) -> Datum:
    quote = data[:1]
    body = data[1:]
    if len(data) < 2 or not data.endswith(quote) or body[:-1].replace(quote * 2, b"").count(quote):
        closed = re.match(rb"(?:[^%s]|%s%s)*+%s" % (quote, quote, quote, quote), body)
        raise FaultError(-103, "more behind a string") if closed else FaultError(-151, "a string that is not closed")
    return Datum("string", body[:-1].replace(quote * 2, quote).decode("latin-1"))


def _hash(data: bytes) -> Datum:
    kind = data[1:2].decode("latin-1").upper()
    if kind in _BASED:
        base, digits = _BASED[kind]
        text = strip_white(data[2:]).decode("latin-1").upper()
        if not text or any(digit not in digits for digit in text):
            raise FaultError(-121, f"#{kind}{plain(text, 20)}")
        if len(text) > MAX_DIGITS:
            raise FaultError(-124, f"more than {MAX_DIGITS}")
        return Datum("number", int(text, base))
    if kind == "0":
        return Datum("block", hex_pairs(data[2:]))
    end = skip_block(data, 0)
    if end is None:
        raise FaultError(-161, "a block begins with #, how many digits its length has, and its length")
    if end > len(data):
        found = len(data) - (2 + int(kind))
        raise FaultError(-161, f"found {found} bytes, expected {end - 2 - int(kind)}")
    if strip_white(data[end:]):
        raise FaultError(-103, "more behind a block")
    return Datum("block", hex_pairs(data[2 + int(kind) : end]))


def _bracketed(text: str) -> Datum:
    if not text.endswith(")"):
        raise FaultError(-171, "a bracket that is not closed")
    if not text.startswith("(@"):
        return Datum("expression", text)
    body = text[2:-1]
    if not _FLAT_LIST.fullmatch(body) and _OTHER_LIST.fullmatch(body):
        return Datum("expression", text)
    return Datum("channels", channels(body))


def channels(text: str) -> list[int]:
    """Expand a channel list, `101:104,107`, in the order in which it is written."""
    found: list[int] = []
    for piece in text.split(","):
        match = _CHANNEL.fullmatch(piece)
        if match is None:
            raise FaultError(-171, f"{plain(piece, 30)} is no channel")
        first = int(match[1])
        last = int(match[2]) if match[2] else first
        if abs(last - first) + len(found) >= MAX_CHANNELS:
            raise FaultError(-171, f"more than {MAX_CHANNELS} channels")
        found += range(first, last + 1) if last >= first else range(first, last - 1, -1)
    return found


def _number(text: str, side: Side) -> Datum:
    match = _NUMBER.fullmatch(text)
    if match is None:
        raise FaultError(-121, plain(text, 30))
    sign, mantissa, exponent, rest = match.groups()
    if len(mantissa) > MAX_DIGITS and sum(digit.isdigit() for digit in mantissa.lstrip("0.")) > MAX_DIGITS:
        raise FaultError(-124, f"more than {MAX_DIGITS}")
    written = re.sub(r"\s", "", exponent) if exponent else "0"
    power = int(written) if len(written) < MAX_EXPONENT_DIGITS else MAX_EXPONENT + 1
    if abs(power) > MAX_EXPONENT:
        raise FaultError(-123, plain(written, 20))
    value = float(f"{sign}{mantissa}e{power}")
    if math.isinf(value):
        raise FaultError(-123, str(power))
    suffix = rest.strip(_WHITE_TEXT) if rest else ""
    if not suffix:
        return Datum("number", value)
    if side is Side.BOARD:
        return Datum("keyword", text)  # a version such as 1999.0A: a response's numbers bear no suffixes
    factor, unit = _suffix(suffix)
    scaled = float(f"{value * factor:.15g}")
    if math.isinf(scaled):
        raise FaultError(-123, plain(text, 20))
    return Datum("number", scaled, unit)


def _suffix(text: str) -> tuple[float, str]:
    """Take a suffix apart into its multiplier and its base unit. `M` is milli, but mega before HZ and OHM."""
    if len(text) > MAX_WORD:
        raise FaultError(-134, plain(text, 20))
    if not _SUFFIX.fullmatch(text):
        raise FaultError(-121 if text[:1].isdigit() or text[:1] in ".+-" else -131, plain(text, 20))
    word = text.upper()
    if word in UNITS:
        return 1.0, word
    if word in ("MHZ", "MOHM"):
        return 1e6, word[1:]
    for multiplier, factor in MULTIPLIERS.items():
        if word.startswith(multiplier) and word[len(multiplier) :] in UNITS:
            return factor, word[len(multiplier) :]
    if re.search(r"[./\d]", word) and all(part in UNITS for part in re.findall(r"[A-Z]+", word)):
        return 1.0, word
    raise FaultError(-131, plain(text, 20))


def _keyword(text: str, side: Side) -> Datum:
    if side is Side.BOARD:
        return Datum("keyword", text)
    match = _KEYWORD.match(text)
    if match is None:
        raise FaultError(-101, plain(text[:1]))
    if match.end() < len(text):
        what = plain(text[match.end() :], 20)
        raise FaultError(-103 if text[match.end()] in _WHITE_TEXT + "\"'(#" else -141, what)
    if len(text) > MAX_WORD:
        raise FaultError(-144, plain(text, 20))
    return Datum("keyword", text.upper())
