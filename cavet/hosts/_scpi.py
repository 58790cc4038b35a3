"""The host's side of SCPI: one question at a time, after each command the error queue, then the query that belongs.

Nothing on the line has a check, so what comes may be garbled, and nobody can tell: an answer that is none is asked for
again, and a command whose header was taken before is sent again where the device says that it can't read it.
"""

from __future__ import annotations

from collections.abc import Iterable
from math import inf

from cavet.hosts._base import FindCause, Wish
from cavet.hosts._causes import error_words
from cavet.hosts._point import Asked
from cavet.hosts._points import HeaderPoint
from cavet.hosts._polling import PollingSession, Question
from cavet.hosts._session import SessionSettings, SessionState
from cavet.protocols import Side, scpi
from cavet.record import Kind, Purpose, Reason, Tell, Topic
from cavet.units import last_place, whole_number
from cavet.wording import counted, plain

IDENTIFY = "*IDN?"
NEXT_ERROR = "SYST:ERR?"
MAX_ERRORS = 40
"""So many entries of the error queue are read after a command, to see the one that is its own."""
MAX_UNITS = 1000
"""So many parts of one answer are kept, to wait for its end."""
NO_NUMBER = 9.9e37
"""From here on an answer is an infinity, or no number. Source: SCPI-1999, volume 1, 7.2.1.4 and 7.2.1.5."""
UNNUMBERED = 0
"""What all answers bear."""
ON_WORDS = ("1", "ON")
OFF_WORDS = ("0", "OFF")


class _Query(Question, kw_only=True):
    """A query, and what its answer is for: a point's value, the errors after a command, or who is there."""

    text: str
    point: HeaderPoint | None = None
    command: str = ""
    """What is said right before it, in a message of its own."""
    errors: int = 0
    refusal: tuple[int, str] | None = None
    """The error that was found after its command, in words: what is read back tells whether it was its own."""
    garbled: int = 0
    """How many answers to it were none."""


class ScpiSession(PollingSession[HeaderPoint, _Query]):
    """Talks to one instrument."""

    protocol = "scpi"

    def __init__(self, board: str, points: Iterable[HeaderPoint], settings: SessionSettings, tell: Tell) -> None:
        super().__init__(board, points, settings, tell)
        self.identity = ""
        self._decoder = scpi.ScpiDecoder(Side.BOARD)
        self._line: list[str] = []
        self._turn = 0
        self._taken: set[str] = set()
        """The points whose commands were taken already, so the device knows their headers."""
        self._odd: set[str] = set()
        """The points whose latest answers were none."""

    @property
    def name(self) -> str:
        return self.identity

    # the link

    def opened(self, now: float) -> None:
        """Ask who is there, then how everything stands."""
        self._decoder = scpi.ScpiDecoder(Side.BOARD)
        self._begin(now)
        self._enter(SessionState.ASKING, inf)
        self._queue.waiting.append(_Query(text=IDENTIFY))
        self._send_on(now)

    def _clear(self) -> list[_Query]:
        self._line = []
        return super()._clear()

    def _put(self, question: _Query, now: float) -> int:
        wish = question.wish
        if question.command and wish is not None:
            self._say(_line(question.command), wish.asked, Topic.POINT, wish.point.name)
            question.command = ""
        if wish is not None:
            self._say(_line(question.text), wish.asked, Topic.POINT, wish.point.name, purpose=Purpose.READ_BACK)
        else:
            purpose = Purpose.POLL if self.state is SessionState.READY else Purpose.SET_UP
            self._say(_line(question.text), None, Topic.BOARD, self.board, purpose=purpose)
        return UNNUMBERED

    def _questions(self) -> Iterable[_Query]:
        """All inputs, and one output in its turn."""
        asked = [point for point in self._polled_points() if point.query]
        outputs = [point for point in asked if point.kind.is_output]
        self._turn += 1
        return [
            _Query(text=point.query, point=point)
            for point in asked
            if not point.kind.is_output or point is outputs[self._turn % len(outputs)]
        ]

    def _unanswered(self, question: _Query, now: float) -> None:
        """Nothing came. Late answers bear no numbers, and must not be taken for other ones: they are waited for."""
        self._line = []
        if self._queue.again(question):
            return
        self._wait_for_late(question.tries + 1, now)
        if question.wish is not None and question.refusal is not None:
            self._refuse_wish(question.wish, question.refusal[1], question.refusal[0])
        elif question.wish is not None:
            why = f"no answer to {counted(question.tries + 1, 'try')} of {question.text}, {self._within}"
            self._give_up(question.wish, why, Reason.NO_ANSWER)
        elif question.point is not None and self.state is SessionState.LEARNING:
            self._not_known(question.point, question.text)
        else:
            self._fall_silent()

    def _not_known(self, point: HeaderPoint, text: str) -> None:
        """A query that is not known gets no answer: say so at its point, and go on with the others, if the queue of
        errors is still told; if not, nobody is there."""
        self._lacks(point, f"no answer to {text}: does the device know it?")
        self._missing.add(point.name)
        self._queue.waiting.appendleft(_Query(text=NEXT_ERROR))

    def _fall_silent(self) -> None:
        """Ask who is there until somebody is; what is wished waits for that."""
        for question in self._queue.waiting:
            if question.wish is not None:
                self._pending.setdefault(question.wish.point.name, question.wish)
        self._queue.waiting.clear()
        self._queue.waiting.append(_Query(text=IDENTIFY, tries=self._settings.retries))
        self._enter(SessionState.SILENT, inf)
        self._poll_at = inf

    # hearing

    def feed(self, data: bytes, now: float, find_cause: FindCause) -> None:
        for frame in self._decoder.feed(data):
            self._line.append(frame.data.rstrip(b";\n").decode("latin-1").strip())
            if frame.data.endswith(b"\n"):
                line, self._line = self._line, []
                self._answered(line, frame.data, now, find_cause(frame))
            elif len(self._line) >= MAX_UNITS:
                self._line = []
                note = f"{MAX_UNITS} parts of an answer without an end, expected a line feed"
                self._tell(Kind.LOST, Topic.BYTES, str(len(frame.data)), frame.data, find_cause(frame), note)
        self._send_on(now)

    def _answered(self, line: list[str], data: bytes, now: float, cause: int | None) -> None:
        question = self._queue.under_way.pop(UNNUMBERED, None)
        text = ";".join(line)
        if question is not None and question.tries:
            self._wait_for_late(question.tries, now)
        if question is None and self.hears_others:
            return
        if question is None:
            self._wait_for_late(self._owed - 1, now)
            self._tell(Kind.REMARK, Topic.BYTES, str(len(data)), data, cause, "an answer that nothing waits for")
        elif question.point is None and question.text == IDENTIFY:
            self._identified(text, now)
        elif question.text == NEXT_ERROR and (question.point is None or question.wish is not None):
            self._heard_error(question, text, now)
        elif question.point is not None and question.wish is None:
            self._heard_value(question, question.point, text, now, cause)
        elif question.point is not None and question.wish is not None:
            self._compare(question, question.point, question.wish, text, now, cause)

    def _identified(self, text: str, now: float) -> None:
        before, self.identity = self.identity, plain(text, 60)
        if self.identity != before:
            self._taken.clear()
        self._enter(SessionState.LEARNING, inf)
        self._forget_points()
        self._queue.waiting.append(_Query(text=NEXT_ERROR))
        for point in self.points.values():
            if point.query:
                self._queue.waiting.append(_Query(text=point.query, point=point))
            else:
                self._known.add(point.name)
        self._learned_more(now)

    def _heard_value(self, question: _Query, point: HeaderPoint, text: str, now: float, cause: int | None) -> None:
        """A point's value; or an answer that is none: one may have been garbled, more are the device's own."""
        try:
            value = _value(point, text)
        except ValueError:
            is_first = point.name not in self._odd
            self._odd.add(point.name)
            if self.state is SessionState.LEARNING and self._ask_anew(question):
                return
            if self.state is SessionState.LEARNING or not is_first:
                self._lacks(point, f"answers {plain(text, 30)} to {point.query}, no value of {point.kind.value}")
            self._learned_more(now)
        else:
            self._odd.discard(point.name)
            self._learn(point, value, now, cause)

    def _ask_anew(self, question: _Query) -> bool:
        """Say a question once more whose answer was none, where it was not said often enough."""
        if question.garbled >= self._settings.retries:
            return False
        question.garbled += 1
        self._queue.waiting.appendleft(question)
        return True

    # asking

    def _write(self, wish: Wish, now: float, *, again: bool = False) -> None:
        point = self.points[wish.point.name]
        if self._makes_way(wish, stands_there=self._is_there(wish), again=again):
            self._line_up(_Query(text=NEXT_ERROR, point=point, wish=wish, command=point.command(wish.value)), now)

    def look(self, name: str, now: float) -> bool:
        point = self.points[name]
        if point.query and self.state is SessionState.READY:
            self._line_up(_Query(text=point.query, point=point), now)
        return bool(point.query)

    def _heard_error(self, question: _Query, text: str, now: float) -> None:
        """After a command: no error is good. One may be older, of a question that a line has garbled, or of another
        program: it refuses the command where what is read back then is not what was asked for."""
        number, comma, words = text.partition(",")
        try:
            code = whole_number(number.strip()) if comma else None
        except ValueError:
            code = None
        wish = question.wish
        if wish is None or question.point is None:
            if code:
                note = f"stood in its error queue: {error_words(code, plain(words.strip(chr(34)), 60))}"
                self._tell(Kind.REMARK, Topic.BOARD, self.board, code, None, note)
                self._drain(question, now)
            else:
                self._learned_more(now)
            return
        reads_back = wish.point.confirm and bool(question.point.query)
        if code:
            refusal = code, error_words(code, plain(words.strip('"'), 60))
            if reads_back:
                self._read_back(question.point, wish, refusal)
            else:
                self._was_refused(wish, refusal, now)
            self._drain(question, now)
        elif reads_back:  # what is read back decides also where no error was told that can be read
            self._read_back(question.point, wish)
        elif code is None:
            self._give_up(wish, f"answers {plain(text, 30)} to {NEXT_ERROR}")
        else:
            self._taken.add(wish.point.name)
            self.readings[wish.point.name].assume(wish.value)

    def _was_refused(self, wish: Wish, refusal: tuple[int, str], now: float) -> None:
        code, words = refusal
        is_garbled = code in scpi.COMMAND_ERRORS and wish.point.name in self._taken
        if not (is_garbled and self._try_again(wish, now)):
            self._refuse_wish(wish, words, code)

    def _read_back(self, point: HeaderPoint, wish: Wish, refusal: tuple[int, str] | None = None) -> None:
        self._queue.waiting.appendleft(_Query(text=point.query, point=point, wish=wish, refusal=refusal))

    def _drain(self, question: _Query, now: float) -> None:
        """Read the other errors too, so that the next command finds only its own."""
        if question.errors < MAX_ERRORS:
            self._queue.waiting.appendleft(_Query(text=NEXT_ERROR, errors=question.errors + 1))
        else:
            self._learned_more(now)

    def _compare(
        self, question: _Query, point: HeaderPoint, wish: Wish, text: str, now: float, cause: int | None
    ) -> None:
        value, is_value = None, True
        try:
            value = _value(point, text)
        except ValueError:
            is_value = False
        if value is not None and point.same(value, wish.value, last_place(text.split(",")[0])):
            if question.refusal is not None:
                code, words = question.refusal
                note = f"stood in its error queue from before {point.name}: {words}"
                self._tell(Kind.REMARK, Topic.BOARD, self.board, code, None, note)
            self._taken.add(point.name)
            took = None if question.tries else now - question.sent_at  # it may be the answer to the first of them
            self._confirm(wish, now, took, value)
            return
        if is_value:
            self._heard(point, value, now, cause)
        elif self._ask_anew(question):
            return
        if question.refusal is not None:
            self._was_refused(wish, question.refusal, now)
            return
        if value is None or not self._try_again(wish, now):
            self._give_up(wish, f"answers {plain(text, 30)} to {question.text}, expected {point.show(wish.value)}")


def _line(text: str) -> bytes:
    return text.encode("latin-1", "replace") + b"\n"


def _value(point: HeaderPoint, text: str) -> Asked | None:
    """The value in an answer, `None` for what the standard says instead of a number. Raises `ValueError` for others."""
    if point.kind.is_text:
        whole = text.strip()
        is_string = len(whole) > 1 and whole[0] == whole[-1] == '"'
        return whole[1:-1].replace('""', '"') if is_string else whole
    word = text.split(",")[0].strip().upper()
    if point.kind.is_switch and word in (*ON_WORDS, *OFF_WORDS):
        return point.from_wire(float(word in ON_WORDS))
    if point.kind.is_switch or "_" in word:
        raise ValueError(word)
    number = float(word)
    return point.from_wire(number) if abs(number) < NO_NUMBER else None
