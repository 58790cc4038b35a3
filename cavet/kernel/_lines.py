"""The lines of a board as the kernel has them: who has asked for which, what they drive, and the edges that they see.

Sources: the kernel's header `linux/gpio.h` and its Documentation/userspace-api/gpio.
"""

from __future__ import annotations

import asyncio
import errno
import time
from collections.abc import Callable, Sequence
from enum import IntEnum, IntFlag

import msgspec

from cavet.bench import RunningBench
from cavet.boards import Board, Pin, PinMode
from cavet.kernel._mapping import Mapping
from cavet.kernel._touch import Touch
from cavet.kernel.errors import Refused
from cavet.record import Kind, Topic
from cavet.wording import plain

NOBODY = "?"
"""The consumer of a line whose program has not said who it is. Source: what the kernel tells then."""


class Flag(IntFlag):
    """Source: `gpio_v2_line_flag`."""

    USED = 1 << 0
    ACTIVE_LOW = 1 << 1
    INPUT = 1 << 2
    OUTPUT = 1 << 3
    RISING = 1 << 4
    FALLING = 1 << 5
    OPEN_DRAIN = 1 << 6
    OPEN_SOURCE = 1 << 7
    PULL_UP = 1 << 8
    PULL_DOWN = 1 << 9
    NO_BIAS = 1 << 10
    REAL_TIME = 1 << 11
    HARDWARE_TIME = 1 << 12


DIRECTIONS, EDGES = Flag.INPUT | Flag.OUTPUT, Flag.RISING | Flag.FALLING
DRIVES, BIASES = Flag.OPEN_DRAIN | Flag.OPEN_SOURCE, Flag.PULL_UP | Flag.PULL_DOWN | Flag.NO_BIAS
ALL_FLAGS = Flag.ACTIVE_LOW | DIRECTIONS | EDGES | DRIVES | BIASES | Flag.REAL_TIME | Flag.HARDWARE_TIME


class Change(IntEnum):
    """Source: `gpio_v2_line_changed_type`."""

    REQUESTED = 1
    RELEASED = 2
    CONFIG = 3


class Config(msgspec.Struct, frozen=True):
    """How a line is to be: its flags, its value as an output, for how long in µs a level must stay to count."""

    flags: Flag = Flag(0)
    value: bool = False
    debounce: int = 0
    is_debounced: bool = False
    """Whether that was set, 0 too."""

    def check(self) -> None:
        """Refuse what contradicts itself. Source: the rules beside the flags in `linux/gpio.h`."""
        flags = self.flags
        if int(flags) & ~int(ALL_FLAGS):
            raise Refused(errno.EINVAL, f"flags that there are not: {int(flags):#x}")
        if flags & Flag.HARDWARE_TIME:
            raise Refused(errno.EOPNOTSUPP)
        wrong = (
            flags & DIRECTIONS == DIRECTIONS,
            bool(flags & EDGES) and not flags & Flag.INPUT,
            flags & DRIVES == DRIVES,
            bool(flags & DRIVES) and not flags & Flag.OUTPUT,
            bool(flags & BIASES) and not flags & DIRECTIONS,
            (flags & BIASES).bit_count() > 1,
            self.is_debounced and not flags & Flag.INPUT,
        )
        if any(wrong):
            raise Refused(errno.EINVAL, f"its flags contradict each other: {_flag_words(flags)}")


FREE = Config()
Sees = Callable[["Line", bool, int], None]
"""Told of an edge of a line: whether it rises, and the event that it follows from."""


class Line:
    """One line: its place on the chip, its pin, and how it stands."""

    def __init__(self, offset: int, pin: int | None, name: str, kept_for: str) -> None:
        self.offset = offset
        self.pin = pin
        self.name = name
        self.consumer = kept_for
        """Who has it, as that program has put it: it may be anything."""
        self.is_kept = bool(kept_for) or pin is None
        """Whether nobody can ask for it."""
        self.config = FREE
        self.sees: Sees | None = None
        """Who has it; else `None`."""
        self.before = PinMode.INPUT
        """The mode that its pin goes back to."""
        self.was_set = False
        """Whether its program has made it an input or an output: else its pin is left as it is."""
        self.level = False
        """For an input: its logical level, as it counts."""
        self.timer: asyncio.TimerHandle | None = None

    @property
    def who(self) -> str:
        """Its consumer, fit to be shown."""
        return plain(self.consumer.encode("utf-8", "surrogateescape").decode("utf-8", "replace"))

    @property
    def is_used(self) -> bool:
        """Whether nobody else can ask for it."""
        return self.is_kept or self.sees is not None

    def logical(self, level: bool) -> bool:
        """What a level at the pin means."""
        return level != bool(self.config.flags & Flag.ACTIVE_LOW)

    def let_go(self) -> None:
        """It is nobody's any more."""
        self.stop_timer()
        self.sees, self.consumer, self.config, self.was_set = None, "", FREE, False

    def stop_timer(self) -> None:
        """A change that has not stayed long enough does not count any more."""
        if self.timer is not None:
            self.timer.cancel()
            self.timer = None


class Chip:
    """The lines of one board, whoever has opened it."""

    def __init__(self, bench: RunningBench, mapping: Mapping) -> None:
        profile = bench.world.boards[mapping.board].profile
        self._bench = bench
        self.board = mapping.board
        self.label = profile.name
        self.keeps = profile.keeps_lines
        self.lines: list[Line] = []
        for offset in range(max(profile.lines, default=-1) + 1):
            pin = profile.pins.get(profile.lines.get(offset, -1))
            if pin is None:
                self.lines.append(Line(offset, None, "", "no pin"))
            else:
                self.lines.append(Line(offset, pin.number, pin.label or str(pin.number), pin.reserved))
        self._by_pin = {line.pin: line for line in self.lines}
        self.watchers: list[Callable[[Line, Change], None]] = []

    def line(self, offset: int) -> Line:
        """Raises `Refused` where there is none."""
        if offset >= len(self.lines):
            raise Refused(errno.EINVAL, f"there is no line {offset}: the board has {len(self.lines)}")
        return self.lines[offset]

    def direction(self, line: Line) -> Flag:
        """Whether a line is an output or an input now."""
        if line.config.flags & DIRECTIONS:
            return line.config.flags & DIRECTIONS
        board = self._bench.world.boards[self.board]
        pin = board.circuit.pins.get(line.pin) if line.pin is not None else None
        return Flag.OUTPUT if pin is not None and pin.mode.drives else Flag.INPUT

    def request(
        self, offsets: Sequence[int], consumer: str, configs: Sequence[Config], sees: Sees, touch: Touch
    ) -> list[Line]:
        """Give lines to a program, each with its config. Raises `Refused`; then nobody has them."""
        lines = [self.line(offset) for offset in offsets]
        for place, line in enumerate(lines):
            if line.is_used or line in lines[:place]:
                raise Refused(errno.EBUSY, f"{line.name or line.offset} is used by {line.who}")
        board, cause = touch.begin(f"ask for {_words(lines, configs)}")
        for line, config in zip(lines, configs, strict=True):
            self._look(board, line, config)
        for line in lines:
            line.sees, line.consumer = sees, consumer or NOBODY
            line.before = board.circuit.pins[line.pin or 0].mode
        try:
            self._set_up(board, lines, configs, touch, cause)
        except Refused:
            for line in lines:
                line.let_go()
            raise
        self._tell(lines, Change.REQUESTED)
        return lines

    def reconfigure(self, lines: Sequence[Line], configs: Sequence[Config], touch: Touch) -> None:
        """Set lines up anew; those that are neither input nor output then stay as they are. Raises `Refused`."""
        pairs = [pair for pair in zip(lines, configs, strict=True) if pair[1].flags & DIRECTIONS]
        changed, new = [line for line, _ in pairs], [config for _, config in pairs]
        board, cause = touch.begin(f"set up {_words(changed, new)}")
        for line, config in pairs:
            self._look(board, line, config)
        self._set_up(board, changed, new, touch, cause)
        self._tell(changed, Change.CONFIG)

    def release(self, lines: Sequence[Line], touch: Touch) -> None:
        """Take lines back from their program: each falls back as the profile says. Raises `Refused`."""
        fall_back = [] if self.keeps else [line for line in lines if line.was_set]
        for line in lines:
            line.let_go()
        try:
            board, cause = touch.begin(f"release {_names(lines)}")
            touch.attempt(board, self._fall_back, board, fall_back, cause)
        finally:
            self._tell(lines, Change.RELEASED)

    def drive(self, lines: Sequence[Line], values: Sequence[bool], touch: Touch) -> None:
        """Give outputs their logical values. Raises `Refused`."""
        if not all(line.config.flags & Flag.OUTPUT for line in lines):
            inputs = [line for line in lines if not line.config.flags & Flag.OUTPUT]
            raise Refused(errno.EPERM, f"{_names(inputs)} is no output")
        words = ", ".join(f"{line.name} {int(value)}" for line, value in zip(lines, values, strict=True))
        board, cause = touch.begin(f"set {words}")
        for line, value in zip(lines, values, strict=True):
            line.config = msgspec.structs.replace(line.config, value=value)
        touch.attempt(board, self._apply, board, lines, cause)

    def levels(self, lines: Sequence[Line], touch: Touch) -> list[bool]:
        """The logical values of lines, as they are. Raises `Refused`."""
        board, _ = touch.begin(f"read {_names(lines)}")
        return [line.level if line.config.debounce else self._read(board, line) for line in lines]

    def changed(self, pins: Sequence[Pin]) -> None:
        """Pins of the board have another level."""
        for pin in pins:
            line = self._by_pin.get(pin.number)
            if line is None or line.sees is None:
                continue
            if line.config.debounce:
                line.stop_timer()
                line.timer = asyncio.get_running_loop().call_later(line.config.debounce / 1e6, self._settled, line)
            else:
                self._see(line, line.logical(pin.level), pin.cause)

    def _settled(self, line: Line) -> None:
        """Its level has stayed for as long as it must."""
        line.timer = None
        board = self._bench.world.boards[self.board]
        if line.sees is not None:
            self._see(line, self._read(board, line), board.circuit.pins[line.pin or 0].cause)

    def _see(self, line: Line, level: bool, cause: int | None) -> None:
        if level == line.level:
            return
        line.level = level
        if line.sees is not None and line.config.flags & (Flag.RISING if level else Flag.FALLING):
            words = f"{line.name} {'rises' if level else 'falls'}: told to {line.who}"
            told = self._bench.record.append(Kind.TOLD, self.board, Topic.LINE, line.name, level, cause, words)
            line.sees(line, level, told)

    def _look(self, board: Board, line: Line, config: Config) -> None:
        """Refuse what the pin can't do."""
        profile = board.profile.pins[line.pin or 0]
        if config.flags & Flag.OUTPUT and not profile.can(PinMode.OUTPUT):
            raise Refused(errno.EINVAL)
        if config.flags & Flag.INPUT and not profile.can(PinMode.INPUT):
            raise Refused(errno.EINVAL)

    def _set_up(self, board: Board, lines: Sequence[Line], configs: Sequence[Config], touch: Touch, cause: int) -> None:
        for line, config in zip(lines, configs, strict=True):
            line.stop_timer()
            line.config = config
        touch.attempt(board, self._begin, board, lines, cause)

    def _begin(self, board: Board, lines: Sequence[Line], cause: int) -> None:
        """How its level stands when it is set up is no edge."""
        self._apply(board, lines, cause)
        for line in lines:
            line.level = self._read(board, line)

    def _apply(self, board: Board, lines: Sequence[Line], cause: int) -> None:
        """Make pins as their lines are set; all of a request at once."""
        circuit, now = board.circuit, self._bench.clock.now()
        for line in lines:
            flags, number = line.config.flags, line.pin or 0
            if not flags & DIRECTIONS:
                continue  # as it is
            line.was_set = True
            high = line.logical(line.config.value)
            is_left = not flags & Flag.OUTPUT or (flags & Flag.OPEN_DRAIN if high else flags & Flag.OPEN_SOURCE)
            mode = PinMode.OUTPUT
            if is_left:
                mode = PinMode.PULL_UP if flags & Flag.PULL_UP else PinMode.INPUT
                if not board.profile.pins[number].can(mode):
                    mode = PinMode.INPUT
            if circuit.pins[number].mode is not mode:
                circuit.set_mode(number, mode, now, cause)
            if not is_left:
                circuit.write_level(number, high, now, cause)

    def _fall_back(self, board: Board, lines: Sequence[Line], cause: int) -> None:
        """As they were before they were asked for, at rest."""
        now = self._bench.clock.now()
        for line in lines:
            board.circuit.set_mode(line.pin or 0, line.before, now, cause)

    @staticmethod
    def _read(board: Board, line: Line) -> bool:
        return line.logical(board.circuit.read_level(line.pin or 0))

    def _tell(self, lines: Sequence[Line], change: Change) -> None:
        for line in lines:
            for watcher in list(self.watchers):
                watcher(line, change)


def stamp(*, real_time: bool = False) -> int:
    """Now, in ns of the machine's own clock, as the kernel stamps."""
    return time.clock_gettime_ns(time.CLOCK_REALTIME if real_time else time.CLOCK_MONOTONIC)


def _names(lines: Sequence[Line]) -> str:
    return ", ".join(line.name for line in lines)


def _flag_words(flags: Flag) -> str:
    return " ".join(flag.name.lower().replace("_", " ") for flag in Flag if flag & flags and flag.name)


def _words(lines: Sequence[Line], configs: Sequence[Config]) -> str:
    """As what lines are asked for."""
    said = []
    for line, config in zip(lines, configs, strict=True):
        flags = Flag(config.flags)
        what = f"output {int(config.value)}" if flags & Flag.OUTPUT else "input" if flags & Flag.INPUT else "as it is"
        more = [_flag_words(flags & ~DIRECTIONS)] if flags & ~DIRECTIONS else []
        more += [f"debounce {config.debounce} µs"] if config.debounce else []
        said.append(" ".join([line.name, what, *more]))
    return "; ".join(said)
