"""Who is let in by a broker, and what is agreed with them.

Sources: MQTT 5.0 and MQTT 3.1.1, sections 3.1 and 3.2.
"""

from __future__ import annotations

from math import inf
from typing import Any, Protocol

from cavet.boards.firmware.mqtt._limits import BrokerSettings
from cavet.boards.firmware.mqtt._session import FOR_EVER, BrokerSession
from cavet.boards.firmware.mqtt._visitor import LONGEST_PACKET, Visitor
from cavet.messaging import AliasesIn, AliasesOut, Publication, find_property, number_property
from cavet.protocols import Frame, Message
from cavet.protocols.mqtt import NAMES, RETURN_CODES, Connack, Connack5, Property

BAD_LEVEL, BAD_ID, BUSY, BAD_PASSWORD, NOT_ALLOWED = 1, 2, 3, 4, 5
"""Return codes of 3.1.1. Source: 3.1.1, table 3.1."""
Refusal = Connack | Connack5
CODES_5 = {BAD_LEVEL: 0x84, BAD_ID: 0x85, BUSY: 0x89, BAD_PASSWORD: 0x86, NOT_ALLOWED: 0x87}


class TakeOver(Protocol):
    """Shuts the older connection of a session, and ends the session where it is not to go on."""

    def __call__(self, older: BrokerSession, *, ends: bool, now: float) -> None: ...


def _own_will(message: Any, version: int) -> Publication | None:
    if message.will_topic is None:
        return None
    payload = message.will_payload if version == 5 else message.will_message
    properties = message.will_properties if version == 5 else ()
    kept = tuple(one for one in properties if one.name not in ("will_delay_interval", "message_expiry_interval"))
    return Publication(message.will_topic, payload or b"", message.will_qos, message.will_retain, kept)


class Admission:
    """Reads connects, and finds or makes the sessions for them."""

    def __init__(self, settings: BrokerSettings, sessions: dict[str, BrokerSession]) -> None:
        self._settings = settings
        self._sessions = sessions
        self._assigned = 0

    def wrong_level(self, version: int) -> Refusal:
        """The answer to a version that is not spoken. Source: [MQTT-3.1.2-2]."""
        return _refusal(version, BAD_LEVEL)

    def is_wrong(self, frame: Frame, version: int) -> bool:
        """Whether a connect is none that may be said at all. A missing client identifier has an answer of its own."""
        return bool(frame.problems) and not (frame.readable and self._lacks_id(frame.message, version))

    def _lacks_id(self, message: Any, version: int) -> bool:
        return version == 4 and not message.client_id and not message.clean_session

    def refusal(self, message: Any, version: int) -> Refusal | None:
        """The answer to a connect that is not let in; `None` for one that is."""
        if self._lacks_id(message, version):
            return _refusal(version, BAD_ID)  # [MQTT-3.1.3-8]
        if version == 5 and find_property(message.properties, "authentication_method") is not None:
            return Connack5(reason_code=0x8C)
        if not self._settings.admits(message.user_name, message.password):
            return _refusal(version, BAD_PASSWORD if message.user_name is not None else NOT_ALLOWED)
        connected = sum(session.visitor is not None for session in self._sessions.values())
        if connected >= self._settings.clients and message.client_id not in self._sessions:
            return _refusal(version, BUSY)
        return None

    def superfluous(self, client_id: str) -> BrokerSession | None:
        """The session that has to end so that there is room for one more: the one that was left longest ago."""
        if len(self._sessions) < self._settings.sessions or client_id in self._sessions:
            return None
        left = [session for session in self._sessions.values() if session.visitor is None]
        return min(left, key=lambda session: session.left_at, default=None)

    def admit(
        self, visitor: Visitor, message: Any, now: float, take_over: TakeOver
    ) -> tuple[BrokerSession, bool, Message]:
        """Give the session for a connect, whether it was there, and the answer."""
        version = visitor.speech.version
        client_id = message.client_id or self._assign()
        starts_anew = message.clean_start if version == 5 else message.clean_session
        older = self._sessions.get(client_id)
        if older is not None:
            take_over(older, ends=starts_anew, now=now)
        there = client_id in self._sessions  # it may have ended with its connection
        session = self._sessions.setdefault(client_id, BrokerSession(client_id, self._settings))
        properties: tuple[Property, ...] = message.properties if version == 5 else ()
        keeps = number_property(properties, "session_expiry_interval", 0)
        session.keeps = (inf if keeps == FOR_EVER else keeps) if version == 5 else 0 if starts_anew else inf
        session.will = _own_will(message, version)
        will_properties = message.will_properties if version == 5 else ()
        session.will_delay = number_property(will_properties, "will_delay_interval", 0)
        lasts = number_property(will_properties, "message_expiry_interval", -1)
        session.will_lasts = inf if lasts < 0 else lasts
        session.will_at = session.ends_at = inf
        visitor.keep_alive = message.keep_alive
        session.outbox.quota = min(self._settings.flying, number_property(properties, "receive_maximum", 0xFFFF))
        if version == 4:
            return session, there, Connack(session_present=there)
        visitor.max_bytes = number_property(properties, "maximum_packet_size", LONGEST_PACKET)
        visitor.aliases_in = AliasesIn(self._settings.aliases)
        aliases = min(self._settings.aliases, number_property(properties, "topic_alias_maximum", 0))
        visitor.aliases_out, visitor.shortens = AliasesOut(aliases), aliases > 0
        return session, there, Connack5(session_present=there, properties=self._terms(message, client_id))

    def _assign(self) -> str:
        """A name for a client that has none. Source: [MQTT-3.1.3-6], [MQTT-3.2.2-16] (5.0)."""
        while True:
            self._assigned += 1
            name = f"client-{self._assigned}"
            if name not in self._sessions:
                return name

    def _terms(self, message: Any, client_id: str) -> tuple[Property, ...]:
        """What a client of version 5 has to keep to."""
        terms = [
            Property("receive_maximum", self._settings.received),
            Property("maximum_packet_size", self._settings.packet),
            Property("topic_alias_maximum", self._settings.aliases),
        ]
        if not message.client_id:
            terms.append(Property("assigned_client_identifier", client_id))
        return tuple(terms)


def _refusal(version: int, code: int) -> Refusal:
    return Connack5(reason_code=CODES_5[code]) if version == 5 else Connack(return_code=code)


def refusal_words(answer: Refusal) -> str:
    """Why a connect is not let in, in the words of the standard."""
    return NAMES[answer.reason_code] if isinstance(answer, Connack5) else RETURN_CODES[answer.return_code]
