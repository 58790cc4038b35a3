"""The ways into the loop that a bench lives in, for who waits outside of it."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable, Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import Any, Protocol, TypeVar

from cavet.clock import FastLoop, RealLoop

T = TypeVar("T")


class Portal(Protocol):
    """The way into a bench's loop."""

    @property
    def is_here(self) -> bool:
        """Whether it is asked from inside."""

    def run(self, work: Coroutine[Any, Any, T]) -> T: ...
    def end(self) -> None: ...


class FastTime:
    """A loop in fast time, that goes on only while something is waited for: between calls, time stands still.

    Threads come in one after the other. A thread that runs a loop already (a notebook's, a test's with asyncio) can't
    run another one: there the bench's goes on in a thread beside it, as long as it is waited for.
    """

    def __init__(self) -> None:
        self._runner = asyncio.Runner(loop_factory=FastLoop)
        self._turn = threading.Lock()
        self._task: asyncio.Task[Any] | None = None

    @property
    def is_here(self) -> bool:
        return _loop_here() is self._runner.get_loop()

    def run(self, work: Coroutine[Any, Any, T]) -> T:
        """Have the loop do something, and wait for that; give or raise what it does."""
        with self._turn:
            if _loop_here() is not None:
                return self._beside(lambda: self._runner.run(self._noted(work)))
            return self._runner.run(work)

    def end(self) -> None:
        """End the loop."""
        with self._turn:
            if _loop_here() is not None:
                self._beside(self._runner.close)
            else:
                self._runner.close()

    async def _noted(self, work: Coroutine[Any, Any, T]) -> T:
        self._task = asyncio.current_task()
        return await work

    def _beside(self, act: Callable[[], T]) -> T:
        """Do it in another thread, and wait for that. Who is interrupted waits no longer than it takes to give up."""
        with ThreadPoolExecutor(1, "bench") as threads:
            done = threads.submit(act)
            try:
                return done.result()
            except KeyboardInterrupt:
                if self._task is not None:
                    self._task.get_loop().call_soon_threadsafe(self._task.cancel)
                raise


def runs_a_bench() -> bool:
    """Whether this thread is in the middle of a loop that benches live in."""
    return isinstance(_loop_here(), FastLoop | RealLoop)


def _loop_here() -> asyncio.AbstractEventLoop | None:
    try:
        return asyncio.get_running_loop()
    except RuntimeError:
        return None
