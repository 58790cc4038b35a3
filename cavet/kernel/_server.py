"""The bench's side of the shim: questions over a Unix socket, answered as the kernel would."""

from __future__ import annotations

import asyncio
import errno
import itertools
import select
import socket
import struct
from collections.abc import Iterable, Sequence
from contextlib import suppress
from functools import partial
from pathlib import Path

from cavet.bench import RunningBench
from cavet.boards import Board, Pin
from cavet.faults import note_fault
from cavet.kernel._files import CHIP_KIND, LINES_KIND, OPEN, REQUEST, WHICH, File, I2cFile, Question, SpiFile
from cavet.kernel._gpio_chip import ChipFile
from cavet.kernel._lines import Chip
from cavet.kernel._mapping import GPIO, SPI, Mapping
from cavet.kernel._touch import Touch
from cavet.kernel.errors import Refused
from cavet.wording import plain

QUESTION, ANSWER, CREDENTIALS = struct.Struct("=IIQQQ"), struct.Struct("=IiQ"), struct.Struct("=3i")
KIND_BIT = 56
"""Where in a handle the kind of what is opened stands, for the shim."""
TOKEN = b"\0"
MOST_BYTES = 512 * 1024
"""More than any question of the shim's has."""
MOST_OPENED = 65536


class KernelServer:
    """Answers for the devices of the kernel that are mapped to a bench, as long as it runs."""

    def __init__(self, bench: RunningBench, mappings: Iterable[Mapping]) -> None:
        self._bench = bench
        self._mappings = {mapping.path: mapping for mapping in mappings}
        self._chips: dict[str, Chip] = {}
        self._files: dict[int, File] = {}
        self._handles = itertools.count(1)
        self._inodes: dict[int, int] = {}
        """The handle of each connection that is a descriptor, by the number of the program's end of it."""
        self.was_opened = False
        """Whether some program has opened one of the devices."""
        self._shut = select.poll()
        """Looks which descriptors of lines are shut by now."""
        self._of_lines: dict[int, _Visit] = {}
        """The visits that are lines, each by the number of our end of it."""
        self._server: asyncio.Server | None = None
        self._writers: set[asyncio.StreamWriter] = set()

    async def start(self, folder: Path) -> dict[str, str]:
        """Listen in a folder of one's own; give the variables by which the shim finds it."""
        place = folder / "kernel"
        for mapping in self._mappings.values():
            if mapping.kind == GPIO and mapping.board not in self._chips:
                self._chips[mapping.board] = Chip(self._bench, mapping)
        self._bench.world.listeners.append(self._levels_changed)
        self._server = await asyncio.start_unix_server(self._serve, place)
        lines = "\n".join(mapping.line for mapping in self._mappings.values())
        return {"CAVET_KERNEL": str(place), "CAVET_KERNEL_MAP": lines}

    async def stop(self) -> None:
        """Answer nobody any more: what is asked then is EIO."""
        with suppress(ValueError):
            self._bench.world.listeners.remove(self._levels_changed)
        if self._server is not None:
            self._server.close()
        for writer in list(self._writers):
            writer.close()

    def _levels_changed(self, board: Board, pins: Sequence[Pin]) -> None:
        chip = self._chips.get(board.name)
        if chip is not None:
            try:
                chip.changed(pins)
            except Exception as error:  # noqa: BLE001
                note_fault("a program on the kernel's lines", error)

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        visit = _Visit(self, writer)
        self._writers.add(writer)
        try:
            while True:
                size, kind, handle, first, second = QUESTION.unpack(await reader.readexactly(QUESTION.size))
                if size > MOST_BYTES:
                    return
                question = Question(kind, first, second, await reader.readexactly(size) if size else b"")
                writer.write(await self._answer(visit, handle, question))
                visit.begin_to_tell()
                await writer.drain()
        except (asyncio.IncompleteReadError, ConnectionError):
            return  # all copies of it are shut
        except Exception as error:  # noqa: BLE001
            note_fault("a program on the kernel's devices", error)
        finally:
            visit.end()
            self._writers.discard(writer)
            writer.close()

    async def _answer(self, visit: _Visit, handle: int, question: Question) -> bytes:
        touch = None
        try:
            if question.kind == OPEN:
                return ANSWER.pack(0, 0, self._open(visit, question))
            if question.kind == WHICH:  # a program that was begun with it open
                return ANSWER.pack(0, 0, self._inodes.get(question.first, 0))
            file = self._files.get(handle)
            if file is None:
                raise Refused(errno.EBADF)
            if file.KIND in (CHIP_KIND, LINES_KIND):
                self._take_back()
            touch = Touch(self._bench, file.mapping, visit.who, file.call(question))
            if question.kind == REQUEST:
                if not isinstance(file, ChipFile):
                    raise Refused(file.WRONG)
                made = file.request(question, touch, partial(Touch, self._bench, file.mapping, visit.who, "close"))
                return ANSWER.pack(0, 0, self._keep(visit, made, question.second))
            value, answer = file.ask(question, touch)
            return ANSWER.pack(len(answer), 0, value) + answer
        except Refused as refused:
            if touch is not None:
                touch.refuse(refused)
            return ANSWER.pack(0, refused.number, 0)
        finally:
            left = touch.ends_at - self._bench.clock.now() if touch is not None else 0.0
            if left > 0:
                await asyncio.sleep(left)

    def _open(self, visit: _Visit, question: Question) -> int:
        self.was_opened = True
        mapping = self._mappings.get(question.data.decode("utf-8", "replace"))
        if mapping is None:
            raise Refused(errno.ENOENT)
        file: File
        if mapping.kind == GPIO:
            file = ChipFile(mapping, self._chips[mapping.board])
        else:
            file = SpiFile(mapping) if mapping.kind == SPI else I2cFile(mapping)
        return self._keep(visit, file, question.second)

    def _keep(self, visit: _Visit, file: File, inode: int) -> int:
        """Keep what was opened, as long as the visit that it is."""
        if len(self._files) >= MOST_OPENED or visit.file is not None:
            file.shut()
            raise Refused(errno.EMFILE)
        handle = next(self._handles) | file.KIND << KIND_BIT
        if file.KIND == LINES_KIND:
            self._shut.register(visit.number, select.POLLRDHUP)
            self._of_lines[visit.number] = visit
        visit.file, visit.handle, visit.inode = file, handle, inode
        self._files[handle] = file
        self._inodes[inode] = handle
        return handle

    def _take_back(self) -> None:
        """Lines whose descriptors were shut before this question was asked are free by now, as the kernel has it."""
        for number, _ in self._shut.poll(0) if self._of_lines else ():
            self._of_lines[number].end()

    def forget(self, visit: _Visit, file: File) -> None:
        """What was opened is shut."""
        del self._files[visit.handle]
        if self._inodes.get(visit.inode) == visit.handle:
            del self._inodes[visit.inode]
        if self._of_lines.pop(visit.number, None) is not None:
            self._shut.unregister(visit.number)
        with suppress(Refused):  # the board has failed: it is at rest
            file.shut()


class _Visit:
    """One connection of a program: a descriptor of its own, or the one over which it asks."""

    def __init__(self, server: KernelServer, writer: asyncio.StreamWriter) -> None:
        connection = writer.get_extra_info("socket")
        self.who = _who(connection)
        self.number = connection.fileno()
        self.file: File | None = None
        self.handle = self.inode = 0
        self._server = server
        self._writer = writer
        self._tells = False

    def begin_to_tell(self) -> None:
        """What was opened may wake its reader from now on."""
        if self.file is not None and self.file.events is not None and not self._tells:
            self._tells = True
            self.file.events.begin(partial(self._writer.write, TOKEN))

    def end(self) -> None:
        """The connection is shut."""
        file, self.file = self.file, None
        if file is not None:
            self._server.forget(self, file)


def _who(connection: socket.socket) -> str:
    """The process at the other end, with its name where the system tells it."""
    process, _, _ = CREDENTIALS.unpack(connection.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, CREDENTIALS.size))
    try:
        name = Path(f"/proc/{process}/comm").read_text("utf-8", "replace").strip()
    except OSError:
        return f"process {process}"
    return f"process {process} ({plain(name, 32)})"
