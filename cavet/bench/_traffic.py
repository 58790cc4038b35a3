"""What both ends of a link share: by which events its bytes were sent."""

from __future__ import annotations

from cavet.links import Ledger, Losses, Passage
from cavet.record import Record


class Traffic:
    """The causes that pass over one link, and its losses."""

    def __init__(self, link: str, board: str, seed: str, record: Record) -> None:
        self.link = link
        self.board = board
        self.passage = Passage(record, board, link)
        """From host to board."""
        self.told = Ledger()
        """From board to host."""
        self.losses = Losses(f"{seed}/{link}")

    def begin(self) -> None:
        """The link was opened: both directions count from 0."""
        self.passage.clear()
        self.told.clear()
