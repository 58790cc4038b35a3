"""Events, and courses of points, as CSV. Source: RFC 4180."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Iterator

from cavet.lanes import POINTS, Signal, Worth
from cavet.record import Event, Value
from cavet.wording import hex_pairs, plain

HEADER = ("number", "t", "kind", "board", "cause", "topic", "subject", "value", "note")


def event_rows(events: Iterable[Event]) -> Iterator[str]:
    """A line for each event, after the header."""
    yield _line(HEADER)
    for event in events:
        cause = "" if event.cause is None else event.cause
        yield _line(
            (
                event.number, f"{event.t:.6f}", event.kind.value, event.board, cause, event.topic.value, event.subject,
                _shown(event.value), plain(event.note),
            )
        )  # fmt: skip


def point_rows(
    names: list[str], signals: Iterable[Signal], begin: float, end: float, every: float | None
) -> Iterator[str]:
    """What was asked of each point and what was got: a line at each change, or one for each period, in s."""
    columns = [(name, side) for name in names for side in ("asked", "got")]
    yield _line(["t", *(f"{name}.{side}" for name, side in columns)])
    place = {column: number for number, column in enumerate(columns)}
    changes = sorted(
        ((round(t, 6), place[signal.name, signal.side], value)
        for signal in signals if signal.group == POINTS and (signal.name, signal.side) in place
        for t, value in signal.changes if t <= end),
        key=lambda change: change[:2],
    )  # fmt: skip
    row: list[Worth | None] = [None] * len(columns)
    at = 0
    for t in _sampled(begin, end, every) if every is not None else _changing(begin, [t for t, _, _ in changes]):
        while at < len(changes) and changes[at][0] <= t:
            row[changes[at][1]] = changes[at][2]
            at += 1
        yield _line([f"{t:.6f}", *(_shown(value) for value in row)])


def _sampled(begin: float, end: float, every: float) -> Iterator[float]:
    number = 0
    while begin + number * every <= end + 1e-9:
        yield begin + number * every
        number += 1


def _changing(begin: float, times: list[float]) -> Iterator[float]:
    """The times at which something changes; first how things stand at the beginning, where that is known."""
    if any(t <= begin for t in times):
        yield begin
    yield from sorted({t for t in times if t > begin})


def _shown(value: Value) -> str:
    if value is None:
        return ""
    if isinstance(value, bytes):
        return hex_pairs(value)
    if isinstance(value, bool):
        return "true" if value else "false"
    return repr(value).removesuffix(".0") if isinstance(value, float) else plain(str(value))


class _Echo:
    """Gives back what is written to it."""

    def write(self, text: str) -> str:
        return text


_WRITER = csv.writer(_Echo(), lineterminator="\r\n")


def _line(cells: Iterable[object]) -> str:
    return str(_WRITER.writerow(cells))
