"""The host's side of Firmata: finds out what the board can do, brings its pins into their modes, asks and confirms."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable
from math import inf
from typing import Any

import msgspec

from cavet.hosts._confirming import Confirming, Wish
from cavet.hosts._point import Asked, Point, PointKind
from cavet.hosts._session import Manners, Reading, Said, SessionState, Tell
from cavet.protocols import Frame, Message, Side, firmata
from cavet.record import READ_BACK, Kind
from cavet.wording import WrongError, listed, nearest, plain

MODES = {
    "input": firmata.Mode.INPUT,
    "pull-up": firmata.Mode.PULLUP,
    "output": firmata.Mode.OUTPUT,
    "pwm": firmata.Mode.PWM,
    "servo": firmata.Mode.SERVO,
    "analog": firmata.Mode.ANALOG,
}
SET_UP = "set-up"
LAST_SHORT_PIN = 15
"""The last pin that an analog message can address; beyond it the extended one is used."""
LAST_CHANNEL = 15
"""The last analog channel that can be reported."""
MAX_TEXTS = 50

FindCause = Callable[[int], int | None]


class _Learned(msgspec.Struct):
    """What the board has told of itself."""

    version: tuple[int, int] | None = None
    name: str = ""
    abilities: list[dict[int, int]] | None = None
    channels: bytes | None = None
    states: dict[int, tuple[int, int]] = {}
    """For each pin the mode and the state in which it was found."""


class FirmataSession:
    """Talks to one board. Feed it what arrives, call `advance` when it says, send what `take_out` gives."""

    def __init__(self, board: str, points: Iterable[Point], manners: Manners, tell: Tell) -> None:
        self.board = board
        self.points = {point.name: point for point in points}
        self.readings = {name: Reading() for name in self.points}
        self.state = SessionState.SHUT
        self.learned = _Learned()
        self.texts: deque[str] = deque(maxlen=MAX_TEXTS)
        """What the board has said in words, made fit to show."""
        self.round_trip: float | None = None
        self._manners = manners
        self._tell = tell
        self._decoder = firmata.FirmataDecoder(Side.BOARD)
        self._out = bytearray()
        self._out_frames: list[tuple[int, int]] = []
        self._deadline = inf
        self._tries = 0
        self._pending: dict[str, Wish] = {}
        self._confirming = Confirming(manners, tell)
        self._written: dict[int, int] = {}
        self._inputs_of: dict[int, list[Point]] = {}
        self._handlers: dict[type[Message], Callable[[Any, float, int | None], None]] = {
            firmata.ProtocolVersion: self._hear_version,
            firmata.FirmwareReport: self._hear_firmware,
            firmata.CapabilityResponse: self._hear_capabilities,
            firmata.AnalogMappingResponse: self._hear_mapping,
            firmata.PinStateResponse: self._hear_pin_state,
            firmata.AnalogMessage: self._hear_analog,
            firmata.DigitalMessage: self._hear_port,
            firmata.StringData: self._hear_text,
        }

    # the link

    def opened(self, now: float) -> None:
        """The link is open: the board may have been reset by that, so wait for it to speak first."""
        self._decoder = firmata.FirmataDecoder(Side.BOARD)
        self._forget_out()
        self.learned = _Learned()
        self._written.clear()
        self._enter(SessionState.BOOTING, now + self._manners.boot_wait)

    def lost(self, reason: str) -> None:
        """The link is gone. What was asked stays asked, and is sent anew once it is back."""
        self._confirming.abandon(f"the link was lost: {reason}")
        self._forget_out()
        self._enter(SessionState.SHUT, inf)

    def _forget_out(self) -> None:
        self._out.clear()
        self._out_frames.clear()

    def _enter(self, state: SessionState, deadline: float) -> None:
        self._deadline = deadline
        self._tries = 0
        if state is not self.state:
            self.state = state
            self._tell(Kind.LINK, "session", self.board, state.value)

    def feed(self, data: bytes, now: float, find_cause: FindCause) -> None:
        """Hear bytes. `find_cause` gives the event behind a frame by the offset behind it in the stream."""
        for frame in self._decoder.feed(data):
            self._take(frame, now, find_cause(frame.end))

    def _take(self, frame: Frame, now: float, cause: int | None) -> None:
        if not frame.readable:
            if self.state is SessionState.READY:
                self._tell(Kind.LOST, "bytes", str(len(frame.data)), frame.data, cause, frame.problems[0])
            return
        handler = self._handlers.get(type(frame.message))
        if handler is not None:
            handler(frame.message, now, cause)

    def take_out(self) -> Said | None:
        """Give what is to be sent, `None` for nothing, and forget it."""
        if not self._out:
            return None
        said = Said(bytes(self._out), tuple(self._out_frames))
        self._forget_out()
        return said

    def _send(self, message: Message, cause: int | None, topic: str, subject: str, note: str = "") -> int:
        data = firmata.encode(message)
        framed = self._tell(Kind.FRAMED, topic, subject, data, cause, note)
        self._out += data
        self._out_frames.append((len(self._out), framed))
        return framed

    def _set_up(self, message: Message) -> None:
        self._send(message, None, "board", self.board, SET_UP)

    # coming to know the board

    def advance(self, now: float) -> float:
        """Do what is due; give when something is due next."""
        if now >= self._deadline:
            self._overdue(now)
        for wish in self._confirming.overdue(now):
            self._write(wish, now, again=True)
        return min(self._deadline, self._confirming.due)

    def _overdue(self, now: float) -> None:
        if self.state is SessionState.BOOTING:
            self._enter(SessionState.ASKING, now + self._manners.reply_within)
            self._ask_who()
            return
        self._tries += 1
        if self.state is SessionState.SILENT:
            self._deadline = now + self._manners.boot_wait
            self._ask_who()
        elif self._tries > self._manners.retries:
            self._enter(SessionState.SILENT, now + self._manners.boot_wait)
        else:
            self._deadline = now + self._manners.reply_within
            (self._ask_who if self.state is SessionState.ASKING else self._ask_what)()

    def _ask_who(self) -> None:
        self._set_up(firmata.VersionQuery())
        self._set_up(firmata.FirmwareQuery())

    def _hear_version(self, message: firmata.ProtocolVersion, now: float, cause: int | None) -> None:
        self.learned.version = (message.major, message.minor)

    def _hear_firmware(self, message: firmata.FirmwareReport, now: float, cause: int | None) -> None:
        self.learned.name = plain(message.name, 60)
        if self.state in (SessionState.BOOTING, SessionState.ASKING, SessionState.SILENT):
            self._enter(SessionState.LEARNING, now + self._manners.reply_within)
            self._ask_what()

    def _ask_what(self) -> None:
        if self.learned.abilities is None:
            self._set_up(firmata.CapabilityQuery())
        if self.learned.channels is None:
            self._set_up(firmata.AnalogMappingQuery())
        for pin in self._pins():
            if pin not in self.learned.states:
                self._set_up(firmata.PinStateQuery(pin=pin))

    def _pins(self) -> list[int]:
        return sorted({pin for point in self.points.values() for pin in point.modes()})

    def _hear_capabilities(self, message: firmata.CapabilityResponse, now: float, cause: int | None) -> None:
        self.learned.abilities = [{ability.mode: ability.resolution for ability in pin} for pin in message.pins]
        self._drop_missing_pins()
        self._learned_more(now)

    def _drop_missing_pins(self) -> None:
        """A pin that the board has not got will never tell its state."""
        assert self.learned.abilities is not None
        for pin in self._pins():
            if pin >= len(self.learned.abilities):
                self.learned.states.setdefault(pin, (0, 0))

    def _hear_mapping(self, message: firmata.AnalogMappingResponse, now: float, cause: int | None) -> None:
        self.learned.channels = message.channels
        self._learned_more(now)

    def _learned_more(self, now: float) -> None:
        learned = self.learned
        if self.state is not SessionState.LEARNING:
            return
        self._tries = 0
        self._deadline = now + self._manners.reply_within
        if learned.abilities is None or learned.channels is None or len(learned.states) < len(self._pins()):
            return
        for point in self.points.values():
            self._refuse_or_set_up(point, now)
        self._begin_reports()
        self._enter(SessionState.READY, inf)
        self._send_pending(now)

    def _refuse_or_set_up(self, point: Point, now: float) -> None:
        reading = self.readings[point.name]
        reading.refusal = self._refusal(point)
        if reading.refusal:
            self._tell(Kind.REMARK, "point", point.name, None, None, reading.refusal)
            return
        for pin, mode in point.modes().items():
            found_mode, found_state = self.learned.states[pin]
            if found_mode != MODES[mode]:
                self._set_up(firmata.SetPinMode(pin=pin, mode=MODES[mode]))
                found_state = 0
            self._written[pin] = found_state
        if point.kind.is_output:
            self._compare_start(point, now)

    def _refusal(self, point: Point) -> str:
        """Say why a point can't work on this board, and which pins would do; "" when it can."""
        abilities = self.learned.abilities or []
        for pin, mode in point.modes().items():
            if pin >= len(abilities):
                return f"there is no pin {pin} on this board: it has 0 to {len(abilities) - 1}"
            if MODES[mode] not in abilities[pin]:
                able = [number for number, modes in enumerate(abilities) if MODES[mode] in modes]
                return f"pin {pin} has no {mode} on this board; {mode} is on {listed(able, 'and') or 'no pin'}"
        if point.kind is PointKind.READING and self._channel(point.pin) is None:
            return f"pin {point.pin} has no analog channel on this board"
        return ""

    def _channel(self, pin: int) -> int | None:
        channels = self.learned.channels or b""
        return channels[pin] if pin < len(channels) and channels[pin] <= LAST_CHANNEL else None

    def _compare_start(self, point: Point, now: float) -> None:
        """Say where the board stands elsewhere than the host believes; adopt what an unreset board does."""
        reading = self.readings[point.name]
        found = self._board_value(point)
        reading.got, reading.got_at = found, now
        if reading.asked is None and point.start is not None and found != point.from_wire(point.to_wire(point.start)):
            note = f"starts at {point.show(point.start)} for the host, but the board stands at {point.show(found)}"
            reading.remark = note
            self._tell(Kind.REMARK, "point", point.name, None, None, note)
        elif reading.asked is not None and point.name not in self._pending:
            self._pending[point.name] = Wish(point, reading.asked, self._wish_again(point, reading), forced=True)

    def _wish_again(self, point: Point, reading: Reading) -> int:
        value = reading.asked
        number = self._tell(Kind.ASKED, "point", point.name, value, None, "again, since the link is back")
        reading.trail = number
        return number

    def _board_value(self, point: Point) -> Asked | None:
        raw: float = self._written[point.pin]
        if point.kind is PointKind.BRIDGE and point.astern is not None and self._written[point.astern]:
            raw = -raw
        if point.mode == "servo" and raw == 0:
            return None  # it gives no pulses yet, so it stands where it was left
        return point.from_wire(raw)

    def _begin_reports(self) -> None:
        if self._manners.sampling:
            self._set_up(firmata.SamplingInterval(interval=round(self._manners.sampling * 1000)))
        self._inputs_of.clear()
        ports: set[int] = set()
        for point in self.points.values():
            if point.kind.is_output or self.readings[point.name].refusal:
                continue
            self._inputs_of.setdefault(point.pin, []).append(point)
            if point.kind is PointKind.READING:
                channel = self._channel(point.pin)
                assert channel is not None  # else the point was refused
                self._set_up(firmata.ReportAnalogPin(pin=channel, value=1))
            else:
                ports.add(point.pin // 8)
        for port in sorted(ports):
            self._set_up(firmata.ReportDigitalPort(port=port, value=1))

    # asking

    def ask(self, name: str, value: Asked, now: float, *, by: str = "", forced: bool = False) -> int:
        """Want a point at a value; give the event that its trail begins with.

        It is limited, refused, sent, or kept until the board is ready. `forced` sends it even if it stands there.
        """
        point = self._output(name)
        limited = point.limited(value)
        asked = self._tell(Kind.ASKED, "point", name, limited, None, by)
        if limited != value:
            note = f"{point.show(value)} lies outside {point.show(point.low)} to {point.show(point.high)}"
            self._tell(Kind.LIMITED, "point", name, limited, asked, note)
        reading = self.readings[name]
        reading.asked, reading.asked_at, reading.trail, reading.remark = limited, now, asked, ""
        if reading.refusal and self.state is SessionState.READY:
            self._tell(Kind.REFUSED, "point", name, None, asked, reading.refusal)
            return asked
        wish = Wish(point, limited, asked, forced)
        if self.state is SessionState.READY:
            self._write(wish, now)
        else:
            older = self._pending.pop(name, None)
            if older is not None:
                self._tell(
                    Kind.OVERTAKEN, "point", name, older.value, older.asked, "a newer wish came before it was sent"
                )
            self._pending[name] = wish
        return asked

    def _output(self, name: str) -> Point:
        if name not in self.points:
            raise WrongError(
                self.board, found=name, expected=f"one of {listed(self.points)}", nearest=nearest(name, self.points)
            )
        point = self.points[name]
        if not point.kind.is_output:
            raise WrongError(f"{self.board}.{name}", found="an input", expected="an output")
        return point

    def rest(self, now: float, by: str) -> list[int]:
        """Send every output to its rest value, also those that are believed to stand there."""
        outputs = [point for point in self.points.values() if point.kind.is_output]
        return [self.ask(point.name, self._rest(point), now, by=by, forced=True) for point in outputs]

    def _rest(self, point: Point) -> Asked:
        return bool(point.rest) if point.kind.is_switch else point.rest

    def _send_pending(self, now: float) -> None:
        pending, self._pending = list(self._pending.values()), {}
        for wish in pending:
            refusal = self.readings[wish.point.name].refusal
            if refusal:
                self._tell(Kind.REFUSED, "point", wish.point.name, None, wish.asked, refusal)
            else:
                self._write(wish, now)

    def _write(self, wish: Wish, now: float, *, again: bool = False) -> None:
        wanted = self._wanted(wish)
        changes = {pin: raw for pin, raw in wanted.items() if again or wish.forced or self._written.get(pin) != raw}
        if not changes:
            self._tell(Kind.UNCHANGED, "point", wish.point.name, wish.value, wish.asked, "it was asked for already")
            return
        if again:
            self._tell(Kind.RESENT, "point", wish.point.name, wish.value, wish.asked, f"try {wish.tries + 1}")
        for pin, raw in changes.items():
            self._written[pin] = raw
            self._send(self._message(wish.point, pin, raw), wish.asked, "point", wish.point.name)
        if wish.point.confirm:
            for pin in wanted:
                self._send(firmata.PinStateQuery(pin=pin), wish.asked, "point", wish.point.name, READ_BACK)
            self._confirming.wait(wish, wanted, now)

    def _wanted(self, wish: Wish) -> dict[int, int]:
        """The number for each of the point's pins; for a bridge the direction's lines come before the power."""
        point, value = wish.point, wish.value
        power = point.to_wire(value)
        if point.kind is not PointKind.BRIDGE or point.ahead is None or point.astern is None:
            return {point.pin: power}
        return {point.ahead: int(float(value) > 0), point.astern: int(float(value) < 0), point.pin: power}

    def _message(self, point: Point, pin: int, raw: int) -> Message:
        if point.modes()[pin] == "output":
            return firmata.SetDigitalPinValue(pin=pin, value=raw)
        if pin > LAST_SHORT_PIN:
            return firmata.ExtendedAnalog(pin=pin, value=raw)
        return firmata.AnalogMessage(pin=pin, value=raw)

    # hearing

    def _hear_pin_state(self, message: firmata.PinStateResponse, now: float, cause: int | None) -> None:
        if self.state is SessionState.LEARNING:
            self.learned.states[message.pin] = (message.mode, message.state)
            self._learned_more(now)
            return
        done = self._confirming.hear(message.pin, message.state, now)
        if done is None:
            return
        wish, agrees, took = done
        reading = self.readings[wish.point.name]
        if agrees:
            self.round_trip = took
            reading.got, reading.got_at = wish.value, now
            self._tell(Kind.CONFIRMED, "point", wish.point.name, wish.value, wish.asked)
        elif wish.tries < self._manners.retries:
            wish.tries += 1
            self._write(wish, now, again=True)
        else:
            note = f"read back {message.state} from pin {message.pin}, expected {self._wanted(wish)[message.pin]}"
            self._tell(Kind.UNCONFIRMED, "point", wish.point.name, None, wish.asked, note)

    def _hear_analog(self, message: firmata.AnalogMessage, now: float, cause: int | None) -> None:
        pin = (self.learned.channels or b"").find(message.pin)
        for point in self._inputs_of.get(pin, ()):
            self._heard(point, point.from_wire(message.value), now, cause)

    def _hear_port(self, message: firmata.DigitalMessage, now: float, cause: int | None) -> None:
        for bit in range(8):
            for point in self._inputs_of.get(8 * message.port + bit, ()):
                if point.kind is PointKind.CONTACT:
                    self._heard(point, point.from_wire(message.value >> bit & 1), now, cause)

    def _heard(self, point: Point, value: Asked, now: float, cause: int | None) -> None:
        reading = self.readings[point.name]
        reading.got_at = now
        if value != reading.got:
            reading.got = value
            self._tell(Kind.HEARD, "point", point.name, value, cause)

    def _hear_text(self, message: firmata.StringData, now: float, cause: int | None) -> None:
        text = plain(message.text, 200)
        self.texts.append(text)
        self._tell(Kind.HEARD, "text", self.board, text, cause)
