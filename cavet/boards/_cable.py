"""A cable from a serial port of one board to the serial line of another."""

from collections import deque
from collections.abc import Callable
from math import inf
from typing import Annotated

import msgspec

from cavet.boards._board import Board
from cavet.boards._running import Client
from cavet.boards.parts import Around, Part, PartSettings
from cavet.protocols.characters import garble
from cavet.record import Kind, Topic
from cavet.settings import Meaning

CHARACTER_BITS = 10
Hear = Callable[[bytes, float, "int | None"], None]
"""Takes bytes that have come in, when, and the event that they follow from."""


class _OnTheWay(msgspec.Struct):
    arrives: float
    data: bytes
    cause: int | None


class CableSettings(PartSettings, kw_only=True):
    """The keys of a cable."""

    port: Annotated[int, Meaning("which of the board's serial ports", low=0, high=7)]
    board: Annotated[
        str, Meaning("the board at the other end of the cable; it needs no link of its own", names="board")
    ]
    rate: Annotated[int, Meaning("at how many baud that board runs", low=50, high=4_000_000)] = 9600
    protocol: str = ""
    """What that board speaks; put beside the keys when the file was read."""


class Cable(Part):
    """Carries bytes between a port of the board whose part it is, and another board, in the time that they take.

    The other board runs its line at `rate`; where the port has been opened at another, both hear what a wrong rate
    makes of bytes.
    """

    kind = "serial"
    SETTINGS = CableSettings

    def __init__(self, name: str, settings: CableSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        ports = around.profile.serial_ports
        self.wires = dict(zip(("receive", "transmit"), ports[settings.port], strict=False))
        self.port = settings.port
        self.board = settings.board
        self.rate = settings.rate
        self.near_rate = 0
        """The rate that the port was opened with; 0 while it is shut."""
        self._client = Client(settings.protocol, CHARACTER_BITS / settings.rate)
        self._far: Board | None = None
        self._hear: Hear = lambda data, at, cause: None
        self._out: deque[_OnTheWay] = deque()
        self._back: deque[_OnTheWay] = deque()
        self._free_at = 0.0
        self._back_free_at = 0.0
        self._sent = 0

    def plug(self, far: Board | None) -> None:
        """Put its other end into a board that runs."""
        self._far = far
        if far is not None:
            far.opened(self._client, 0.0)

    def open(self, rate: int, hear: Hear) -> None:
        """The port is opened at a rate; `hear` takes what comes in."""
        self.near_rate, self._hear = rate, hear

    def shut(self) -> None:
        """The port is shut: what comes in is lost."""
        self.near_rate = 0

    def send(self, data: bytes, now: float, cause: int | None) -> float:
        """Send bytes out of the port; give when they are all out."""
        self._free_at = max(now, self._free_at) + CHARACTER_BITS / self.near_rate * len(data)
        heard = data if self.near_rate == self.rate else garble(data, self.near_rate, self.rate)
        told = self._tell(Kind.BUS, Topic.BUS, self.name, data, cause, self._words())
        self._out.append(_OnTheWay(self._free_at, heard, told))
        self.call_by(self._free_at)
        return self._free_at

    def _words(self) -> str:
        to = f"to {self.board} at {self.near_rate} baud"
        return to if self.near_rate == self.rate else f"{to}, which runs at {self.rate}: garbled"

    def advance(self, now: float) -> float:
        while self._out and self._out[0].arrives <= now:
            self._deliver(self._out.popleft(), now)
        self.collect(now)
        while self._back and self._back[0].arrives <= now:
            come = self._back.popleft()
            if self.near_rate:
                data = come.data if self.near_rate == self.rate else garble(come.data, self.rate, self.near_rate)
                self._hear(data, now, come.cause)
        return min((queue[0].arrives for queue in (self._out, self._back) if queue), default=inf)

    def _deliver(self, come: _OnTheWay, now: float) -> None:
        self._sent += len(come.data)
        if self._far is not None and come.data:
            cause = come.cause
            carried = self._tell(Kind.CARRIED, Topic.BUS, self.name, come.data, cause)
            self._far.feed(self._client, come.data, self._sent - len(come.data), now, lambda end, data: carried)

    def collect(self, now: float) -> None:
        """Take up what the other board says."""
        for said in self._far.take_out_for(self._client) if self._far is not None else ():
            self._back_free_at = max(said.at, now, self._back_free_at) + self._client.character * len(said.data)
            told = self._tell(Kind.BUS, Topic.BUS, self.name, said.data, said.cause, f"from {self.board}")
            self._back.append(_OnTheWay(self._back_free_at, said.data, told))
            self.call_by(self._back_free_at)

    def fraction(self, now: float) -> float:
        return float(bool(self.near_rate and self._far is not None))

    def tells(self, now: float) -> str:
        if self._far is None:
            return f"{self.board} does not run"
        return f"{self.board}, {self.near_rate or 'shut'}"
