"""The bench's side of the shim: questions over a Unix socket, answered as the kernel would."""

from __future__ import annotations

import asyncio
import errno
import itertools
import struct
from collections.abc import Iterable, Sequence
from pathlib import Path

from cavet.bench import RunningBench
from cavet.boards.buses import Outcome, Part
from cavet.faults import note_fault
from cavet.kernel._i2c import OF_SET, READ, Opened, Refused, done, parts_of, smbus
from cavet.kernel._mapping import Mapping
from cavet.record import Kind, Purpose, Topic

QUESTION, ANSWER, HEAD = struct.Struct("=IIQQQ"), struct.Struct("=IiQ"), struct.Struct("=HHHH")
OPEN, SET, TRANSFER, SMBUS = 1, 2, 3, 4
CALLS = {TRANSFER: "I2C_RDWR", SMBUS: "I2C_SMBUS"}
MOST_BYTES = 512 * 1024
"""More than any question of the shim's has."""
MOST_OPENED = 65536


class _File:
    """An opened device."""

    def __init__(self, mapping: Mapping, process: int) -> None:
        self.mapping = mapping
        self.process = process
        self.opened = Opened()


class KernelServer:
    """Answers for the devices of the kernel that are mapped to a bench, as long as it runs."""

    def __init__(self, bench: RunningBench, mappings: Iterable[Mapping]) -> None:
        self._bench = bench
        self._mappings = {mapping.path: mapping for mapping in mappings}
        self._files: dict[int, _File] = {}
        self._handles = itertools.count(1)
        self._server: asyncio.Server | None = None
        self._writers: set[asyncio.StreamWriter] = set()

    async def start(self, folder: Path) -> dict[str, str]:
        """Listen in a folder of one's own; give the variables by which the shim finds it."""
        place = folder / "kernel"
        self._server = await asyncio.start_unix_server(self._serve, place)
        lines = "\n".join(mapping.line for mapping in self._mappings.values())
        return {"CAVET_KERNEL": str(place), "CAVET_KERNEL_MAP": lines}

    async def stop(self) -> None:
        """Answer nobody any more: what is asked then is EIO."""
        if self._server is not None:
            self._server.close()
        for writer in list(self._writers):
            writer.close()

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        opened: list[int] = []
        self._writers.add(writer)
        try:
            while True:
                size, kind, handle, first, second = QUESTION.unpack(await reader.readexactly(QUESTION.size))
                if size > MOST_BYTES:
                    return
                data = await reader.readexactly(size)
                try:
                    if kind == OPEN:
                        opened.append(self._open(data, first))
                        value, answer = opened[-1], b""
                    else:
                        value, answer = await self._ask(kind, handle, first, second, data)
                    writer.write(ANSWER.pack(len(answer), 0, value) + answer)
                except Refused as refused:
                    writer.write(ANSWER.pack(0, refused.number, 0))
                await writer.drain()
        except (asyncio.IncompleteReadError, ConnectionError):
            return  # all copies of it are shut
        except Exception as error:  # noqa: BLE001
            note_fault("a program on the kernel's buses", error)
        finally:
            for each in opened:
                self._files.pop(each, None)
            self._writers.discard(writer)
            writer.close()

    def _open(self, path: bytes, process: int) -> int:
        mapping = self._mappings.get(path.decode("utf-8", "replace"))
        if mapping is None:
            raise Refused(errno.ENOENT)
        if len(self._files) >= MOST_OPENED:
            raise Refused(errno.EMFILE)
        handle = next(self._handles)
        self._files[handle] = _File(mapping, process)
        return handle

    async def _ask(self, kind: int, handle: int, first: int, second: int, data: bytes) -> tuple[int, bytes]:
        file = self._files.get(handle)
        if file is None:
            raise Refused(errno.EBADF)
        if kind == SET:
            file.opened.set(first, second)
            return 0, b""
        heads = [HEAD.unpack_from(data, place * HEAD.size)[:3] for place in range(first if kind == TRANSFER else 0)]
        is_plain = len(heads) == 1 and heads[0][0] == OF_SET
        call = ("read" if heads[0][1] & READ else "write") if is_plain else CALLS.get(kind, "")
        made: list[Outcome] = []

        def transfer(parts: Sequence[Part]) -> Outcome:
            made.append(self._transfer(file, parts, call))
            return made[-1]

        try:
            if kind == TRANSFER:
                reads = done(transfer(parts_of(file.opened, heads, data[first * HEAD.size :])))
                return len(heads), b"".join(struct.pack("=H", len(each)) + each for each in reads)
            answer = smbus(file.opened, bool(first >> 8), first & 0xFF, second, data, transfer)
            return len(answer), answer
        finally:
            if made:
                await asyncio.sleep(max(0.0, made[-1].ends_at - self._bench.clock.now()))

    def _transfer(self, file: _File, parts: Sequence[Part], call: str) -> Outcome:
        """Do a transaction on the board's bus; who did it stands in the record."""
        bench, name = self._bench, file.mapping.board
        bench.board_side.turn()
        now = bench.clock.now()
        board = bench.world.boards.get(name)
        if board is None or board.fault:
            raise Refused(errno.EIO)
        written = b"".join(part.data for part in parts if part.data is not None)
        who = f"process {file.process}, {call} on {file.mapping.path}"
        carried = bench.record.append(Kind.CARRIED, name, Topic.LINK, name, written, None, who, purpose=Purpose.OUTSIDE)
        words = ", ".join(_words(part) for part in parts)
        taken = bench.record.append(Kind.TAKEN, name, Topic.MESSAGE, "i2c", written, carried, words)
        outcome = bench.world.attempt(board, board.circuit.bus.transfer, parts, now, taken)
        if outcome is None:
            raise Refused(errno.EIO)
        if outcome.problem:
            bench.record.append(Kind.REFUSED, name, Topic.BUS, "i2c", None, taken, outcome.problem)
        bench.board_side.turn()
        return outcome


def _words(part: Part) -> str:
    what = f"write {part.data.hex(' ')}".rstrip() if part.data is not None else f"read {part.count} bytes"
    return f"0x{part.address:02X} {what}"
