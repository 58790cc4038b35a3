"""One clock, two speeds: the asyncio loop in real time, and one whose clock jumps to the next thing due.

Everything in Cavet that waits does so on the running loop; so the same bench runs on either. Models look at no clock
at all: time is handed in to them.
"""

from __future__ import annotations

import asyncio
import heapq
import select
import selectors
from collections.abc import Callable, Coroutine, Sized
from itertools import count
from typing import Any, Protocol, TypeVar

T = TypeVar("T")


MILLISECOND = 0.001


class FineSelector(selectors.EpollSelector):
    """Waits to the microsecond. The plain one rounds each wait up to a millisecond: some six bytes at 57 600 baud.

    A longer wait is the plain one's up to its last millisecond, for which the loop comes again: that is one call of the
    system, not two, where something arrives meanwhile.
    """

    def select(self, timeout: float | None = None) -> list[tuple[selectors.SelectorKey, int]]:
        if timeout is not None and timeout > 2 * MILLISECOND:
            timeout -= MILLISECOND
        elif timeout is not None and timeout > 0:
            select.select([self.fileno()], [], [], timeout)
            timeout = 0
        return super().select(timeout)


class NothingDueError(Exception):
    """In fast time, nothing is scheduled any more: what is waited for can never come."""


LOOKS_BETWEEN = 64
"""In fast time, how often the loop turns before it asks the system again whether some file is ready."""


class _JumpingSelector(selectors.DefaultSelector):
    """Waits by moving the clock."""

    now = 0.0
    _turns = 0

    def select(self, timeout: float | None = None) -> list[tuple[selectors.SelectorKey, int]]:
        self._turns += 1
        if timeout is None or self._turns % LOOKS_BETWEEN == 0:
            ready = super().select(0)
            if ready:
                return ready
        if timeout is None:
            raise NothingDueError("nothing is due, and something still waits")
        if timeout > 0:
            self.now += timeout
        return []


class Timer(Protocol):
    """Something that will be called."""

    def cancel(self) -> None: ...


class _Entry(list[Any]):
    """When it is due, its rank, what is called (`None` once it was cancelled), and the arguments."""

    def cancel(self) -> None:
        self[2] = None


class FastLoop(asyncio.SelectorEventLoop):
    """An asyncio loop that starts at 0 s and jumps to the next thing due; a minute costs milliseconds.

    Beside asyncio's own timers it has light ones, which cost a tenth: it goes from one to the next by itself while
    nothing of asyncio's is ready, or due before.
    """

    _ready: Sized
    _scheduled: list[asyncio.TimerHandle]

    def __init__(self) -> None:
        self._jumping = _JumpingSelector()
        super().__init__(self._jumping)
        self._light: list[_Entry] = []
        self._ranks = count()
        self._alarm: asyncio.TimerHandle | None = None
        self._is_going = False

    def time(self) -> float:
        return self._jumping.now

    def call_lightly(self, when: float, callback: Callable[..., None], arguments: tuple[Any, ...]) -> Timer:
        """Call something at a time."""
        entry = _Entry((when, next(self._ranks), callback, arguments))
        heapq.heappush(self._light, entry)
        if not self._is_going and self._light[0] is entry:
            self._set_alarm()
        return entry

    def _set_alarm(self) -> None:
        if self._alarm is not None:
            self._alarm.cancel()
        self._alarm = self.call_at(self._light[0][0], self._go_on) if self._light else None

    def _go_on(self) -> None:
        """Call what is due, and what is due next, and so on; at times asyncio must look at its files, too."""
        self._alarm = None
        self._is_going = True
        light, clock = self._light, self._jumping
        try:
            for _ in range(LOOKS_BETWEEN):
                if not light:
                    break
                when = light[0][0]
                if when > clock.now:
                    if self._ready or (self._scheduled and self._scheduled[0].when() < when):
                        break
                    clock.now = when
                _, _, callback, arguments = heapq.heappop(light)
                if callback is not None:
                    self._call(callback, arguments)
        finally:
            self._is_going = False
            self._set_alarm()

    def _call(self, callback: Callable[..., None], arguments: tuple[Any, ...]) -> None:
        try:
            callback(*arguments)
        except Exception as error:  # noqa: BLE001
            self.call_exception_handler({"message": f"{callback} at its time", "exception": error})


def call_at(when: float, callback: Callable[..., None], *arguments: Any) -> Timer:
    """Call something at a time of the running loop, as its own `call_at` does; in fast time at little cost."""
    loop = asyncio.get_running_loop()
    if isinstance(loop, FastLoop):
        return loop.call_lightly(when, callback, arguments)
    return loop.call_at(when, callback, *arguments)


def real_loop() -> asyncio.AbstractEventLoop:
    """Make the loop for real time."""
    return asyncio.SelectorEventLoop(FineSelector())


def run(main: Coroutine[Any, Any, T], *, fast: bool = False) -> T:
    """Run `main` to its end, in real or in fast time."""
    with asyncio.Runner(loop_factory=FastLoop if fast else real_loop) as runner:
        return runner.run(main)


_running: set[asyncio.Task[Any]] = set()


def start_task(work: Coroutine[Any, Any, None]) -> asyncio.Task[None]:
    """Start a task on the running loop. What it raises is told to the loop's exception handler at once."""
    task = asyncio.get_running_loop().create_task(work)
    _running.add(task)
    task.add_done_callback(_ended)
    return task


def _ended(task: asyncio.Task[Any]) -> None:
    _running.discard(task)
    if not task.cancelled() and (error := task.exception()) is not None:
        context = {"message": f"task {task.get_coro()}", "exception": error, "task": task}
        task.get_loop().call_exception_handler(context)


class BenchClock:
    """Seconds since the bench was started, read off the loop that runs it."""

    def __init__(self, loop: asyncio.AbstractEventLoop) -> None:
        self._loop = loop
        self._start = loop.time()

    def now(self) -> float:
        return self._loop.time() - self._start

    def of(self, loop_time: float) -> float:
        """The bench time of a time of the loop's own."""
        return loop_time - self._start

    def at(self, seconds: float) -> float:
        """The loop's own time for a bench time, as `call_at` wants it."""
        return self._start + seconds
