"""A station: a board that is a client of a broker. It hears command topics, works its pins, reports on state topics.

Presence is by birth and will: it says `here` when it is let in, and the broker says `gone` for it when it is lost.
"""

from __future__ import annotations

from collections.abc import Callable
from math import inf, isfinite
from typing import Any

import msgspec

from cavet.boards._circuit import Circuit, PinRefusedError
from cavet.boards._pins import Pin, PinMode
from cavet.boards._running import CauseOf, Client, Firmware, Outgoing
from cavet.boards._signal import Signal
from cavet.expressions import Expression
from cavet.messaging import (
    Arrived,
    ClientSettings,
    Connected,
    Happening,
    MqttClient,
    Noted,
    PayloadError,
    PayloadForm,
    Publication,
    Refused,
    Subscribed,
    Undelivered,
    fits,
)
from cavet.protocols.mqtt import Filter
from cavet.record import Kind, Tell, Topic
from cavet.wording import digits, from_to, plain

UPTIME = "uptime"
"""What a field of the health says for the seconds since the station was started."""
MAX_SHOWN = 60
MODES = {
    "switch": PinMode.OUTPUT,
    "level": PinMode.PWM,
    "pulse": PinMode.OUTPUT,
    "text": PinMode.OUTPUT,
    "tone": PinMode.TONE,
}
"""What a topic can do, and how its pin is used for that."""


class TopicSettings(msgspec.Struct, frozen=True, kw_only=True):
    """What a station does at a command topic. `low` to `high` are the limits of a number; a pulse's is in ms."""

    name: str
    command: str
    state: str = ""
    does: str = "switch"
    pin: int
    form: PayloadForm = PayloadForm(kind="words")
    low: float = 0.0
    high: float = 100.0
    qos: int = 1
    retain: bool = True
    """Whether its reports are kept by the broker."""


class HealthSettings(msgspec.Struct, frozen=True, kw_only=True):
    """A number of its health: what it is, and with how many decimals it is told."""

    of: Expression
    decimals: int = 2


class StationSettings(msgspec.Struct, frozen=True, kw_only=True):
    """All that a station has on its broker: full topics, and what it says of its health."""

    client: ClientSettings
    topics: tuple[TopicSettings, ...] = ()
    presence: str = ""
    here: str = "here"
    gone: str = "gone"
    health: str = ""
    every: float = 5.0
    fields: dict[str, HealthSettings] = {}

    @property
    def expressions(self) -> dict[str, Expression]:
        """What its health measures, by its names."""
        return {name: field.of for name, field in self.fields.items() if field.of.text != UPTIME}


class Station(Firmware):
    """The firmware of such a board. It has one link, to its broker."""

    def __init__(
        self, settings: StationSettings, circuit: Circuit, tell: Tell, read: dict[str, Callable[[], float]]
    ) -> None:
        super().__init__()
        self._settings = settings
        self._circuit = circuit
        self._tell = tell
        self._read = read
        self._mqtt = MqttClient(_with_will(settings))
        self._client: Client | None = None
        self._began = 0.0
        self._health_at = inf
        self.listens = False
        """Whether the broker has granted its command topics."""
        self._pulses: dict[int, tuple[float, int]] = {}
        """By pin: when it ends, and by which event it began."""
        self._signals = {
            topic.name: Signal(circuit, topic.pin, (topic.low, topic.high), MODES[topic.does])
            for topic in settings.topics
        }

    # the board's life

    def start(self, now: float) -> None:
        """Begin anew, as after power-on."""
        self._mqtt = MqttClient(_with_will(self._settings))
        self._began = now
        self._pulses.clear()
        for topic in self._settings.topics:
            self._signals[topic.name].forget()
            self._circuit.set_mode(topic.pin, MODES[topic.does], now, None)

    def stop(self, now: float) -> None:
        """It is switched off in good order: it says so itself."""
        if self._settings.presence and self._client is not None:
            self._publish(self._settings.presence, self._settings.gone.encode(), None, now, retain=True)
        self._mqtt.disconnect(now)
        self._collect(now)

    def joined(self, client: Client, now: float) -> None:
        """The link to the broker is open."""
        self._client = client
        self._mqtt.opened(now)
        self._collect(now)

    def left(self, client: Client, now: float) -> None:
        """It is shut."""
        if client is self._client:
            self._client = None
            self._health_at = inf
            self.listens = False
            self._mqtt.lost()

    def pins_driven(self, pins: list[Pin], now: float) -> None:
        """A reflex has worked pins, or the end of a pulse: report them."""
        numbers = {pin.number for pin in pins}
        for topic in self._settings.topics:
            if topic.pin in numbers:
                self._report(topic, self._circuit.pins[topic.pin].cause, now)
        self._collect(now)

    def was_away(self, seconds: float) -> None:
        self._mqtt.extend(seconds)

    def advance(self, now: float) -> float:
        due = self._mqtt.advance(now)
        for number, (ends, cause) in list(self._pulses.items()):
            if now >= ends:
                del self._pulses[number]
                self._circuit.write_level(number, False, now, cause)
                self.pins_driven([self._circuit.pins[number]], now)
        if now >= self._health_at:
            self._tell_health(now)
        self._collect(now)
        return min([due, self._health_at, *(ends for ends, _ in self._pulses.values())])

    # talking to the broker

    def feed(self, client: Client, data: bytes, now: float, cause_of: CauseOf) -> None:
        self._mqtt.feed(data, now)
        self._collect(now, cause_of)

    def _collect(self, now: float, cause_of: CauseOf | None = None) -> None:
        """Take what has happened, and what is to be sent."""
        for happening in self._mqtt.take_happened():
            self._take(happening, now, cause_of)
        if self._client is None:
            self._mqtt.take_out()
            return
        for outgoing in self._mqtt.take_out():
            self._out.append(Outgoing(self._client, outgoing.data, outgoing.ref, now))
        if self._mqtt.hang_up:
            self._tell(Kind.REMARK, Topic.BOARD, "", None, None, self._mqtt.hang_up)
            self._out.append(Outgoing(self._client, b"", None, now, hangs_up=True))
            self._mqtt.lost()

    def _take(self, happening: Happening, now: float, cause_of: CauseOf | None) -> None:
        if isinstance(happening, Connected):
            self._announce(now)
        elif isinstance(happening, Arrived) and cause_of is not None:
            self._hear(happening.publication, cause_of(happening.frame), now)
        elif isinstance(happening, Undelivered):
            self._tell(Kind.LOST, Topic.MESSAGE, "report", None, happening.ref, happening.why)
        elif isinstance(happening, Noted):
            self._tell(Kind.REMARK, Topic.BOARD, "", None, None, happening.words)
        elif isinstance(happening, Refused):
            self._tell(Kind.REMARK, Topic.BOARD, "", happening.code, None, happening.tells)
        elif isinstance(happening, Subscribed) and happening.code < 0x80:
            self.listens = True
        elif isinstance(happening, Subscribed):
            words = f"the broker does not grant {plain(happening.filter, MAX_SHOWN)}: {happening.words}"
            self._tell(Kind.REMARK, Topic.BOARD, "", happening.code, None, words)

    def _announce(self, now: float) -> None:
        """It was let in: say how everything stands, and that it is there; listen for commands."""
        self.listens = not self._settings.topics
        if self._settings.topics:
            self._mqtt.subscribe([Filter(topic.command, 1) for topic in self._settings.topics], now)
        for topic in self._settings.topics:
            self._report(topic, None, now)
        if self._settings.presence:
            self._publish(self._settings.presence, self._settings.here.encode(), None, now, retain=True)
        if self._settings.health:
            self._tell_health(now)

    def _publish(
        self, topic: str, payload: bytes, cause: int | None, now: float, *, retain: bool, qos: int = 1
    ) -> None:
        told = self._tell(Kind.TOLD, Topic.MESSAGE, topic, payload, cause)
        self._mqtt.publish(Publication(topic, payload, qos, retain), told, now)

    def _report(self, topic: TopicSettings, cause: int | None, now: float) -> None:
        if topic.state and not self._circuit.mute:
            payload = topic.form.encode(self._standing(topic, now))
            self._publish(topic.state, payload, cause, now, retain=topic.retain, qos=topic.qos)

    def _standing(self, topic: TopicSettings, now: float) -> Any:
        if topic.does == "text":
            return self._circuit.pins[topic.pin].text
        signal = self._signals[topic.name]
        return signal.read(now) if topic.does in ("level", "tone") else signal.level()

    def _tell_health(self, now: float) -> None:
        """Say the health, and when next."""
        self._health_at = now + self._circuit.pace * self._settings.every
        fields = {name: self._measure(name, field, now) for name, field in self._settings.fields.items()}
        self._publish(self._settings.health, msgspec.json.encode(fields), None, now, retain=False, qos=0)

    def _measure(self, name: str, field: HealthSettings, now: float) -> float | int | None:
        if field.of.text == UPTIME:
            return int(now - self._began)
        value = self._read[name]()
        return round(value, field.decimals or None) if isfinite(value) else None

    # doing what it is told

    def _hear(self, publication: Publication, cause: int, now: float) -> None:
        for topic in self._settings.topics:
            if fits(topic.command, publication.topic):
                self._do(topic, publication, cause, now)

    def _do(self, topic: TopicSettings, publication: Publication, cause: int, now: float) -> None:
        payload = publication.payload
        try:
            value = topic.form.decode(payload)
            if topic.does == "switch" and isinstance(value, str):
                raise PayloadError(f'found "{plain(value, MAX_SHOWN)}", expected true or false')
            if topic.does in ("level", "pulse", "tone"):
                self._check_limits(topic, float(value))
        except (PayloadError, ValueError) as error:
            self._tell(Kind.REFUSED, Topic.MESSAGE, topic.name, payload, cause, f"{topic.command}: {error}")
            return
        taken = self._tell(
            Kind.TAKEN, Topic.MESSAGE, topic.name, payload, cause, plain(payload.decode("utf-8", "replace"), MAX_SHOWN)
        )
        try:
            self._work(topic, value, taken, now)
        except PinRefusedError as refusal:
            self._tell(Kind.REFUSED, Topic.MESSAGE, topic.name, payload, taken, str(refusal))
            return
        self._report(topic, self._circuit.pins[topic.pin].cause, now)

    def _check_limits(self, topic: TopicSettings, value: float) -> None:
        if not topic.low <= value <= topic.high:
            raise PayloadError(f"found {digits(value)}, expected {from_to(topic.low, topic.high)}")

    def _work(self, topic: TopicSettings, value: Any, taken: int, now: float) -> None:
        if topic.does == "text":
            self._circuit.write_text(topic.pin, str(value), now, taken)
        elif topic.does == "pulse":
            self._pulses.pop(topic.pin, None)
            seconds = float(value) / 1000
            self._circuit.write_level(topic.pin, seconds > 0, now, taken)
            if seconds > 0:
                self._pulses[topic.pin] = (now + seconds, taken)
        else:
            self._signals[topic.name].write(float(value), now, taken)


def _with_will(settings: StationSettings) -> ClientSettings:
    if not settings.presence:
        return settings.client
    return msgspec.structs.replace(
        settings.client, will=Publication(settings.presence, settings.gone.encode(), 1, True)
    )
