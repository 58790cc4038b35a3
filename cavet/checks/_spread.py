"""Runs spread over processes of this machine, or whoever else does them, and told in their order whoever ran them."""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import signal
import sys
from abc import ABC, abstractmethod
from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import BrokenExecutor, Future, ProcessPoolExecutor

from cavet.checks._campaign import Done, Order, do
from cavet.checks._program import end_programs
from cavet.wording import WrongError

AHEAD = 4
"""So many runs a worker are handed out before the first of them is told."""
MOST_LOST = 3
"""So often a run is begun again whose worker was lost; then it is the run."""


class Workers(ABC):
    """Whoever does orders: other processes, other machines."""

    def __init__(self, count: int) -> None:
        self.count = count
        """How many there are."""
        self.is_stopped = False
        """Whether they were told to stop."""

    @abstractmethod
    def submit(self, order: Order) -> Future[Done]:
        """Hand one out. The future, or this, raises `BrokenExecutor` where the worker was lost."""

    @abstractmethod
    def renew(self) -> None:
        """Put others in the place of lost ones."""

    @abstractmethod
    def stop(self) -> None:
        """End what is being done, from any thread: what is waited for breaks."""

    @abstractmethod
    def close(self) -> None:
        """End them; what is not done is left."""


class Processes(Workers):
    """Processes of this machine."""

    def __init__(self, count: int) -> None:
        super().__init__(count)
        self._pool = self._new()

    def _new(self) -> ProcessPoolExecutor:
        context = multiprocessing.get_context("spawn")
        with contextlib.redirect_stderr(sys.__stderr__):  # what is started here inherits it: it has to be a real file
            return ProcessPoolExecutor(self.count, mp_context=context, initializer=_begin)

    def submit(self, order: Order) -> Future[Done]:
        """Hand one out. The future, or this, raises `BrokenExecutor` where the worker was lost."""
        if self.is_stopped:
            raise BrokenExecutor
        return self._pool.submit(do, order)

    def renew(self) -> None:
        """Put others in the place of lost ones."""
        self._end()
        self._pool = self._new()

    def stop(self) -> None:
        """End what is being done, from any thread: what is waited for breaks."""
        self.is_stopped = True
        self._terminate()

    def close(self) -> None:
        """End them; what is not done is left."""
        self.is_stopped = True
        self._end()

    def _end(self) -> None:
        self._terminate()
        self._pool.shutdown(wait=True, cancel_futures=True)

    def _terminate(self) -> None:
        for process in list((self._pool._processes or {}).values()):
            process.terminate()


def _begin() -> None:
    """Who is at the terminal ends the first process, and that one its workers, with the programs they have started."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, _leave)


def _leave(number: int, frame: object) -> None:
    end_programs()
    os._exit(128 + number)


def run_all(orders: Sequence[Order], workers: Workers | None = None) -> Iterator[Done]:
    """Do all of them, here or by workers; give what came of each, in their order.

    What lost workers had in hand is done again by others. Ends early where the workers are told to stop. Raises
    `WrongError`, also for a run that loses each worker that begins it.
    """
    if workers is None:
        try:
            yield from map(do, orders)
        finally:
            end_programs()  # one that was being started when we were told to end, nobody has in hand yet
        return
    left = deque(orders)
    out: deque[tuple[Order, Future[Done]]] = deque()
    lost = 0
    while left or out:
        try:
            while left and len(out) < (1 if lost else AHEAD * workers.count):
                out.append((left[0], workers.submit(left[0])))
                left.popleft()
            done = out[0][1].result()
        except BrokenExecutor as error:
            if workers.is_stopped:
                return
            left.extendleft(order for order, _ in reversed(out))
            out.clear()
            lost += 1
            if lost > MOST_LOST:
                case = left[0].case
                found = f"{lost} workers lost, one after the other, at {case.check} with --seed {case.seed}"
                raise WrongError("checks", found=found, expected="workers that last: memory enough, no kill") from error
            workers.renew()
            continue
        out.popleft()
        lost = 0
        yield done
