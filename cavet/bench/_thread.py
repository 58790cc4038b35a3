"""Threads that a loop, or a bench, lives in: what works on the screen, or in a script, delays no byte there."""

from __future__ import annotations

import asyncio
import sys
import threading
from collections.abc import Callable, Coroutine
from concurrent.futures import Future
from pathlib import Path
from typing import Any, TypeVar

from cavet import clock
from cavet.bench._running import RunningBench
from cavet.benchfile._reloading import Changes
from cavet.benchfile._setup import Setup
from cavet.faults import note_fault
from cavet.record import RecordWriter
from cavet.wording import UnreachableError, WrongError

T = TypeVar("T")

SWITCH_SECONDS = 0.0005
"""How long others may keep the interpreter from the bench; Python's own 5 ms are 29 characters at 57 600 baud."""


class LoopThread:
    """A loop in real time, in a thread of its own, which does not keep a program from ending."""

    def __init__(self, name: str) -> None:
        self._loop: asyncio.AbstractEventLoop
        self._stop: asyncio.Event
        self._begun = threading.Event()
        self._thread = threading.Thread(target=clock.run, args=(self._live(),), name=name, daemon=True)
        sys.setswitchinterval(SWITCH_SECONDS)
        self._thread.start()
        self._begun.wait()

    async def _live(self) -> None:
        self._loop = asyncio.get_running_loop()
        self._stop = asyncio.Event()
        self._begun.set()
        await self._stop.wait()

    @property
    def is_here(self) -> bool:
        """Whether it is this thread that asks."""
        return threading.current_thread() is self._thread

    def run(self, work: Coroutine[Any, Any, T], seconds: float | None = None) -> T:
        """Have the loop do something, and wait for that; give or raise what it does. `TimeoutError` after so long. It
        is given up when who waits is interrupted."""
        done = self.post(work)
        try:
            return done.result(seconds)
        except KeyboardInterrupt:
            done.cancel()
            raise

    def post(self, work: Coroutine[Any, Any, T]) -> Future[T]:
        """Have the loop do something; what it gives or raises comes back in time."""
        return asyncio.run_coroutine_threadsafe(work, self._loop)

    def end(self) -> None:
        """End the loop, and wait for it."""
        if self._thread.is_alive():
            self._loop.call_soon_threadsafe(self._stop.set)
            self._thread.join()


class BenchThread:
    """Runs a bench. What is read of it can be read from any thread; what acts on it goes through `post`."""

    def __init__(
        self, setup: Setup, record_path: Path | None, keep: int | None = None, *, hosts_wait: bool = False
    ) -> None:
        """`keep` is how many bytes of a record are kept at most; with `hosts_wait` no link is opened before `begin`."""
        self._hosts_wait = hosts_wait
        self._setup = setup
        self._record_path = record_path
        self._keep = keep
        self._thread: LoopThread
        self._writer: RecordWriter | None = None
        self._ending = threading.Lock()
        self._is_over = False
        self.bench: RunningBench

    def start(self) -> None:
        """Start the bench, and wait until it is. Raises what keeps it from starting."""
        self._thread = LoopThread("bench")
        try:
            self._thread.run(self._start())
        except BaseException as error:
            if not isinstance(error, UnreachableError | WrongError):
                note_fault("the bench", error)
            self.stop()
            raise

    async def _start(self) -> None:
        self.bench = RunningBench(self._setup)
        self.bench.hosts_wait = self._hosts_wait
        if self._record_path is not None:
            self._writer = RecordWriter(self.bench.record, self._record_path, self._setup.about, keep=self._keep)
        await self.bench.start()

    async def _end(self) -> None:
        if hasattr(self, "bench"):
            await self.bench.stop()
        if self._writer is not None:
            self._writer.close()

    @property
    def record_problem(self) -> str:
        """Why the record is not written any more, or not whole; "" while it is."""
        return (self._writer.problem or "") if self._writer is not None else ""

    def __enter__(self) -> BenchThread:
        self.start()
        return self

    def __exit__(self, *error: object) -> None:
        self.stop()

    def post(self, act: Callable[[], T]) -> Future[T]:
        """Have something done to the bench, in its own thread and in the order in which it is asked for."""

        async def perform() -> T:
            return act()

        return self._thread.post(perform())

    def take_over(self, setup: Setup, changes: Changes) -> None:
        """Go on as a changed bench, and wait until that is so. Raises what keeps it from that."""
        self._thread.run(self.bench.take_over(setup, changes))

    def stop(self) -> None:
        """End the bench; more than one thread may want that."""
        with self._ending:
            if self._is_over:
                return
            self._is_over = True
            try:
                self._thread.run(self._end())
            finally:
                self._thread.end()
