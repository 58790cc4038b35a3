"""The kernel's calls on lines, version 1 of its interface: handles and events, for older programs.

Source: the kernel's header `linux/gpio.h`, its part on the interface's first version.
"""

from __future__ import annotations

import errno
import struct

from cavet.kernel._files import Fifo, Question
from cavet.kernel._gpio import FALLS, MOST_LINES, RISES, RequestFile, packed_text, request_number, text_of
from cavet.kernel._lines import DIRECTIONS, DRIVES, Chip, Config, Flag, Line, stamp
from cavet.kernel._touch import Touch
from cavet.kernel.errors import Refused

MOST_EVENTS = 16
INFO = struct.Struct("=II32s32s")
CHANGED = struct.Struct("=QI20x")
HANDLE = struct.Struct("=256sI64s32sIi")
HANDLE_CONFIG = struct.Struct("=I64s16x")
VALUES = struct.Struct("=64s")
EVENT_REQUEST = struct.Struct("=III32si")
EVENT = struct.Struct("@QI4x")

GET_INFO, WATCH = request_number(0x02, INFO.size), request_number(0x0B, INFO.size)
GET_HANDLE, GET_EVENTS = request_number(0x03, HANDLE.size), request_number(0x04, EVENT_REQUEST.size)
GET_VALUES, SET_VALUES = request_number(0x08, VALUES.size), request_number(0x09, VALUES.size)
SET_CONFIG = request_number(0x0A, HANDLE_CONFIG.size)

FLAGS = (
    Flag.INPUT, Flag.OUTPUT, Flag.ACTIVE_LOW, Flag.OPEN_DRAIN, Flag.OPEN_SOURCE, Flag.PULL_UP, Flag.PULL_DOWN,
    Flag.NO_BIAS,
)  # fmt: skip
"""By their bits in a request for a handle. Source: `GPIOHANDLE_REQUEST_…`."""
EDGES = (Flag.RISING, Flag.FALLING)
"""By their bits in a request for events. Source: `GPIOEVENT_REQUEST_…`."""
TOLD = (
    Flag.USED, Flag.OUTPUT, Flag.ACTIVE_LOW, Flag.OPEN_DRAIN, Flag.OPEN_SOURCE, Flag.PULL_UP, Flag.PULL_DOWN,
    Flag.NO_BIAS,
)  # fmt: skip
"""By their bits in a line's description. Source: `GPIOLINE_FLAG_…`."""


def flags_of(bits: int, known: tuple[Flag, ...]) -> Flag:
    """The flags that some bits stand for. Raises `Refused` for bits that nobody knows."""
    if bits >> len(known):
        raise Refused(errno.EINVAL)
    flags = Flag(0)
    for place, flag in enumerate(known):
        if bits >> place & 1:
            flags |= flag
    return flags


def info_of(chip: Chip, line: Line) -> bytes:
    """A line's description: `gpioline_info`."""
    flags = line.config.flags | chip.direction(line) | (Flag.USED if line.is_used else 0)
    bits = sum(1 << place for place, flag in enumerate(TOLD) if flags & flag)
    return INFO.pack(line.offset, bits, packed_text(line.name), packed_text(line.consumer))


class HandleFile(RequestFile):
    """Lines that a program has asked for as a handle: all of them with the same flags, and nothing to read."""

    CALLS = {
        GET_VALUES: "GPIOHANDLE_GET_LINE_VALUES", SET_VALUES: "GPIOHANDLE_SET_LINE_VALUES",
        SET_CONFIG: "GPIOHANDLE_SET_CONFIG",
    }  # fmt: skip

    def begin(self, asked: bytes, touch: Touch) -> None:
        """Ask for the lines of a `gpiohandle_request`. Raises `Refused`."""
        offsets, bits, values, consumer, count, _ = HANDLE.unpack(asked)
        if not 1 <= count <= MOST_LINES:
            raise Refused(errno.EINVAL)
        configs = _configs(bits, values, count)
        places = struct.unpack("=64I", offsets)[:count]
        self.lines = self.chip.request(places, text_of(consumer), configs, lambda *_: None, touch)

    def control(self, asked: Question, touch: Touch) -> bytes:
        if asked.first == SET_CONFIG:
            bits, values = HANDLE_CONFIG.unpack(asked.data)
            configs = _configs(bits, values, len(self.lines))
            self.chip.reconfigure(self.lines, configs, touch)
            return b""
        if asked.first == SET_VALUES:
            self.chip.drive(self.lines, [bool(value) for value in asked.data[: len(self.lines)]], touch)
            return b""
        return VALUES.pack(bytes(self.chip.levels(self.lines, touch)))


class EventFile(RequestFile):
    """A line whose edges a program has asked for."""

    CALLS = {GET_VALUES: "GPIOHANDLE_GET_LINE_VALUES"}
    EVENT_SIZE = EVENT.size

    def begin(self, asked: bytes, touch: Touch) -> None:
        """Ask for the line of a `gpioevent_request`. Raises `Refused`."""
        offset, bits, edges, consumer, _ = EVENT_REQUEST.unpack(asked)
        flags, wanted = flags_of(bits, FLAGS), flags_of(edges, EDGES)
        if flags & (Flag.OUTPUT | DRIVES):
            raise Refused(errno.EINVAL)
        config = Config(flags | Flag.INPUT | wanted)
        config.check()
        self.events = Fifo(MOST_EVENTS, keeps_newest=False)
        self.lines = self.chip.request([offset], text_of(consumer), [config], self._see, touch)

    def control(self, asked: Question, touch: Touch) -> bytes:
        return VALUES.pack(bytes(self.chip.levels(self.lines, touch)))

    def _see(self, line: Line, rises: bool, told: int) -> None:
        if self.events is not None:
            self.events.put(EVENT.pack(stamp(), RISES if rises else FALLS))


def _configs(bits: int, values: bytes, count: int) -> list[Config]:
    flags = flags_of(bits, FLAGS)
    configs = [Config(flags, bool(flags & Flag.OUTPUT and value)) for value in values[:count]]
    if flags & DIRECTIONS == 0 and flags & DRIVES:
        raise Refused(errno.EINVAL)
    configs[0].check()
    return configs
