"""The questions: each asks who is there in one protocol, drives nothing, and leaves nothing behind that would spoil the
next one.

Sources: IEEE 488.2, 10.14 (four fields of *IDN?); SCPI 1999, 21.21; Modbus application protocol 1.1b3, 6.13, 6.21, 7;
Firmata 2.7, version, firmware and capability queries; MQTT 3.1.1 and 5.0, 3.1 and 3.2.
"""

from __future__ import annotations

import os
import secrets
from collections.abc import Callable, Iterable, Sequence
from functools import partial
from typing import Any

from cavet.finding._talk import Talk
from cavet.links import HostEnd
from cavet.protocols import Message, Side, firmata, mqtt, read_whole
from cavet.protocols import codec as codec_of
from cavet.protocols.modbus import crc16, silence
from cavet.protocols.mqtt import V3, V5, Filter

Answer = dict[str, Any]
UNKNOWN_FUNCTION = 0x6E
"""A function that the standard leaves to nobody: each server refuses it. Source: application protocol, section 4.1."""
IDENTITY, SERVER = bytes((0x2B, 0x0E, 0x01, 0x00)), b"\x11"
LEAST_IDENTITY = 7
"""Its head, with the count of objects."""
GATEWAY_CODES = (0x0A, 0x0B)
"""Exceptions of a gateway: no path to that unit, or it did not answer. Source: application protocol, section 7."""
OBJECTS = ("vendor", "product", "revision")
TCP_UNITS, LINE_UNITS = (1, 0, 255), (1,)
EVERY_UNIT = range(1, 248)
UNIT_SECONDS = 0.12
LEAST_PAUSE, AMPLE = 0.006, 1.15
"""A silence parts a question from what was said before: so many seconds at least, and more than the standard's."""
RETAINED_SECONDS = 0.4
KEPT_TOPICS = 1000
SCPI_FIELDS = 4


async def ask_scpi(talk: Talk, seconds: float) -> Answer | None:
    """*IDN? behind an end of line, so that what was said before is over."""
    idn = await talk.ask(b"\n*IDN?\n", _identity, seconds)
    if idn is None or await talk.ask(b"*IDN?\n", _identity, seconds) != idn:  # a greeting comes once
        return None
    version = await talk.ask(b"SYST:VERS?\n", _line, min(seconds, 0.4))
    return {"protocol": "scpi", "idn": idn, "version": version}


def _line(data: bytes) -> str | None:
    text, end, _ = data.partition(b"\n")
    return text.decode("ascii", "replace").strip() if end else None


def _identity(data: bytes) -> str | None:
    for line in data.split(b"\n")[:-1]:
        text = line.strip(b"\r")
        if text.isascii() and text.count(b",") >= SCPI_FIELDS - 1 and text.decode("ascii").isprintable():
            return text.decode("ascii")
    return None


async def ask_firmata(talk: Talk, seconds: float) -> Answer | None:
    """Its version, its name, and how many pins it has."""
    question = firmata.encode(firmata.VersionQuery()) + firmata.encode(firmata.FirmwareQuery())

    def understood(data: bytes) -> Answer | None:
        found: Answer = {}
        for message in _messages("firmata", data):
            if isinstance(message, firmata.FirmwareReport):
                found |= {"name": message.name, "version": f"{message.major}.{message.minor}"}
            elif isinstance(message, firmata.ProtocolVersion):
                found["protocol_version"] = f"{message.major}.{message.minor}"
        return found if "name" in found or "protocol_version" in found else None

    first = await talk.ask(question, understood, seconds)
    if first is None:
        return None
    both = await talk.listen(lambda data: _both(understood(data)), min(seconds, 0.4)) or understood(talk.heard) or first
    pins = await talk.ask(firmata.encode(firmata.CapabilityQuery()), _pins, min(seconds, 1.0))
    version = both.get("protocol_version") or both.get("version")
    return {"protocol": "firmata", "version": version, "name": both.get("name"), "pins": pins}


def _both(found: Answer | None) -> Answer | None:
    return found if found is not None and len(found) == 3 else None


def _pins(data: bytes) -> int | None:
    found = [each for each in _messages("firmata", data) if isinstance(each, firmata.CapabilityResponse)]
    return len(found[0].pins) if found else None


def _messages(protocol: str, data: bytes, side: Side = Side.BOARD) -> Iterable[Message]:
    return [frame.message for frame in read_whole(codec_of(protocol), data, side) if frame.readable]


class ModbusQuestions:
    """The questions to a Modbus server, and its answers, in one framing."""

    def __init__(self, framing: str) -> None:
        self.framing = framing
        self._transaction = secrets.randbelow(0x8000)

    def question(self, unit: int, pdu: bytes) -> bytes:
        """A request as it goes out."""
        if self.framing == "modbus-tcp":
            self._transaction = (self._transaction + 1) & 0xFFFF
            head = self._transaction.to_bytes(2, "big") + bytes(2) + (len(pdu) + 1).to_bytes(2, "big")
            return head + bytes((unit,)) + pdu
        frame = bytes((unit,)) + pdu
        return frame + crc16(frame).to_bytes(2, "little")

    def answers(self, data: bytes, function: int) -> dict[int, bytes]:
        """The answers to a function, each unit's PDU."""
        return self._on_network(data, function) if self.framing == "modbus-tcp" else self._on_line(data, function)

    def _on_network(self, data: bytes, function: int) -> dict[int, bytes]:
        found: dict[int, bytes] = {}
        while len(data) >= 8:
            size = int.from_bytes(data[4:6], "big")
            if data[2:4] != bytes(2) or not 2 <= size <= 254:
                break
            if len(data) < 6 + size:
                break
            unit, pdu, data = data[6], data[7 : 6 + size], data[6 + size :]
            if pdu[0] & 0x7F == function:
                found.setdefault(unit, pdu)
        return found

    def _on_line(self, data: bytes, function: int) -> dict[int, bytes]:
        for begin in range(len(data) - 4):
            for end in range(begin + 5, len(data) + 1):
                frame = data[begin:end]
                if frame[1] & 0x7F == function and crc16(frame[:-2]) == int.from_bytes(frame[-2:], "little"):
                    return {frame[0]: frame[1:-2]}
        return {}


async def ask_modbus(talk: Talk, framing: str, seconds: float, *, every: bool = False) -> Answer | None:
    """Its identification; else what it says of itself; else that it refuses what nobody does."""
    questions = ModbusQuestions(framing)
    usual = TCP_UNITS if framing == "modbus-tcp" else LINE_UNITS
    units = (*usual, *(unit for unit in EVERY_UNIT if unit not in usual)) if every else usual
    first, told = await _first_unit(talk, questions, units, seconds)
    if first is None:
        return None
    answered = [first]
    for unit in units[units.index(first) + 1 :]:
        if talk.ended:
            talk.left_out = f"there was no time for the units from {unit} on"
            break
        if await _answers(talk, questions, unit):
            answered.append(unit)
    found = {"protocol": framing, "unit": first, "units": sorted(answered), **told}
    return found | {"left_out": talk.left_out} if talk.left_out else found


async def _first_unit(
    talk: Talk, questions: ModbusQuestions, units: Sequence[int], seconds: float
) -> tuple[int | None, Answer]:
    """The first unit that answers as its own, and what it tells of itself."""
    for place, unit in enumerate(units):
        if talk.ended:
            talk.left_out = f"there was no time for the units from {unit} on"
            break
        patience = seconds if place == 0 else min(seconds, UNIT_SECONDS)
        identity = await _ask(talk, questions, unit, IDENTITY, patience)
        if identity is not None and identity[0] == IDENTITY[0] and len(identity) >= LEAST_IDENTITY:
            return unit, _objects(identity)
        if identity is not None and _is_elsewhere(identity):
            continue
        server = await _ask(talk, questions, unit, SERVER, UNIT_SECONDS)
        if server is not None and server[0] == SERVER[0] and list(server[1:2]) == [len(server) - 2]:
            return unit, {"vendor": None, "product": None, "id": server[2:].decode("latin-1")}
        if any(_is_refusal(each) for each in (identity, server)) or await _answers(talk, questions, unit):
            return unit, {"vendor": None, "product": None}
    return None, {}


def _is_elsewhere(pdu: bytes) -> bool:
    """Whether it is a gateway that answers, for a unit that is not behind it."""
    return _is_refusal(pdu) and pdu[1] in GATEWAY_CODES


def _is_refusal(pdu: bytes | None) -> bool:
    """Whether it is an exception: what only sends back what it hears gives none."""
    return pdu is not None and len(pdu) == 2 and bool(pdu[0] & 0x80)


async def _answers(talk: Talk, questions: ModbusQuestions, unit: int) -> bool:
    found = await _ask(talk, questions, unit, bytes((UNKNOWN_FUNCTION,)), UNIT_SECONDS)
    return found is not None and _is_refusal(found) and not _is_elsewhere(found)


async def _ask(talk: Talk, questions: ModbusQuestions, unit: int, pdu: bytes, seconds: float) -> bytes | None:
    if questions.framing != "modbus-tcp":
        await talk.pause(max(LEAST_PAUSE, AMPLE * silence(talk.byte_seconds)))
    function = pdu[0]
    return await talk.ask(
        questions.question(unit, pdu), lambda data: questions.answers(data, function).get(unit), seconds
    )


def _objects(pdu: bytes) -> Answer:
    """Vendor, product, revision, out of an identification."""
    found: Answer = {"vendor": None, "product": None}
    at, count = 7, pdu[6] if len(pdu) > 6 else 0
    for _ in range(count):
        if at + 2 > len(pdu):
            break
        number, size = pdu[at], pdu[at + 1]
        if number < len(OBJECTS):
            found[OBJECTS[number]] = pdu[at + 2 : at + 2 + size].decode("latin-1")
        at += 2 + size
    return found


async def ask_mqtt(make_end: Callable[[], HostEnd], seconds: float) -> Answer | None:
    """Which versions a broker lets in, and the topics at which something is kept. Each visit has a name of its own."""
    versions: list[str] = []
    topics: list[str] = []
    for version in ("3.1.1", "5.0"):
        async with Talk(make_end()) as talk:
            if await talk.ask(_connect(version), partial(_let_in, version), seconds):
                versions.append(version)
                if not topics:
                    topics = await _retained(talk, version)
                talk.say((V5 if version == "5.0" else V3).encode(_goodbye(version)))
    return {"protocol": "mqtt", "versions": versions, "retained": topics} if versions else None


def _connect(version: str) -> bytes:
    name = f"cavet-{os.getpid()}-{secrets.token_hex(4)}"
    if version == "5.0":
        return V5.encode(mqtt.Connect5(client_id=name, clean_start=True, keep_alive=10))
    return V3.encode(mqtt.Connect(client_id=name, clean_session=True, keep_alive=10))


def _goodbye(version: str) -> Message:
    return mqtt.Disconnect5() if version == "5.0" else mqtt.Disconnect()


def _let_in(version: str, data: bytes) -> bool | None:
    for message in _messages("mqtt5" if version == "5.0" else "mqtt", data):
        if isinstance(message, mqtt.Connack | mqtt.Connack5):
            code = message.return_code if isinstance(message, mqtt.Connack) else message.reason_code
            return code == 0
    return None


async def _retained(talk: Talk, version: str) -> list[str]:
    newer = version == "5.0"
    form: Any = mqtt.Subscribe5 if newer else mqtt.Subscribe
    question = (V5 if newer else V3).encode(form(packet_id=1, filters=(Filter("#", 0),)))
    await talk.ask(question, lambda data: None, RETAINED_SECONDS)
    found: dict[str, None] = {}
    for message in _messages("mqtt5" if newer else "mqtt", talk.heard):
        if message.NAME == "publish" and getattr(message, "retain", False) and len(found) < KEPT_TOPICS:
            found[str(getattr(message, "topic", ""))] = None
    return sorted(found)
