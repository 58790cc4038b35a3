"""A run of checks from the workbench: in processes of their own, so that nothing that is looked at waits for them; a
program in this one, so that it can be watched; and a walk of the very boards that are looked at."""

from __future__ import annotations

import asyncio
import contextlib
import os
import shutil
import tempfile
import threading
import weakref
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from cavet import clock
from cavet.bench import RunningBench, Walk, Walked
from cavet.benchfile import CheckSettings, Setup
from cavet.checks import Came, Case, Done, Hosted, Order, Processes, Wanted, orders_of, place_as_it_stands, run_all
from cavet.faults import FORESEEN, note_fault

MOST_JOBS = 4
Post = Callable[[Callable[[], Any]], Any]
"""Has something done in the bench's own thread."""


class Run:
    """Some checks that are being run, or were: what is to be done, and what came of it so far, in its order."""

    is_live = False
    """Whether the boards that are looked at move by it."""
    setup: Setup
    """The bench that is checked, and where its files are."""

    def __init__(self, checks: Sequence[CheckSettings]) -> None:
        self.checks = list(checks)
        self.orders: list[Order] = []
        self.done: list[Done] = []
        self.problem = ""
        self.is_over = False
        self.is_stopped = False

    def of(self, check: str) -> list[Done]:
        """What came of a check so far."""
        return [done for done in list(self.done) if done.came.case.check == check]

    def walked(self, check: str) -> tuple[tuple[Walked, ...], float]:
        """What was walked last so far, and how many bench seconds that took."""
        done = self.of(check)
        return (done[-1].came.walked, done[-1].came.t) if done else ((), 0.0)

    def stop(self) -> None:
        """End it; what is not done is left."""
        self.is_stopped = True

    def wait(self, seconds: float) -> None:
        """Wait until it is over, so long at most."""

    def _attempt(self, act: Callable[[], None]) -> None:
        """Do it, and tell what keeps it from being done; then it is over."""
        try:
            act()
        except ExceptionGroup as group:
            self.problem = "; ".join(str(error) for error in group.exceptions)
        except FORESEEN as error:
            self.problem = str(error)
        except OSError as error:
            self.problem = f"checks can't be run here: {error.strerror or error}"
        except Exception as error:  # noqa: BLE001
            self.problem = note_fault("checks", error)
        finally:
            self.is_over = True


def own_folder(run: Run) -> Path:
    """Make a folder that is there as long as a run is known."""
    folder = Path(tempfile.mkdtemp(prefix="cavet-"))
    weakref.finalize(run, shutil.rmtree, folder, ignore_errors=True)
    return folder


class _Threaded(Run):
    """One that is done in a thread of its own."""

    def __init__(self, setup: Setup, checks: Sequence[CheckSettings], wanted: Wanted) -> None:
        super().__init__(checks)
        self.setup, self._wanted = setup, wanted
        self._thread = threading.Thread(target=lambda: self._attempt(self._do), name="checks", daemon=True)
        self._thread.start()

    def _do(self) -> None:
        raise NotImplementedError

    def wait(self, seconds: float) -> None:
        self._thread.join(seconds)


class Spread(_Threaded):
    """In processes of their own."""

    _workers: Processes | None = None

    def __init__(
        self, setup: Setup, checks: Sequence[CheckSettings], wanted: Wanted, unsaved: Mapping[Path, str]
    ) -> None:  # fmt: skip
        if unsaved:  # they read files: those as they stand here
            bench = place_as_it_stands(Path(setup.path), unsaved, own_folder(self))
            setup = msgspec.structs.replace(setup, path=str(bench))
        super().__init__(setup, checks, wanted)

    def _do(self) -> None:
        self.orders = orders_of(Path(self.setup.path), self.setup, self.checks, self._wanted)
        count = min(MOST_JOBS, max(1, (os.cpu_count() or 2) - 1), len(self.orders) or 1)
        self._workers = Processes(count)
        try:
            if not self.is_stopped:
                for done in run_all(self.orders, self._workers):
                    self.done.append(done)
        finally:
            self._workers.close()

    def stop(self) -> None:
        super().stop()
        if self._workers is not None:
            self._workers.stop()


class Hosting(_Threaded):
    """A program of one's own, watched while it goes on. The records of runs that fail are kept as long as it is: none
    can be done again as it was."""

    hosted: Hosted | None = None
    _loop: asyncio.AbstractEventLoop | None = None
    _task: asyncio.Task[Any] | None = None

    def _do(self) -> None:
        self.orders = orders_of(Path(self.setup.path), self.setup, self.checks, self._wanted)
        (check,) = self.checks
        folder = own_folder(self)
        for number, order in enumerate(self.orders):
            if self.is_stopped:
                return
            self.hosted = Hosted(msgspec.structs.replace(self.setup, seed=order.case.seed), check)
            record = folder / f"{number}.record"
            try:
                came = clock.run(self._host(self.hosted, order.case, record), fast=False)
            except asyncio.CancelledError:
                return
            self.done.append(Done(came=came, record=None if came.held else record))
            if came.held:
                record.unlink()

    async def _host(self, hosted: Hosted, case: Case, record: Path) -> Came:
        self._loop, self._task = asyncio.get_running_loop(), asyncio.current_task()
        if self.is_stopped:
            raise asyncio.CancelledError
        return await hosted.run(case, record=record)

    def stop(self) -> None:
        super().stop()
        if self._loop is not None and self._task is not None and not self.is_over:
            with contextlib.suppress(RuntimeError):  # its loop has just ended, and the run with it
                self._loop.call_soon_threadsafe(self._task.cancel)


class Walking(Run):
    """A walk of the boards that are looked at, real ones too."""

    is_live = True

    def __init__(self, bench: RunningBench, post: Post, check: CheckSettings) -> None:
        super().__init__([check])
        self.setup = bench.setup
        self._case = Case(check=check.name, seed=bench.setup.seed)
        self.orders = [Order(bench=Path(bench.setup.path), case=self._case)]
        self._bench, self._post = bench, post
        self._so_far: list[Walked] = []
        self._began = bench.clock.now()
        self._task: asyncio.Task[None] | None = None
        post(self._begin)

    def _begin(self) -> None:
        self._task = clock.start_task(self._walk())

    async def _walk(self) -> None:
        try:
            async for walked in Walk(self._bench).walk(self.checks[0].outputs):
                self._so_far.append(walked)
            wrong = [walked for walked in self._so_far if walked.held is False]
            why = f"{wrong[0].output}: {wrong[0].why}" if wrong else ""
            t = self._bench.clock.now() - self._began
            self.done = [Done(came=Came(case=self._case, held=not wrong, t=t, why=why, walked=tuple(self._so_far)))]
        except FORESEEN as error:
            self.problem = str(error)
        finally:
            self.is_over = True

    def walked(self, check: str) -> tuple[tuple[Walked, ...], float]:
        return tuple(self._so_far), self._bench.clock.now() - self._began if not self.is_over else self.done_in

    @property
    def done_in(self) -> float:
        """How many bench seconds it took."""
        return self.done[0].came.t if self.done else 0.0

    def stop(self) -> None:
        super().stop()
        if not self.is_over:
            self._post(lambda: self._task.cancel() if self._task is not None else None)
