"""How long each stage took, drawn: a row for each two stages at a board, over a scale from microseconds to minutes."""

from __future__ import annotations

from collections.abc import Iterator
from math import floor, log10

import msgspec

from cavet.drawings.vector import Area, Drawing, Shape, Stroke, Words
from cavet.units import show_duration

NAME_PIXELS, WIDTH, RIGHT = 260.0, 1000.0, 230.0
TOP, ROW = 70.0, 34.0
BINS_A_DECADE = 12
LEAST = 1e-6
"""What took less stands at the left end."""


class Spread(msgspec.Struct, frozen=True, kw_only=True):
    """The delays between two stages at a board, in order, in s; three of their percentiles."""

    board: str
    begin: str
    end: str
    seconds: tuple[float, ...]
    median: float
    p95: float
    p99: float


def delays_drawing(title: str, spreads: list[Spread]) -> Drawing:
    """All of them, one below the other."""
    most = max((each.seconds[-1] for each in spreads), default=1.0)
    decades = max(1, floor(log10(max(most, 10 * LEAST) / LEAST)) + 1)
    scale = (WIDTH - NAME_PIXELS - RIGHT) / decades
    shapes: list[Shape] = [Words(16, 28, title, size=15, bold=True)]
    bottom = TOP + ROW * len(spreads)
    for decade in range(decades + 1):
        x = NAME_PIXELS + decade * scale
        shapes.append(Stroke(((x, TOP - 10), (x, bottom)), "hair", 0.5))
        shapes.append(Words(x, TOP - 16, show_duration(LEAST * 10**decade), "heather", 10, anchor="middle"))
    for number, spread in enumerate(spreads):
        shapes += _row(spread, TOP + ROW * number, scale)
    told = "; ".join(
        f"{each.board} {each.begin} to {each.end}: {len(each.seconds)}, median {show_duration(each.median)}, "
        f"95 % {show_duration(each.p95)}, 99 % {show_duration(each.p99)}, greatest {show_duration(each.seconds[-1])}"
        for each in spreads
    )
    return Drawing(width=WIDTH, height=bottom + 20, title=title, description=told[:2000], shapes=tuple(shapes))


def _row(spread: Spread, y: float, scale: float) -> Iterator[Shape]:
    base = y + ROW - 8
    yield Words(16, base, spread.board, "paper", 12, bold=True)
    yield Words(NAME_PIXELS - 14, base, f"{spread.begin} → {spread.end}", "quiet", 11, anchor="end")
    bins: dict[int, int] = {}
    for seconds in spread.seconds:
        place = int(BINS_A_DECADE * log10(max(seconds, LEAST) / LEAST))
        bins[place] = bins.get(place, 0) + 1
    most = max(bins.values(), default=1)
    width = scale / BINS_A_DECADE
    for place, count in sorted(bins.items()):
        tall = (ROW - 12) * count / most
        yield Area(NAME_PIXELS + place * width, base - tall, width - 0.5, tall, "got")
    for value, role in ((spread.median, "paper"), (spread.p95, "asked"), (spread.p99, "coral")):
        x = NAME_PIXELS + scale * log10(max(value, LEAST) / LEAST)
        yield Stroke(((x, y + 2), (x, base + 3)), role, 1.5, f"{spread.board} {spread.begin} {spread.end}")
    figures = f"{len(spread.seconds)} · {show_duration(spread.median)} · {show_duration(spread.p95)}"
    yield Words(WIDTH - RIGHT + 16, base, f"{figures} · {show_duration(spread.seconds[-1])}", "quiet", 11)
