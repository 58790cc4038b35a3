"""A routine as a tree: what its text says, before anybody knows the bench."""

from __future__ import annotations

from typing import Any

import msgspec


class Expr(msgspec.Struct):
    """Something that has a value; `at` is its column."""

    at: int


class Number(Expr):
    """A number, with its unit, `None` for a bare one; and how it is written, for what is no number: bytes in hex."""

    value: float
    unit: str | None
    written: str = ""


class Text(Expr):
    """A text; its parts are pieces of text and values in braces."""

    parts: list[str | Expr]


class Name(Expr):
    """A name: a point, a tune, a value, a word of a point."""

    name: str


class Truth(Expr):
    """How a part or a pin of a simulated board stands: `gatehouse.beacon`, `gatehouse.pin 9`."""

    board: str
    part: str
    pin: str


class AskedFor(Expr):
    """What a point was asked for last."""

    point: Name


class Elapsed(Expr):
    """How long the routine runs already."""


class Negative(Expr):
    """The same with the other sign."""

    of: Expr


class Sum(Expr):
    """Two values joined by one of `+ - * /`."""

    sign: str
    left: Expr
    right: Expr


class Call(Expr):
    """`min`, `max`, `abs`, `round`, `root` of values."""

    name: str
    of: list[Expr]


class Compare(Expr):
    """Two values compared."""

    sign: str
    left: Expr
    right: Expr


class Edge(Expr):
    """`rises`, `falls`, `changes`."""

    of: Expr
    how: str


class BoardIs(Expr):
    """`BOARD is ready`, `BOARD is lost`, `LINK is open`."""

    name: str
    how: str


class Reads(Expr):
    """A point is asked afresh, and must be at a value."""

    point: Name
    value: Expr


class Joined(Expr):
    """`and`, `or`."""

    how: str
    of: list[Expr]


class Not(Expr):
    """The other way round."""

    of: Expr


CONDITIONS = (Compare, Edge, BoardIs, Reads, Joined, Not)
"""What holds or does not."""


class Step(msgspec.Struct, kw_only=True):
    """A step: its kind, its line, its text, and what belongs to it."""

    kind: str
    line: int
    text: str
    at: int = 1
    of: dict[str, Any] = {}
    """What its words say, by their part in it."""
    body: list[Step] = []
    otherwise: list[Step] = []
    """`if`: what else."""

    def __getattr__(self, name: str) -> Any:
        try:
            return self.of[name]
        except KeyError:
            raise AttributeError(name) from None


class Tune(msgspec.Struct, kw_only=True):
    """A number that can be turned while it runs."""

    name: str
    line: int
    at: int
    value: Expr
    low: Expr | None = None
    high: Expr | None = None


class Track(msgspec.Struct, kw_only=True):
    """What runs alongside a routine, or listens: `when` has a condition."""

    name: str
    line: int
    body: list[Step]
    condition: Expr | None = None
    lasts: Expr | None = None
    """`when … for TIME`."""


class Routine(msgspec.Struct, kw_only=True):
    """A routine with its tracks."""

    name: str
    line: int
    tunes: list[Tune] = []
    body: list[Step] = []
    alongside: list[Track] = []
    whens: list[Track] = []
    lastly: list[Step] = []
    """What `finally` says."""


class Reflex(msgspec.Struct, kw_only=True):
    """A rule that a board follows by itself."""

    name: str
    board: str
    line: int
    whens: list[Track] = []


class Sheet(msgspec.Struct, kw_only=True):
    """A whole file."""

    file: str
    routines: dict[str, Routine]
    reflexes: list[Reflex]
