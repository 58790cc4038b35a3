"""The bench's side of the shim: questions over a Unix socket, answered as the kernel would."""

from __future__ import annotations

import asyncio
import errno
import itertools
import struct
from collections.abc import Iterable, Sequence
from pathlib import Path

from cavet.bench import RunningBench
from cavet.boards import Board
from cavet.boards.buses import Outcome, Part, SpiChip
from cavet.faults import note_fault
from cavet.kernel._errors import Refused
from cavet.kernel._i2c import OF_SET, READ, Opened, done, parts_of, smbus
from cavet.kernel._mapping import SPI, Mapping
from cavet.kernel._spi import OpenedSpi
from cavet.record import Kind, Purpose, Topic

QUESTION, ANSWER, HEAD = struct.Struct("=IIQQQ"), struct.Struct("=IiQ"), struct.Struct("=HHHH")
OPEN, SET, TRANSFER, SMBUS, GET, MESSAGE, WHICH = 1, 2, 3, 4, 5, 6, 7
CALLS = {TRANSFER: "I2C_RDWR", SMBUS: "I2C_SMBUS", MESSAGE: "SPI_IOC_MESSAGE"}
OF_I2C, OF_SPI = (TRANSFER, SMBUS), (TRANSFER, GET, MESSAGE)
"""What can be asked of each, besides being set; a transfer with no address is plain reading and writing."""
SPI_BIT = 1 << 62
"""By this bit of its handle the shim knows an SPI device."""
MOST_BYTES = 512 * 1024
"""More than any question of the shim's has."""
MOST_OPENED = 65536


class _File:
    """An opened device."""

    def __init__(self, mapping: Mapping, process: int) -> None:
        self.mapping = mapping
        self.process = process
        self.opened: Opened | OpenedSpi = OpenedSpi() if mapping.kind == SPI else Opened()


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
                    elif kind == WHICH:  # a program that was begun with it open
                        value, answer = opened[-1] if opened else 0, b""
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
        handle = next(self._handles) | (SPI_BIT if mapping.kind == SPI else 0)
        self._files[handle] = _File(mapping, process)
        return handle

    async def _ask(self, kind: int, handle: int, first: int, second: int, data: bytes) -> tuple[int, bytes]:
        file = self._files.get(handle)
        if file is None:
            raise Refused(errno.EBADF)
        if kind == SET:
            file.opened.set(first, second)
            return 0, b""
        if kind not in (OF_SPI if isinstance(file.opened, OpenedSpi) else OF_I2C):
            raise Refused(errno.ENOTTY)
        heads = [HEAD.unpack_from(data, place * HEAD.size)[:3] for place in range(first if kind == TRANSFER else 0)]
        is_plain = len(heads) == 1 and heads[0][0] == OF_SET
        call = ("read" if heads[0][1] & READ else "write") if is_plain else CALLS.get(kind, "")
        on = _Bus(self._bench, file, call)
        try:
            if isinstance(file.opened, OpenedSpi):
                return self._spi(file.opened, on, kind, first, heads, data)
            if kind == TRANSFER:
                reads = done(on.transfer(parts_of(file.opened, heads, data[first * HEAD.size :])))
                return len(heads), b"".join(struct.pack("=H", len(each)) + each for each in reads)
            answer = smbus(file.opened, bool(first >> 8), first & 0xFF, second, data, on.transfer)
            return len(answer), answer
        finally:
            await asyncio.sleep(max(0.0, on.ends_at - self._bench.clock.now()))

    @staticmethod
    def _spi(
        opened: OpenedSpi, on: _Bus, kind: int, first: int, heads: Sequence[tuple[int, ...]], data: bytes
    ) -> tuple[int, bytes]:
        if kind == GET:
            return opened.get(first), b""
        if kind == MESSAGE:
            return 0, opened.message(first, data, on.shift)
        if len(heads) != 1 or heads[0][0] != OF_SET:
            raise Refused(errno.ENOTTY)
        _, flags, length = heads[0]
        came = opened.plain(bytes(length) if flags & READ else data[HEAD.size :], on.shift)
        return 0, struct.pack("=H", len(came)) + came if flags & READ else b""


class _Bus:
    """The bus of a mapped board during one call; who made it stands in the record."""

    def __init__(self, bench: RunningBench, file: _File, call: str) -> None:
        self._bench = bench
        self._mapping = file.mapping
        self._who = f"process {file.process}, {call} on {file.mapping.path}"
        self.ends_at = 0.0

    def _begin(self, written: bytes, words: str) -> tuple[Board, int]:
        """Give the board, brought to the present, and the event that what it does follows from."""
        bench, name = self._bench, self._mapping.board
        bench.board_side.turn()
        board = bench.world.boards.get(name)
        if board is None or board.fault:
            raise Refused(errno.EIO)
        append = bench.record.append
        carried = append(Kind.CARRIED, name, Topic.LINK, name, written, None, self._who, purpose=Purpose.OUTSIDE)
        return board, append(Kind.TAKEN, name, Topic.MESSAGE, self._mapping.kind, written, carried, words)

    def transfer(self, parts: Sequence[Part]) -> Outcome:
        """Do an I2C transaction. Raises `Refused`."""
        written = b"".join(part.data for part in parts if part.data is not None)
        board, taken = self._begin(written, ", ".join(map(_words, parts)))
        now = self._bench.clock.now()
        outcome = self._bench.world.attempt(board, board.circuit.bus.transfer, parts, now, taken)
        if outcome is None:
            raise Refused(errno.EIO)
        if outcome.problem:
            name = self._mapping.board
            self._bench.record.append(Kind.REFUSED, name, Topic.BUS, "i2c", None, taken, outcome.problem)
        self.ends_at = outcome.ends_at
        self._bench.board_side.turn()
        return outcome

    def shift(self, data: bytes, mode: int, rate: int, pause: float) -> bytes:
        """Send bytes to the chip, and give what came back; where there is none, the line reads 0. Raises `Refused`."""
        chip_number = self._mapping.chip
        words = f"chip select {chip_number}, mode {mode}, {rate} Hz, {len(data)} bytes"
        board, taken = self._begin(data, words)
        end = max(self._bench.clock.now(), self.ends_at) + 8 * len(data) / rate
        self.ends_at = end + pause
        chips = [part for part in board.circuit.parts.values() if isinstance(part, SpiChip)]
        chip = next((chip for chip in chips if chip.chip == chip_number), None)
        if chip is None or not data:
            return bytes(len(data))
        came = self._bench.world.attempt(board, lambda: chip.transfer(data, end, taken, mode=mode))
        if came is None:
            raise Refused(errno.EIO)
        self._bench.record.append(Kind.BUS, board.name, Topic.BUS, "spi", data, taken, words)
        self._bench.board_side.turn()
        return came


def _words(part: Part) -> str:
    what = f"write {part.data.hex(' ')}".rstrip() if part.data is not None else f"read {part.count} bytes"
    return f"0x{part.address:02X} {what}"
