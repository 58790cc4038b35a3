"""The host's side of Modbus: reads in groups, several requests under way where they bear numbers, writes with care."""

from __future__ import annotations

from collections.abc import Iterable
from math import inf

import msgspec

from cavet.hosts._base import NEWER_CAME, FindCause, Wish
from cavet.hosts._causes import exception_words
from cavet.hosts._points import RegisterPoint
from cavet.hosts._polling import PollingSession, Question
from cavet.hosts._reads import Read, group
from cavet.hosts._session import SessionSettings, SessionState
from cavet.protocols import FieldError, Frame, Message, Side, modbus
from cavet.record import Kind, Purpose, Reason, Tell, Topic
from cavet.wording import counted

CODECS = {codec.name: codec for codec in (modbus.TCP, modbus.RTU, modbus.ASCII)}
BROADCAST = 0
BUSY = 6
FOR_GOOD = (1, 2, 3)
"""The exceptions that say what the device is, not how it is now. Source: 1.1b3, section 7."""
PARTIAL = 2
"""The exception at which a group is read again point by point: one of its addresses may be missing."""
MAX_TRANSACTION = 0xFFFF


class _Request(Question, kw_only=True):
    """One request and what is to be done with its answer: a wish is written, or, with `read`, read back."""

    request: modbus.ModbusMessage
    read: Read | None = None
    doubted: bool = False
    """Whether it was asked once more, since it may have come over otherwise than it was said."""

    @property
    def writes(self) -> bool:
        return self.read is None


class ModbusSession(PollingSession[RegisterPoint, _Request]):
    """Talks to one unit behind a link. `character` is the time of one on a serial line, 0 on a network."""

    def __init__(
        self,
        board: str,
        points: Iterable[RegisterPoint],
        settings: SessionSettings,
        tell: Tell,
        *,
        framing: str = "modbus-tcp",
        character: float = 0.0,
    ) -> None:
        super().__init__(board, points, settings, tell)
        self.protocol = framing
        self._codec = CODECS[framing]
        self._numbered = framing == "modbus-tcp"
        self._silence = modbus.silence(character)
        self._decoder = self._codec.decoder(Side.BOARD)
        self._transaction = 0

    @property
    def title(self) -> str:
        return f"{self.protocol} · unit {self._settings.unit}"

    # the link

    def opened(self, now: float) -> None:
        """Read everything once; what answers is there."""
        self._decoder = self._codec.decoder(Side.BOARD)
        self._begin(now)
        if self._broadcasts:
            self._open_for_all(now)
            return
        self._enter(SessionState.LEARNING, inf)
        self._queue.waiting.extend(_reading(group(self.points.values())))
        self._learned_more(now)
        self._send_on(now)

    @property
    def _broadcasts(self) -> bool:
        """Whether it talks to all devices of a serial line: they act, and nobody answers."""
        return self._settings.unit == BROADCAST and not self._numbered

    def _open_for_all(self, now: float) -> None:
        for point in self.points.values():
            if not point.kind.is_output:
                self._refuse(point, "all devices are told at once here, and none answers")
            elif self.readings[point.name].asked is not None:
                self._compare_start(point, None, now)
        self._enter(SessionState.READY, inf)
        self._send_pending(now)

    def say_by_hand(self, data: bytes, asked: int, name: str, now: float) -> None:
        super().say_by_hand(data, asked, name, now)
        if not self._numbered:  # until it is answered; a broadcast is not
            self._keep_line(now + self._settings.turnaround)

    @property
    def _is_weak(self) -> bool:
        """Whether a request that has lost some of its characters may pass for another one. Source: serial line 1.02,
        section 6.2.1: the LRC is a sum, and a pair of zeros that is lost leaves it as it was."""
        return self._codec is modbus.ASCII

    @property
    def _most_under_way(self) -> int:
        return self._settings.in_flight if self._numbered else 1

    def _put(self, question: _Request, now: float) -> int | None:
        self._transaction = self._transaction % MAX_TRANSACTION + 1
        number = self._transaction if self._numbered else 0
        addressed = msgspec.structs.replace(question.request, transaction=number, unit=self._settings.unit)
        data = self._codec.encode(addressed)
        wish = question.wish
        if not question.tries and (question.writes or wish is None):
            self._owed = 0  # those before it were waited for
        if wish is not None:
            purpose = Purpose.NONE if question.writes else Purpose.READ_BACK
            self._say(data, wish.asked, Topic.POINT, wish.point.name, purpose=purpose)
        else:
            purpose = Purpose.SET_UP if self.state is SessionState.LEARNING else Purpose.POLL
            self._say(data, None, Topic.BOARD, self.board, purpose=purpose)
        if not self._broadcasts:
            return number
        if wish is not None:
            self.readings[wish.point.name].assume(wish.value)
        self._keep_line(now + self._settings.turnaround)
        return None

    def _questions(self) -> Iterable[_Request]:
        """All that is read."""
        return _reading(group(self._polled_points()))

    def _unanswered(self, question: _Request, now: float) -> None:
        """Nothing came. A read is asked again; of a write it is not known whether it was done, so that is read."""
        self._decoder = self._codec.decoder(Side.BOARD) if not self._numbered else self._decoder
        wish, self._owed = question.wish, self._owed + 1
        if question.writes and wish is not None:
            if wish.point.confirm:
                self._read_back(wish)
            else:
                self._free_line(now)
                self._give_up(wish, "no answer to the write; whether it was done is not known", Reason.NO_ANSWER)
        elif self._queue.again(question):
            pass
        elif wish is not None:
            self._free_line(now)
            why = f"no answer to {counted(question.tries + 1, 'try')} to read it back, {self._within}"
            self._give_up(wish, why, Reason.NO_ANSWER)
        else:
            self._free_line(now)
            self._fall_silent(question, now)

    def _free_line(self, now: float) -> None:
        """The next question may be said: on a serial line behind a silence, and when no late answer can come any more
        that could be taken for its own."""
        if self._numbered:
            self._queue.free_at = now
        else:
            self._wait_for_late(self._owed, now, self._silence)

    def _fall_silent(self, question: _Request, now: float) -> None:
        """Ask the one question, a single time after each pause, until it is answered."""
        if self.state is SessionState.LEARNING or self.state is SessionState.SILENT:
            self._queue.keep(lambda other: other.wish is not None)
            self._queue.waiting.append(question)
            self._queue.free_at = now + self._settings.boot_wait
        self._enter(SessionState.SILENT, inf)

    # hearing

    def feed(self, data: bytes, now: float, find_cause: FindCause) -> None:
        for frame in self._decoder.feed(data):
            self._take(frame, now, find_cause(frame))
        self._send_on(now)

    def _take(self, frame: Frame, now: float, cause: int | None) -> None:
        message = frame.message
        if not isinstance(message, modbus.ModbusMessage) or (frame.problems and not self._is_exception(message)):
            self._tell(Kind.LOST, Topic.BYTES, str(len(frame.data)), frame.data, cause, frame.problems[0])
            return
        exchange = self._queue.under_way.get(message.transaction)
        if exchange is None and self.hears_others:
            self._keep_line(now if self._numbered else now + self._silence)
            return
        if exchange is None or not self._fits(exchange, message):
            self._owed = max(0, self._owed - 1)
            if exchange is None:
                self._free_line(now)
            note = f"an answer that nothing waits for: {message.NAME}"
            self._tell(Kind.REMARK, Topic.BYTES, str(len(frame.data)), frame.data, cause, note)
            return
        del self._queue.under_way[message.transaction]
        self._free_line(now)
        if self.state is SessionState.SILENT:
            self._answers_again(exchange, now)
        if isinstance(message, modbus.ExceptionResponse):
            self._refused(exchange, message.exception_code, now, cause)
        elif exchange.read is not None:
            self._has_read(exchange, exchange.read, message, now, cause)
        else:
            self._written(exchange)

    def _is_exception(self, message: Message) -> bool:
        return isinstance(message, modbus.ExceptionResponse)

    def _fits(self, exchange: _Request, message: modbus.ModbusMessage) -> bool:
        """Whether this can be the answer: its unit, its function, and as many values as were asked for."""
        if message.unit != self._settings.unit:
            return False
        if isinstance(message, modbus.ExceptionResponse):
            return message.function == exchange.request.FUNCTION
        if message.FUNCTION != exchange.request.FUNCTION:
            return False
        if exchange.read is None:
            return True
        size = len(getattr(message, "values", ()))
        expected = exchange.read.quantity
        is_bits = exchange.read.table in modbus.BITS
        return size == expected or (is_bits and size == -(-expected // 8) * 8)

    def _answers_again(self, exchange: _Request, now: float) -> None:
        """It was silent, and is there: learn all of it anew."""
        self._enter(SessionState.LEARNING, inf)
        self._forget_points()
        already = exchange.read.points if exchange.read is not None else ()
        self._queue.waiting.extend(_reading(group(point for point in self.points.values() if point not in already)))

    def _refused(self, exchange: _Request, code: int, now: float, cause: int | None) -> None:
        words = exception_words(code)
        read = exchange.read
        if code == BUSY and exchange.writes and exchange.wish is not None and self._is_old(exchange.wish):
            self._overtake(exchange.wish, NEWER_CAME)
        elif code == BUSY and self._queue.again(exchange):  # it was not done: the server asks for it later
            self._queue.free_at = now + self._settings.turnaround
            if exchange.writes and exchange.wish is not None:
                self._tell_again(exchange.wish, exchange.tries)
        elif exchange.wish is not None:
            if exchange.writes:
                self._refuse_wish(exchange.wish, words, code)
            else:
                self._give_up(exchange.wish, f"can't be read back: {words}", Reason.NOT_ALLOWED)
        elif read is not None and code in FOR_GOOD and self._is_weak and not exchange.doubted:
            exchange.doubted = True
            self._queue.waiting.appendleft(exchange)
        elif read is not None and code == PARTIAL and len(read.points) > 1:
            self._queue.waiting.extend(_reading(read.split()))
        elif read is not None:
            for point in read.points:
                self._lacks(point, words)
            if code in FOR_GOOD:
                self._missing.update(point.name for point in read.points)
            self._learned_more(now)

    def _has_read(
        self, exchange: _Request, read: Read, message: modbus.ModbusMessage, now: float, cause: int | None
    ) -> None:
        values: tuple[int, ...] = getattr(message, "values", ())
        if exchange.wish is not None:
            self._compare(exchange, exchange.wish, read, values, now, cause)
            return
        for point in read.points:
            self._learn(point, point.unpack(read.words(point, values)), now, cause)

    # asking

    def _write(self, wish: Wish, now: float, *, again: bool = False) -> None:
        point = self.points[wish.point.name]
        try:
            request = self._request(point, wish)
        except FieldError as error:
            self._refuse_wish(wish, str(error))
            return
        stands_there = self._is_news(wish) and point.holds(self.readings[point.name].stands, point.pack(wish.value))
        if self._makes_way(wish, stands_there=stands_there, again=again):
            self._line_up(_Request(request=request, wish=wish), now)

    def look(self, name: str, now: float) -> bool:
        if self._broadcasts:
            return False
        if self.state is SessionState.READY:
            (exchange,) = _reading(group([self.points[name]]))
            self._line_up(exchange, now)
        return True

    def _request(self, point: RegisterPoint, wish: Wish) -> modbus.ModbusMessage:
        if point.is_bit:
            return modbus.WriteSingleCoil(address=point.address, value=bool(point.to_wire(wish.value)))
        words = point.pack(wish.value)
        if point.form.kind == "bit":
            mask = 1 << point.form.bit
            return modbus.MaskWriteRegister(address=point.address, and_mask=0xFFFF & ~mask, or_mask=words[0])
        if len(words) == 1:
            return modbus.WriteSingleRegister(address=point.address, value=words[0])
        return modbus.WriteMultipleRegisters(address=point.address, values=words)

    def _written(self, exchange: _Request) -> None:
        wish = exchange.wish
        assert wish is not None  # nothing else is written
        if wish.point.confirm:
            self._read_back(wish)
        else:
            self.readings[wish.point.name].assume(wish.value)

    def _read_back(self, wish: Wish) -> None:
        point = self.points[wish.point.name]
        read = Read(point.table, point.address, point.size, (point,))
        self._queue.waiting.appendleft(_Request(request=read.request(), read=read, wish=wish))

    def _compare(
        self, exchange: _Request, wish: Wish, read: Read, values: tuple[int, ...], now: float, cause: int | None
    ) -> None:
        point = self.points[wish.point.name]
        found = read.words(point, values)
        if point.agree(found, point.pack(wish.value)):
            is_sure = self._numbered or not exchange.tries
            self._confirm(wish, now, now - exchange.sent_at if is_sure else None, point.unpack(found))
            return
        self._heard(point, point.unpack(found), now, cause)
        if not self._settings.repeat_writes or not self._try_again(wish, now):
            hint = "" if self._settings.repeat_writes else "; it is not written again unless repeat_writes says so"
            note = f"read back {point.show(point.unpack(found))}, expected {point.show(wish.value)}{hint}"
            self._give_up(wish, note)


def _reading(reads: Iterable[Read]) -> list[_Request]:
    """What is asked to read them."""
    return [_Request(request=read.request(), read=read) for read in reads]
