"""Reading the checks of a bench: what must hold, and how it is tried."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import msgspec

from cavet.benchfile import _schema_checks as schema
from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile._schema_checks import STAGES
from cavet.boards import Defect
from cavet.hosts import Asked, Point
from cavet.settings import made
from cavet.wording import WrongError, listed

ACTS = ("walk", "routine", "program", "rest")
SHOWS = ("no_redundant", "no_refusal", "delays")
OF_ACT = {"tunes": "routine"} | dict.fromkeys(("expect", "never", "ends", "within", "kernel"), "program")
"""Keys that mean nothing without another one."""
END_OF_PROGRAM = "end of program"
OWN_STAGES = ("asked", "framed", "confirmed")
"""The stages that only a host of the bench's own tells of."""
Wishes = tuple[tuple[str, Asked], ...]
"""Outputs, each with what it is set to."""


class RestCheck(msgspec.Struct, frozen=True):
    """What is set, after what everything has to go to rest (a link that is broken, "" for the end of a program), and
    within how many s."""

    set: Wishes
    breaks: str
    within: float


class DelaysCheck(msgspec.Struct, frozen=True):
    """How long commands may take from a stage to another, in s, and which share of them must keep to it."""

    begin: str
    end: str
    at_most: float
    share: float

    @property
    def is_seen_of_programs(self) -> bool:
        """Whether both stages are seen of what a program of others says: what it wishes, and believes, is not."""
        return self.begin not in OWN_STAGES and self.end not in OWN_STAGES


class CheckSettings(msgspec.Struct, frozen=True, kw_only=True):
    """A check: what is done, what the record must show, and under which seeds, defects and faults."""

    name: str
    walk: bool = False
    outputs: tuple[str, ...] = ()
    """Those that are walked; all where none is named."""
    routine: str = ""
    tunes: dict[str, Any] = {}
    program: tuple[str, ...] = ()
    kernel: bool = False
    """Whether the program finds the kernel's devices."""
    expect: tuple[str, ...] = ()
    never: tuple[str, ...] = ()
    ends: int | None = None
    within: float | None = None
    rest: RestCheck | None = None
    no_redundant: str = ""
    no_refusal: str = ""
    delays: DelaysCheck | None = None
    seeds: int = 1
    defects: tuple[tuple[str, ...], ...] = ()
    faults: int = 0

    @property
    def acts(self) -> bool:
        """Whether something is done; else it looks at the records of others."""
        return self.walk or bool(self.routine or self.program) or self.rest is not None

    @property
    def shows(self) -> bool:
        """Whether it looks at a record."""
        return bool(self.no_redundant or self.no_refusal) or self.delays is not None


def read_checks(
    checker: Checker, tables: Mapping[str, schema.CheckTable], points: Mapping[str, Point],
    defects: Mapping[str, Defect], links: Iterable[str], boards: Iterable[str],
) -> dict[str, CheckSettings]:  # fmt: skip
    """Make checks of their tables; what is wrong stands in the checker's errors. `links` are all words for a link,
    `boards` all for a board."""
    words = frozenset(links), frozenset(boards)
    made = {name: _Reader(checker, name, points, defects, *words).read(table) for name, table in tables.items()}
    return {name: check for name, check in made.items() if check is not None}


def read_needs(checker: Checker, tables: Mapping[str, Any], points: Mapping[str, Point]) -> dict[str, Wishes]:
    """What is set before an output can move its part, from the tables of the points."""
    found = {}
    for name in points:
        path: Path = ("points", name, "needs")
        texts = tables[name].get("needs", ())
        wishes = [read_wish(text, points, checker, (*path, place)) for place, text in enumerate(texts)]
        found[name] = tuple(wish for wish in wishes if wish is not None)
    return {name: wishes for name, wishes in found.items() if wishes}


def read_wish(text: str, points: Mapping[str, Point], checker: Checker, path: Path) -> tuple[str, Asked] | None:
    """`POINT=VALUE`, as an output and what it is set to."""
    name, equals, value = (part.strip() for part in text.partition("="))
    point = points.get(name)
    if not equals or not value:
        checker.wrong(path, found=text, expected="POINT=VALUE")
    elif point is None or not point.kind.is_output:
        outputs = [each.name for each in points.values() if each.kind.is_output]
        checker.wrong(
            path, found=name, expected=f"an output: {listed(outputs)}", nearest=checker.nearest(name, outputs)
        )
    else:
        try:
            return name, point.parse(value)
        except WrongError as error:
            checker.note(path, error)
    return None


class _Reader:
    """Reads one check."""

    def __init__(
        self, checker: Checker, name: str, points: Mapping[str, Point], defects: Mapping[str, Defect],
        links: frozenset[str], boards: frozenset[str],
    ) -> None:  # fmt: skip
        self._checker = checker
        self._name = name
        self._path: Path = ("checks", name)
        self._points = points
        self._defects = defects
        self._links = links
        self._boards = boards

    def read(self, table: schema.CheckTable) -> CheckSettings | None:
        """Make it; `None` where that can't be."""
        before = len(self._checker.errors)
        acts = [key for key in ACTS if getattr(table, key) not in (None, "", ())]
        acting = [key for key in acts if key != "rest"]
        if len(acting) > 1 or (acting and "rest" in acts and acting != ["program"]):
            self._wrong(acts[1], found=f"{acts[0]} and {acts[1]}", expected=f"one thing that is done: {listed(ACTS)}")
        if not acts and not any(getattr(table, key) not in (None, "") for key in SHOWS):
            self._checker.wrong(self._path, found="nothing to be done", expected=f"one of {listed((*ACTS, *SHOWS))}")
        for key, act in OF_ACT.items():
            if (said := getattr(table, key)) not in (None, (), {}) and said is not False and act not in acts:
                self._wrong(key, found="this key", expected=f"it belongs to {act}, which is not there")
        outputs = table.walk if isinstance(table.walk, tuple) else ()
        known = [point.name for point in self._points.values() if point.kind.is_output]
        for place, output in enumerate(outputs):
            self._checker.one_of((*self._path, "walk", place), output, known, "an output")
        for place, names in enumerate(table.defects):
            for at, defect in enumerate(names):
                self._checker.one_of((*self._path, "defects", place, at), defect, self._defects, "a defect")
        for key in ("no_redundant", "no_refusal"):
            if board := getattr(table, key):
                self._checker.one_of((*self._path, key), board, self._boards, "a board")
        if table.routine and not all(table.routine.partition("#")):
            self._wrong("routine", found=table.routine, expected="FILE#NAME")
        if table.program and table.faults:
            self._wrong("faults", found=table.faults, expected="0: a program runs in real time")
        rest, delays = self._rest(table.rest, acts), self._delays(table.delays, acts)
        if len(self._checker.errors) > before:
            return None
        walks = table.walk is not None
        return made(CheckSettings, table, name=self._name, walk=walks, outputs=outputs, rest=rest, delays=delays)

    def _wrong(self, key: str, *, found: object, expected: str) -> None:
        self._checker.wrong((*self._path, key), found=found, expected=expected)

    def _rest(self, raw: Any, acts: list[str]) -> RestCheck | None:
        if raw is None:
            return None
        path = (*self._path, "rest")
        table = self._checker.read(raw, schema.RestTable, path)
        if table is None:
            return None
        wishes = [
            read_wish(text, self._points, self._checker, (*path, "set", place)) for place, text in enumerate(table.set)
        ]
        after = table.after.strip()
        word, _, link = after.partition(" ")
        if after == END_OF_PROGRAM:
            link = ""
            if "program" not in acts:
                self._checker.wrong(
                    (*path, "after"), found=after, expected="a `program` beside `rest`, or `break LINK`"
                )
        elif word != "break" or not link.strip():
            self._checker.wrong((*path, "after"), found=after, expected="`break LINK`, or `end of program`")
        elif "program" in acts:
            self._checker.wrong((*path, "after"), found=after, expected=f"`{END_OF_PROGRAM}`, where a program is run")
        else:
            link = link.strip()
            self._checker.one_of((*self._path, "rest", "after"), link, sorted(self._links), "a link")
        if wishes and "program" in acts:
            expected = "nothing: the program alone sets what it sets"
            self._checker.wrong((*path, "set"), found=listed(table.set, "and"), expected=expected)
        return RestCheck(tuple(wish for wish in wishes if wish is not None), link, table.within)

    def _delays(self, raw: Any, acts: list[str]) -> DelaysCheck | None:
        if raw is None:
            return None
        path = (*self._path, "delays")
        table = self._checker.read(raw, schema.DelaysTable, path)
        if table is None:
            return None
        if STAGES.index(table.from_) >= STAGES.index(table.to):
            self._checker.wrong((*path, "to"), found=table.to, expected=f"a stage behind {table.from_}")
        delays = DelaysCheck(table.from_, table.to, table.at_most, table.share)
        if "program" in acts and not delays.is_seen_of_programs:
            key, found = ("from", table.from_) if table.from_ in OWN_STAGES else ("to", table.to)
            expected = f"one of {listed([each for each in STAGES if each not in OWN_STAGES], 'and')}"
            self._checker.wrong((*path, key), found=found, expected=f"{expected}: no more is known of a program")
        return delays
