"""What rules look at: a bench with its wiring and its parts, made once for all of them."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

from cavet.bench import build_world, simulated_boards
from cavet.benchfile import BoardSetup, Setup
from cavet.boards import Board
from cavet.hosts import PinPoint, Point
from cavet.record import Record
from cavet.wiring import Wiring, wirings


class Around:
    """A bench as its file has it, nothing started."""

    def __init__(self, setup: Setup) -> None:
        self.setup = setup

    @cached_property
    def wirings(self) -> dict[str, Wiring]:
        """Each board with what is believed of it, and what hangs there."""
        return wirings(self.setup)

    @cached_property
    def boards(self) -> dict[str, Board]:
        """The simulated boards with their parts, as after power-on."""
        return build_world(self.setup, list(self.setup.boards), Record(now=lambda: 0.0)).boards

    def simulated(self) -> Iterator[tuple[BoardSetup, Wiring]]:
        """The boards of which the file says what hangs there: simulated ones, and real ones whose parts it names."""
        here = simulated_boards(self.setup)
        for name, board in self.setup.boards.items():
            if name in here or board.parts:
                yield board, self.wirings[name]

    def pin_points(self) -> Iterator[tuple[BoardSetup, Wiring, PinPoint]]:
        """All points on pins of boards whose kind is known, real ones too."""
        for name, board in self.setup.boards.items():
            wiring = self.wirings[name]
            for point in wiring.points:
                if isinstance(point, PinPoint):
                    yield board, wiring, point


def part_key(board: str, part: str, key: str = "") -> tuple[str, ...]:
    """Where a part, or a key of it, stands in the file."""
    return ("boards", board, "parts", part, *([key] if key else []))


def point_key(point: Point, key: str = "") -> tuple[str, ...]:
    """Where a point, or a key of it, stands in the file."""
    return ("points", point.name, *([key] if key else []))


def pin_word(board: BoardSetup, number: int) -> str:
    """A pin as it is written on the board: `pin 9`, `pin 14 (A0)`."""
    pin = board.profile.pins.get(number)
    return f"pin {number} ({pin.label})" if pin is not None and pin.label else f"pin {number}"
