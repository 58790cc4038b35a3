"""From a file to what can be run."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from cavet import units
from cavet.benchfile import Setup, read_text
from cavet.routines._checked import CheckedRoutine, Program
from cavet.routines._checking import check
from cavet.routines._parsing import parse
from cavet.routines._words import KEYWORDS
from cavet.wording import MoreWrongError, WrongError, digits, from_to, unknown

MOST_TOLD = 50
"""So many mistakes are told of one file; of the others only how many there are."""
MAX_BYTES = 4 << 20


def read_routine(path: Path, setup: Setup) -> Program:
    """Read a file and check it against a bench. Raises `WrongError` where it can't be read, and an `ExceptionGroup` of
    all that is wrong in it."""
    return routine_text(read_source(path), path.name, setup)


def read_source(path: Path) -> str:
    """Read the text of a file of routines. Raises `WrongError` where it can't be read."""
    return read_text(path, "a routine", MAX_BYTES)


def routine_text(text: str, file: str, setup: Setup) -> Program:
    """The same for a text; `file` is what mistakes call it."""
    sheet, mistakes = parse(text, file, _spoken(setup))
    program, more = check(sheet, setup)
    mistakes = sorted({str(each): each for each in [*mistakes, *more]}.values(), key=_place)
    if mistakes:
        told: list[WrongError] = mistakes[:MOST_TOLD]
        if len(mistakes) > MOST_TOLD:
            told.append(MoreWrongError(file, len(mistakes) - MOST_TOLD))
        raise ExceptionGroup(f"{file} can't be run", told)
    return program


def _spoken(setup: Setup) -> Collection[str]:
    """The words of the language by which the bench calls something of its own: a button `stop`, a contact `ready`."""
    names = {*setup.points, *setup.boards, *setup.links, *setup.hosts, *setup.rig, *setup.defects}
    parts = {part for board in setup.boards.values() for part in board.parts}
    values = {word for point in setup.points.values() if point.kind.is_switch for word in point.words}
    return KEYWORDS & (names | parts | values)


def _place(mistake: WrongError) -> tuple[int, int]:
    """Where it stands: line and column."""
    _, _, rest = mistake.place.partition(":")
    line, _, column = rest.rpartition(":")
    return (int(line), int(column)) if line.isdigit() and column.isdigit() else (0, 0)


def chosen(program: Program, routine: str | None) -> str:
    """The routine that is meant: the first, where none is named. Raises `WrongError`."""
    known = program.routines
    if routine is None:
        return next(iter(known))
    if routine not in known:
        raise unknown("routine", routine, known)
    return routine


def tune_value(routine: CheckedRoutine, name: str, raw: object, place: str) -> float:
    """A value of a tune, in its unit: a number, or a text with a unit. Raises `WrongError`."""
    tunes = routine.tunes
    if name not in tunes:
        raise unknown("tune", name, tunes, none="no tune: it has none")
    tune = tunes[name]
    if isinstance(raw, str):
        value = units.parse(raw, tune.unit or "", place)
    else:
        expected = f"a number in {tune.unit}" if tune.unit else "a number"
        value = units.finite(str(raw) if isinstance(raw, bool) else raw, place, expected)
    if not tune.limited(value):
        low, high = sorted((tune.low, tune.high))
        raise WrongError(place, found=digits(value), expected=f"{from_to(low, high)} {tune.unit or ''}".strip())
    return value
