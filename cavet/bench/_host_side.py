"""One session, running on its link: what it says goes out, what comes is heard, each with its cause."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from itertools import pairwise
from math import inf
from typing import Any, TypeVar, cast

from cavet.bench._by_hand import BEHIND_SECONDS, UNANSWERED_SECONDS, Answer, ByHand, Heard
from cavet.bench._kept_link import KeptLink
from cavet.bench._spoiling import Pieces
from cavet.bench._spoken import ONE_AT_A_TIME
from cavet.bench._traffic import Crossing, Stream, Traffic
from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.clock import BenchClock
from cavet.hosts import LONGEST_ANSWER, Asked, Said, Session, SessionState
from cavet.links import Coming, ControlEnd, HostEnd, StalledError
from cavet.protocols import Decoder, Frame, Seams, usb
from cavet.record import Kind, Record, Topic
from cavet.wording import UnreachableError

T = TypeVar("T")
LOOK_SECONDS = 0.001


class HostLink(KeptLink):
    """Keeps a session on its link, and carries bytes and causes between them."""

    def __init__(
        self,
        setup: HostSetup,
        link: LinkSetup,
        session: Session[Any],
        end: HostEnd,
        traffic: Traffic,
        clock: BenchClock,
        record: Record,
        crossing: Crossing | None = None,
    ) -> None:
        super().__init__(setup, link, session, end, clock, record)
        self._traffic = traffic
        self._stream: Stream
        self._crossing = crossing
        """Tells causes where a broker of others is between this host and its board."""
        self._seen = clock.now()
        self._busy_until = 0.0
        self._sent = 0
        self._byte_seconds = session.byte_seconds = link.byte_seconds
        self.clients: set[str] = set()
        """By which names the other side has known us."""
        self.said_by_hand = 0
        """How many messages were said by hand so far."""
        self._unanswered_until = -inf
        """Until when a board may refuse what was said by hand without waiting for an answer."""
        self._one_hand = asyncio.Lock()
        self._hand: ByHand | None = None
        self._keeps_back = False
        """Whether half a message has been said by hand: nothing else may be said before the rest."""
        self._seams = Seams()
        """Where in the line's stream that stood which it has heard: others hear the rest."""

    def look(self, name: str) -> bool:
        """Ask afresh how a point stands; `False` where nothing can be asked."""
        asks = self._attempt(self.session.look, name, self._now())
        self.turn()
        return bool(asks)

    def ask(self, name: str, value: Asked, by: str, cause: int | None = None) -> int:
        """Want a point at a value; give the event that its trail begins with. Raises `UnreachableError` at a fault."""
        asked = self._attempt(self._ask, name, value, by, cause) if not self.fault else None
        if asked is None:
            raise UnreachableError(self.link.board, self.words)
        self.turn()
        return asked

    def _ask(self, name: str, value: Asked, by: str, cause: int | None) -> int:
        return self.session.ask(name, value, self._now(), by=by, cause=cause)

    async def say(
        self, pieces: Pieces, name: str, by: str, decoder: Decoder, is_answer: Callable[[Frame], bool] | None,
        within: float, count: int = 1, cause: int | None = None, is_refusal: Callable[[Frame], bool] | None = None,
    ) -> Answer:  # fmt: skip
        """Say a message by hand, in these pieces, and wait for what answers it, `count` frames at most; without
        `is_answer` none is due, and it is only said. What `is_refusal` may be one of the message before, where nobody
        has waited for that.

        Raises `UnreachableError` where the link is not open, or is lost before all is said.
        """
        async with self._one_hand:
            self._require_open()
            self.said_by_hand += 1
            try:
                if self.link.protocol in ONE_AT_A_TIME:
                    await self._until_idle()
                older = is_refusal if self.clock.now() < self._unanswered_until else None
                hand = self._hand = ByHand(decoder, is_answer, count, older)
                self.session.hears_others = True
                whole = b"".join(data for _, data in pieces)
                asked = self._record.append(Kind.ASKED, self.link.board, Topic.MESSAGE, name, whole, cause, by)
                for place, (pause, data) in enumerate(pieces):
                    gone = await self._say_piece(pause, data, asked, name)
                    if place >= len(pieces) - count:  # from here on something whole has been said
                        hand.listen(gone)
                if is_answer is not None:
                    hand.coming = Coming(self.clock, self._byte_seconds, LONGEST_ANSWER)
                    left = within + hand.gone - self.clock.now()
                    await hand.coming.wait(hand.has_heard, hand.stirred, left)
                    await hand.coming.wait(hand.is_answered, hand.stirred, BEHIND_SECONDS if hand.is_in_doubt else 0.0)
                is_open = is_answer is None or not hand.heard
                self._unanswered_until = self.clock.now() + UNANSWERED_SECONDS if is_open else -inf
                return Answer(asked, hand.heard)
            finally:
                self._hand = None
                self.session.gives_way = self.session.hears_others = self._keeps_back = False
                self.turn()

    async def control(self, setup: bytes, name: str, by: str, within: float, cause: int | None = None) -> Answer:
        """Ask the control pipe of a USB device by hand. Raises `UnreachableError`."""
        async with self._one_hand:
            self._require_open()
            self.said_by_hand += 1
            tell, board, began = self._record.append, self.link.board, self.clock.now()
            asked = tell(Kind.ASKED, board, Topic.MESSAGE, name, setup, cause, by)
            framed = tell(Kind.FRAMED, board, Topic.MESSAGE, name, setup, asked)
            try:
                async with asyncio.timeout(within):
                    frames = usb.control_answer(setup, await cast(ControlEnd, self._end).control(setup))
            except TimeoutError:
                return Answer(asked)
            except StalledError as stall:
                tell(Kind.REFUSED, board, Topic.ENDPOINT, "0", None, framed, str(stall))
                frames = [Frame(usb.StatusStage(stalled=True), b"", 0)]
            delay = self.clock.now() - began
            return Answer(asked, tuple(Heard(frame, delay) for frame in frames))

    def _require_open(self) -> None:
        if not self._open or self.fault:
            raise UnreachableError(self.link.board, self.words)

    async def _say_piece(self, pause: float, data: bytes, asked: int, name: str) -> float:
        """Say a piece, behind a pause on the line; give when it will have gone out. What the session wants to say
        meanwhile waits."""
        waiting = None
        if pause:
            self._keeps_back = True
            gone = max(0.0, self._busy_until - asyncio.get_running_loop().time())
            await asyncio.sleep(gone + pause)
            self._require_open()
            self._keeps_back = False
            waiting = self.session.take_out()
        self._attempt(self.session.say_by_hand, data, asked, name, self._now())
        self._attempt(self._send)
        out = self.clock.of(max(self._busy_until, asyncio.get_running_loop().time()))
        if waiting is not None:
            self._attempt(self._put_on, waiting)
        return out

    async def _until_idle(self) -> None:
        """Wait until the session awaits no answer. It is not left any time to ask the next question."""
        self.session.gives_way = True
        while not self.session.is_idle(self.clock.now()):
            await asyncio.sleep(LOOK_SECONDS)

    def rest(self, by: str) -> list[int]:
        """Send every output to its rest value, now."""
        asked = self._attempt(self.session.rest, self._now(), by)
        self.turn()
        return asked or []

    # what the end tells

    def opened(self) -> None:
        self._open = True
        self.problem = ""
        self._busy_until = self.session.said_until = 0.0
        self._sent = 0
        self.clients.add(self._end.name)
        self._seams = Seams()
        name = self._end.name
        self._stream = self._traffic.begin(name) if self._sharing is None else self._traffic.of(name)
        self._attempt(self.session.opened, self._now())
        self.turn()

    def received(self, data: bytes, offset: int, at: float) -> None:
        del at
        if self._sharing is not None:  # else nothing is lost on this side: the session's decoder counts alike
            self._seams.add(offset, len(data))
        self._attempt(self._hear, data)

    def _now(self) -> float:
        """The time. That in which nobody was here since it was looked at last does not count."""
        now, seen = self.clock.now(), self._seen
        self._seen = now
        if away := self.clock.away_since(seen):
            self._attempt(self.session.was_away, away)
        return now

    def _hear(self, data: bytes) -> None:
        now = self._now()
        if self._byte_seconds:
            self.session.comes(len(data))
        if self._hand is not None:
            self._hand.hear(data, now)
        self.session.feed(data, now, self._find_cause)
        if self.session.stirred or now >= self._alarm.due:
            self._turn()

    def _find_cause(self, frame: Frame) -> int | None:
        if self._crossing is not None:
            return self._crossing.find(f"host {self.setup.name}", frame.data, self.setup.client.version)
        return self._stream.told.find(self._seams.in_stream(frame.end))

    # what the session wants

    def turn(self) -> None:
        """Let the session do what is due, send what it says, and come back when it wants to."""
        if not self.fault:
            self._attempt(self._turn)

    def _turn(self) -> None:
        now = self._now()
        due = self.session.advance(now)
        self._send()
        if self.session.hang_up and self._open:
            self._end.close()
            self.closed(self.session.hang_up)
            return
        self._alarm.set(due)

    def _send(self) -> None:
        if self._keeps_back:
            return
        said = self.session.take_out()
        if said is not None:
            self._put_on(said)

    def _put_on(self, said: Said) -> None:
        """Put what was said on the link, where it is open."""
        if self._open:
            base = self._sent if self._sharing is None else self._sharing.line.sent
            self._sent += len(said.data)
            begin = 0
            for place, framed in said.frames:  # before it is written: on a wire in memory it is there at once
                self._stream.passage.note(base + place, framed)
                if self._crossing is not None:
                    self._crossing.note(
                        f"host {self.setup.name}", said.data[begin:place], self.setup.client.version, framed
                    )
                begin = place
            places = [place for place, _ in said.frames]
            self._pace(len(said.data), base, places)
            if self.link.kind == "usb":  # a report is a transfer of its own
                for begin, end in pairwise((0, *places)):
                    self._end.write(said.data[begin:end])
            else:
                self._end.write(said.data)

    def _pace(self, size: int, base: int, places: list[int]) -> None:
        """Each frame is carried when the line has had time for its last byte."""
        loop = asyncio.get_running_loop()
        begin = max(loop.time(), self._busy_until)
        self._busy_until = begin + size * self._byte_seconds
        self.session.said_until = self.clock.of(self._busy_until)
        for place in places:
            loop.call_at(begin + place * self._byte_seconds, self._stream.passage.passed, base + place)

    @property
    def ready(self) -> bool:
        return self.session.state is SessionState.READY and not self.fault
