"""One clock, two speeds: the asyncio loop in real time, and one whose clock jumps to the next thing due.

Everything in Cavet that waits does so on the running loop; so the same bench runs on either. Models look at no clock
at all: time is handed in to them.

In fast time nothing is waited for: once nothing is ready any more, the clock stands at the next timer's time, and that
timer goes off. Between two timers no time passes, however long the machine takes; so the same seed gives the same
record, event for event, on any machine. What waits for the outside (a file, a socket) can't be reckoned so: it is
looked at now and then, and time does not wait for it.
"""

from __future__ import annotations

import asyncio
import heapq
import select
import selectors
from collections import deque
from collections.abc import Callable, Coroutine, Sized
from contextvars import Context
from functools import partial
from itertools import count
from math import inf, nextafter
from time import monotonic
from typing import Any, TypeVar

T = TypeVar("T")
AWAY_SECONDS = 0.1
"""A loop that is so late in real time, was not there for a while: the program was stopped, or the whole machine."""
LEAST_BETWEEN, MOST_IN_TURN = 0.01, 4
"""So long it is there between two absences, or else it has too much to do; and so many it may have all the same."""
KEPT_ABSENCES = 64
COARSE_SECONDS = 0.002
"""A wait that is shorter is fine from its beginning."""
MOST_SELECTED = 1024
"""The first number of a file that the system's `select` can't take."""


class Absences:
    """When a loop was not there, since the program was stopped, or the machine slept: what comes meanwhile is heard
    late, and is not late by that. Times are the loop's own, in seconds. May be asked from any thread."""

    def __init__(self) -> None:
        self._all: deque[tuple[float, float]] = deque(maxlen=KEPT_ABSENCES)
        self._ended = -inf
        self._in_turn = 0
        self._due = inf

    def look(self, wait: float) -> None:
        """The loop is here. It means to be so again when it has waited so long; while it works, at once."""
        now, due = monotonic(), self._due
        if now - due > AWAY_SECONDS:
            self._in_turn = self._in_turn + 1 if self._is_next(due) else 1
            if self._in_turn <= MOST_IN_TURN:
                self._all.append((due, now))
            self._ended = now
        self._due = now + wait

    def _is_next(self, due: float) -> bool:
        """Whether one that begins now follows the last one at once. What is always late must have an end."""
        return due - self._ended < LEAST_BETWEEN

    def since(self, begin: float, now: float) -> float:
        """For how long it was not there since `begin`. What goes on now counts, too: whoever asks was away himself."""
        due = self._due
        if begin >= self._ended and now - due <= AWAY_SECONDS:
            return 0.0
        gone = sum(end - max(begin, start) for start, end in list(self._all) if end > begin)
        is_away = now - due > AWAY_SECONDS and (self._in_turn < MOST_IN_TURN or not self._is_next(due))
        return gone + now - max(begin, due) if is_away else gone


class FineSelector(selectors.EpollSelector):
    """Waits to the microsecond. The plain one rounds each wait up to a millisecond: some six bytes at 57 600 baud. (So
    does this one in a program that had a thousand files open before.) It notes where it is called, or wakes, too late.

    To wait so takes a call of the system more. While requests come one behind the other that is spared: what comes next
    will be one, so whole milliseconds are waited for first, and only the rest finely."""

    def __init__(self) -> None:
        super().__init__()
        self.absences = Absences()
        self._file = self.fileno()
        self._is_fine = self._file < MOST_SELECTED
        self._has_found = False

    def select(self, timeout: float | None = None) -> list[tuple[selectors.SelectorKey, int]]:
        look = self.absences.look
        look(inf if timeout is None else max(0.0, timeout))
        if timeout is None or timeout <= 0 or not self._is_fine:
            found = super().select(timeout)
        else:
            found = self._wait(timeout)
        self._has_found = bool(found)
        look(0.0)
        return found

    def _wait(self, seconds: float) -> list[tuple[selectors.SelectorKey, int]]:
        if self._has_found and seconds >= COARSE_SECONDS:
            until = monotonic() + seconds
            if found := super().select((int(seconds * 1000) - 1) / 1000):
                return found
            seconds = max(0.0, until - monotonic())
        select.select([self._file], [], [], seconds)
        return super().select(0)


class RealLoop(asyncio.SelectorEventLoop):
    """An asyncio loop in real time, which knows when it was not there."""

    def __init__(self) -> None:
        selector = FineSelector()
        self.absences = selector.absences
        super().__init__(selector)


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


class _LightTimer(asyncio.TimerHandle):
    """A timer that asyncio knows nothing of."""

    __slots__ = ()

    def __init__(
        self, when: float, callback: Callable[..., object], arguments: tuple[Any, ...], context: Context | None
    ) -> None:
        self._when = when
        self._callback: Callable[..., object] | None = callback
        self._args = arguments
        self._context = context
        self._cancelled = False
        self._source_traceback = None

    def cancel(self) -> None:
        self._cancelled = True
        self._callback = None


class FastLoop(asyncio.SelectorEventLoop):
    """An asyncio loop that starts at 0 s and jumps to the next thing due; a minute costs milliseconds.

    It keeps its timers itself, and goes from one to the next while nothing else is ready: a turn of asyncio's for each
    would cost ten times as much.
    """

    _ready: Sized

    def __init__(self) -> None:
        self._jumping = _JumpingSelector()
        self.tell_time = partial(getattr, self._jumping, "now")
        """Tells the time, without a step of Python's."""
        super().__init__(self._jumping)
        self._timers: list[tuple[float, int, _LightTimer]] = []
        self._count = count()
        self._alarm: asyncio.TimerHandle | None = None
        self._is_going = False
        self._is_stopping = False

    def run_forever(self) -> None:
        """Run until it is told to stop; time stands still from then on."""
        self._is_stopping = False
        super().run_forever()

    def stop(self) -> None:
        """Stop in this turn."""
        self._is_stopping = True
        super().stop()

    def time(self) -> float:
        return self._jumping.now

    def call_at(  # type: ignore[override]  # asyncio's own says it for each number of arguments
        self, when: float, callback: Callable[..., object], *args: Any, context: Context | None = None
    ) -> asyncio.TimerHandle:
        timer = _LightTimer(when, callback, args, context)
        heapq.heappush(self._timers, (when, next(self._count), timer))
        if not self._is_going and self._timers[0][2] is timer:
            self._set_alarm()
        return timer

    def next_due(self) -> float:
        """When the next timer goes off; at once where something is ready already."""
        timers = self._timers
        while timers and timers[0][2]._callback is None:
            heapq.heappop(timers)
        if self._ready or self._is_stopping:
            return self._jumping.now
        return timers[0][0] if timers else inf

    def leap(self, to: float) -> None:
        """Go to a time before the next timer's, in the middle of one."""
        self._jumping.now = to

    def _set_alarm(self) -> None:
        """Let asyncio call `_go_on` when the first timer is due."""
        if self._alarm is not None:
            self._alarm.cancel()
        self._alarm = super().call_at(self._timers[0][0], self._go_on) if self._timers else None

    def _go_on(self) -> None:
        """Call what is due, and what is due next, and so on; now and then asyncio must look at its files, too."""
        self._alarm = None
        self._is_going = True
        timers, clock = self._timers, self._jumping
        try:
            for _ in range(LOOKS_BETWEEN):
                if not timers:
                    break
                when = timers[0][0]
                if when > clock.now:
                    if self._ready or self._is_stopping:
                        break
                    clock.now = when
                timer = heapq.heappop(timers)[2]
                callback = timer._callback
                if callback is None:
                    continue
                try:
                    if timer._context is None:
                        callback(*timer._args)
                    else:
                        timer._context.run(callback, *timer._args)
                except Exception as error:  # noqa: BLE001
                    context = {"message": f"{callback} at its time", "exception": error, "handle": timer}
                    self.call_exception_handler(context)
        finally:
            self._is_going = False
            self._set_alarm()


def run(main: Coroutine[Any, Any, T], *, fast: bool = False) -> T:
    """Run `main` to its end, in real or in fast time."""
    with asyncio.Runner(loop_factory=FastLoop if fast else RealLoop) as runner:
        return runner.run(main)


class Regular:
    """Calls something every so many seconds, until it is ended. In fast time that is far less work than a task that
    sleeps between: asyncio has nothing to do for it."""

    def __init__(self, seconds: float, act: Callable[[], object]) -> None:
        self._seconds = seconds
        self._act = act
        self._loop = asyncio.get_running_loop()
        self._is_over = False
        self._set()

    def _set(self) -> None:
        self._timer = self._loop.call_at(self._loop.time() + self._seconds, self._ring)

    def _ring(self) -> None:
        self._act()
        if not self._is_over:
            self._set()

    def end(self) -> None:
        """Call it no more."""
        self._is_over = True
        self._timer.cancel()


async def until(look: Callable[[], T | None], seconds: float) -> T:
    """Look now, and every so many seconds, until there is something: that is given. What `look` raises is raised."""
    found = look()
    if found is not None:
        return found
    came: asyncio.Future[T] = asyncio.get_running_loop().create_future()

    def look_again() -> None:
        if came.done():  # who waits has just been told to give up
            return
        try:
            found = look()
        except Exception as error:  # noqa: BLE001
            looks.end()
            came.set_exception(error)
            return
        if found is not None:
            looks.end()
            came.set_result(found)

    looks = Regular(seconds, look_again)
    try:
        return await came
    finally:
        looks.end()


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


def time_of(loop: asyncio.AbstractEventLoop) -> Callable[[], float]:
    """What tells a loop's time, as directly as can be."""
    if isinstance(loop, FastLoop):
        return loop.tell_time
    return monotonic if type(loop).time is asyncio.BaseEventLoop.time else loop.time


class BenchClock:
    """Seconds since the bench was started, read off the loop that runs it."""

    def __init__(self, time: Callable[[], float], absences: Absences | None = None) -> None:
        self.time = time
        """The loop's own time."""
        self.begin = time()
        """When the bench was started, in the loop's own time."""
        self.absences = absences or Absences()
        """When nobody was there, in the loop's own time. In fast time that can't be."""

    @classmethod
    def of_loop(cls, loop: asyncio.AbstractEventLoop) -> BenchClock:
        """The clock of a bench that is started now on a loop."""
        return cls(time_of(loop), loop.absences if isinstance(loop, RealLoop) else None)

    def now(self) -> float:
        return self.time() - self.begin

    def away_since(self, begin: float) -> float:
        """For how long since a bench time nobody was there, for the program was stopped, or the whole machine."""
        return self.absences.since(self.begin + begin, self.time())

    def spent_since(self, begin: float) -> float:
        """For how long since a bench time somebody was there: what has not come in that time is late."""
        return self.now() - begin - self.away_since(begin)

    def of(self, loop_time: float) -> float:
        """The bench time of a time of the loop's own."""
        return loop_time - self.begin

    def at(self, seconds: float) -> float:
        """The loop's own time for a bench time, as `call_at` wants it: it has come then, however the sum is rounded."""
        at = self.begin + seconds
        return at if at - self.begin >= seconds else nextafter(at, inf)
