"""The list of points as a person has it before them: in groups by board, folded or open, searched or whole."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from cavet.hosts import Point


class Head(msgspec.Struct, frozen=True):
    """The line above a board's points."""

    board: str

    @property
    def name(self) -> str:
        return self.board


Line = Head | Point


class Roster:
    """Which lines there are. With one board there are no heads: there is nothing to tell apart."""

    def __init__(self, points: Sequence[Point]) -> None:
        self.boards = list(dict.fromkeys(point.board for point in points))
        self._points = {board: [point for point in points if point.board == board] for board in self.boards}
        self._ordered = {
            board: sorted(own, key=lambda point: not point.kind.is_output) for board, own in self._points.items()
        }
        self._folded = set(self.boards[1:])
        self.wanted = ""
        """What is searched for, in the names of points and boards; while it is not empty, nothing is folded."""
        self._is_seen = False

    def __len__(self) -> int:
        """How many points there are."""
        return sum(map(len, self._points.values()))

    def lines(self) -> list[Line]:
        """All lines, in order: each board's outputs, then its inputs."""
        lines: list[Line] = []
        for board in self.boards:
            found = self._found(board)
            if self.wanted and not found:
                continue
            if len(self.boards) > 1:
                lines.append(Head(board))
            if self.wanted or board not in self._folded:
                lines += found
        return lines

    def _found(self, board: str) -> list[Point]:
        ordered = self._ordered[board]
        if not self.wanted:
            return ordered
        words = self.wanted.lower().split()
        return [point for point in ordered if all(word in f"{board} {point.name}".lower() for word in words)]

    def points_of(self, board: str) -> Sequence[Point]:
        """A board's points, whether they are shown or not."""
        return self._points.get(board, ())

    def is_folded(self, board: str) -> bool:
        """Whether a board's lines are folded away."""
        return board in self._folded and not self.wanted

    def fold(self, board: str, folded: bool) -> None:
        """Fold a board's points away, or bring them out."""
        (self._folded.add if folded else self._folded.discard)(board)

    def open_in(self, rows: int, cursor: int) -> int:
        """The first time that it is shown, fold nothing where all lines have room in so many rows; give where the line
        at a place is then."""
        line, is_first = next(iter(self.lines()[cursor:]), None), not self._is_seen
        self._is_seen = True
        if not is_first or len(self) + 2 * len(self.boards) > rows or line is None:
            return cursor
        self._folded.clear()
        return self.lines().index(line)
