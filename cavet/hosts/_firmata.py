"""The host's side of Firmata: finds out what the board can do, brings its pins into their modes, asks and confirms."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from math import inf
from typing import Any

from cavet.hosts._base import FindCause, Wish
from cavet.hosts._confirming import ANSWER_BYTES, Confirming, Looks
from cavet.hosts._firmata_inputs import Inputs
from cavet.hosts._firmata_learned import MODES, Learned, Modes
from cavet.hosts._firmata_learning import LEARNING, FirmataLearning
from cavet.hosts._firmata_pins import message_for, numbers_for, value_of
from cavet.hosts._point import ENCODER, SERVO, STEPPER, PointKind
from cavet.hosts._points import DevicePoint, PinPoint
from cavet.hosts._reversing import Reversing
from cavet.hosts._rhythm import Rhythm
from cavet.hosts._session import SessionSettings, SessionState
from cavet.hosts._shafts import Shafts
from cavet.hosts.buses import DeviceSettings
from cavet.protocols import Frame, Message, Side, firmata
from cavet.record import Kind, Purpose, Reason, Tell, Topic
from cavet.wording import counted, plain

ELSEWHERE = -1
"""What no pin stands at: told of one that is in another mode."""


class FirmataSession(FirmataLearning):
    """Finds out what the board can do, brings its pins into their modes, works its bus, asks and confirms."""

    protocol = "firmata"

    def __init__(
        self, board: str, points: Iterable[PinPoint | DevicePoint], settings: SessionSettings, tell: Tell,
        devices: Mapping[str, DeviceSettings] | None = None,
    ) -> None:  # fmt: skip
        super().__init__(board, points, settings, tell, devices or {})
        self._modes = Modes(self._pin_points.values())
        self._mistrusted = False
        """Whether it was set up again for a pin in another mode, and nothing was confirmed since."""
        self._alive = Rhythm(settings.alive)
        self._decoder = firmata.FirmataDecoder(Side.BOARD)
        self._confirming = Confirming(self._overtake)
        self._shafts = Shafts(self._pin_points.values(), self.answer_by, self._send, self._overtake)
        self._waits += [self._confirming, self._shafts]
        self._reversing = Reversing()
        self._written: dict[int, int] = {}
        self._looks = Looks()
        self._inputs = Inputs()
        self._handlers: dict[type[Message], Callable[[Any, float, int | None], None]] = {
            firmata.ProtocolVersion: self._hear_version,
            firmata.FirmwareReport: self._hear_firmware,
            firmata.CapabilityResponse: self._hear_capabilities,
            firmata.AnalogMappingResponse: self._hear_mapping,
            firmata.PinStateResponse: self._hear_pin_state,
            firmata.AnalogMessage: self._hear_analog,
            firmata.DigitalMessage: self._hear_port,
            firmata.StringData: self._hear_text,
            firmata.I2cReply: self._hear_bus,
            firmata.EncoderPosition: self._hear_encoders,
            firmata.StepperMoveComplete: self._hear_stepper,
        }

    # the link

    def opened(self, now: float) -> None:
        """The link is open: the board may have been reset by that, so wait for it to speak first."""
        self._decoder = firmata.FirmataDecoder(Side.BOARD)
        self._forget_out()
        self._forget_board()
        self._begin_to_learn(now + self._settings.boot_wait)

    def lost(self, reason: str) -> None:
        """The link is gone. What was asked stays asked, and is sent anew once it is back."""
        self._abandon(f"the link was lost: {reason}", reason, Reason.LINK_LOST)
        super().lost(reason)

    def _abandon(self, why: str, words: str, reason: Reason) -> None:
        """Nothing that was asked is waited for any more."""
        self._inputs.due = inf
        for wish in [*self._confirming.abandon(), *self._shafts.abandon()]:
            self._give_up(wish, why, reason)
        for wish in self._reversing.forget():
            self._pending[wish.point.name] = wish
        self._end_devices(words)

    def _forget_board(self) -> None:
        """What was learned of it does not hold any more."""
        self.learned = Learned()
        self._written.clear()
        self._looks.clear()

    def _started_anew(self, cause: int | None) -> None:
        words, version = "the board has started anew", self.learned.version  # it was said just before
        self._set_up_again(words, f"{words}: it says unasked who it is", Reason.BEGAN_ANEW, cause)
        self.learned.version = version
        self._begin_to_learn(inf)

    def _set_up_again(self, why: str, words: str, reason: Reason, cause: int | None) -> None:
        self._tell(Kind.REMARK, Topic.BOARD, self.board, None, cause, words)
        self._abandon(why, why, reason)
        self._forget_board()

    def comes(self, size: int) -> None:
        """Where it is a system exclusive message that comes: the board says short ones unasked."""
        if self._decoder.is_inside:
            self.was_away(size * self.byte_seconds)

    def feed(self, data: bytes, now: float, find_cause: FindCause) -> None:
        """Hear bytes. `find_cause` gives the event behind a frame. What an analog input tells answers nothing."""
        stirred = False
        for frame in self._decoder.feed(data):
            stirred = stirred or type(frame.message) is not firmata.AnalogMessage
            self._take(frame, now, find_cause(frame))
        self.stirred = stirred

    def _take(self, frame: Frame, now: float, cause: int | None) -> None:
        if not frame.readable:
            if self.state is SessionState.READY:
                self._tell(Kind.LOST, Topic.BYTES, str(len(frame.data)), frame.data, cause, frame.problems[0])
                self._inputs.doubt(now)
            return
        handler = self._handlers.get(type(frame.message))
        if handler is not None:
            handler(frame.message, now, cause)

    # coming to know the board

    def advance(self, now: float) -> float:
        if now >= self._deadline:
            self._overdue(now)
        due = min(self._confirming.due, self._shafts.due, self._reversing.due)
        if now >= due:
            for wish in self._reversing.overdue(now):
                self._write(wish, now)
            for waiting in self._confirming.overdue(now):
                wish, self._owed.is_late = waiting.wish, True
                if not self._try_again(wish, now):
                    self._give_up(
                        wish, f"no answer to {counted(wish.tries + 1, 'try')}, {self._within}", Reason.NO_ANSWER
                    )
            for going in self._shafts.overdue(now):
                self._missed(going.wish, "it was not told that it has arrived", now, Reason.NO_ANSWER)
            due = min(self._confirming.due, self._shafts.due, self._reversing.due)
        for message in self._inputs.again(now):
            self._set_up(message)
        due = min(due, self._deadline, self._inputs.due)
        if self.state is not SessionState.READY:
            self._alive.stand()
            return due
        if self._alive.has_come(now):
            self._ask_version(Purpose.POLL, now)
        return min(due, self._alive.due, self._advance_devices(now))

    def _set_up_points(self, now: float) -> None:
        for point in self._pin_points.values():
            self._refuse_or_set_up(point, now)
        self._shafts.begin(lambda point: bool(self.readings[point.name].refusal))
        self._begin_reports()
        self._enter(SessionState.READY, inf)
        self._begin_bus(now)
        self._send_pending(now)

    def _refuse_or_set_up(self, point: PinPoint, now: float) -> None:
        refusal = self.learned.refusal(point)
        if refusal:
            self._refuse(point, refusal)
            return
        self.readings[point.name].refusal = ""
        if point.mode in (STEPPER, ENCODER):
            if point.mode == STEPPER:
                self._find_shaft(point, now)
            return
        found = {}
        for pin, mode in point.modes().items():
            found_mode, found_state = self.learned.states[pin]
            if found_mode != MODES[mode]:
                self._set_up(firmata.SetPinMode(pin=pin, mode=MODES[mode]))
                found_state = 0
            found[pin] = found_state
        if point.mode == SERVO and not found[point.pin]:
            self._written.pop(point.pin, None)
        else:
            self._written.update(found)
        if point.kind.is_output:
            cause = self.learned.told.get(point.pin)
            self._compare_start(point, value_of(point, found, self._written), now, cause)

    def _find_shaft(self, point: PinPoint, now: float) -> None:
        """The board counts a stepper's steps from where it stands. That is where it was sent last: it is not asked for
        that again, by which it would go as far once more."""
        reading = self.readings[point.name]
        if reading.asked is None:
            self._compare_start(point, point.from_wire(0), now)
            return
        if reading.doubtful:
            self._shafts.lose(point.name)
        place = self._shafts.place(point.name)
        if place is not None:
            self._heard(point, point.from_wire(place), now, None)
            return
        reading.hear(None, now)
        reading.remark = "it was on its way when the link was lost: where it stands now counts as 0"
        self._tell(Kind.REMARK, Topic.POINT, point.name, None, None, reading.remark)

    def _begin_reports(self) -> None:
        if self._settings.sampling:
            self._set_up(firmata.SamplingInterval(interval=round(self._settings.sampling * 1000)))
        inputs = [
            point for point in self._pin_points.values()
            if not point.kind.is_output and point.mode != ENCODER and not self.readings[point.name].refusal
        ]  # fmt: skip
        for message in self._inputs.begin(inputs, self.learned.channel, self._interrupts()):
            self._set_up(message)
        for pin in self._interrupts():
            if self.learned.states[pin][0] != firmata.Mode.PULLUP:
                self._set_up(firmata.SetPinMode(pin=pin, mode=firmata.Mode.PULLUP))
        for message in self._inputs.switch_on():
            self._set_up(message)

    # asking

    def _write(self, wish: Wish, now: float, *, again: bool = False) -> None:
        if wish.point.name not in self._pin_points:
            self._write_device(wish, now)
            return
        anew = again or wish.forced or self.readings[wish.point.name].doubtful
        if self._pin_points[wish.point.name].mode == STEPPER:
            if not anew and self._shafts.was_asked(wish):
                self._leave(wish)
                return
            if again:
                self._tell_again(wish)
            self._shafts.write(wish, now)
            return
        older = None if again else self._reversing.overtaken(wish.point.name)
        if older is not None and older is not wish:
            self._overtake(older, "a newer wish came while the motor had its pause")
        if self._reversing.holds(wish, self._pin_points[wish.point.name], now):
            self._stop(wish)
            return
        wanted = numbers_for(self._pin_points[wish.point.name], wish.value)
        changes = {pin: raw for pin, raw in wanted.items() if anew or self._written.get(pin) != raw}
        if not changes:
            self._leave(wish)
            return
        if again:
            self._tell_again(wish)
        for pin, raw in changes.items():
            self._written[pin] = raw
            self._send(
                message_for(self._pin_points[wish.point.name], pin, raw), wish.asked, Topic.POINT, wish.point.name
            )
        if wish.point.confirm:
            for pin in wanted:
                self._will_ask(pin, wish, now)
                self._send(
                    firmata.PinStateQuery(pin=pin), wish.asked, Topic.POINT, wish.point.name, purpose=Purpose.READ_BACK
                )
            self._confirming.wait(wish, wanted, now, self.answer_by(now, ANSWER_BYTES))
        else:
            self.readings[wish.point.name].assume(wish.value)

    def _stop(self, wish: Wish) -> None:
        """Take the power away, before the pause."""
        point = self._pin_points[wish.point.name]
        if self._written.get(point.pin):
            self._written[point.pin] = 0
            self._send(message_for(point, point.pin, 0), wish.asked, Topic.POINT, point.name, purpose=Purpose.RELEASE)

    def look(self, name: str, now: float) -> bool:
        point = self.points[name]
        if isinstance(point, DevicePoint):
            return self._look_at_device(point, now)
        if self.state is not SessionState.READY:
            return True
        if point.mode == ENCODER:
            self._send(
                firmata.EncoderReportPosition(encoder=self._shafts.encoders.index(point)), None, Topic.POINT, name
            )
        elif point.kind is PointKind.CONTACT:  # switched on anew, a port's reports begin with how it stands
            self._send(firmata.ReportDigitalPort(port=point.pin // 8, value=1), None, Topic.POINT, name)
        elif point.kind.is_output and point.mode != STEPPER:
            for pin in self._looks.begin(point):
                self._will_ask(pin, self._looks, now)
                self._send(firmata.PinStateQuery(pin=pin), None, Topic.POINT, name)
        return point.mode != STEPPER  # readings are reported by themselves

    # hearing

    def _hear_pin_state(self, message: firmata.PinStateResponse, now: float, cause: int | None) -> None:
        asked_for = self._take_answer(message.pin, now)
        if self.state is SessionState.LEARNING and asked_for is LEARNING:
            self._hear_state(message, now, cause)
        if self.state is not SessionState.READY or asked_for is LEARNING:
            return  # it stood so before it was set up
        problem = "" if self.hears_others else self._modes.problem(message.pin, message.mode)
        if problem and not self._mistrusted:
            self._mistrusted = True
            why = f"{problem}: the board has started anew, or something else has set it so"
            self._set_up_again(why, f"{why}; it is set up again", Reason.OTHER_VALUE, cause)
            self._enter(SessionState.ASKING, inf)
            self._ask(now)
        elif asked_for is self._looks:
            for point, states in self._looks.hear(message.pin, message.state):
                self._heard(point, value_of(point, states, self._written), now, cause)
        elif isinstance(asked_for, Wish):
            self._read_back(asked_for, message, problem, now, cause)

    def _read_back(
        self, wish: Wish, message: firmata.PinStateResponse, problem: str, now: float, cause: int | None
    ) -> None:
        """A pin tells how it stands behind a wish: there is a problem where it is in another mode."""
        agrees = self._confirming.hear(wish, message.pin, ELSEWHERE if problem else message.state)
        if agrees is None:
            return
        if agrees:
            self._mistrusted = False
            self._confirm(wish, now, None)
        elif problem:
            self._set_up(self._modes.set_again(message.pin))
            self._missed(wish, problem, now)
        else:
            point = self._pin_points[wish.point.name]
            if len(point.modes()) == 1:
                self._heard(point, value_of(point, {message.pin: message.state}, self._written), now, cause)
            wanted = numbers_for(point, wish.value)[message.pin]
            self._missed(wish, f"read back {message.state} from pin {message.pin}, expected {wanted}", now)

    def _missed(self, wish: Wish, why: str, now: float, reason: Reason = Reason.OTHER_VALUE) -> None:
        """It is not as it was wanted: ask again, as often as one may."""
        if not self._try_again(wish, now):
            self._give_up(wish, why, reason)

    def _hear_stepper(self, message: firmata.StepperMoveComplete, now: float, cause: int | None) -> None:
        done = self._shafts.arrived(message.device, message.position)
        if done is None:
            return
        wish, agrees = done
        if agrees:
            self._confirm(wish, now, None)
        else:
            self._missed(wish, f"it has arrived at {message.position} steps", now)

    def _hear_encoders(self, message: firmata.EncoderPosition, now: float, cause: int | None) -> None:
        for number, count in message.positions:
            if number < len(self._shafts.encoders):
                point = self._shafts.encoders[number]
                self._heard(point, point.from_wire(count), now, cause)

    def _hear_analog(self, message: firmata.AnalogMessage, now: float, cause: int | None) -> None:
        for point in self._inputs.readings(message.pin):
            self._heard(point, point.from_wire(message.value), now, cause)

    def _hear_port(self, message: firmata.DigitalMessage, now: float, cause: int | None) -> None:
        for point, level in self._inputs.contacts(message):
            self._heard(point, point.from_wire(level), now, cause)
        for pin in self._interrupts():
            if pin // 8 == message.port and not message.value >> pin % 8 & 1:
                self._fleet.interrupted(pin, now)

    def _hear_text(self, message: firmata.StringData, now: float, cause: int | None) -> None:
        text = plain(message.text, 200)
        self.texts.append(text)
        self._tell(Kind.HEARD, Topic.TEXT, self.board, text, cause)
        call = self._fleet.open
        if call is not None and f"0x{call.address:02X}" in text:
            self._fleet.refused(text, now)
