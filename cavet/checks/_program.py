"""The user's own program as the host: started by word only, watched, and ended with all that it has started."""

from __future__ import annotations

import asyncio
import os
import re
import secrets
import signal
import sys
from collections.abc import Mapping, Sequence
from contextlib import suppress
from pathlib import Path

import msgspec

from cavet.bench import variables_of
from cavet.wording import WrongError, unknown

END_SECONDS = 2.0
"""How long it may take to end when it is told to; then it is killed."""
MOST_OUTPUT = 64 * 1024
"""So much of what it has written is kept: the last of it."""
READ_BYTES = 65536
MARK = "CAVET_RUN"
"""The variable of its environment by which all that it has started is found."""
PLACE = re.compile(r"\{([\w.-]+)\}")


class Ended(msgspec.Struct, frozen=True):
    """What became of a program: its exit code (below 0 the signal that ended it), what it has written, and whether it
    had to be ended since its time was up."""

    code: int
    output: str
    errors: str
    was_late: bool = False


def call_of(words: Sequence[str], endpoints: Mapping[str, str], place: str = "program") -> list[str]:
    """A call, with what stands in braces as the place of a board, and `python` as the one that runs this. Raises
    `WrongError`."""

    def address(found: re.Match[str]) -> str:
        if found[1] not in endpoints:
            raise unknown(place, found[1], endpoints, none="none: no board is on a real endpoint")
        return endpoints[found[1]]

    call = [PLACE.sub(address, word) for word in words]
    return [sys.executable if word == "python" else word for word in call[:1]] + call[1:]


class Running:
    """A program that runs; it never waits for anybody who reads what it writes."""

    def __init__(self, process: asyncio.subprocess.Process, mark: str) -> None:
        self._process = process
        self._mark = mark
        _underway[mark] = process.pid
        self._written = {"output": bytearray(), "errors": bytearray()}
        self._readers = [
            asyncio.create_task(self._read(name, stream))
            for name, stream in (("output", process.stdout), ("errors", process.stderr))
            if stream is not None
        ]

    @classmethod
    async def start(
        cls, call: Sequence[str], folder: Path, endpoints: Mapping[str, str], more: Mapping[str, str] | None = None
    ) -> Running:
        """Start it, with more variables in its environment. Raises `WrongError` where that can't be."""
        mark = secrets.token_hex(8)
        _underway[mark] = None  # before it is there: who is told to end meanwhile finds it
        variables = {**os.environ, **variables_of(endpoints), **(more or {}), MARK: mark}
        try:
            process = await asyncio.create_subprocess_exec(
                *call, cwd=folder, env=variables, stdin=asyncio.subprocess.DEVNULL,
                stdout=asyncio.subprocess.PIPE, stderr=asyncio.subprocess.PIPE, start_new_session=True,
            )  # fmt: skip
        except OSError as error:
            del _underway[mark]
            found = f"{call[0]} can't be started: {error.strerror}"
            raise WrongError("program", found=found, expected="a program that is there") from error
        except ValueError as error:
            del _underway[mark]
            raise WrongError("program", found=str(error), expected="a call that can be made") from error
        return cls(process, mark)

    async def _read(self, name: str, stream: asyncio.StreamReader) -> None:
        kept = self._written[name]
        while data := await stream.read(READ_BYTES):
            kept += data
            if len(kept) > 2 * MOST_OUTPUT:
                del kept[:-MOST_OUTPUT]

    @property
    def has_ended(self) -> bool:
        """Whether it has ended by itself."""
        return self._process.returncode is not None

    async def wait(self) -> None:
        """Wait until it ends."""
        await self._process.wait()

    @property
    def errors(self) -> str:
        """What it has written so far as errors."""
        return self._written["errors"][-MOST_OUTPUT:].decode("utf-8", "replace")

    @property
    def output(self) -> str:
        """What it has written so far."""
        return self._written["output"][-MOST_OUTPUT:].decode("utf-8", "replace")

    async def end(self) -> Ended:
        """End it, if it has not ended, and all that it has started and left behind; give what became of it."""
        was_late = not self.has_ended
        for number in (signal.SIGTERM, signal.SIGKILL):
            left = self._left()
            if self.has_ended and not left:
                break
            _signal(left, number)
            with suppress(ProcessLookupError):
                os.killpg(self._process.pid, number)
            await self._until_gone()
        await self._process.wait()
        _underway.pop(self._mark, None)
        _, pending = await asyncio.wait(self._readers, timeout=END_SECONDS)
        for task in pending:
            task.cancel()
        return Ended(self._process.returncode or 0, self.output, self.errors, was_late)

    async def _until_gone(self) -> None:
        with suppress(TimeoutError):
            async with asyncio.timeout(END_SECONDS):
                while not self.has_ended or self._left():
                    await asyncio.sleep(0.01)

    def _left(self) -> list[int]:
        """What it has started that is still there, also in sessions of its own."""
        return [process for process in _marked(self._mark) if process != self._process.pid]


def _marked(mark: str) -> list[int]:
    """The processes that bear a mark."""
    wanted = f"{MARK}={mark}".encode()
    found = []
    for folder in Path("/proc").iterdir():
        if folder.name.isdigit():
            with suppress(OSError):
                if wanted in (folder / "environ").read_bytes().split(b"\0"):
                    found.append(int(folder.name))
    return found


_underway: dict[str, int | None] = {}
"""The marks of the programs that run, with their process groups as soon as they are known."""


def end_programs() -> None:
    """End at once all that run, with what they have started: this process is about to end, and nothing waits."""
    for mark, group in list(_underway.items()):
        for each in (group, *_marked(mark)):
            with suppress(OSError):
                if each is not None:
                    os.killpg(each if each == group else os.getpgid(each), signal.SIGKILL)


def _signal(processes: Sequence[int], number: int) -> None:
    for process in processes:
        with suppress(OSError):
            os.kill(process, number)


async def run_program(words: Sequence[str], folder: Path, endpoints: Mapping[str, str], within: float) -> Ended:
    """Run a program until it ends, for so many seconds at most; give what became of it. Raises `WrongError`."""
    running = await Running.start(call_of(words, endpoints), folder, endpoints)
    try:
        async with asyncio.timeout(within):
            await running.wait()
    except TimeoutError:
        pass
    finally:
        ended = await running.end()
    return ended
