"""The packets of both versions, each with its fields, checked when it is made.

Sources: MQTT 3.1.1 and MQTT 5.0, section 3. Where both versions have the same packet with the same fields, one form
does for both; the others bear their version's number.
"""

from __future__ import annotations

from typing import Annotated, ClassVar

from cavet.protocols._message import AsText, FieldError, Message, Range, Words, Written
from cavet.protocols.mqtt import _properties as properties
from cavet.protocols.mqtt._properties import Properties, read_properties, show_properties, write_properties
from cavet.protocols.mqtt._reasons import ALLOWED, NAMES, RETURN_CODES, SUBACK_CODES, read_codes, words
from cavet.protocols.mqtt._topics import (
    Filter,
    filter_problem,
    join_list,
    name_problem,
    read_filters,
    read_names,
    show_filters,
    write_filters,
)

U16 = Annotated[int, Range(0, 0xFFFF)]
Qos = Annotated[int, Range(0, 2)]
PacketId = Annotated[int, Range(1, 0xFFFF)]
MaybePacketId = Annotated[int | None, Range(1, 0xFFFF)]
Payload = Annotated[bytes, AsText()]
PropertyList = Annotated[
    Properties, Written("NAME:VALUE with commas", read_properties, show_properties, write_properties)
]
Filters = Annotated[tuple[Filter, ...], Written("FILTER:QOS with commas", read_filters, show_filters, write_filters)]
Names = Annotated[tuple[str, ...], Written("filters with commas", read_names, write=join_list)]
Codes = Annotated[tuple[int, ...], Written("codes with commas", read_codes)]


class Packet(Message, frozen=True, kw_only=True):
    """A control packet."""

    TYPE: ClassVar[int]

    def _wrong(self, field: str, found: object, expected: str) -> FieldError:
        return FieldError(f"{self.NAME}.{field}", found=found, expected=expected)


class Connect(Packet, frozen=True, kw_only=True):
    """Open a session, in 3.1.1. Section 3.1."""

    NAME, TYPE = "connect", 1
    client_id: str = ""
    clean_session: bool = True
    keep_alive: U16 = 60
    will_topic: str | None = None
    will_message: Annotated[bytes | None, AsText()] = None
    will_qos: Qos = 0
    will_retain: bool = False
    user_name: str | None = None
    password: bytes | None = None

    def __post_init__(self) -> None:
        _check_will(self, self.will_topic, self.will_message, "will_message", self.will_qos, self.will_retain)
        if self.password is not None and self.user_name is None:
            raise self._wrong("password", "one without a user name", "a user name too (MQTT-3.1.2-22)")
        if not self.client_id and not self.clean_session:
            raise self._wrong("client_id", "none", "one, unless the session is clean (MQTT-3.1.3-8)")
        super().__post_init__()


def _check_will(packet: Packet, topic: str | None, message: bytes | None, name: str, qos: int, retain: bool) -> None:
    if topic is None and message is not None:
        raise FieldError(f"{packet.NAME}.{name}", found="one without will_topic", expected="will_topic too")
    if topic is None and (qos or retain):
        raise FieldError(f"{packet.NAME}.will_topic", found="none", expected="one, for a will's QoS or retain")
    if topic is not None and name_problem(topic):
        raise FieldError(f"{packet.NAME}.will_topic", found=topic, expected="a topic name without wildcards")


class Connect5(Packet, frozen=True, kw_only=True):
    """Open a session, in 5.0. Section 3.1."""

    NAME, TYPE = "connect", 1
    client_id: str = ""
    clean_start: bool = True
    keep_alive: U16 = 60
    properties: PropertyList = ()
    will_topic: str | None = None
    will_payload: Annotated[bytes | None, AsText()] = None
    will_qos: Qos = 0
    will_retain: bool = False
    will_properties: PropertyList = ()
    user_name: str | None = None
    password: bytes | None = None

    def __post_init__(self) -> None:
        _check_will(self, self.will_topic, self.will_payload, "will_payload", self.will_qos, self.will_retain)
        if self.will_properties and self.will_topic is None:
            raise self._wrong("will_properties", "some without will_topic", "will_topic too")
        properties.check("connect.properties", self.properties, "connect")
        properties.check("connect.will_properties", self.will_properties, properties.WILL)
        names = {found.name for found in self.properties}
        if "authentication_data" in names and "authentication_method" not in names:
            raise self._wrong("properties", "authentication_data alone", "authentication_method too")
        super().__post_init__()


class Connack(Packet, frozen=True, kw_only=True):
    """Answer to a connect, in 3.1.1. Section 3.2."""

    NAME, TYPE = "connack", 2
    session_present: bool = False
    return_code: Annotated[int, Range(0, 5), Words(RETURN_CODES)] = 0

    def __post_init__(self) -> None:
        if self.session_present and self.return_code:
            raise self._wrong("session_present", "on with a refusal", "off (MQTT-3.2.2-4)")
        super().__post_init__()


class Connack5(Packet, frozen=True, kw_only=True):
    """Answer to a connect, in 5.0. Section 3.2."""

    NAME, TYPE = "connack", 2
    session_present: bool = False
    reason_code: Annotated[int, Range(0, 255), Words(words("connack"))] = 0
    properties: PropertyList = ()

    def __post_init__(self) -> None:
        _check_reason(self, self.reason_code, self.properties)
        if self.session_present and self.reason_code:
            raise self._wrong("session_present", "on with a refusal", "off (MQTT-3.2.2-6)")
        super().__post_init__()


def _check_reason(packet: Packet, code: int, found: Properties) -> None:
    if code not in ALLOWED[packet.NAME]:
        codes = ", ".join(f"0x{number:02X}" for number in ALLOWED[packet.NAME])
        raise FieldError(f"{packet.NAME}.reason_code", found=f"0x{code:02X}", expected=f"one of {codes}")
    properties.check(f"{packet.NAME}.properties", found, packet.NAME)


def _is_plain(topic: str, qos: int, packet_id: int | None) -> bool:
    """Whether there is nothing to find wrong with the usual message, in as few looks as can be."""
    if not topic or "+" in topic or "#" in topic:
        return False
    return packet_id is None if qos == 0 else qos in (1, 2) and packet_id is not None and 0 < packet_id < 0x10000


class Publish(Packet, frozen=True, kw_only=True):
    """An application message, in 3.1.1. Section 3.3."""

    NAME, TYPE = "publish", 3
    topic: str
    payload: Payload = b""
    qos: Qos = 0
    retain: bool = False
    dup: bool = False
    packet_id: MaybePacketId = None

    def __post_init__(self) -> None:
        if _is_plain(self.topic, self.qos, self.packet_id) and not self.dup:
            return
        if problem := name_problem(self.topic):
            raise self._wrong("topic", self.topic, problem.partition("expected ")[2])
        _check_delivery(self, self.qos, self.dup, self.packet_id)
        super().__post_init__()


def _check_delivery(packet: Packet, qos: int, dup: bool, packet_id: int | None) -> None:
    if qos and not packet_id:
        found = "nothing" if packet_id is None else packet_id
        raise FieldError("publish.packet_id", found=found, expected="1 to 65535, for QoS 1 and 2 (MQTT-2.2.1-3)")
    if not qos and packet_id is not None:
        raise FieldError("publish.packet_id", found=packet_id, expected="none at QoS 0 (MQTT-2.2.1-2)")
    if not qos and dup:
        raise FieldError("publish.dup", found="on", expected="off at QoS 0 (MQTT-3.3.1-2)")


class Publish5(Packet, frozen=True, kw_only=True):
    """An application message, in 5.0. Section 3.3."""

    NAME, TYPE = "publish", 3
    topic: str = ""
    payload: Payload = b""
    qos: Qos = 0
    retain: bool = False
    dup: bool = False
    packet_id: MaybePacketId = None
    properties: PropertyList = ()

    def __post_init__(self) -> None:
        if _is_plain(self.topic, self.qos, self.packet_id) and not self.dup and not self.properties:
            return
        aliased = any(found.name == "topic_alias" for found in self.properties)
        problem = name_problem(self.topic)
        if problem and not (aliased and not self.topic):
            raise self._wrong("topic", self.topic or "none", problem.partition("expected ")[2] + ", or a topic_alias")
        properties.check("publish.properties", self.properties, "publish")
        _check_delivery(self, self.qos, self.dup, self.packet_id)
        super().__post_init__()


class Puback(Packet, frozen=True, kw_only=True):
    """A message of QoS 1 has arrived. Section 3.4."""

    NAME, TYPE = "puback", 4
    packet_id: PacketId


class Pubrec(Puback, frozen=True, kw_only=True):
    """A message of QoS 2 was received. Section 3.5."""

    NAME, TYPE = "pubrec", 5


class Pubrel(Puback, frozen=True, kw_only=True):
    """A message of QoS 2 is released. Section 3.6."""

    NAME, TYPE = "pubrel", 6


class Pubcomp(Puback, frozen=True, kw_only=True):
    """A message of QoS 2 is complete. Section 3.7."""

    NAME, TYPE = "pubcomp", 7


class Puback5(Packet, frozen=True, kw_only=True):
    """A message of QoS 1 has arrived, or not. Section 3.4."""

    NAME, TYPE = "puback", 4
    packet_id: PacketId
    reason_code: Annotated[int, Range(0, 255), Words(NAMES)] = 0
    properties: PropertyList = ()

    def __post_init__(self) -> None:
        _check_reason(self, self.reason_code, self.properties)
        super().__post_init__()


class Pubrec5(Puback5, frozen=True, kw_only=True):
    """A message of QoS 2 was received, or not. Section 3.5."""

    NAME, TYPE = "pubrec", 5


class Pubrel5(Puback5, frozen=True, kw_only=True):
    """A message of QoS 2 is released. Section 3.6."""

    NAME, TYPE = "pubrel", 6


class Pubcomp5(Puback5, frozen=True, kw_only=True):
    """A message of QoS 2 is complete. Section 3.7."""

    NAME, TYPE = "pubcomp", 7


class Subscribe(Packet, frozen=True, kw_only=True):
    """Ask for the messages of topics, in 3.1.1. Section 3.8."""

    NAME, TYPE = "subscribe", 8
    packet_id: PacketId
    filters: Filters

    def __post_init__(self) -> None:
        _check_filters(self, tuple(wanted.filter for wanted in self.filters), 4)
        for wanted in self.filters:
            if wanted.options > 2:
                raise self._wrong("filters", f"QoS {wanted.options}", "0 to 2 (MQTT-3.8.3-4)")
        super().__post_init__()


def _check_filters(packet: Packet, filters: tuple[str, ...], version: int) -> None:
    if not filters:
        raise FieldError(f"{packet.NAME}.filters", found="none", expected="one at least")
    for text in filters:
        if problem := filter_problem(text, version):
            raise FieldError(f"{packet.NAME}.filters", found=text or "none", expected=problem.partition(": ")[2])


def options_problem(wanted: Filter) -> str:
    """Say what is wrong with the options byte of 5.0; "" for nothing. Section 3.8.3.1."""
    if wanted.options & 0xC0:
        return f"options 0x{wanted.options:02X}: bits 6 and 7 are reserved (MQTT-3.8.3-5)"
    if wanted.options & 3 == 3:
        return "options: found QoS 3, expected 0 to 2"
    if wanted.options >> 4 == 3:
        return "options: found retain handling 3, expected 0 to 2"
    if wanted.filter.startswith("$share/") and wanted.options & 4:
        return "options: no local on a shared subscription (MQTT-3.8.3-4)"
    return ""


class Subscribe5(Packet, frozen=True, kw_only=True):
    """Ask for the messages of topics, in 5.0: after each filter its options byte. Section 3.8."""

    NAME, TYPE = "subscribe", 8
    packet_id: PacketId
    filters: Filters
    properties: PropertyList = ()

    def __post_init__(self) -> None:
        _check_filters(self, tuple(wanted.filter for wanted in self.filters), 5)
        for wanted in self.filters:
            if problem := options_problem(wanted):
                raise self._wrong("filters", wanted.options, problem)
        properties.check("subscribe.properties", self.properties, "subscribe")
        super().__post_init__()


class Suback(Packet, frozen=True, kw_only=True):
    """Answer to a subscribe, in 3.1.1. Section 3.9."""

    NAME, TYPE = "suback", 9
    packet_id: PacketId
    reason_codes: Annotated[Codes, Words(SUBACK_CODES)]

    def __post_init__(self) -> None:
        if not self.reason_codes or any(code not in SUBACK_CODES for code in self.reason_codes):
            raise self._wrong("reason_codes", str(list(self.reason_codes)), "codes of 0, 1, 2 and 128 (MQTT-3.9.3-2)")
        super().__post_init__()


class Suback5(Packet, frozen=True, kw_only=True):
    """Answer to a subscribe, in 5.0. Section 3.9."""

    NAME, TYPE = "suback", 9
    packet_id: PacketId
    reason_codes: Annotated[Codes, Words(words("suback"))]
    properties: PropertyList = ()

    def __post_init__(self) -> None:
        if not self.reason_codes or any(code not in ALLOWED[self.NAME] for code in self.reason_codes):
            codes = ", ".join(str(code) for code in ALLOWED[self.NAME])
            raise self._wrong("reason_codes", str(list(self.reason_codes)), f"codes of {codes}")
        properties.check(f"{self.NAME}.properties", self.properties, self.NAME)
        super().__post_init__()


class Unsubscribe(Packet, frozen=True, kw_only=True):
    """Ask for the messages of topics no longer, in 3.1.1. Section 3.10."""

    NAME, TYPE = "unsubscribe", 10
    packet_id: PacketId
    filters: Names

    def __post_init__(self) -> None:
        _check_filters(self, self.filters, 4)
        super().__post_init__()


class Unsubscribe5(Packet, frozen=True, kw_only=True):
    """Ask for the messages of topics no longer, in 5.0. Section 3.10."""

    NAME, TYPE = "unsubscribe", 10
    packet_id: PacketId
    filters: Names
    properties: PropertyList = ()

    def __post_init__(self) -> None:
        _check_filters(self, self.filters, 5)
        properties.check("unsubscribe.properties", self.properties, "unsubscribe")
        super().__post_init__()


class Unsuback(Puback, frozen=True, kw_only=True):
    """Answer to an unsubscribe, in 3.1.1. Section 3.11."""

    NAME, TYPE = "unsuback", 11


class Unsuback5(Suback5, frozen=True, kw_only=True):
    """Answer to an unsubscribe, in 5.0. Section 3.11."""

    NAME, TYPE = "unsuback", 11


class Pingreq(Packet, frozen=True, kw_only=True):
    """Still here? Section 3.12."""

    NAME, TYPE = "pingreq", 12


class Pingresp(Packet, frozen=True, kw_only=True):
    """Still here. Section 3.13."""

    NAME, TYPE = "pingresp", 13


class Disconnect(Packet, frozen=True, kw_only=True):
    """The client leaves, in 3.1.1. Section 3.14."""

    NAME, TYPE = "disconnect", 14


class Disconnect5(Packet, frozen=True, kw_only=True):
    """Either side leaves, and says why, in 5.0. Section 3.14."""

    NAME, TYPE = "disconnect", 14
    reason_code: Annotated[int, Range(0, 255), Words(words("disconnect"))] = 0
    properties: PropertyList = ()

    def __post_init__(self) -> None:
        _check_reason(self, self.reason_code, self.properties)
        super().__post_init__()


class Auth5(Packet, frozen=True, kw_only=True):
    """A step of an extended authentication, in 5.0. Section 3.15."""

    NAME, TYPE = "auth", 15
    reason_code: Annotated[int, Range(0, 255), Words(words("auth"))] = 0
    properties: PropertyList = ()

    def __post_init__(self) -> None:
        _check_reason(self, self.reason_code, self.properties)
        super().__post_init__()


BOTH = (Pingreq, Pingresp)
FORMS: dict[int, dict[int, type[Packet]]] = {
    4: {
        form.TYPE: form
        for form in (
            Connect, Connack, Publish, Puback, Pubrec, Pubrel, Pubcomp, Subscribe, Suback, Unsubscribe, Unsuback, *BOTH,
            Disconnect,
        )
    },
    5: {
        form.TYPE: form
        for form in (
            Connect5, Connack5, Publish5, Puback5, Pubrec5, Pubrel5, Pubcomp5, Subscribe5, Suback5, Unsubscribe5,
            Unsuback5, *BOTH, Disconnect5, Auth5,
        )
    },
}  # fmt: skip
"""By version, the form of each packet type."""
FROM_CLIENT = {4: (1, 3, 4, 5, 6, 7, 8, 10, 12, 14), 5: (1, 3, 4, 5, 6, 7, 8, 10, 12, 14, 15)}
FROM_BROKER = {4: (2, 3, 4, 5, 6, 7, 9, 11, 13), 5: (2, 3, 4, 5, 6, 7, 9, 11, 13, 14, 15)}
