"""Packets to bytes and back: fixed header, variable header, payload.

Sources: MQTT 3.1.1 and MQTT 5.0, sections 2 and 3.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from cavet.protocols._frame import Role
from cavet.protocols._message import FieldError, Message, as_found
from cavet.protocols._reader import ShortError
from cavet.protocols.mqtt import _messages as messages
from cavet.protocols.mqtt import _properties as properties
from cavet.protocols.mqtt._pieces import (
    MAX_VARINT,
    MalformedError,
    PacketReader,
    put_binary,
    put_number,
    put_text,
    put_varint,
)
from cavet.protocols.mqtt._properties import Properties
from cavet.protocols.mqtt._reasons import ALLOWED, RETURN_CODES, SUBACK_CODES, words
from cavet.protocols.mqtt._topics import Filter, filter_problem, name_problem

PROTOCOL = "MQTT"
PUBLISH = 3
TWO = 0b0010
QUALITIES = ("at most once", "at least once", "exactly once", "there is none such")
"""What the qualities of service mean. Source: section 4.3."""
RESERVED_FLAGS = {6: (TWO, "MQTT-3.6.1-1"), 8: (TWO, "MQTT-3.8.1-1"), 10: (TWO, "MQTT-3.10.1-1")}
"""Packets whose flags are 0010, with the statements; of all others but publish they are 0000."""
NO_FLAGS = {4: "MQTT-2.2.2-2", 5: "MQTT-2.1.3-1"}
NO_ZERO_ID = {4: "MQTT-2.3.1-1", 5: "MQTT-2.2.1-3"}
ACKS = (4, 5, 6, 7)


def encode_packet(packet: Message, version: int) -> bytes:
    """Give the bytes of a packet."""
    if not isinstance(packet, messages.Packet):
        raise FieldError("message", found=packet.NAME, expected="a packet of MQTT")
    body = _BODIES[packet.TYPE](packet, version)
    if len(body) > MAX_VARINT:
        raise FieldError(packet.NAME, found=f"{len(body)} bytes", expected=f"at most {MAX_VARINT}")
    return bytes((packet.TYPE << 4 | _flags(packet),)) + put_varint(len(body)) + body


def _flags(packet: Any) -> int:
    if packet.TYPE == 3:
        return packet.dup << 3 | packet.qos << 1 | packet.retain  # type: ignore[no-any-return]
    return RESERVED_FLAGS.get(packet.TYPE, (0, ""))[0]


# laying down


def _put_properties(packet: Any, version: int) -> bytes:
    return properties.put(f"{packet.NAME}.properties", packet.properties) if version == 5 else b""


def _put_connect(packet: Any, version: int) -> bytes:
    clean = packet.clean_start if version == 5 else packet.clean_session
    payload = packet.will_payload if version == 5 else packet.will_message
    flags = clean << 1
    will = b""
    if packet.will_topic is not None:
        flags |= 0x04 | packet.will_qos << 3 | packet.will_retain << 5
        if version == 5:
            will += properties.put("connect.will_properties", packet.will_properties)
        will += put_text("connect.will_topic", packet.will_topic) + put_binary("connect.will_message", payload or b"")
    flags |= (packet.user_name is not None) << 7 | (packet.password is not None) << 6
    head = put_text("connect", PROTOCOL) + bytes((version, flags)) + put_number(packet.keep_alive, 2)
    tail = b"" if packet.user_name is None else put_text("connect.user_name", packet.user_name)
    tail += b"" if packet.password is None else put_binary("connect.password", packet.password)
    return head + _put_properties(packet, version) + put_text("connect.client_id", packet.client_id) + will + tail


def _put_connack(packet: Any, version: int) -> bytes:
    code = packet.reason_code if version == 5 else packet.return_code
    return bytes((packet.session_present, code)) + _put_properties(packet, version)


def _put_publish(packet: Any, version: int) -> bytes:
    return _publish_body(version, packet.topic, packet.payload, packet.packet_id, getattr(packet, "properties", ()))


def _publish_body(version: int, topic: str, payload: bytes, packet_id: int | None, found: Properties) -> bytes:
    number = put_number(packet_id, 2) if packet_id else b""
    if version == 4:
        laid = b""
    else:
        laid = properties.put("publish.properties", found) if found else b"\0"
    return put_text("publish.topic", topic) + number + laid + payload


PLAIN_ACKS: dict[int, tuple[type[messages.Packet], type[messages.Packet]]] = {
    0x40: (messages.Puback, messages.Puback5),
    0x50: (messages.Pubrec, messages.Pubrec5),
    0x62: (messages.Pubrel, messages.Pubrel5),
    0x70: (messages.Pubcomp, messages.Pubcomp5),
}
"""By its first byte, each packet that acknowledges, in both versions."""
ACK_HEADS = {forms[0].NAME: head for head, forms in PLAIN_ACKS.items()}


def encode_plain_ack(name: str, packet_id: int) -> bytes:
    """The bytes of a packet that acknowledges without a reason; they are the same in both versions."""
    return bytes((ACK_HEADS[name], 2, packet_id >> 8, packet_id & 0xFF))


def encode_publish(
    version: int, topic: str, payload: bytes, *, qos: int = 0, retain: bool = False, dup: bool = False,
    packet_id: int | None = None, found: Properties = (),
) -> bytes:  # fmt: skip
    """The bytes of a publish packet, for who hands on what was checked before: nothing is checked again."""
    body = _publish_body(version, topic, payload, packet_id, found)
    return bytes((0x30 | dup << 3 | qos << 1 | retain,)) + put_varint(len(body)) + body


def _put_ack(packet: Any, version: int) -> bytes:
    """Reason and properties may be left out where they say nothing. Source: 5.0, section 3.4.2.1."""
    number = put_number(packet.packet_id, 2)
    return number + _put_reason(packet) if version == 5 else number


def _put_reason(packet: Any) -> bytes:
    if packet.properties:
        return bytes((packet.reason_code,)) + properties.put(f"{packet.NAME}.properties", packet.properties)
    return bytes((packet.reason_code,)) if packet.reason_code else b""


def _put_subscribe(packet: Any, version: int) -> bytes:
    head = put_number(packet.packet_id, 2) + _put_properties(packet, version)
    return head + b"".join(
        put_text("subscribe.filters", wanted.filter) + bytes((wanted.options,)) for wanted in packet.filters
    )


def _put_suback(packet: Any, version: int) -> bytes:
    return put_number(packet.packet_id, 2) + _put_properties(packet, version) + bytes(packet.reason_codes)


def _put_unsubscribe(packet: Any, version: int) -> bytes:
    head = put_number(packet.packet_id, 2) + _put_properties(packet, version)
    return head + b"".join(put_text("unsubscribe.filters", text) for text in packet.filters)


def _put_unsuback(packet: Any, version: int) -> bytes:
    return _put_suback(packet, version) if version == 5 else put_number(packet.packet_id, 2)


def _put_leaving(packet: Any, version: int) -> bytes:
    return _put_reason(packet) if version == 5 else b""


_BODIES: dict[int, Callable[[Any, int], bytes]] = {
    1: _put_connect, 2: _put_connack, 3: _put_publish, **dict.fromkeys(ACKS, _put_ack), 8: _put_subscribe,
    9: _put_suback, 10: _put_unsubscribe, 11: _put_unsuback, 12: lambda packet, version: b"",
    13: lambda packet, version: b"", 14: _put_leaving, 15: _put_leaving,
}  # fmt: skip


# taking apart


def take_packet(reader: PacketReader, version: int) -> Message:
    """Take a whole packet apart; the reader stands behind its fixed header, and keeps what is wrong with it. Raises
    `MalformedError`."""
    kind, flags = reader.data[0] >> 4, reader.data[0] & 15
    form = messages.FORMS[version].get(kind)
    if form is None:
        raise MalformedError(f"packet type {kind} is reserved")
    expected, statement = RESERVED_FLAGS.get(kind, (0, NO_FLAGS[version]))
    if kind != PUBLISH and flags != expected:
        raise MalformedError(f"flags: found {flags:04b}, expected {expected:04b} ({statement})")
    problems = reader.problems
    try:
        fields = _TAKERS[kind](reader, version, flags, problems)
    except ShortError as short:
        raise MalformedError(f"it ends before its {short.name.replace('_', ' ')}") from short
    if reader.rest:
        raise MalformedError(f"{reader.rest} bytes more than it has fields")
    try:
        return form(**fields)
    except FieldError as error:
        if not problems:
            problems.append(str(error))
        return as_found(form, fields)


def note_head(reader: PacketReader, version: int) -> None:
    """Tell of the fixed header: type, flags, remaining length. The reader stands at its beginning, and then behind it.
    Raises `MalformedError` and `ShortError`."""
    head = reader.take("type", 1)[0]
    kind = head >> 4
    form = messages.FORMS[version].get(kind)
    reader.note_bits("type", 0, 0, 4, kind, meaning=form.NAME if form else "reserved", role=Role.CONSTANT)
    if kind == PUBLISH:
        reader.note_bits("dup", 0, 4, 1, bool(head & 8), meaning="sent again" if head & 8 else "sent once")
        problem = "expected 0 to 2" if head & 6 == 6 else ""
        reader.note_bits("qos", 0, 5, 2, head >> 1 & 3, meaning=QUALITIES[head >> 1 & 3], problem=problem)
        reader.note_bits("retain", 0, 7, 1, bool(head & 1), meaning="kept by the broker" if head & 1 else "")
    else:
        expected = RESERVED_FLAGS.get(kind, (0, ""))[0]
        problem = "" if head & 15 == expected else f"expected {expected:04b}"
        reader.note_bits("flags", 0, 4, 4, head & 15, role=Role.CONSTANT, expected=expected, problem=problem)
    length = reader.varint("remaining_length", meaning="of what follows", role=Role.LENGTH)
    there = len(reader.data) - reader.at
    if length != there:
        reader.amend(problem=f"expected {there}")


Fields = dict[str, Any]


def _packet_id(reader: PacketReader, version: int) -> int:
    number = reader.counted("packet_id", 2)
    if not number:
        raise MalformedError(f"packet_id: found 0, expected 1 to 65535 ({NO_ZERO_ID[version]})")
    return number


def _take_properties(reader: PacketReader, version: int, packet: str, problems: list[str]) -> Fields:
    return {"properties": properties.take(reader, packet, problems)} if version == 5 else {}


def _take_connect(reader: PacketReader, version: int, flags: int, problems: list[str]) -> Fields:
    name = reader.text("protocol_name")
    if name != PROTOCOL:
        raise MalformedError(f"protocol name: found {name!r:.20}, expected {PROTOCOL!r} (MQTT-3.1.2-1)")
    level = reader.counted("protocol_level", 1, role=Role.CONSTANT, expected=version)
    if level != version:
        raise MalformedError(f"protocol level: found {level}, expected {version} (MQTT-3.1.2-2)")
    bits = reader.number("connect_flags", 1)
    _note_connect_flags(reader, bits, version)
    _check_connect_flags(bits, version)
    clean = "clean_start" if version == 5 else "clean_session"
    fields: Fields = {clean: bool(bits & 2), "keep_alive": reader.counted("keep_alive", 2, unit="s")}
    fields |= _take_properties(reader, version, "connect", problems)
    fields["client_id"] = reader.text("client_id")
    if bits & 4:
        if version == 5:
            fields["will_properties"] = properties.take(reader, properties.WILL, problems)
        fields |= {"will_qos": bits >> 3 & 3, "will_retain": bool(bits & 0x20), "will_topic": reader.text("will_topic")}
        message = "will_payload" if version == 5 else "will_message"
        fields[message] = reader.binary(message)
    if bits & 0x80:
        fields["user_name"] = reader.text("user_name")
    if bits & 0x40:
        fields["password"] = reader.binary("password")
    return fields


def _note_connect_flags(reader: PacketReader, bits: int, version: int) -> None:
    at = reader.at - 1
    for skip, name, count in (
        (0, "user_name_flag", 1), (1, "password_flag", 1), (2, "will_retain", 1), (3, "will_qos", 2),
        (5, "will_flag", 1), (6, "clean_start" if version == 5 else "clean_session", 1),
    ):  # fmt: skip
        value = bits >> 8 - skip - count & (1 << count) - 1
        reader.note_bits(name, at, skip, count, value if count > 1 else bool(value))
    reader.note_bits("reserved", at, 7, 1, bits & 1, role=Role.UNUSED, expected=0, problem="expected 0" * (bits & 1))


def _check_connect_flags(bits: int, version: int) -> None:
    """Source: section 3.1.2; the statements' numbers differ between the versions."""
    qos, retain, qos_3 = ("-11", "-13", "-12") if version == 5 else ("-13", "-15", "-14")
    if bits & 1:
        raise MalformedError("connect flags: bit 0 is reserved (MQTT-3.1.2-3)")
    if bits >> 3 & 3 == 3:
        raise MalformedError(f"will_qos: found 3, expected 0 to 2 (MQTT-3.1.2{qos_3})")
    if not bits & 4 and bits & 0x18:
        raise MalformedError(f"will_qos: found {bits >> 3 & 3} without a will, expected 0 (MQTT-3.1.2{qos})")
    if not bits & 4 and bits & 0x20:
        raise MalformedError(f"will_retain: found on without a will, expected off (MQTT-3.1.2{retain})")
    if version == 4 and bits & 0xC0 == 0x40:
        raise MalformedError("connect flags: a password without a user name (MQTT-3.1.2-22)")


def _take_code(reader: PacketReader, name: str, named: Mapping[int, str]) -> int:
    """A reason or return code."""
    first = reader.at
    code = reader.number(name, 1)
    reader.note(name, first, code, meaning=named.get(code, ""), problem="" if code in named else "not one of these")
    return code


def _take_connack(reader: PacketReader, version: int, flags: int, problems: list[str]) -> Fields:
    bits = reader.number("session_present", 1)
    at = reader.at - 1
    reader.note_bits("reserved", at, 0, 7, bits >> 1, role=Role.UNUSED, expected=0)
    reader.note_bits("session_present", at, 7, 1, bool(bits & 1))
    if bits & 0xFE:
        raise MalformedError(f"acknowledge flags: found 0x{bits:02X}, bits 1 to 7 are reserved (MQTT-3.2.2-1)")
    code = "reason_code" if version == 5 else "return_code"
    named = words("connack") if version == 5 else RETURN_CODES
    fields = {"session_present": bool(bits), code: _take_code(reader, code, named)}
    return fields | _take_properties(reader, version, "connack", problems)


def _take_publish(reader: PacketReader, version: int, flags: int, problems: list[str]) -> Fields:
    qos = flags >> 1 & 3
    if qos == 3:
        raise MalformedError("qos: found 3, expected 0 to 2 (MQTT-3.3.1-4)")
    fields: Fields = {"dup": bool(flags & 8), "qos": qos, "retain": bool(flags & 1), "topic": reader.text("topic")}
    if qos:
        fields["packet_id"] = _packet_id(reader, version)
    fields |= _take_properties(reader, version, "publish", problems)
    begin = reader.at
    fields["payload"] = reader.take("payload", reader.rest)
    reader.note("payload", begin, fields["payload"], raw=fields["payload"])
    aliased = any(found.name == "topic_alias" for found in fields.get("properties", ()))
    problem = name_problem(fields["topic"])
    if problem and not (aliased and not fields["topic"]):
        problems.append(problem)
    return fields


def take_plain(wire: bytes, head: int, version: int) -> Message | None:
    """The usual packet, at once: a publish or its acknowledgement, right, and without properties; `None` for all
    others, which take the long way and come out the same."""
    flags = wire[0]
    if flags in PLAIN_ACKS and len(wire) == 4 and (wire[2] or wire[3]):
        return PLAIN_ACKS[flags][version == 5](packet_id=wire[2] << 8 | wire[3])
    if flags >> 4 != 3 or flags & 6 == 6 or flags & 14 == 8 or len(wire) < head + 2:
        return None
    begin = head + 2
    end = begin + (wire[head] << 8 | wire[head + 1])
    qos = flags >> 1 & 3
    at = end + (2 if qos else 0)
    if at + (version == 5) > len(wire) or end == begin:
        return None
    name = wire[begin:end]
    if b"+" in name or b"#" in name or b"\0" in name or (version == 5 and wire[at]):
        return None
    packet_id = wire[end] << 8 | wire[end + 1] if qos else None
    if packet_id == 0 or (version == 5 and head > 2 and wire[head - 1] == 0):
        return None
    try:
        topic = name.decode()
    except UnicodeDecodeError:
        return None
    form = messages.Publish5 if version == 5 else messages.Publish
    return form(
        topic=topic, payload=wire[at + (version == 5) :], qos=qos, retain=bool(flags & 1), dup=bool(flags & 8),
        packet_id=packet_id,
    )  # fmt: skip


def _take_ack(reader: PacketReader, version: int, flags: int, problems: list[str]) -> Fields:
    fields = {"packet_id": _packet_id(reader, version)}
    kind = messages.FORMS[version][reader.data[0] >> 4].NAME
    return fields | (_take_reason(reader, kind, problems) if version == 5 else {})


def _take_reason(reader: PacketReader, packet: str, problems: list[str]) -> Fields:
    if not reader.rest:
        return {}
    fields: Fields = {"reason_code": _take_code(reader, "reason_code", words(packet))}
    if fields["reason_code"] not in ALLOWED[packet]:
        problems.append(f"reason_code: 0x{fields['reason_code']:02X} is not one of {packet}")
    if reader.rest:
        fields["properties"] = properties.take(reader, packet, problems)
    return fields


def _take_subscribe(reader: PacketReader, version: int, flags: int, problems: list[str]) -> Fields:
    fields: Fields = {"packet_id": _packet_id(reader, version)}
    fields |= _take_properties(reader, version, "subscribe", problems)
    filters = []
    while reader.rest:
        wanted = Filter(reader.text("filter"), reader.number("options", 1))
        _note_options(reader, wanted.options, version)
        filters.append(wanted)
        problems += [problem] if (problem := filter_problem(wanted.filter, version)) else []
        if version == 4 and wanted.options & 0xFC:
            raise MalformedError(f"options 0x{wanted.options:02X}: bits 2 to 7 are reserved (MQTT-3.8.3-4)")
        if version == 4 and wanted.options == 3:
            raise MalformedError("qos: found 3, expected 0 to 2 (MQTT-3.8.3-4)")
        if version == 5 and (problem := messages.options_problem(wanted)):
            problems.append(problem)
    if not filters:
        problems.append(f"no filter, expected one at least (MQTT-3.8.3-{3 if version == 4 else 2})")
    return fields | {"filters": tuple(filters)}


def _note_options(reader: PacketReader, options: int, version: int) -> None:
    """Source: 5.0, section 3.8.3.1; 3.1.1 has the quality of service alone."""
    at = reader.at - 1
    if version == 5:
        reader.note_bits("reserved", at, 0, 2, options >> 6, role=Role.UNUSED, expected=0)
        reader.note_bits("retain_handling", at, 2, 2, options >> 4 & 3)
        reader.note_bits("retain_as_published", at, 4, 1, bool(options & 8))
        reader.note_bits("no_local", at, 5, 1, bool(options & 4))
    else:
        reader.note_bits("reserved", at, 0, 6, options >> 2, role=Role.UNUSED, expected=0)
    reader.note_bits("qos", at, 6, 2, options & 3, meaning=QUALITIES[options & 3])


def _take_suback(reader: PacketReader, version: int, flags: int, problems: list[str]) -> Fields:
    name = messages.FORMS[version][reader.data[0] >> 4].NAME
    fields: Fields = {"packet_id": _packet_id(reader, version)}
    fields |= _take_properties(reader, version, name, problems)
    known = words(name) if version == 5 else SUBACK_CODES
    codes = tuple(_take_code(reader, "reason_code", known) for _ in range(reader.rest))
    problems += [f"reason_codes: 0x{code:02X} is not one of {name}" for code in codes if code not in known]
    return fields | {"reason_codes": codes}


def _take_unsubscribe(reader: PacketReader, version: int, flags: int, problems: list[str]) -> Fields:
    fields: Fields = {"packet_id": _packet_id(reader, version)}
    fields |= _take_properties(reader, version, "unsubscribe", problems)
    filters = []
    while reader.rest:
        filters.append(reader.text("filter"))
        problems += [problem] if (problem := filter_problem(filters[-1], version)) else []
    if not filters:
        problems.append("no filter, expected one at least (MQTT-3.10.3-2)")
    return fields | {"filters": tuple(filters)}


def _take_unsuback(reader: PacketReader, version: int, flags: int, problems: list[str]) -> Fields:
    return (
        _take_suback(reader, version, flags, problems) if version == 5 else {"packet_id": _packet_id(reader, version)}
    )


def _take_leaving(reader: PacketReader, version: int, flags: int, problems: list[str]) -> Fields:
    kind = messages.FORMS[version][reader.data[0] >> 4].NAME
    return _take_reason(reader, kind, problems) if version == 5 else {}


def _take_nothing(reader: PacketReader, version: int, flags: int, problems: list[str]) -> Fields:
    return {}


_TAKERS: dict[int, Callable[[PacketReader, int, int, list[str]], Fields]] = {
    1: _take_connect, 2: _take_connack, 3: _take_publish, **dict.fromkeys(ACKS, _take_ack), 8: _take_subscribe,
    9: _take_suback, 10: _take_unsubscribe, 11: _take_unsuback, 12: _take_nothing, 13: _take_nothing,
    14: _take_leaving, 15: _take_leaving,
}  # fmt: skip
