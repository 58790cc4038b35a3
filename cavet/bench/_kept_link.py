"""A link that is kept open: opened, taken up again when it was lost, let go for another program; and how it stands."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from math import inf
from typing import Any, TypeVar

import msgspec

from cavet.bench._alarm import Alarm
from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.clock import BenchClock, start_task
from cavet.faults import FORESEEN, Fault, note_fault
from cavet.hosts import Session, SessionState, Turns
from cavet.links import HostEnd, SharedLine
from cavet.record import Kind, Record, Topic
from cavet.wording import UnreachableError

T = TypeVar("T")


class Sharing(msgspec.Struct):
    """A serial line on which several hosts talk: whose turn it is there, and who they are."""

    line: SharedLine
    turns: Turns
    links: list[KeptLink] = []


class KeptLink:
    """Keeps a session on its link. What passes between them is for who derives from this."""

    def __init__(
        self, setup: HostSetup, link: LinkSetup, session: Session[Any], end: HostEnd, clock: BenchClock, record: Record
    ) -> None:
        self.setup = setup
        self.link = link
        self.session = session
        self.problem = ""
        """Why the link can't be opened, or was lost; "" while it is open."""
        self.fault: Fault | None = None
        self._end = end
        self.clock = clock
        self._record = record
        self._alarm = Alarm(clock, self.turn)
        self._open = False
        self._wanted = True
        self._is_cut = False
        self._was_lost = False
        """Whether it is not to be opened again at once."""
        self._sharing: Sharing | None = None
        self._changed = asyncio.Event()
        self._task: asyncio.Task[None] | None = None

    # what passes

    def turn(self) -> None:
        """Let the session do what is due, send what it says, and come back when it wants to."""
        raise NotImplementedError

    def opened(self) -> None:
        """The link is open."""
        raise NotImplementedError

    def received(self, data: bytes, offset: int, at: float) -> None:
        """Bytes have come over it."""
        raise NotImplementedError

    def _send(self) -> None:
        """Put what the session says on the link."""
        raise NotImplementedError

    # how it stands

    @property
    def address(self) -> str:
        return self._end.address

    @property
    def is_open(self) -> bool:
        """Whether the link is open now."""
        return self._open

    @property
    def held(self) -> bool:
        """Whether the link is kept open by us."""
        return self._wanted

    @property
    def words(self) -> str:
        """How the link stands, for a person."""
        if self.fault:
            return f"stopped by a fault, {self.fault}"
        if not self._wanted:
            return f"let go: {self.address} is free for another program"
        if self.session.state is SessionState.SILENT and not self.problem:
            on_a_line = self.link.kind == "serial"
            maybe = "another rate at the other end, or no such firmware" if on_a_line else "something else there"
            return f"{self.session.words}: {maybe}, or is it slower than `reply_within`?"
        return self.problem or self.session.words

    @property
    def stands(self) -> str:
        """The same, where its address is told beside it."""
        return self.words.removeprefix(f"{self.address}: ")

    @property
    def trouble(self) -> str:
        """What is wrong with it, where its address is told beside it; "" for nothing."""
        return self.problem.removeprefix(f"{self.address}: ")

    # keeping it open

    def share(self, sharing: Sharing) -> None:
        """Others talk on the same line."""
        self._sharing = sharing
        sharing.links.append(self)
        self.session.share(sharing.turns, self._turn_soon)

    def _turn_soon(self) -> None:
        asyncio.get_running_loop().call_soon(self.turn)

    def start(self) -> None:
        """Begin to open it, and to open it again whenever it was lost."""
        if self._task is None:
            self._task = start_task(self._keep_open())

    async def _keep_open(self) -> None:
        while True:
            self._changed.clear()
            if self._may_open and self._was_lost:
                self._was_lost = False
                await asyncio.sleep(self.session.reopen_pause())
            if self._may_open and not self._open:
                await self._try_to_open()
            if self._may_open and not self._open:
                await asyncio.sleep(self.session.reopen_pause())
            else:
                await self._changed.wait()

    @property
    def _may_open(self) -> bool:
        return self._wanted and not self._is_cut

    async def _try_to_open(self) -> None:
        try:
            await self._end.open(self)
        except UnreachableError as error:
            self._note_problem(str(error))
        except Exception as error:  # noqa: BLE001
            self._fail(error)

    def _attempt(self, act: Callable[..., T], *arguments: Any) -> T | None:
        """Let the session do something; give what that gives. Whatever is unforeseen stops it, and nothing else."""
        try:
            return act(*arguments)
        except FORESEEN:
            raise
        except Exception as error:  # noqa: BLE001
            self._fail(error)
            return None

    def _fail(self, error: Exception) -> None:
        """The session has raised: shut its link, mark and tell it. It can be taken up again."""
        board = self.link.board
        words = note_fault(f"the session with {board}", error)
        if self.fault:
            return
        self.fault = Fault(words, self.clock.now())
        self._record.append(Kind.FAULT, board, Topic.SESSION, self.setup.name, type(error).__name__, None, words)
        self._wanted = False
        self._alarm.set(inf)
        if self._open:
            self._open = False
            self._end.close()
            self._attempt(self.session.lost, "stopped by a fault")

    def _note_problem(self, problem: str) -> None:
        if problem != self.problem:
            self.problem = problem
            self._record.append(Kind.LOST, self.link.board, Topic.LINK, self.link.name, None, None, problem)

    def let_go(self) -> None:
        """Shut the link and leave it, so that another program can open it; who shares it leaves it, too."""
        for link in self._sharing.links if self._sharing is not None else [self]:
            link._leave()

    def _leave(self) -> None:
        self._wanted = False
        if self._open:
            self._take_leave()
            self._end.close()
            self._shut("let go")
        self._changed.set()

    def take_up(self) -> None:
        """Open the link again."""
        self.fault = None
        for link in self._sharing.links if self._sharing is not None else [self]:
            link._wanted = not link.fault
            link._changed.set()

    def cut(self) -> None:
        """Cut the line, until it is mended."""
        self._is_cut = True
        if self._open:
            self._end.close()
            self.closed("the line was cut")

    def mend(self) -> None:
        """Make the line whole."""
        self._is_cut = False
        self._changed.set()

    def open_anew(self, reason: str) -> None:
        """Shut the link and open it again: what is at the other end has begun anew. A fault of the session is over."""
        if self._open:
            self._end.close()
            self.closed(reason)
        if self.fault:
            self.take_up()

    async def stop(self) -> None:
        """Shut the link for good. What is on its way out of this end is out before that."""
        if self._task is not None:
            self._task.cancel()
        self._alarm.set(inf)
        if self._open:
            self._attempt(self._take_leave)
        if self._sharing is not None and self in self._sharing.links:
            self._sharing.links.remove(self)
            self._sharing.turns.leave(self.session)
        try:
            self._end.close()
        except Exception as error:  # noqa: BLE001
            note_fault(f"the link to {self.link.board} could not be shut", error)

    def _take_leave(self) -> None:
        self.session.farewell(self.clock.now())
        self._send()

    def closed(self, reason: str) -> None:
        self._was_lost = True
        self._note_problem(f"{self.address}: {reason}")
        self._shut(reason)
        self._changed.set()

    def _shut(self, reason: str) -> None:
        self._open = False
        self._attempt(self.session.lost, reason)
        self.turn()
