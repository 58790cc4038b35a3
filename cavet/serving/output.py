"""Lines on standard output from a thread of their own: a reader that is slow, or has left, holds up no board."""

from __future__ import annotations

import asyncio
import contextlib
import os
import select
import signal
import threading
from collections.abc import Callable, Mapping
from typing import Any

import msgspec

from cavet.wording import WrongError

MAX_WAITING_BYTES = 16 << 20
"""What is kept for a reader who does not read; later lines are left out, and counted."""

LAST_SECONDS = 0.3
"""How long the last lines may take to go out."""

STANDARD_OUTPUT = 1


def as_json(line: Mapping[str, object]) -> str:
    """One line of JSON."""
    return msgspec.json.encode(line).decode()


class Output:
    """Standard output, written to by a thread of its own. Made, and spoken to, on the loop.

    `left_out` gives the line that tells how many lines were left out.
    """

    def __init__(self, left_out: Callable[[int], str], descriptor: int = STANDARD_OUTPUT) -> None:
        self.gone = asyncio.Event()
        """Nobody reads any more, or nothing can be written."""

        self._left_out = left_out
        self._descriptor = descriptor
        self._loop = asyncio.get_running_loop()
        self._trouble: OSError | None = None
        self._idle = asyncio.Event()
        self._idle.set()
        self._more = threading.Condition()
        self._waiting: list[bytes] = []
        self._bytes = 0
        self._missed = 0
        self._ended = False
        self._thread = threading.Thread(target=self._write_on, name="standard-output", daemon=True)
        self._thread.start()

    def say(self, line: str) -> None:
        """Have one line written. Never waits."""
        with self._more:
            if self._bytes > MAX_WAITING_BYTES:
                self._missed += 1
                return
            if self._missed:
                self._put(self._left_out(self._missed))
                self._missed = 0
            self._put(line)
            self._idle.clear()
            self._more.notify()

    def _put(self, line: str) -> None:
        data = f"{line}\n".encode("utf-8", "replace")
        self._waiting.append(data)
        self._bytes += len(data)

    async def written(self) -> None:
        """Wait until all that was said has been written."""
        await self._idle.wait()

    def close(self) -> None:
        """Let the last lines go out, for as long as somebody takes them.

        Raises `WrongError` where they could not be written for another reason than that the reader had left.
        """
        with self._more:
            if self._missed:
                self._put(self._left_out(self._missed))
            self._ended = True
            self._more.notify()
        self._thread.join(LAST_SECONDS)
        if self._trouble is not None and not isinstance(self._trouble, BrokenPipeError):
            raise WrongError("standard output", found=str(self._trouble.strerror), expected="a place to write lines to")

    def _write_on(self) -> None:
        try:
            while data := self._next():
                self._write(data)
                self._tell(self._settle)
        except OSError as trouble:
            self._trouble = trouble
            self._tell(self.gone.set)

    def _next(self) -> bytes:
        """All that waits, as soon as there is any; nothing at the end."""
        with self._more:
            while not self._waiting and not self._ended:
                self._more.wait()
            lines, self._waiting = self._waiting, []
            return b"".join(lines)

    def _write(self, data: bytes) -> None:
        rest = memoryview(data)
        while rest:
            try:
                rest = rest[os.write(self._descriptor, rest) :]
            except BlockingIOError:  # whoever shares it has asked not to wait on it
                select.select([], [self._descriptor], [])
        with self._more:
            self._bytes -= len(data)

    def _settle(self) -> None:
        if not self._bytes:
            self._idle.set()

    def _tell(self, what: Callable[[], Any]) -> None:
        with contextlib.suppress(RuntimeError):  # the loop has ended: nobody waits for it any more
            self._loop.call_soon_threadsafe(what)


def end_at_signals(stop: Callable[[], object]) -> None:
    """End in good order what runs on, when it is told to; also when its terminal is shut, unless that is ignored."""
    loop = asyncio.get_running_loop()
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        if number is not signal.SIGHUP or signal.getsignal(number) is not signal.SIG_IGN:
            loop.add_signal_handler(number, stop)
