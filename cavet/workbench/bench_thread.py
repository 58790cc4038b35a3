"""The bench in a thread of its own: the screen's work delays no byte, so a trail's delays are the link's."""

from __future__ import annotations

import asyncio
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from cavet import clock
from cavet.bench import Plan, RunningBench
from cavet.faults import note_fault
from cavet.record import RecordWriter
from cavet.wording import UnreachableError, WrongError

T = TypeVar("T")

SWITCH_SECONDS = 0.0005
"""How long the screen may keep the interpreter from the bench; Python's own 5 ms are 29 characters at 57 600 baud."""
CALL_SECONDS = 5.0


class BenchThread:
    """Runs a bench. What is read of it can be read from any thread; what acts on it goes through `call`."""

    def __init__(self, plan: Plan, record_path: Path | None) -> None:
        self._plan = plan
        self._record_path = record_path
        self._loop: asyncio.AbstractEventLoop
        self._stop: asyncio.Event
        self._started = threading.Event()
        self._problem: Exception | None = None
        self._writer: RecordWriter | None = None
        self._thread = threading.Thread(target=self._run, name="bench")
        self.bench: RunningBench

    def start(self) -> None:
        """Start the bench, and wait until it is. Raises what keeps it from starting."""
        sys.setswitchinterval(SWITCH_SECONDS)
        self._thread.start()
        self._started.wait()
        if self._problem is not None:
            self._thread.join()
            raise self._problem

    def _run(self) -> None:
        try:
            clock.run(self._live())
        except Exception as error:  # noqa: BLE001
            self._problem = error
            note_fault("the bench", error)
        finally:
            self._started.set()

    async def _live(self) -> None:
        self._loop = asyncio.get_running_loop()
        self._stop = asyncio.Event()
        self.bench = RunningBench(self._plan)
        try:
            self._writer = writer = self._make_writer()
        except WrongError as error:
            self._problem = error
            return
        try:
            await self.bench.start()
            self._started.set()
            await self._stop.wait()
        except (UnreachableError, WrongError) as error:
            self._problem = error
        finally:
            await self.bench.stop()
            if writer is not None:
                writer.close()

    @property
    def record_problem(self) -> str:
        """Why the record is not written any more, or not whole; "" while it is."""
        return (self._writer.problem or "") if self._writer is not None else ""

    def _make_writer(self) -> RecordWriter | None:
        if self._record_path is None:
            return None
        return RecordWriter(self.bench.record, self._record_path, {"bench": self._plan.name})

    def __enter__(self) -> BenchThread:
        self.start()
        return self

    def __exit__(self, *error: object) -> None:
        self.stop()

    def call(self, act: Callable[[], T]) -> T:
        """Do something to the bench, in its own thread; give or raise what that does."""

        async def perform() -> T:
            return act()

        return asyncio.run_coroutine_threadsafe(perform(), self._loop).result(CALL_SECONDS)

    def stop(self) -> None:
        """End the bench."""
        if self._thread.is_alive():
            self._loop.call_soon_threadsafe(self._stop.set)
            self._thread.join()
