"""What was walked as squares: a board each, its outputs down, their parts across."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

from cavet.bench import Walked
from cavet.benchfile import Setup
from cavet.drawings.square import BoardRow, CellView, RowView
from cavet.wording import plain


def squares_of(setup: Setup, walked: Sequence[Walked]) -> tuple[BoardRow, ...]:
    """The squares of all boards that were walked, in their order."""
    boards = []
    of = {name: setup.board_of(point.board) for name, point in setup.points.items()}
    for name, group in groupby(walked, key=lambda each: of[each.output]):
        rows = list(group)
        places = {each.names: place for place, each in reversed(list(enumerate(rows))) if each.names}
        boards.append(BoardRow(name, len(rows), tuple(_row(place, each, places) for place, each in enumerate(rows))))
    return tuple(boards)


def _row(place: int, walked: Walked, places: dict[str, int]) -> RowView:
    own = places.get(walked.names)
    cells, elsewhere = [], []
    for path in walked.moved:
        if path in places:
            right = path == walked.names
            cells.append(
                CellView(place if right else places[path], "right" if right and walked.held is not False else "wrong")
            )
        else:
            elsewhere.append(path)
    if walked.held is None:
        cells = [CellView(place, "neither")]
    elif walked.held is False and own is not None and walked.names not in walked.moved:
        cells.append(CellView(place, "missing"))
    elif walked.held and not cells:
        cells.append(CellView(place, "unseen"))
    return RowView(place + 1, walked.output, walked.held, tuple(cells), plain(walked.why), ", ".join(elsewhere))
