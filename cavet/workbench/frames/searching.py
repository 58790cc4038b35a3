"""What is searched for on the tape: messages, fields with their values, bytes, problems."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Iterator
from typing import Any

from cavet.bench import Placed, Spoken
from cavet.protocols import Frame, Message, Side, as_fields, words_of
from cavet.units import whole_number
from cavet.wording import WrongError, hex_pairs

COMPARED = re.compile(r"\s*([a-z_]\w*)\s*(<=|>=|!=|=|<|>)\s*(\S.*?)\s*")
OPERATORS: dict[str, Callable[[Any, Any], bool]] = {
    "<": operator.lt, ">": operator.gt, "<=": operator.le, ">=": operator.ge, "=": operator.eq, "!=": operator.ne,
}  # fmt: skip
PROBLEM = "problem"
Match = Callable[[Placed, "Frame | None"], bool]


def number_in(text: str) -> float | None:
    """A number as a person writes it; `None` for what is none."""
    try:
        return float(whole_number(text))
    except ValueError:
        try:
            return float(text)
        except ValueError:
            return None


def bytes_in(wanted: str, *, paired: bool) -> bytes | None:
    """The bytes that a search looks for: those written in hex, or those of a text; `paired` as Firmata sends texts."""
    if wanted.lower().startswith("0x"):
        try:
            return bytes.fromhex(wanted[2:].replace(" 0x", " ")) or None
        except ValueError:
            return None
    data = wanted.encode()
    return b"".join(bytes((byte & 0x7F, byte >> 7)) for byte in data) if paired else data


def matching(wanted: str, tongue: Spoken | None = None) -> Match:
    """What a search means: `value > 500` a field, `0x58 06` bytes, `problem`, else a word of the message or in a text.
    `tongue` knows the fields that stand on the ruler alone. Raises `WrongError`."""
    text = wanted.strip()
    if not text:
        raise WrongError("search", found="nothing", expected="a message, a field as in value > 500, bytes as 0x58 06")
    if text == PROBLEM:
        return lambda placed, frame: placed.problem
    if text.lower().startswith("0x"):
        try:
            data = bytes.fromhex(text[2:].replace(" 0x", " "))
        except ValueError as error:
            raise WrongError("search", found=text, expected="bytes in pairs: 0x58 06") from error
        return lambda placed, frame: frame is not None and data in frame.data
    compared = COMPARED.fullmatch(text)
    if compared is not None:
        return _field_match(compared[1], compared[2], compared[3], tongue)
    return lambda placed, frame: text in placed.name or (frame is not None and _has_text(frame, text))


def _field_match(name: str, sign: str, text: str, tongue: Spoken | None) -> Match:
    number = number_in(text)
    wanted: float | str = text.strip('"') if number is None else number
    if isinstance(wanted, str) and sign not in ("=", "!="):
        raise WrongError("search", found=text, expected=f"a number behind {name} {sign}")
    holds, is_text = OPERATORS[sign], isinstance(wanted, str)

    def matches(placed: Placed, frame: Frame | None) -> bool:
        if frame is None or not frame.readable:
            return False
        fitting = [each for each in _in_message(frame.message, name) if isinstance(each, str) == is_text]
        if not fitting and tongue is not None:
            on_ruler = _on_ruler(frame, placed.side, name, tongue)
            fitting = [each for each in on_ruler if isinstance(each, str) == is_text]
        return bool(fitting) and (all if sign == "!=" else any)(holds(each, wanted) for each in fitting)

    return matches


def _in_message(message: Message, name: str) -> Iterator[float | str]:
    """What a field of a message holds: numbers, or texts; where the standard has words for it, these as well."""
    value = getattr(message, name) if name in message.__struct_fields__ else None
    for each in value if isinstance(value, tuple) else (value,):
        yield from _as_searched(each)
    if isinstance(value, int) and not isinstance(value, bool):
        yield from (word for word in (words_of(type(message), name).get(value),) if word)


def _on_ruler(frame: Frame, side: Side, name: str, tongue: Spoken) -> Iterator[float | str]:
    """The same of the fields that stand on the ruler, of which a message tells only some."""
    for field in tongue.explained(frame, side):
        if field.name == name:
            for each in field.value if isinstance(field.value, list) else (field.value,):
                yield from _as_searched(field.raw if each is None else each)
            yield from (word for word in field.meaning.split(", ") if word)


def _as_searched(value: object) -> Iterator[float | str]:
    if isinstance(value, bool):
        yield "on" if value else "off"
    if isinstance(value, int | float):
        yield float(value)
    elif isinstance(value, bytes):
        yield hex_pairs(value)
    elif value is not None:
        yield str(value)


def _has_text(frame: Frame, text: str) -> bool:
    if not frame.readable:
        return text in "; ".join(frame.problems)
    return any(text in str(value) for value in as_fields(frame.message).values())
