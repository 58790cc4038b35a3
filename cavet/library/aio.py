"""The library for asyncio: every wait is awaited."""

from __future__ import annotations

from collections.abc import Callable, Coroutine, Iterable, Mapping
from contextlib import AbstractAsyncContextManager
from pathlib import Path
from types import TracebackType
from typing import Any, TypeVar

from cavet import clock
from cavet.bench import Walked
from cavet.library.core import AT_MOST, PRESS_SECONDS, BenchCore, PartCore, PointCore, Ran, Value, make_setup
from cavet.library.sending import Sent
from cavet.library.trails import Trail
from cavet.wording import WrongError

T = TypeVar("T")


class Point(PointCore):
    """A point of the bench."""

    def __init__(self, bench: Bench, name: str) -> None:
        super().__init__(bench, name)
        self._await = bench._await

    async def set(self, value: Value, *, over: float | None = None) -> Trail:
        """Ask for a value, in the point's unit or as a text; come back when it is confirmed. `over` so many seconds it
        goes there in a ramp. Raises `Refused`, `Unconfirmed`."""
        return await self._await(self._set(value, over))

    async def read(self) -> Value | None:
        """Ask the board how it stands; give that, in the point's unit."""
        return await self._await(self._read())


class Part(PartCore):
    """A part of a simulated board: the truth."""

    def __init__(self, bench: Bench, path: str) -> None:
        super().__init__(bench, path)
        self._await = bench._await

    async def press(self, seconds: float = PRESS_SECONDS) -> None:
        """Press it; come back when it is let go, after so many seconds."""
        await self._await(self._press(seconds))


class Bench(BenchCore):
    """A bench that runs while it is entered, with `async with`, once."""

    _stage = "one that was not entered"

    async def __aenter__(self) -> Bench:
        if self._stage != Bench._stage:
            raise WrongError("bench", found="one that was entered before", expected="one that cavet.aio.open just gave")
        self._stage = ""
        try:
            await self._start()
        except BaseException:
            self._stage = "one that did not start"
            await self._stop()
            raise
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._stage = "one that was left"
        await self._stop()

    def _check_running(self) -> None:
        if self._stage:
            raise WrongError("bench", found=self._stage, expected="one that is entered with `async with`")

    def _here(self, act: Callable[[], T]) -> T:
        self._check_running()
        return act()

    async def _await(self, work: Coroutine[Any, Any, T]) -> T:
        """Have the bench do something, while it runs."""
        try:
            self._check_running()
        except WrongError:
            work.close()
            raise
        return await work

    def __getitem__(self, name: str) -> Point:
        """A point by its name, or by `board.name`. Raises `WrongError`."""
        self._check_running()
        return Point(self, name)

    def part(self, path: str) -> Part:
        """A part by `board.name`. Raises `WrongError`."""
        return Part(self, path)

    async def wait(self, seconds: float) -> None:
        """Let so many seconds of the bench's time pass."""
        await self._await(self._wait(seconds))

    async def wait_until(self, condition: Callable[[], object], *, at_most: float = AT_MOST) -> float:
        """Let time pass until something holds; give how long that took, in seconds. What it gives is awaited where it
        has to be (`lambda: bench["level"].read()`). Raises `TooLate`."""
        return await self._await(self._wait_until(condition, at_most))

    async def rest(self) -> None:
        """Send every output to its rest value, and wait for what becomes of that. Raises `Unconfirmed` with the first
        trail that broke, `TooLate` where something is still on its way."""
        await self._await(self._rest())

    async def send(self, board: str, message: str, *, within: float | None = None, **fields: Any) -> Sent:
        """Say one message to a board, as `cavet.encode` takes it, and wait for what answers it, so many seconds, or as
        long as the session itself would. An exception or a refusal is an answer. A unit that is left out is the
        board's. Raises `UnreachableError` where none comes that was due, `WrongError` for what can't be said."""
        return await self._await(self._send(board, message, within, fields))

    async def run(
        self, file: str | Path, routine: str | None = None, *, tunes: Mapping[str, Value] | None = None
    ) -> Ran:
        """Run a routine of a file, the first where none is named, to its end; what it touched goes to rest then.
        `tunes` are in their own units, or texts with a unit. Raises `WrongError`, or an `ExceptionGroup` of all that is
        wrong in the file; how the routine ends raises nothing."""
        return await self._await(self._run_routine(file, routine, tunes or {}))

    async def walk(self, *outputs: str) -> list[Walked]:
        """Drive each output alone, or those named, to its far end and back to rest; give what moved by each: `output`,
        `moved` (by `BOARD.PART`), `held` (`None` where it can't move alone), `why`. Raises `WrongError`."""
        return await self._await(self._walk(outputs))

    def defect(self, name: str) -> AbstractAsyncContextManager[None]:
        """Have a defect of the bench file on, as long as this is entered."""
        return self._defect(name)

    def broken(self, link: str) -> AbstractAsyncContextManager[None]:
        """Have a link cut, by its name or its board's, as long as this is entered."""
        return self._broken(link)


def open(
    bench: str | Path = "demo", *, seed: str | None = None, real: bool = False, at: Mapping[str, str] | None = None,
    broker: str | None = None, defects: Iterable[str] = (),
) -> Bench:  # fmt: skip
    """Put a bench together, to be entered with `async with`. Its time is the running loop's: see `run`.

    The arguments are those of `cavet.open`.
    """
    setup = make_setup(bench, seed=seed, at=at, broker=broker)
    return Bench(setup, real=real or bool(at) or broker is not None, defects=defects)


def run(main: Coroutine[Any, Any, T], *, real: bool = False) -> T:
    """Run a coroutine to its end, in fast time: waiting costs nothing, and the same seed gives the same record.

    With `real` in real time, as for boards and programs outside of this process.
    """
    return clock.run(main, fast=not real)
