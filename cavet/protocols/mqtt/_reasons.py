"""Reason codes of version 5 and return codes of 3.1.1, with the standards' names, and where each may stand.

Sources: MQTT 5.0, section 2.4 and the table of each packet; MQTT 3.1.1, tables 3.1 and section 3.9.3.
"""

from __future__ import annotations

from typing import Final

from cavet.protocols._message import FieldError
from cavet.units import whole_number

RETURN_CODES: Final = {
    0: "connection accepted",
    1: "unacceptable protocol version",
    2: "identifier rejected",
    3: "server unavailable",
    4: "bad user name or password",
    5: "not authorized",
}
SUBACK_CODES: Final = {0: "maximum qos 0", 1: "maximum qos 1", 2: "maximum qos 2", 0x80: "failure"}
NAMES: Final = {
    0x00: "success", 0x01: "granted qos 1", 0x02: "granted qos 2", 0x04: "disconnect with will message",
    0x10: "no matching subscribers", 0x11: "no subscription existed", 0x18: "continue authentication",
    0x19: "re-authenticate", 0x80: "unspecified error", 0x81: "malformed packet", 0x82: "protocol error",
    0x83: "implementation specific error", 0x84: "unsupported protocol version", 0x85: "client identifier not valid",
    0x86: "bad user name or password", 0x87: "not authorized", 0x88: "server unavailable", 0x89: "server busy",
    0x8A: "banned", 0x8B: "server shutting down", 0x8C: "bad authentication method", 0x8D: "keep alive timeout",
    0x8E: "session taken over", 0x8F: "topic filter invalid", 0x90: "topic name invalid",
    0x91: "packet identifier in use", 0x92: "packet identifier not found", 0x93: "receive maximum exceeded",
    0x94: "topic alias invalid", 0x95: "packet too large", 0x96: "message rate too high", 0x97: "quota exceeded",
    0x98: "administrative action", 0x99: "payload format invalid", 0x9A: "retain not supported",
    0x9B: "qos not supported", 0x9C: "use another server", 0x9D: "server moved",
    0x9E: "shared subscriptions not supported", 0x9F: "connection rate exceeded", 0xA0: "maximum connect time",
    0xA1: "subscription identifiers not supported", 0xA2: "wildcard subscriptions not supported",
}  # fmt: skip
_RECEIVED = (0x00, 0x10, 0x80, 0x83, 0x87, 0x90, 0x91, 0x97, 0x99)
ALLOWED: Final = {
    "connack": (0x00, *range(0x80, 0x8B), 0x8C, 0x90, 0x95, 0x97, 0x99, 0x9A, 0x9B, 0x9C, 0x9D, 0x9F),
    "puback": _RECEIVED,
    "pubrec": _RECEIVED,
    "pubrel": (0x00, 0x92),
    "pubcomp": (0x00, 0x92),
    "suback": (0x00, 0x01, 0x02, 0x80, 0x83, 0x87, 0x8F, 0x91, 0x97, 0x9E, 0xA1, 0xA2),
    "unsuback": (0x00, 0x11, 0x80, 0x83, 0x87, 0x8F, 0x91),
    "disconnect": (
        0x00, 0x04, *range(0x80, 0x84), 0x87, 0x89, 0x8B, 0x8D, 0x8E, 0x8F, 0x90, *range(0x93, 0xA3),
    ),
    "auth": (0x00, 0x18, 0x19),
}  # fmt: skip


def words(packet: str) -> dict[int, str]:
    """The codes that a packet may have, with their names."""
    names = {code: NAMES[code] for code in ALLOWED[packet]}
    if packet == "suback":
        names[0x00] = "granted qos 0"
    elif packet == "disconnect":
        names[0x00] = "normal disconnection"
    return names


def read_codes(place: str, text: str) -> tuple[int, ...]:
    """Read codes with commas. Raises `FieldError`."""
    try:
        return tuple(whole_number(word) for word in text.split(",")) if text else ()
    except ValueError as error:
        raise FieldError(place, found=text, expected="codes with commas") from error
