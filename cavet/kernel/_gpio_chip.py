"""An opened chip: what it says of its lines, who is told when that changes, and the requests for lines.

Source: the kernel's header `linux/gpio.h`.
"""

from __future__ import annotations

import errno
import struct
from collections.abc import Callable

from cavet.kernel import _gpio as second
from cavet.kernel import _gpio_v1 as first
from cavet.kernel._files import CHIP_KIND, CONTROL, EVENTS, Fifo, File, Question
from cavet.kernel._lines import Change, Chip, Line, stamp
from cavet.kernel._mapping import Mapping
from cavet.kernel._touch import Touch
from cavet.kernel.errors import Refused

MOST_CHANGES = 32
"""So many changes of lines wait at most to be read."""
CALLS = {
    second.GET_CHIP: "GPIO_GET_CHIPINFO", second.GET_INFO: "GPIO_V2_GET_LINEINFO",
    second.WATCH: "GPIO_V2_GET_LINEINFO_WATCH", second.UNWATCH: "GPIO_GET_LINEINFO_UNWATCH",
    second.GET_LINES: "GPIO_V2_GET_LINE", first.GET_INFO: "GPIO_GET_LINEINFO",
    first.WATCH: "GPIO_GET_LINEINFO_WATCH", first.GET_HANDLE: "GPIO_GET_LINEHANDLE",
    first.GET_EVENTS: "GPIO_GET_LINEEVENT",
}  # fmt: skip
REQUESTS: dict[int, type[second.RequestFile]] = {
    second.GET_LINES: second.LinesFile, first.GET_HANDLE: first.HandleFile, first.GET_EVENTS: first.EventFile,
}  # fmt: skip
INFOS = {second.GET_INFO: 2, second.WATCH: 2, first.GET_INFO: 1, first.WATCH: 1}
"""The calls that describe a line, with the version that they are of."""


class ChipFile(File):
    """An opened chip."""

    KIND = CHIP_KIND
    WRONG = errno.EINVAL

    def __init__(self, mapping: Mapping, chip: Chip) -> None:
        super().__init__(mapping)
        self._chip = chip
        self._watched: set[int] = set()
        self._version = 0
        """The version by which lines are watched; one of them only."""
        self.changes = self.events = Fifo(MOST_CHANGES, keeps_newest=False)
        chip.watchers.append(self._changed)

    def call(self, asked: Question) -> str:
        return CALLS.get(asked.first, "ioctl")

    def ask(self, asked: Question, touch: Touch) -> tuple[int, bytes]:
        if asked.kind == EVENTS:
            size = (second.INFO if self._version == 2 else first.INFO).size + second.CHANGED.size
            if not self.changes.is_empty and asked.first < size:
                raise Refused(errno.EINVAL)
            return self.changes.take(asked.first)
        if asked.kind != CONTROL:
            raise Refused(errno.EINVAL)
        if asked.first == second.GET_CHIP:
            names = second.packed_text(self.mapping.path.rpartition("/")[2]), second.packed_text(self._chip.label)
            return 0, second.CHIP_INFO.pack(*names, len(self._chip.lines))
        if asked.first == second.UNWATCH:
            (offset,) = struct.unpack("=I", asked.data)
            self._chip.line(offset)
            if offset not in self._watched:
                raise Refused(errno.EBUSY)
            self._watched.discard(offset)
            return 0, b""
        if asked.first in INFOS:
            return 0, self._describe(asked)
        raise Refused(errno.EINVAL)

    def request(self, asked: Question, touch: Touch, touch_at_end: Callable[[], Touch]) -> second.RequestFile:
        """Ask for lines: they are a file of their own. Raises `Refused`."""
        if asked.first not in REQUESTS:
            raise Refused(errno.EINVAL)
        file = REQUESTS[asked.first](self.mapping, self._chip, touch_at_end)
        file.begin(asked.data, touch)
        return file

    def shut(self) -> None:
        self._chip.watchers.remove(self._changed)

    def _describe(self, asked: Question) -> bytes:
        version = INFOS[asked.first]
        if version == 2:
            offset, padding = struct.unpack_from("=I", asked.data, 64)[0], asked.data[-16:]
            if any(padding):
                raise Refused(errno.EINVAL)
        else:
            (offset,) = struct.unpack_from("=I", asked.data)
        line = self._chip.line(offset)
        if asked.first in (second.WATCH, first.WATCH):
            if self._version not in (0, version):
                raise Refused(errno.EPERM)
            self._version = version
            if offset in self._watched:
                raise Refused(errno.EBUSY)
            self._watched.add(offset)
        return self._info(line, version)

    def _info(self, line: Line, version: int) -> bytes:
        return second.info_of(self._chip, line) if version == 2 else first.info_of(self._chip, line)

    def _changed(self, line: Line, change: Change) -> None:
        if line.offset in self._watched:
            self.changes.put(self._info(line, self._version) + second.CHANGED.pack(stamp(), change))
