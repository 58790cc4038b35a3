"""The properties of version 5: which there are, what they hold, and in which packets they may stand.

Source: MQTT 5.0, section 2.2.2, table 2-4.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any, Final

import msgspec

from cavet.protocols._frame import Role
from cavet.protocols._message import FieldError
from cavet.protocols.mqtt._pieces import (
    MAX_VARINT,
    MalformedError,
    PacketReader,
    put_binary,
    put_number,
    put_text,
    put_varint,
)
from cavet.protocols.mqtt._topics import join_list, split_list
from cavet.units import whole_number
from cavet.wording import hex_pairs, listed, nearest, plain

MAX_SHOWN = 60
_PAIR = re.compile(r"((?:\\[\\=]|[^=])*)=(.*)", re.DOTALL)
_ESCAPED = re.compile(r"\\([\\=])")

WILL: Final = "will"
PUBLISHES: Final = ("publish", WILL)
ACKS: Final = ("puback", "pubrec", "pubrel", "pubcomp")


class PropertyForm(msgspec.Struct, frozen=True):
    """One property: its number, how its value is written, where it may stand. `repeats` may come more than once."""

    name: str
    id: int
    kind: str
    packets: tuple[str, ...]
    repeats: bool = False
    low: int = 0
    high: int | None = None


_EVERYWHERE = (
    "connect", "connack", "publish", WILL, *ACKS, "subscribe", "suback", "unsubscribe", "unsuback", "disconnect",
    "auth",
)  # fmt: skip
_FORMS = (
    PropertyForm("payload_format_indicator", 0x01, "byte", PUBLISHES, high=1),
    PropertyForm("message_expiry_interval", 0x02, "four", PUBLISHES),
    PropertyForm("content_type", 0x03, "text", PUBLISHES),
    PropertyForm("response_topic", 0x08, "text", PUBLISHES),
    PropertyForm("correlation_data", 0x09, "binary", PUBLISHES),
    PropertyForm("subscription_identifier", 0x0B, "varint", ("publish", "subscribe"), low=1),
    PropertyForm("session_expiry_interval", 0x11, "four", ("connect", "connack", "disconnect")),
    PropertyForm("assigned_client_identifier", 0x12, "text", ("connack",)),
    PropertyForm("server_keep_alive", 0x13, "two", ("connack",)),
    PropertyForm("authentication_method", 0x15, "text", ("connect", "connack", "auth")),
    PropertyForm("authentication_data", 0x16, "binary", ("connect", "connack", "auth")),
    PropertyForm("request_problem_information", 0x17, "byte", ("connect",), high=1),
    PropertyForm("will_delay_interval", 0x18, "four", (WILL,)),
    PropertyForm("request_response_information", 0x19, "byte", ("connect",), high=1),
    PropertyForm("response_information", 0x1A, "text", ("connack",)),
    PropertyForm("server_reference", 0x1C, "text", ("connack", "disconnect")),
    PropertyForm(
        "reason_string", 0x1F, "text", ("connack", *ACKS, "suback", "unsuback", "disconnect", "auth")
    ),
    PropertyForm("receive_maximum", 0x21, "two", ("connect", "connack"), low=1),
    PropertyForm("topic_alias_maximum", 0x22, "two", ("connect", "connack")),
    PropertyForm("topic_alias", 0x23, "two", ("publish",), low=1),
    PropertyForm("maximum_qos", 0x24, "byte", ("connack",), high=1),
    PropertyForm("retain_available", 0x25, "byte", ("connack",), high=1),
    PropertyForm("user_property", 0x26, "pair", _EVERYWHERE, repeats=True),
    PropertyForm("maximum_packet_size", 0x27, "four", ("connect", "connack"), low=1),
    PropertyForm("wildcard_subscription_available", 0x28, "byte", ("connack",), high=1),
    PropertyForm("subscription_identifier_available", 0x29, "byte", ("connack",), high=1),
    PropertyForm("shared_subscription_available", 0x2A, "byte", ("connack",), high=1),
)  # fmt: skip
BY_NAME: Final = {form.name: form for form in _FORMS}
BY_ID: Final = {form.id: form for form in _FORMS}
SIZES: Final = {"byte": 1, "two": 2, "four": 4}


class Property(msgspec.Struct, frozen=True):
    """A property as it stands in a packet. A user property's value is `name=value`."""

    name: str
    value: int | str | bytes


Properties = tuple[Property, ...]


def _highest(form: PropertyForm) -> int:
    if form.high is not None:
        return form.high
    return (1 << 8 * SIZES[form.kind]) - 1 if form.kind in SIZES else MAX_VARINT


def allowed(form: PropertyForm, packet: str) -> bool:
    """Whether a packet may have a property. Source: MQTT 5.0, section 2.2.2.2."""
    return packet in form.packets


def misplaced_properties(message: Any) -> list[str]:
    """The properties of a packet that may not stand in it, by name. Source: MQTT 5.0, section 2.2.2.2."""
    places = {message.NAME: getattr(message, "properties", ()), WILL: getattr(message, "will_properties", ())}
    return [
        found.name for place, properties in places.items() for found in properties
        if not allowed(BY_NAME[found.name], place)
    ]  # fmt: skip


def check(place: str, properties: Iterable[Property], packet: str) -> None:
    """Raise `FieldError` for a property that may not stand here, stands twice, or can't hold its value."""
    seen: set[str] = set()
    for found in properties:
        form = BY_NAME.get(found.name)
        if form is None or not allowed(form, packet):
            names = [name for name, known in BY_NAME.items() if allowed(known, packet)]
            raise FieldError(
                place, found=found.name, expected=f"one of {listed(names)}", nearest=nearest(found.name, names)
            )
        repeats = form.repeats or (form.name == "subscription_identifier" and packet == "publish")
        if form.name in seen and not repeats:
            raise FieldError(f"{place}.{form.name}", found="it twice", expected="it once")
        seen.add(form.name)
        if isinstance(found.value, int) and not form.low <= found.value <= _highest(form):
            raise FieldError(f"{place}.{form.name}", found=found.value, expected=f"{form.low} to {_highest(form)}")
        if problem := _topic_problem(form, found.value):
            raise FieldError(f"{place}.{form.name}", found=str(found.value), expected=problem)


def put(place: str, properties: Properties) -> bytes:
    """All properties behind their length."""
    out = bytearray()
    for found in properties:
        form = BY_NAME[found.name]
        out += put_varint(form.id)
        where = f"{place}.{form.name}"
        if form.kind in SIZES:
            out += put_number(int(found.value), SIZES[form.kind])
        elif form.kind == "varint":
            out += put_varint(int(found.value))
        elif form.kind == "binary":
            assert isinstance(found.value, bytes)  # it was checked when it was made
            out += put_binary(where, found.value)
        elif form.kind == "pair":
            name, value = parted(str(found.value))
            out += put_text(where, name) + put_text(where, value)
        else:
            out += put_text(where, str(found.value))
    return put_varint(len(out)) + bytes(out)


def take(reader: PacketReader, packet: str, problems: list[str]) -> Properties:
    """Read all properties of a packet. What may not stand here is a problem; what can't be read ends the packet."""
    size = reader.varint("property_length", meaning="of the properties", role=Role.LENGTH)
    if size > reader.rest:
        raise MalformedError("it ends before its properties")
    end, whole_end = reader.at + size, reader.end
    reader.end = end
    found: list[Property] = []
    while reader.at < end:
        number = reader.varint("property_id", role=Role.CONSTANT)
        form = BY_ID.get(number)
        if form is None:
            raise MalformedError(f"property {number:#04x}: there is none of this number")
        reader.amend(meaning=form.name)
        value = _take_value(reader, form)
        _find_problems(form, value, packet, found, problems)
        found.append(Property(form.name, value))
    reader.end = whole_end
    return tuple(found)


def _take_value(reader: PacketReader, form: PropertyForm) -> int | str | bytes:
    if form.kind in SIZES:
        return reader.counted(form.name, SIZES[form.kind])
    if form.kind == "varint":
        return reader.varint(form.name)
    if form.kind == "binary":
        return reader.binary(form.name)
    if form.kind == "pair":
        return joined(reader.text(f"{form.name}_name"), reader.text(form.name))
    return reader.text(form.name)


def _find_problems(
    form: PropertyForm, value: int | str | bytes, packet: str, before: list[Property], problems: list[str]
) -> None:
    if not allowed(form, packet):
        problems.append(f"property {form.name}: not in {packet}")
    repeats = form.repeats or (form.name == "subscription_identifier" and packet == "publish")
    if not repeats and any(other.name == form.name for other in before):
        problems.append(f"property {form.name}: found twice, expected once")
    if isinstance(value, int) and not form.low <= value <= _highest(form):
        problems.append(f"property {form.name}: found {value}, expected {form.low} to {_highest(form)}")
    if problem := _topic_problem(form, value):
        problems.append(f"property {form.name}: found {plain(str(value), MAX_SHOWN)}, expected {problem}")


def _topic_problem(form: PropertyForm, value: int | str | bytes) -> str:
    """What a topic to answer at should be, where it is not that. Source: 5.0, section 3.3.2.3.5."""
    if form.name != "response_topic":
        return ""
    if not value:
        return "a topic of at least one character (MQTT-4.7.3-1)"
    return "a topic without wildcards (MQTT-3.3.2-14)" if set("+#") & set(str(value)) else ""


def joined(name: str, value: str) -> str:
    """A name and its value as one text, `name=value`; a `=` or a backslash in the name stands behind a backslash."""
    if "=" in name or "\\" in name:
        name = name.replace("\\", "\\\\").replace("=", "\\=")
    return f"{name}={value}"


def parted(pair: str) -> tuple[str, str]:
    """Such a text as a name and its value. One without `=` is a name whose value is empty."""
    name, _, value = pair.partition("=")
    if "\\" not in name:
        return name, value
    found = _PAIR.match(pair)
    name, value = (found[1], found[2]) if found is not None else (pair, "")
    return _ESCAPED.sub(r"\1", name), value


def read_properties(place: str, text: str) -> Properties:
    """Read `NAME:VALUE,…`, a user property as `user_property:name=value`; a comma in a value is written as `\\,`."""
    found = []
    for word in split_list(text):
        name, colon, value = word.partition(":")
        form = BY_NAME.get(name.strip())
        if not colon or form is None:
            raise FieldError(place, found=word, expected="NAME:VALUE with commas", nearest=nearest(name, BY_NAME))
        found.append(Property(form.name, _read_value(f"{place}.{form.name}", form, value)))
    return tuple(found)


def _read_value(place: str, form: PropertyForm, text: str) -> int | str | bytes:
    if form.kind in ("text", "pair"):
        if form.kind == "pair" and "=" not in text:
            raise FieldError(place, found=text, expected="name=value")
        return text
    if form.kind == "binary":
        try:
            return text[1:].encode() if text.startswith("@") else bytes.fromhex(text)
        except ValueError as error:
            raise FieldError(place, found=text, expected="hex pairs, or text after @") from error
    try:
        return whole_number(text)
    except ValueError as error:
        raise FieldError(place, found=text, expected=f"{form.low} to {_highest(form)}") from error


def write_properties(properties: Properties) -> str:
    """Write properties as `read_properties` takes them."""
    values = [found.value.hex() if isinstance(found.value, bytes) else found.value for found in properties]
    return join_list(f"{found.name}:{value}" for found, value in zip(properties, values, strict=True))


def show_properties(properties: Properties) -> dict[str, Any]:
    """Properties as JSON has them: by name; those that may repeat as lists."""
    shown: dict[str, Any] = {}
    for found in properties:
        value = hex_pairs(found.value) if isinstance(found.value, bytes) else found.value
        if BY_NAME[found.name].repeats or found.name in shown:
            before = shown.get(found.name, [])
            shown[found.name] = [*(before if isinstance(before, list) else [before]), value]
        else:
            shown[found.name] = value
    return shown
