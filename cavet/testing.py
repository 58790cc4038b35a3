"""A test case with a bench in it, fresh for each test.

    from cavet.testing import BenchCase

    class Lights(BenchCase):
        bench = "demo"

        def test_the_beacon_can_be_dimmed(self):
            self.assertConfirmed("beacon", "50 %")
            self.assertMoved("gatehouse.beacon", to=50, within=0.2)

In fast time a test of a minute takes milliseconds. With `real = True` the boards are on their real endpoints, for a
program of one's own to open. Where a test fails its text is the trail that broke, and the record is kept in the folder
that `CAVET_RECORDS` names.
"""

from __future__ import annotations

import contextlib
import functools
import inspect
import math
import os
import re
import unittest
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any, ClassVar

from cavet import units
from cavet.bench import LoopThread
from cavet.benchfile import load_bench
from cavet.checks import Ended, deeds, run_program
from cavet.demo import find_bench
from cavet.library.blocking import Bench, open
from cavet.library.codec import Decoded, side_named
from cavet.library.core import Value
from cavet.library.errors import Refused, TooLate, Unconfirmed
from cavet.library.trails import ENDINGS
from cavet.protocols import as_text
from cavet.wording import WrongError, digits, listed

NEAR = 0.01
"""Two numbers are the same when they differ by no more than this share of the greater one, percent and degrees also by
half of one: a wire rounds them."""
ROUNDED = ("%", "deg")
PROGRAM_SECONDS = 30.0


class BenchCase(unittest.TestCase):
    """A test case on a bench. `self.bench` is what `cavet.open` gives."""

    bench: Any = "demo"
    """Set in the class: a bench file, or "demo". In a test: the bench itself."""
    defects: ClassVar[tuple[str, ...]] = ()
    """Defects of the bench file that are on from the beginning."""
    seed: ClassVar[str | None] = None
    real: ClassVar[bool] = False
    """On real endpoints and in real time."""

    def __init__(self, methodName: str = "runTest") -> None:  # noqa: N803
        super().__init__(methodName)
        self._has_failed = self._has_run_programs = False
        test = getattr(self, methodName, None)
        if test is not None:
            setattr(self, methodName, self._watched(test))

    def _watched(self, test: Callable[[], Any]) -> Callable[[], object]:
        """The test, noting whether it fails: then its record is kept, while there still is a bench."""

        is_coroutine = inspect.iscoroutinefunction(test)

        @functools.wraps(test)
        async def run_awaited() -> object:
            with self._noting():
                return await test()

        @functools.wraps(test)
        def run() -> object:
            with self._noting():
                if is_coroutine:
                    expected = "none, or a class that is an IsolatedAsyncioTestCase, too"
                    raise WrongError(self._testMethodName, found="a coroutine, which nobody awaits", expected=expected)
                return test()

        return run_awaited if is_coroutine and isinstance(self, unittest.IsolatedAsyncioTestCase) else run

    @contextlib.contextmanager
    def _noting(self) -> Iterator[None]:
        try:
            if not isinstance(self.bench, Bench):
                raise WrongError("setUp", found="one without super().setUp()", expected="one that calls it first")
            yield
        except unittest.SkipTest:
            raise
        except BaseException:
            self._has_failed = True
            raise

    @contextlib.contextmanager
    def subTest(self, msg: Any = "", **params: Any) -> Iterator[None]:
        with super().subTest(msg, **params), self._noting():
            yield

    def setUp(self) -> None:
        self.bench_file = find_bench(type(self).bench)
        self.bench: Bench = open(self.bench_file, seed=self.seed, real=self.real, defects=self.defects)
        self.addCleanup(self._end)

    def _end(self) -> None:
        try:
            self._keep_record()
        finally:
            self.bench.close()

    def _keep_record(self) -> None:
        """Save the record of a test that has failed."""
        folder = os.environ.get("CAVET_RECORDS", "")
        if not (folder and self._has_failed):
            return
        Path(folder).mkdir(parents=True, exist_ok=True)
        name = re.sub(r"[^\w.-]+", "_", self.id())
        self.bench.record.save(Path(folder) / f"{name}.record", force=True)

    def assertConfirmed(self, point: str, value: Value, *, within: float | None = None) -> None:
        """Ask for a value: it is confirmed as it was asked for, within so many seconds of the bench where they are
        named."""
        began = self.bench.t
        try:
            trail = self.bench[point].set(value)
            is_so = not trail.limited
        except (Refused, Unconfirmed) as error:
            trail, is_so = error.trail, False
        if not is_so:
            self.fail(str(trail))
        took = self.bench.t - began
        if within is not None and took > within:
            self.fail(
                f"{point} was confirmed after {took:.3f} s, not within {digits(within)} s\n{self.bench[point].trail}"
            )

    def assertMoved(self, part: str, to: Value, *, within: float = 5.0) -> None:
        """A part stands at a value, or does so within so many seconds: a number in its unit, or a word of its own."""
        moved = self.bench.part(part)
        if moved.unit and isinstance(to, str):
            to = units.parse(to, moved.unit, part)
        try:
            self.bench.wait_until(lambda: _same(moved.state, to, moved.unit), at_most=within)
            return
        except TooLate:
            found = f"{part} is {moved.words} after {digits(within)} s, not {to}\n{self._trails_to(part)}"
            if self._has_run_programs:
                found += deeds(self.bench.record.events, load_bench(self.bench_file).setup, [part])
        self.fail(found.rstrip())

    def _trails_to(self, part: str) -> str:
        """The latest trail of each point that is meant to move a part."""
        name = part.rpartition(".")[2]
        points = [self.bench[point] for point in self.bench.points]
        return "\n".join(str(point.trail) for point in points if name == point.part and point.trail)

    def assertNever(self, condition: Callable[[], object], *, seconds: float) -> None:
        """Something does not happen for so many seconds."""
        try:
            after = self.bench.wait_until(condition, at_most=seconds)
        except TooLate:
            return
        self.fail(f"it happened after {after:.3f} s, at {self.bench.t:.3f} s")

    def assertTrail(self, point: str, *, ended: str = "confirmed") -> None:
        """The latest wish for a point has ended so: "confirmed", "broken", "overtaken", "left out", "done"."""
        if ended not in ENDINGS:
            raise WrongError("assertTrail.ended", found=ended, expected=f"one of {listed(ENDINGS)}")
        trail = self.bench[point].trail
        if trail is None:
            self.fail(f"{point} was not asked for anything")
        if trail.ended != ended:
            self.fail(f"not {ended}: {trail}")

    def assertFrames(self, board: str, messages: Iterable[str], *, side: str = "host") -> None:
        """These messages were said to a board (by it, with `side="board"`) in this order, others between them: each a
        name and those fields that count, "analog-message pin=9"."""
        talker = side_named(side, "assertFrames.side").value
        if isinstance(messages, str):
            raise WrongError("assertFrames.messages", found=messages, expected="a list of messages")
        frames = [frame for frame in self.bench.frames(board) if frame.side == talker]
        rest = iter(frames)
        for message in messages:
            if not any(_fits(frame, message) for frame in rest):
                said = "\n".join(f"  {frame.t:9.3f} s  {frame!r}" for frame in frames[-20:])
                self.fail(f"{board}: no {message} in its place; the last that the {side} said:\n{said}")

    def program(self, call: Iterable[str], *, within: float = PROGRAM_SECONDS) -> Ended:
        """Run a program on the boards' real endpoints until it ends; give what became of it. The test fails where it
        has not ended within so many seconds; it is ended then.

        "{gatehouse.serial}" in the call is where a board is to be found, by its name and the kind or the name of its
        link; "python" is the one that runs the test. It runs in the folder of the bench file.
        """
        if not self.real:
            raise WrongError("program", found="a test in fast time", expected="a class with real = True")
        self._has_run_programs = True
        watching = LoopThread("program")
        try:
            ended = watching.run(run_program(list(call), self.bench_file.parent, self.bench.endpoints, within))
        except WrongError as error:
            if "can't be started" in str(error.found):
                self.fail(str(error.found))
            raise
        finally:
            watching.end()
        if ended.was_late:
            self.fail(f"the program had not ended within {digits(within)} s\n{ended.output}{ended.errors}")
        return ended


def _same(state: float | str, wanted: Value, unit: str) -> bool:
    if isinstance(state, str) or isinstance(wanted, str):
        return str(state) == str(wanted)
    return math.isclose(state, float(wanted), rel_tol=NEAR, abs_tol=0.5 if unit in ROUNDED else 1e-9)


def _fits(frame: Decoded, message: str) -> bool:
    name, *fields = message.split()
    if frame.name != name:
        return False
    wanted = dict(field.partition("=")[::2] for field in fields)
    return all(key in frame.fields and _is_written(frame, key, value) for key, value in wanted.items())


def _is_written(frame: Decoded, key: str, value: str) -> bool:
    """Whether a field has a value as it is written: as a number, in the standard's words, as hex."""
    found = frame.fields[key]
    written = {as_text(found).lower(), str(frame.fields.get(f"{key}_name", "")).replace(" ", "-").lower()}
    try:
        return value.lower() in written or units.whole_number(value) == found
    except ValueError:
        return False
