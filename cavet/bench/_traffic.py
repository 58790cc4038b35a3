"""What both ends of a link share: by which events its bytes were sent."""

from __future__ import annotations

from cavet.links import Ledger, Losses, Passage
from cavet.record import Record


class Stream:
    """The causes that pass over a link between its board and one program."""

    def __init__(self, record: Record, board: str, link: str) -> None:
        self.passage = Passage(record, board, link)
        """From host to board."""
        self.told = Ledger()
        """From board to host."""


class Traffic:
    """What passes over one link, and its losses.

    Several programs can be on a link at once. Ours says by which name the board's side knows it; the stream of that
    name is then the same object on both sides, so that causes go over with the bytes.
    """

    def __init__(self, link: str, board: str, seed: str, record: Record) -> None:
        self.link = link
        self.board = board
        self.losses = Losses(f"{seed}/{link}")
        self._record = record
        self._streams: dict[str, Stream] = {}

    def begin(self, name: str) -> Stream:
        """Our host has opened the link: both directions count from 0."""
        if not name:  # the only one that can be there: what was before it is over
            self._streams.clear()
        return self.of(name)

    def of(self, name: str) -> Stream:
        """The stream of the program that the board's side knows by this name."""
        if name not in self._streams:
            self._streams[name] = Stream(self._record, self.board, self.link)
        return self._streams[name]

    def forget(self, name: str, stream: Stream) -> None:
        """A program is gone."""
        if self._streams.get(name) is stream:
            del self._streams[name]
