"""Defects of links, and of how a board hears and speaks."""

from typing import Annotated

from cavet.boards.defects._base import Defect, Spoiled
from cavet.settings import Meaning
from cavet.units import show, show_duration


class Lossy(Defect, kw_only=True):
    """Bytes are lost on the way."""

    KIND = "lossy"
    over_broker = over_usb = False
    share: Annotated[float, Meaning("the share of the bytes that is lost", low=0, high=1)]

    @property
    def tells(self) -> str:
        return f"the link loses {show(100 * self.share, '%')} of the bytes"

    def spoil(self, board: Spoiled) -> None:
        board.lost = max(board.lost, self.share)


class Late(Defect, kw_only=True):
    """The board takes longer than it should."""

    KIND = "late"
    delay: Annotated[float, Meaning("by how much it answers late", unit="s", low=0, high=60)]

    @property
    def tells(self) -> str:
        return f"the board answers {show_duration(self.delay)} late"

    def spoil(self, board: Spoiled) -> None:
        board.delay += self.delay


class Stale(Defect, kw_only=True):
    """In the place of an answer comes the one before: a gateway mixes up whose it is."""

    KIND = "stale-reply"
    over_broker = over_usb = False
    share: Annotated[
        float, Meaning("the share of the answers in whose place the one before comes once more", low=0, high=1)
    ]

    @property
    def tells(self) -> str:
        return (
            f"the board says the answer before once more in the place of {show(100 * self.share, '%')} of its answers"
        )

    def spoil(self, board: Spoiled) -> None:
        board.stale = max(board.stale, self.share)


class Doubled(Defect, kw_only=True):
    """An answer comes twice."""

    KIND = "doubled-reply"
    over_broker = over_usb = False
    share: Annotated[float, Meaning("the share of the answers that come twice", low=0, high=1)]

    @property
    def tells(self) -> str:
        return f"the board says {show(100 * self.share, '%')} of its answers twice"

    def spoil(self, board: Spoiled) -> None:
        board.twice = max(board.twice, self.share)


class SmallQueue(Defect, kw_only=True):
    """The board's receiver is full: what comes faster than it takes it is lost."""

    KIND = "full-queue"
    over_broker = over_usb = False
    size: Annotated[int, Meaning("how many bytes its receiver keeps", low=1, high=1_000_000)] = 64
    takes: Annotated[int, Meaning("how many bytes it takes from there each second", low=1, high=1_000_000_000)]

    @property
    def tells(self) -> str:
        return f"the board's receiver keeps {self.size} bytes, and takes {self.takes} each second: more are lost"

    def spoil(self, board: Spoiled) -> None:
        board.queue = (self.size, float(self.takes))


class Mute(Defect, kw_only=True):
    """The board does what it is told, and does not say so."""

    KIND = "mute"
    over_broker = True

    @property
    def tells(self) -> str:
        return "the board does what it is told, and reports nothing of it"

    def spoil(self, board: Spoiled) -> None:
        board.mute = True


class Away(Defect, kw_only=True):
    """The board is not at its broker."""

    KIND = "away"
    over_broker = True

    @property
    def tells(self) -> str:
        return "the board is off its link"

    def spoil(self, board: Spoiled) -> None:
        board.away = True
