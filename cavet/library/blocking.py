"""The library for scripts: every call waits until what it asks for is done."""

from __future__ import annotations

import atexit
import os
import weakref
from collections.abc import Callable, Coroutine, Iterable, Iterator, Mapping
from contextlib import AbstractAsyncContextManager, AbstractContextManager, ExitStack, contextmanager
from pathlib import Path
from types import TracebackType
from typing import Any, TypeVar

from cavet.bench import LoopThread, Walked
from cavet.benchfile import Setup
from cavet.library._portals import FastTime, Portal, runs_a_bench
from cavet.library.core import AT_MOST, PRESS_SECONDS, BenchCore, PartCore, PointCore, Ran, Value, make_setup
from cavet.library.sending import Sent
from cavet.library.trails import Trail
from cavet.wording import WrongError

T = TypeVar("T")


class Point(PointCore):
    """A point of the bench."""

    def __init__(self, bench: Bench, name: str) -> None:
        super().__init__(bench, name)
        self._wait_for = bench._run

    def set(self, value: Value, *, over: float | None = None) -> Trail:
        """Ask for a value, in the point's unit or as a text; come back when it is confirmed. `over` so many seconds it
        goes there in a ramp. Raises `Refused`, `Unconfirmed`."""
        return self._wait_for(self._set(value, over))

    def read(self) -> Value | None:
        """Ask the board how it stands; give that, in the point's unit."""
        return self._wait_for(self._read())


class Part(PartCore):
    """A part of a simulated board: the truth."""

    def __init__(self, bench: Bench, path: str) -> None:
        super().__init__(bench, path)
        self._wait_for = bench._run

    def press(self, seconds: float = PRESS_SECONDS) -> None:
        """Press it; come back when it is let go, after so many seconds."""
        self._wait_for(self._press(seconds))


class _AskedInsideError(BaseException):
    """The bench's loop was told to wait for something of its own: a condition that is looked at there reads a point
    afresh, or sets one. It has to be looked at from outside."""


class Bench(BenchCore):
    """A bench that runs, until it is left or closed, or the program ends."""

    def __init__(self, portal: Portal, setup: Setup, *, real: bool, defects: Iterable[str]) -> None:
        self._portal = portal
        self._is_closed = False
        self._process = os.getpid()
        _open_ones.add(self)
        super().__init__(setup, real=real, defects=defects)

    def __enter__(self) -> Bench:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def __del__(self) -> None:
        """Nobody holds it any more: end it, where this thread is not in the middle of what a bench does."""
        if getattr(self, "_process", None) == os.getpid() and not runs_a_bench():
            self.close()

    def close(self) -> None:
        """End it; again does no harm."""
        if self._is_closed:
            return
        try:
            self._run(self._stop())
        finally:
            self._is_closed = True
            self._portal.end()

    def _run(self, work: Coroutine[Any, Any, T]) -> T:
        """Have the bench's loop do something, and wait for that."""
        if not self._is_closed and not self._portal.is_here:
            return self._portal.run(work)
        work.close()
        if self._is_closed:
            raise WrongError("bench", found="one that was closed", expected="one that is open")
        raise _AskedInsideError

    def _here(self, act: Callable[[], T]) -> T:
        if not self._is_closed and self._portal.is_here:
            return act()

        async def perform() -> T:
            return act()

        return self._run(perform())

    def __getitem__(self, name: str) -> Point:
        """A point by its name, or by `board.name`. Raises `WrongError`."""
        return Point(self, name)

    def part(self, path: str) -> Part:
        """A part by `board.name`. Raises `WrongError`."""
        return Part(self, path)

    def wait(self, seconds: float) -> None:
        """Let so many seconds of the bench's time pass."""
        self._run(self._wait(seconds))

    def wait_until(self, condition: Callable[[], object], *, at_most: float = AT_MOST) -> float:
        """Let time pass until something holds, which is looked at each 5 ms; give how long that took, in seconds.
        Raises `TooLate`."""
        began = self.t
        try:
            return self._run(self._wait_until(condition, at_most))
        except _AskedInsideError:
            while not condition():
                self._run(self._look_on(began, at_most))
            return self.t - began

    def rest(self) -> None:
        """Send every output to its rest value, and wait for what becomes of that. Raises `Unconfirmed` with the first
        trail that broke, `TooLate` where something is still on its way."""
        self._run(self._rest())

    def run(self, file: str | Path, routine: str | None = None, *, tunes: Mapping[str, Value] | None = None) -> Ran:
        """Run a routine of a file, the first where none is named, to its end; what it touched goes to rest then.
        `tunes` are in their own units, or texts with a unit. Raises `WrongError`, or an `ExceptionGroup` of all that is
        wrong in the file; how the routine ends raises nothing."""
        return self._run(self._run_routine(file, routine, tunes or {}))

    def walk(self, *outputs: str) -> list[Walked]:
        """Drive each output alone, or those named, to its far end and back to rest; give what moved by each: `output`,
        `moved` (by `BOARD.PART`), `held` (`None` where it can't move alone), `why`. Raises `WrongError`."""
        return self._run(self._walk(outputs))

    def send(self, board: str, message: str, *, within: float | None = None, **fields: Any) -> Sent:
        """Say one message to a board, as `cavet.encode` takes it, and wait for what answers it, so many seconds, or as
        long as the session itself would. An exception or a refusal is an answer. A unit that is left out is the
        board's. Raises `UnreachableError` where none comes that was due, `WrongError` for what can't be said."""
        return self._run(self._send(board, message, within, fields))

    def defect(self, name: str) -> AbstractContextManager[None]:
        """Have a defect of the bench file on, as long as this is entered."""
        return self._entered(self._defect(name))

    def broken(self, link: str) -> AbstractContextManager[None]:
        """Have a link cut, by its name or its board's, as long as this is entered."""
        return self._entered(self._broken(link))

    @contextmanager
    def _entered(self, inner: AbstractAsyncContextManager[None]) -> Iterator[None]:
        self._run(inner.__aenter__())
        try:
            yield
        finally:
            self._run(inner.__aexit__(None, None, None))


def open(
    bench: str | Path = "demo", *, seed: str | None = None, real: bool = False, at: Mapping[str, str] | None = None,
    broker: str | None = None, defects: Iterable[str] = (),
) -> Bench:  # fmt: skip
    """Start a bench, and wait until its boards are ready: a path to a bench file, or "demo".

    In fast time, all of it in this process: time goes on only while something is waited for, and the same `seed` gives
    the same record. With `real` on the boards' real endpoints, in real time, in a thread of its own; so too with `at`,
    the addresses of boards found elsewhere ("/dev/ttyUSB0", "HOST:PORT"), and with the `broker` HOST:PORT that all that
    speaks MQTT is put on. `defects` are those of the file that are on from the beginning. A board that is not there is
    told when one of its points is used. Raises an `ExceptionGroup` of `WrongError`s, with all mistakes of the file.
    """
    setup = make_setup(bench, seed=seed, at=at, broker=broker)
    real = real or bool(at) or broker is not None
    portal: Portal = LoopThread("bench") if real else FastTime()

    begun: list[Bench] = []

    async def start() -> None:
        """Gives nothing back: what holds that in the bench's own thread, for a moment, would hold the bench."""
        made = Bench(portal, setup, real=real, defects=defects)
        try:
            await made._start()
        except BaseException:
            made._is_closed = True
            await made._stop()
            raise
        begun.append(made)

    try:
        portal.run(start())
    except BaseException:
        portal.end()
        raise
    return begun.pop()


_open_ones: weakref.WeakSet[Bench] = weakref.WeakSet()


@atexit.register
def _close_all() -> None:
    """What a script has left open ends with it, in order; not in a process that was forked off it."""
    with ExitStack() as stack:
        for bench in list(_open_ones):
            if bench._process == os.getpid():
                stack.callback(bench.close)
