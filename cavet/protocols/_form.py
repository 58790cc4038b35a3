"""Messages written by people: `set-pin-mode pin=9 mode=servo`, and the fields of a message as JSON can hold them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from types import NoneType, UnionType
from typing import Any, get_args, get_origin

import msgspec

from cavet.protocols._codec import Codec, Side
from cavet.protocols._message import AsText, FieldError, Message, Range, Words, Written, field_notes, fields_of
from cavet.units import whole_number
from cavet.wording import hex_pairs, listed, nearest, unknown


def fitting_forms(codec: Codec, name: str) -> dict[Side, type[Message]]:
    """The forms of a message, by who says it. Raises `WrongError` with the nearest name when nobody does."""
    name = codec.also_called.get(name, name)
    found = {side: forms[name] for side in Side if name in (forms := codec.forms(side))}
    if not found:
        names = sorted({name for side in Side for name in codec.forms(side)})
        raise unknown(f"message of {codec.name}", name, names)
    return found


def find_form(codec: Codec, name: str, given: Sequence[str], response: bool) -> type[Message]:
    """Choose the form that is meant: the board's when `response`, or where the host's has no such fields."""
    forms = fitting_forms(codec, name)
    if response and Side.BOARD in forms:
        return forms[Side.BOARD]
    for form in forms.values():
        if set(given) <= set(form.__struct_fields__):
            return form
    return next(iter(forms.values()))


def read_message(form: type[Message], given: Mapping[str, str], unused: frozenset[str] = frozenset()) -> Message:
    """Make a message from fields as a person writes them; those of `unused` it has not got."""
    fields = {name: notes for name, notes in field_notes(form).items() if name not in unused}
    for name in given:
        if name not in fields:
            raise no_such_field(form, name, fields)
    values = {}
    for field in fields_of(form):
        if field.name in given:
            values[field.name] = _read(f"{form.NAME}.{field.name}", *fields[field.name], given[field.name])
        elif field.required:
            raise FieldError(
                f"{form.NAME}.{field.name}",
                found="nothing",
                expected=f"{kind(*fields[field.name])}; the fields are {listed(fields, 'and')}",
            )
    return form(**values)


def no_such_field(form: type[Message], name: str, fields: Collection[str]) -> FieldError:
    """What tells that a message has no field of this name."""
    expected = f"one of {listed(fields)}" if fields else "no fields"
    return FieldError(form.NAME, found=name, expected=expected, nearest=nearest(name, fields))


def write_message(form: type[Message], message: Message) -> dict[str, str]:
    """Give the fields of a message as a person writes them, so that `read_message` makes it again; those that stand at
    their defaults are left out."""
    texts = {}
    for field in fields_of(form):
        value = getattr(message, field.name)
        if value is not None and (field.required or value != field.default):
            texts[field.name] = _write(field_notes(form)[field.name][1], value)
    return texts


def _write(notes: tuple[Any, ...], value: Any) -> str:
    writers = [note for note in notes if isinstance(note, Written)]
    if writers and writers[0].write is not None:
        return writers[0].write(value)
    return f"@{value}" if isinstance(value, str) and value.startswith("@") else as_text(value)


def as_text(value: Any) -> str:
    """Write a field's value as a person does on the command line: numbers, switches, bytes, lists of them. A tuple in a
    list is a pair, a list in a list a group."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, bytes | bytearray):
        return value.hex()
    if isinstance(value, dict):
        return ",".join(f"{name}:{as_text(item)}" for name, item in value.items())
    if isinstance(value, list | tuple):
        groups = any(isinstance(item, list) for item in value)
        return ("/" if groups else ",").join(_item(item) for item in value)
    return str(value)


def _item(value: Any) -> str:
    return ":".join(as_text(part) for part in value) if isinstance(value, tuple) else as_text(value)


def read_field(form: type[Message], name: str, text: str) -> Any:
    """Read one field's value as a person writes it, whatever stands in the others. Raises `FieldError`."""
    fields = field_notes(form)
    if name not in fields:
        raise no_such_field(form, name, fields)
    place, (bare, notes) = f"{form.NAME}.{name}", fields[name]
    value = _read(place, bare, notes, text)
    for note in notes:
        if isinstance(note, Range) and not isinstance(value, int) and not note.low <= len(value) <= note.high:
            raise FieldError(place, found=f"{len(value)} of them", expected=str(note))
    return value


def _read(place: str, bare: Any, notes: tuple[Any, ...], text: str) -> Any:
    expected = kind(bare, notes)
    bare = _without_none(bare)
    for note in notes:
        if isinstance(note, Written):
            return note.read(place, text)
    if bare is str:
        return text.removeprefix("@")
    if bare is bool:
        return _read_switch(place, text)
    if bare is bytes:
        return read_bytes(place, text)
    return _read_number(place, notes, text, expected)


def _read_switch(place: str, text: str) -> bool:
    words = {"1": True, "on": True, "true": True, "0": False, "off": False, "false": False}
    if text.lower() not in words:
        raise FieldError(place, found=text, expected="on or off")
    return words[text.lower()]


def read_bytes(place: str, text: str) -> bytes:
    """Read bytes as a person writes them: hex pairs, or text after @. Raises `FieldError`."""
    if text.startswith("@"):
        return text[1:].encode()
    try:
        return bytes.fromhex(text.removeprefix("0x").replace(",", " "))
    except ValueError as error:
        raise FieldError(place, found=text, expected="hex pairs, or text after @") from error


def _read_number(place: str, notes: tuple[Any, ...], text: str, expected: str) -> int:
    for note in notes:
        if isinstance(note, Words):
            named = {word.replace(" ", "-"): number for number, word in note.of.items()}
            if text.lower().replace(" ", "-").replace("_", "-") in named:
                return named[text.lower().replace(" ", "-").replace("_", "-")]
    try:
        number = whole_number(text)
    except ValueError as error:
        words = [word for note in notes if isinstance(note, Words) for word in note.of.values()]
        raise FieldError(place, found=text, expected=expected, nearest=nearest(text, words)) from error
    for note in notes:
        if isinstance(note, Range) and not note.low <= number <= note.high:
            raise FieldError(place, found=number, expected=str(note))
    return number


def _without_none(bare: Any) -> Any:
    if get_origin(bare) is not UnionType:
        return bare
    (choice,) = [choice for choice in get_args(bare) if choice is not NoneType]
    return choice


def kind(bare: Any, notes: tuple[Any, ...]) -> str:
    """Say in words what a field can be."""
    range_ = next((f" {note}" for note in notes if isinstance(note, Range)), "")
    words = next((f" ({', '.join(note.of.values())})" for note in notes if isinstance(note, Words)), "")
    bare = _without_none(bare)
    for note in notes:
        if isinstance(note, Written):
            return note.looks
    if bare is bool:
        return "on or off"
    if bare is bytes:
        return f"bytes as hex or @text{f', length{range_}' if range_ else ''}"
    if bare is str:
        return "text"
    return f"a number{range_}{words}"


def summary(form: type[Message]) -> str:
    """The first line of what is said of a message; also of one `as_found`."""
    docs = (each.__doc__ for each in form.__mro__ if issubclass(each, Message))
    return next(filter(None, docs), "").split("\n")[0]


def describe(form: type[Message], unused: frozenset[str] = frozenset()) -> list[str]:
    """List a message's fields for a person: name, what it can be, its default."""
    notes = field_notes(form)
    lines = []
    for field in fields_of(form):
        if field.name in unused:
            continue
        default = "" if field.required else f", else {_shown_default(field.default)}"
        lines.append(f"{field.name}: {kind(*notes[field.name])}{default}")
    return lines


def _shown_default(value: Any) -> str:
    return "none" if value is None or value in (b"", "", ()) else as_text(value)


def as_fields(message: Message, unused: frozenset[str] = frozenset()) -> dict[str, Any]:
    """Give the fields as JSON can hold them: numbers as on the wire, words beside them, bytes as hex pairs."""
    fields: dict[str, Any] = {}
    for name, (_, notes) in field_notes(type(message)).items():
        value = getattr(message, name)
        if value is None or name in unused:
            continue
        fields[name] = for_json(value)
        for note in notes:
            if isinstance(note, Written) and note.show is not None:
                fields[name] = note.show(value)
            if isinstance(note, AsText) and (text := _text_of(value)) is not None:
                fields[f"{name}_text"] = text
            if isinstance(note, Words) and value in note.of:
                fields[f"{name}_name"] = note.of[value]
    return fields


def _text_of(data: bytes) -> str | None:
    try:
        return data.decode()
    except UnicodeDecodeError:
        return None


def for_json(value: Any) -> Any:
    """A value as JSON can hold it: bytes become hex pairs, structs become objects, wherever they stand."""
    if isinstance(value, bytes):
        return hex_pairs(value)
    if isinstance(value, tuple):
        return [for_json(item) for item in value]
    if isinstance(value, msgspec.Struct):
        return {name: for_json(getattr(value, name)) for name in value.__struct_fields__}
    return value


def kind_of(form: type[Message], name: str) -> tuple[str, type]:
    """What a field can be, in words, and its bare type."""
    bare, notes = field_notes(form)[name]
    return kind(bare, notes), _without_none(bare)
