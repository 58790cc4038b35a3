"""The JSON lines of a program that runs on a bench: what it writes, beside what `serve` tells."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence

from cavet.bench import RunningBench
from cavet.clock import start_task
from cavet.kernel import Mapping
from cavet.serving.lines import FOLLOW_SECONDS, answer, endpoint_line, left_out, say_events
from cavet.serving.output import Output, as_json
from cavet.serving.outside import follow_input

READ_BYTES = 65536
MOST_LINE = 8192
"""A line that is longer is told in pieces."""


class Told:
    """Tells in JSON lines, and does what lines of input ask for. Made on the loop."""

    def __init__(self, bench: RunningBench, *, events: bool) -> None:
        self._bench = bench
        self._output = Output(left_out)
        self._follows = events
        self._follower: asyncio.Task[None] | None = None
        self._number = 0

    def begin(self, mappings: Sequence[Mapping]) -> None:
        """Say where the boards are, and begin to listen."""
        say = self._output.say
        for endpoint in self._bench.endpoints:
            say(as_json(endpoint_line(endpoint)))
        for each in mappings:
            say(as_json({"event": "endpoint", "board": each.board, "link": each.kind, "address": each.path}))
        say(as_json({"event": "ready"}))
        follow_input(lambda line: say(as_json(answer(self._bench, line))))
        if self._follows:
            self._follower = start_task(self._tell_events())

    async def _tell_events(self) -> None:
        while True:
            self._number = say_events(self._bench, self._output, self._number)
            await asyncio.sleep(FOLLOW_SECONDS)
            await self._output.written()

    async def follow(self, process: asyncio.subprocess.Process) -> None:
        """Tell what a program writes, until it and all that share its output have shut that, or it has ended."""
        readers = [
            asyncio.ensure_future(self._read(name, stream))
            for name, stream in (("output", process.stdout), ("errors", process.stderr))
            if stream is not None
        ]
        await process.wait()
        await asyncio.wait(readers, timeout=1.0)
        for reader in readers:
            reader.cancel()

    async def _read(self, name: str, stream: asyncio.StreamReader) -> None:
        rest = b""
        while data := await stream.read(READ_BYTES):
            *lines, rest = (rest + data).split(b"\n")
            for line in lines:
                self._say(name, line)
            while len(rest) > MOST_LINE:
                self._say(name, rest[:MOST_LINE])
                rest = rest[MOST_LINE:]
        if rest:
            self._say(name, rest)

    def _say(self, name: str, line: bytes) -> None:
        self._output.say(as_json({"event": "output", "of": name, "text": line.decode("utf-8", "replace")}))

    def end(self, code: int) -> None:
        """Say how it has ended, behind all that has happened."""
        if self._follower is not None:
            self._follower.cancel()
            before = -1
            while before != self._number:
                before, self._number = self._number, say_events(self._bench, self._output, self._number)
        self._output.say(as_json({"event": "end", "code": code}))

    def close(self) -> None:
        """Let the last lines go out."""
        self._output.close()
