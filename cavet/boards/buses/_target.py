"""A second board as a target on the bus: with firmware, pins and parts of its own."""

from typing import Annotated, Protocol

from cavet.boards.buses._device import BusDevice, BusSettings
from cavet.boards.parts import Around
from cavet.record import Kind, Topic
from cavet.settings import Meaning

MAX_WRITE_BYTES = 4096
"""The longest write that it keeps; the rest is not acknowledged."""


class Answering(Protocol):
    """What the board behind a target does with what is written to it, and what it gives when it is read."""

    def written(self, data: bytes, at: float, cause: int | None) -> None: ...
    def read(self, at: float) -> bytes: ...


class TargetBoardSettings(BusSettings, kw_only=True):
    """The keys of a target board."""

    board: Annotated[str, Meaning("the board behind it, whose firmware is `target`", names="board")]


class TargetBoard(BusDevice):
    """Hands each write on whole, when the transaction ends; a read gives the frame that the board has ready then.

    Without a board that runs it does not acknowledge its address. Behind the frame's end it gives FF.
    """

    kind = "target"
    SETTINGS = TargetBoardSettings

    def __init__(self, name: str, settings: TargetBoardSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.board = settings.board
        self._behind: Answering | None = None
        self._written = bytearray()
        self._ready = b""

    def attach(self, behind: Answering | None) -> None:
        """The board behind it runs, or runs no more."""
        self._behind = behind

    @property
    def answers(self) -> bool:
        return super().answers and self._behind is not None

    def begin(self, read: bool, at: float, cause: int | None) -> None:
        self._hand_over(at)
        super().begin(read, at, cause)
        if read and self._behind is not None:
            self._ready = self._behind.read(at)

    def write(self, byte: int, at: float) -> bool:
        if len(self._written) >= MAX_WRITE_BYTES:
            return False
        self._written.append(byte)
        return True

    def read(self, at: float) -> int:
        byte, self._ready = (self._ready[:1] or b"\xff")[0], self._ready[1:]
        return byte

    def stop(self, at: float) -> None:
        self._hand_over(at)

    def _hand_over(self, at: float) -> None:
        data, self._written = bytes(self._written), bytearray()
        if data and self._behind is not None:
            cause = self._tell(Kind.DRIVEN, Topic.REGISTER, f"{self.name}.written", data, self._from)
            self._behind.written(data, at, cause)

    def tells(self, now: float) -> str:
        return f"is {self.board}" if self.answers else f"{self.board} does not run"
