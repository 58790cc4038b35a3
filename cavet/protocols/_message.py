"""What every message is: a frozen value with the standard's field names, checked when it is made."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Annotated, Any, ClassVar, get_args, get_origin, get_type_hints

import msgspec

from cavet.wording import WrongError


class FieldError(WrongError):
    """A message was to be made with a field that the protocol can't carry."""


class Range(msgspec.Struct, frozen=True):
    """The least and the greatest number that a field can be; for bytes and lists, their length."""

    low: int
    high: int

    def __str__(self) -> str:
        return f"{self.low}" if self.low == self.high else f"{self.low} to {self.high}"


class Words(msgspec.Struct, frozen=True):
    """The standard's words for some of a field's numbers."""

    of: dict[int, str]


class Written(msgspec.Struct, frozen=True):
    """How a person writes a field of a shape of its own: what it looks like, and the reader for it."""

    looks: str
    read: Callable[[str, str], Any]
    """Takes the place, for its error, and the text."""
    show: Callable[[Any], Any] | None = None
    """Gives it as JSON has it, where that is not the plain way."""
    write: Callable[[Any], str] | None = None
    """Gives the text that `read` takes, where that is not the plain way."""


class AsText(msgspec.Struct, frozen=True):
    """Bytes that are often text: beside them the text is told, where they are UTF-8."""


class Message(msgspec.Struct, frozen=True, kw_only=True):
    """A message of some protocol. One that exists can be sent: its fields are in range."""

    NAME: ClassVar[str]

    def __post_init__(self) -> None:
        for name, low, high in _LIMITS.get(type(self)) or limits(type(self)):
            value = getattr(self, name)
            if value is None:
                continue
            size = value if type(value) is int else _size(value)
            if size < low or size > high:
                raise FieldError(f"{self.NAME}.{name}", found=_shown(value), expected=_wanted(value, low, high))

    def to_send(self, data: bytes) -> Message:
        """Of a message that was read from these bytes: the one that says the same again. Raises `FieldError`."""
        return self


@functools.cache
def _unchecked(form: type[Message]) -> type[Message]:
    made = msgspec.defstruct(
        form.__name__, [], bases=(form,), namespace={"__post_init__": lambda self: None}, frozen=True, kw_only=True
    )
    assert issubclass(made, Message)
    return made


def unchecked(form: type[Message]) -> type[Message]:
    """The class of messages of a form just as they are found on the wire: those of `as_found`."""
    return _unchecked(form)


def as_found(form: type[Message], fields: dict[str, Any]) -> Message:
    """Make a message just as it was found on the wire, although it is not one that may be sent.

    It is an instance of `form`, of a class of its own, so that it is never taken for one that was checked.
    """
    return _unchecked(form)(**fields)


def _size(value: Any) -> int:
    """What a field's range is about: a number itself, the length of anything else."""
    return int(value) if isinstance(value, int) else len(value)


def _shown(value: Any) -> object:
    return value if isinstance(value, int) else f"a length of {len(value)}"


def _wanted(value: Any, low: int, high: int) -> str:
    return f"{low} to {high}" if isinstance(value, int) else f"a length of {low} to {high}"


_LIMITS: dict[type[Message], tuple[tuple[str, int, int], ...]] = {}


def limits(form: type[Message]) -> tuple[tuple[str, int, int], ...]:
    """The fields of a message class that have a range: name, least, greatest. Reckoned once a class."""
    if form in _LIMITS:
        return _LIMITS[form]
    found = []
    for name, (_, notes) in field_notes(form).items():
        found += [(name, note.low, note.high) for note in notes if isinstance(note, Range)]
    _LIMITS[form] = tuple(found)
    return _LIMITS[form]


@functools.cache
def fields_of(form: type[Message]) -> tuple[msgspec.structs.FieldInfo, ...]:
    """The fields of a message class, in their order: the name of each, its default, whether it must be given."""
    return msgspec.structs.fields(form)


@functools.cache
def field_notes(form: type[Message]) -> dict[str, tuple[Any, tuple[Any, ...]]]:
    """The fields of a message class: the bare type of each, and the notes on it (`Range`, `Words`)."""
    hints = get_type_hints(form, include_extras=True)
    return {name: _taken_apart(hints[name]) for name in form.__struct_fields__}


def words_of(form: type[Message], field: str) -> dict[int, str]:
    """The standard's words for the numbers of a field; none where it has none."""
    _, notes = field_notes(form)[field]
    return next((note.of for note in notes if isinstance(note, Words)), {})


def _taken_apart(hint: Any) -> tuple[Any, tuple[Any, ...]]:
    if get_origin(hint) is Annotated:
        bare, *notes = get_args(hint)
        return bare, tuple(notes)
    return hint, ()
