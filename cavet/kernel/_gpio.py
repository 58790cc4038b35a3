"""The kernel's calls on lines, version 2 of its interface.

Source: the kernel's header `linux/gpio.h`.
"""

from __future__ import annotations

import errno
import struct
from collections.abc import Callable

from cavet.kernel._files import CONTROL, EVENTS, LINES_KIND, Fifo, File, Question
from cavet.kernel._lines import DIRECTIONS, Chip, Config, Flag, Line, stamp
from cavet.kernel._mapping import Mapping
from cavet.kernel._touch import Touch
from cavet.kernel.errors import Refused

MOST_LINES, MOST_ATTRIBUTES = 64, 10
OF_FLAGS, OF_VALUES, OF_DEBOUNCE = 1, 2, 3
EVENTS_A_LINE = 16
CHIP_INFO = struct.Struct("=32s32sI")
CONFIG = struct.Struct("=QI20s")
ATTRIBUTE = struct.Struct("=I4x8sQ")
INFO = struct.Struct("=32s32sIIQ160s16s")
CHANGED = struct.Struct("=QI20x")
VALUES = struct.Struct("=QQ")
REQUEST_HEAD = struct.Struct("=256s32s")
REQUEST_TAIL = struct.Struct("=II20si")
EVENT = struct.Struct("=QIIII24x")
RISES, FALLS = 1, 2


def request_number(number: int, size: int, *, reads: bool = True, writes: bool = True) -> int:
    """An ioctl's request. Source: `asm-generic/ioctl.h`."""
    return (reads << 31) | (writes << 30) | (size << 16) | (0xB4 << 8) | number


CONFIG_SIZE = CONFIG.size + MOST_ATTRIBUTES * ATTRIBUTE.size
GET_CHIP = request_number(0x01, CHIP_INFO.size, writes=False)
GET_INFO, WATCH = request_number(0x05, INFO.size), request_number(0x06, INFO.size)
UNWATCH = request_number(0x0C, 4)
GET_LINES = request_number(0x07, REQUEST_HEAD.size + CONFIG_SIZE + REQUEST_TAIL.size)
SET_CONFIG = request_number(0x0D, CONFIG_SIZE)
GET_VALUES, SET_VALUES = request_number(0x0E, VALUES.size), request_number(0x0F, VALUES.size)


def text_of(raw: bytes) -> str:
    """A name of a program's own, up to its zero byte."""
    return raw[:31].split(b"\0")[0].decode("utf-8", "surrogateescape")


def packed_text(text: str) -> bytes:
    """As it stands in a structure: 31 bytes at most, and a zero."""
    return text.encode("utf-8", "surrogateescape")[:31]


def configs_of(data: bytes, count: int) -> list[Config]:
    """The config of each of so many lines. Raises `Refused`."""
    usual, attributes, padding = CONFIG.unpack_from(data)
    if attributes > MOST_ATTRIBUTES or any(padding):
        raise Refused(errno.EINVAL)
    given = [ATTRIBUTE.unpack_from(data, CONFIG.size + place * ATTRIBUTE.size) for place in range(attributes)]
    configs = []
    for place in range(count):
        own: dict[int, bytes] = {}
        for kind, raw, mask in given:
            if mask >> place & 1:
                own.setdefault(kind, raw)
        (flags,) = struct.unpack("=Q", own[OF_FLAGS]) if OF_FLAGS in own else (usual,)
        (values,) = struct.unpack("=Q", own.get(OF_VALUES, bytes(8)))
        (debounce,) = struct.unpack_from("=I", own.get(OF_DEBOUNCE, bytes(8)))
        configs.append(Config(Flag(flags), bool(values >> place & 1), debounce, OF_DEBOUNCE in own))
    for config in configs:
        config.check()
    return configs


def info_of(chip: Chip, line: Line) -> bytes:
    """A line's description: `gpio_v2_line_info`."""
    flags = (line.config.flags & ~DIRECTIONS) | chip.direction(line) | (Flag.USED if line.is_used else 0)
    attributes = b""
    if line.config.debounce:
        attributes = struct.pack("=I4xI4x", OF_DEBOUNCE, line.config.debounce)
    names = packed_text(line.name), packed_text(line.consumer)
    return INFO.pack(*names, line.offset, int(bool(attributes)), flags, attributes, b"")


class RequestFile(File):
    """Lines that a program has asked for, by any version of the interface."""

    KIND = LINES_KIND
    WRONG = errno.EINVAL
    CALLS: dict[int, str]
    EVENT_SIZE = EVENT.size

    def __init__(self, mapping: Mapping, chip: Chip, touch_at_end: Callable[[], Touch]) -> None:
        super().__init__(mapping)
        self.chip = chip
        self.lines: list[Line] = []
        self._touch_at_end = touch_at_end

    def begin(self, asked: bytes, touch: Touch) -> None:
        """Ask for the lines. Raises `Refused`."""
        raise NotImplementedError

    def control(self, asked: Question, touch: Touch) -> bytes:
        """One of `CALLS`; give what is put back. Raises `Refused`."""
        raise NotImplementedError

    def call(self, asked: Question) -> str:
        return self.CALLS.get(asked.first, "ioctl")

    def ask(self, asked: Question, touch: Touch) -> tuple[int, bytes]:
        if asked.kind == EVENTS and self.events is not None and asked.first >= self.EVENT_SIZE:
            return self.events.take(asked.first)
        if asked.kind != CONTROL or asked.first not in self.CALLS:
            raise Refused(errno.EINVAL)
        return 0, self.control(asked, touch)

    def shut(self) -> None:
        self.chip.release(self.lines, self._touch_at_end())


class LinesFile(RequestFile):
    """Lines that a program has asked for by version 2."""

    CALLS = {
        SET_CONFIG: "GPIO_V2_LINE_SET_CONFIG", GET_VALUES: "GPIO_V2_LINE_GET_VALUES",
        SET_VALUES: "GPIO_V2_LINE_SET_VALUES",
    }  # fmt: skip

    def __init__(self, mapping: Mapping, chip: Chip, touch_at_end: Callable[[], Touch]) -> None:
        super().__init__(mapping, chip, touch_at_end)
        self._number = 0
        self._numbers: dict[int, int] = {}

    def begin(self, asked: bytes, touch: Touch) -> None:
        """Ask for the lines of a `gpio_v2_line_request`. Raises `Refused`."""
        offsets, consumer = REQUEST_HEAD.unpack_from(asked)
        count, room, padding, _ = REQUEST_TAIL.unpack_from(asked, REQUEST_HEAD.size + CONFIG_SIZE)
        if not 1 <= count <= MOST_LINES or any(padding):
            raise Refused(errno.EINVAL)
        configs = configs_of(asked[REQUEST_HEAD.size :], count)
        self.events = Fifo(min(room or count * EVENTS_A_LINE, MOST_LINES * EVENTS_A_LINE), keeps_newest=True)
        places = struct.unpack("=64I", offsets)[:count]
        self.lines = self.chip.request(places, text_of(consumer), configs, self._see, touch)

    def control(self, asked: Question, touch: Touch) -> bytes:
        if asked.first == SET_CONFIG:
            self.chip.reconfigure(self.lines, configs_of(asked.data, len(self.lines)), touch)
            return b""
        bits, mask = VALUES.unpack(asked.data)
        places = [place for place in range(len(self.lines)) if mask >> place & 1]
        lines = [self.lines[place] for place in places]
        if not lines:
            raise Refused(errno.EINVAL)
        if asked.first == SET_VALUES:
            self.chip.drive(lines, [bool(bits >> place & 1) for place in places], touch)
            return b""
        levels = self.chip.levels(lines, touch)
        return VALUES.pack(sum(level << place for place, level in zip(places, levels, strict=True)), mask)

    def _see(self, line: Line, rises: bool, told: int) -> None:
        self._number += 1
        self._numbers[line.offset] = self._numbers.get(line.offset, 0) + 1
        at = stamp(real_time=bool(line.config.flags & Flag.REAL_TIME))
        number = self._numbers[line.offset]
        if self.events is not None:
            self.events.put(EVENT.pack(at, RISES if rises else FALLS, line.offset, self._number, number))
