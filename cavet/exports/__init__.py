"""A record in other formats, and captures from elsewhere as records."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import msgspec

from cavet.benchfile import Setup
from cavet.exports._compare import Difference, compare
from cavet.exports._csv import event_rows, point_rows
from cavet.exports._cut import Cut, check_boards
from cavet.exports._importing import Importing
from cavet.exports._packets import pcapng
from cavet.exports._source import InMemory, Source
from cavet.exports._vcd import vcd_lines
from cavet.exports._writing import blocks
from cavet.lanes import POINTS, Signal, Signals
from cavet.record import as_line

__all__ = [
    "TEXTS",
    "Cut",
    "Difference",
    "Importing",
    "InMemory",
    "Signal",
    "Signals",
    "Source",
    "blocks",
    "check_boards",
    "compare",
    "csv",
    "jsonl",
    "pcapng",
    "points_csv",
    "vcd",
]


def jsonl(file: Source, setup: Setup | None, cut: Cut) -> Iterator[str]:
    """The events as `cavet serve --events` prints them: one JSON object a line."""
    for event in cut.events(file):
        yield msgspec.json.encode(as_line(event)).decode() + "\n"


def csv(file: Source, setup: Setup | None, cut: Cut) -> Iterator[str]:
    """The events, one a line, with a header (RFC 4180)."""
    return event_rows(cut.events(file))


def points_csv(file: Source, setup: Setup | None, cut: Cut, every: float | None = None) -> Iterator[str]:
    """What was asked of each point and what was got, at each change or each period in s."""
    signals = Signals(setup).read(cut.history(file))
    found = {signal.name: None for signal in signals if signal.group == POINTS}
    names = [name for name in setup.points if name in found] if setup is not None else list(found)
    return point_rows(names, signals, cut.begin, cut.until(file), every)


def vcd(file: Source, setup: Setup | None, cut: Cut) -> Iterator[str]:
    """Pins, parts, points and rig as a value change dump (IEEE 1364)."""
    signals = Signals(setup).read(cut.history(file))
    for line in vcd_lines(file.about.get("bench", ""), signals, cut.begin, cut.until(file)):
        yield line + "\n"


TEXTS: dict[str, Callable[[Source, Setup | None, Cut], Iterator[str]]] = {"jsonl": jsonl, "csv": csv, "vcd": vcd}
"""The formats that are texts, by what they are called."""
