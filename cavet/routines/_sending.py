"""Messages in a routine: the fields of what is sent, held against its protocol, and what is to answer it."""

from __future__ import annotations

import math
from typing import Any

import msgspec

from cavet.bench import Spoken
from cavet.protocols import FieldError, Frame, Message, kind_of, read_field, write_message
from cavet.routines import _tree as tree
from cavet.routines._compiling import Value
from cavet.routines._mistakes import MistakeError
from cavet.wording import WrongError, plain

BYTE_BITS = 8
MOST_TOLD = 120
CLOSE = 1e-6
"""Numbers with a point are the same within this share of them: a float32 has no more."""


def texts_of(fields: dict[str, Any], look: Any) -> dict[str, str]:
    """The fields of a message as a person writes them."""
    found = {}
    for name, value in fields.items():
        given = value.run(look) if isinstance(value, Value) else value
        if isinstance(given, bool):
            given = "on" if given else "off"
        found[name] = f"{given:.15g}" if isinstance(given, float) else str(given)
    return found


def as_written(form: type[Message], fields: dict[str, Any]) -> dict[str, Any]:
    """The fields of a message; where one holds bytes, a number is the hex digits that were written: `01`, `1e05`."""
    bytes_in = {name for name in form.__struct_fields__ if kind_of(form, name)[1] is bytes}
    return {
        name: value.written if name in bytes_in and isinstance(value, tree.Number) and value.unit is None else value
        for name, value in fields.items()
    }


def check_message(step: tree.Step, spoken: Spoken) -> None:
    """Hold what is sent against its protocol, where all of it is known. Raises `MistakeError`."""
    if any(not _is_known(value) for value in step.fields.values()):
        return
    try:
        spoken.made(step.message, texts_of(step.fields, None))
    except WrongError as error:
        field = str(error.place).rpartition(".")[2]
        if field in step.fields:
            raise _mistake(step.fields_at[field], f"{field} {error.found}", error) from error
        if error.found in step.fields:
            raise _mistake(step.fields_at[error.found], error.found, error) from error
        found = f"{step.message} without {field}" if error.found == "nothing" else f"{error.place} {error.found}"
        raise _mistake(step.message_at, found, error) from error


def check_answer(step: tree.Step, spoken: Spoken) -> None:
    """Hold what is to answer against what can. Raises `MistakeError`."""
    form = spoken.coming_back[step.answer]
    for field, value in step.answer_fields.items():
        at = step.answer_fields_at[field]
        if field not in form.__struct_fields__ or _is_known(value):
            try:
                read_field(form, field, texts_of({field: value}, None)[field] if _is_known(value) else "")
            except FieldError as error:
                raise _mistake(at, error.found if error.found == field else f"{field} {error.found}", error) from error


def _is_known(value: Any) -> bool:
    return not isinstance(value, Value) or value.constant


def _mistake(at: int, found: Any, error: WrongError) -> MistakeError:
    words = [error.nearest] if error.nearest else []
    return MistakeError(at, found=found, expected=error.expected, words=words)


def as_answer(frame: Frame, asked: dict[str, str]) -> Message:
    """What a frame says to a message with these fields, as a person would write it: bits that only fill up the last
    byte were not asked for."""
    message = frame.message.to_send(frame.data)
    quantity, values = asked.get("quantity", ""), getattr(message, "values", ())
    if quantity.isdecimal() and 0 < len(values) - int(quantity) < BYTE_BITS:
        return msgspec.structs.replace(message, values=values[: int(quantity)])
    return message


def answers(message: Message, name: str, wanted: dict[str, str]) -> bool:
    """Whether a message is one of a name, with fields of these values."""
    return name == message.NAME and all(_has(message, field, text) for field, text in wanted.items())


def _has(message: Message, field: str, text: str) -> bool:
    try:
        wanted = read_field(type(message), field, text)
    except FieldError:
        return False
    return _same(getattr(message, field), wanted)


def _same(found: Any, wanted: Any) -> bool:
    """Whether two values are one; the items of a list are numbers where both read as such: `1`, `+1.0E+00`."""
    if isinstance(found, list | tuple) and isinstance(wanted, list | tuple):
        return len(found) == len(wanted) and all(
            _same(_number(one), _number(two)) for one, two in zip(found, wanted, strict=True)
        )
    if isinstance(found, float) and isinstance(wanted, int | float):
        return math.isclose(found, wanted, rel_tol=CLOSE)
    return bool(found == wanted)


def _number(item: Any) -> Any:
    try:
        return float(item) if isinstance(item, str) else item
    except ValueError:
        return item


def told_answer(message: Message, name: str, wanted: dict[str, str]) -> str:
    """What has come in the place of an answer, in so many characters at most: of the same one the fields that were
    asked about."""
    fields = write_message(type(message), message)
    shown = [field for field in type(message).__struct_fields__ if name != message.NAME or field in wanted]
    words = " ".join([message.NAME, *(f"{field} {fields[field]}" for field in shown if fields.get(field))])
    return plain(words, MOST_TOLD)
