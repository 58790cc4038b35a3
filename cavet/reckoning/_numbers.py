"""Sums about numbers: how they are written, how they lie in registers, scales, masks."""

from __future__ import annotations

import math
import re
import struct

from cavet.protocols import FieldError
from cavet.protocols.modbus import KINDS, ORDERS, ValueForm
from cavet.reckoning._sum import Given, Reckoned, Sum, number_with_unit, whole
from cavet.units import parse_switch, split, whole_number
from cavet.wording import WrongError, digits, from_to, listed, nearest, plain

WIDTHS = (8, 16, 32, 64)
FLOATS = {16: ">e", 32: ">f", 64: ">d"}
MOST_BITS = 64
USUAL_KINDS = {1: "uint16", 2: "float32", 4: "float64"}
"""What so many registers mostly hold."""


def _number(given: Given) -> Reckoned:
    text = given["value"]
    try:
        value = whole_number(text)
    except ValueError as error:
        raise WrongError("number.value", found=text, expected="a whole number: 600, 0x0258, 0b1001011000") from error
    signed = parse_switch(given.get("signed", "off"), "number.signed")
    least = max(value.bit_length(), 1) if value >= 0 else (-value - 1).bit_length() + 1
    if "bits" in given:
        bits = whole("number.bits", given["bits"], 1, MOST_BITS)
    else:
        bits = next((width for width in WIDTHS if width >= least), MOST_BITS)
    problems = [f"value: {value} needs {least} bits, found {bits}"] if least > bits else []
    raw = value & (1 << bits) - 1
    in_complement = raw - (1 << bits) if raw >> bits - 1 else raw
    if signed and value > 0 and in_complement < 0 and not text.lower().startswith(("0x", "0b")):
        problems.append(f"value: {value} is beyond {(1 << bits - 1) - 1}, the greatest of {bits} bits with a sign")
    size = (bits + 7) // 8
    data = raw.to_bytes(size, "big")
    number = struct.unpack(FLOATS[bits], data)[0] if bits in FLOATS else None
    number = number if number is not None and math.isfinite(number) else None
    decimal = in_complement if signed or value < 0 else raw
    values = {
        "decimal": decimal, "hex": f"0x{raw:0{(bits + 3) // 4}X}", "binary": f"0b{raw:0{bits}b}",
        "signed": in_complement, "float": number, "text": _as_text(data),
    }  # fmt: skip
    way = f"{decimal} = {values['hex']} = {_grouped(raw, bits)}; with a sign {in_complement}"
    way += f"; as a float {number:.7g}" if number is not None else ""
    return Reckoned(values, way, tuple(problems))


def _as_text(data: bytes) -> str:
    return plain(data.decode("latin-1"))


def _grouped(raw: int, bits: int) -> str:
    digits = f"{raw:0{bits}b}"
    first = len(digits) % 4
    return " ".join(part for part in (digits[:first], *re.findall("....", digits[first:])) if part)


def _form(kind: str, given: Given) -> ValueForm:
    kinds = [name for name in KINDS if name not in ("text", "bit")]
    if kind not in kinds:
        raise WrongError("words.type", found=kind, expected=listed(kinds), nearest=nearest(kind, kinds))
    return ValueForm(kind=kind, word_order=_order(given, "order"), byte_order=_order(given, "byte_order"))


def _order(given: Given, name: str) -> str:
    order = given.get(name, ORDERS[0])
    if order not in ORDERS:
        raise WrongError(f"words.{name}", found=order, expected=listed(ORDERS), nearest=nearest(order, ORDERS))
    return order


def _words(given: Given) -> Reckoned:
    if ("value" in given) == ("words" in given):
        raise WrongError("words", found="both" if "value" in given else "neither", expected="value=… or words=…")
    if "value" in given:
        form = _form(given.get("type", "float32"), given)
        value = _plain_number("words.value", given["value"])
        if form.is_whole and value != int(value):
            raise WrongError("words.value", found=given["value"], expected=f"a whole number, as {form.kind} is one")
        try:
            words = form.pack(value)
        except FieldError as error:
            return Reckoned({"words": [], "value": value, "type": form.kind}, "", (str(error),))
        in_orders = {name: _hex_words(each.pack(value)) for name, each in _in_all_orders(form).items()}
    else:
        words = tuple(_word(text) for text in given["words"].replace(" ", ",").split(",") if text)
        form = _form(given.get("type", USUAL_KINDS.get(len(words), "float32")), given)
        if len(words) != form.size:
            raise WrongError("words.words", found=f"{len(words)} of them", expected=f"{form.size}, as {form.kind} has")
        in_orders = {name: _as_number(each.unpack(words)) for name, each in _in_all_orders(form).items()}
    laid = form.unpack(words)
    number = laid if isinstance(laid, int) or math.isfinite(float(laid)) else None
    problems = () if number is not None else (f"value: {laid}, no number",)
    way = "; ".join(f"{name} {what}" for name, what in in_orders.items())
    return Reckoned({"words": list(words), "value": number, "type": form.kind, "orders": in_orders}, way, problems)


def _in_all_orders(form: ValueForm) -> dict[str, ValueForm]:
    """The form in each order of its words, where it has several, and of the bytes in them."""
    return {
        f"{one}, bytes {other}" if form.size > 1 else f"bytes {other}": ValueForm(form.kind, one, other)
        for one in (ORDERS if form.size > 1 else ORDERS[:1])
        for other in ORDERS
    }


def _as_number(value: float | str) -> str:
    return digits(value, 9) if not isinstance(value, str) else value


def _hex_words(words: tuple[int, ...]) -> str:
    return " ".join(f"{word:04X}" for word in words)


def _word(text: str) -> int:
    """A register, in hex as it stands in a frame."""
    try:
        word = int(text, 16)
    except ValueError as error:
        raise WrongError("words.words", found=text, expected="registers in hex: 44B5,4000") from error
    if not 0 <= word <= 0xFFFF:
        raise WrongError("words.words", found=text, expected="0000 to FFFF")
    return word


def _plain_number(place: str, text: str) -> float:
    try:
        return whole_number(text)
    except ValueError:
        return split(text, "a number", place)[0]


def _ends(place: str, text: str) -> tuple[float, float]:
    low, dots, high = text.partition("..")
    if not dots:
        raise WrongError(place, found=text, expected="two ends: 0..255")
    ends = number_with_unit(low, place)[0], number_with_unit(high, place)[0]
    if ends[0] == ends[1]:
        raise WrongError(place, found=text, expected="two different ends")
    return ends


def _scale(given: Given) -> Reckoned:
    value, unit = number_with_unit(given["value"], "scale.value")
    (low, high), (to_low, to_high) = _ends("scale.from", given["from"]), _ends("scale.to", given["to"])
    exact = to_low + (value - low) / (high - low) * (to_high - to_low)
    to = round(exact)
    back = low + (to - to_low) / (to_high - to_low) * (high - low)
    error = back - value
    inside = min(low, high) <= value <= max(low, high)
    problems = () if inside else (f"value: found {given['value']}, expected {from_to(low, high)}",)
    way = (
        f"{digits(to_low)} + ({digits(value)} − {digits(low)}) / ({digits(high)} − {digits(low)}) × "
        f"({digits(to_high)} − {digits(to_low)}) = {digits(exact, 6)}, "
        f"as a whole number {to}; back {digits(back, 6)}{unit and ' ' + unit}, off by {error:+.3g}"
    )
    return Reckoned({"to": to, "back": round(back, 9), "error": round(error, 9)}, way, problems)


def _bits(place: str, text: str, width: int) -> int:
    mask = 0
    for word in text.split(",") if text else []:
        mask |= 1 << whole(place, word.strip(), 0, width - 1)
    return mask


def _mask(given: Given) -> Reckoned:
    width = whole("mask.width", given.get("width", "8"), 1, MOST_BITS)
    most = (1 << width) - 1
    one, other = _bits("mask.set", given.get("set", ""), width), _bits("mask.clear", given.get("clear", ""), width)
    if not one and not other:
        raise WrongError("mask", found="no bit", expected="set=3,5 or clear=0, the lowest one is 0")
    keeps = most & ~other
    both = one & other
    problems = tuple(f"bit {bit}: to be set and to be cleared" for bit in range(width) if both >> bit & 1)
    value = whole("mask.value", given["value"], 0, most) if "value" in given else None
    out = value & keeps | one if value is not None else None
    flips = value ^ out if value is not None and out is not None else one | other
    digits = (width + 3) // 4
    way = f"and 0x{keeps:0{digits}X}, then or 0x{one:0{digits}X}"
    if value is not None and out is not None:
        way += f": 0x{value:0{digits}X} → 0x{out:0{digits}X}; xor 0x{flips:0{digits}X} turns one into the other"
    asks = f"and_mask={most & ~(one | other)} or_mask={one}"
    way += f"; as mask-write-register: {asks}"
    return Reckoned({"and": keeps, "or": one, "xor": flips, "value": out}, way, problems)


SUMS = {
    "number": Sum(
        ("value", "bits", "signed"), ("value",),
        "a number in all ways of writing: value=0x0258 [bits=16] [signed]", _number, ("signed",),
    ),
    "words": Sum(
        ("value", "words", "type", "order", "byte_order"), (),
        "a value in registers, and back: value=1450.0 or words=44B5,4000 [type=float32] [order=high-first]", _words,
    ),
    "scale": Sum(
        ("value", "from", "to"), ("value", "from", "to"),
        "a value on the wire, and what rounding costs: value=60% from=0..100 to=0..255", _scale,
    ),
    "mask": Sum(
        ("set", "clear", "width", "value"), (),
        "masks that set and clear bits: set=3,5 clear=0 [width=8] [value=0xFF]", _mask,
    ),
}  # fmt: skip
