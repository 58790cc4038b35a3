"""The words of a line of a routine by what they are: quiet for the language, paper for names and numbers, heather for
texts; and what fits where the cursor is."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator

from cavet.benchfile import Setup
from cavet.hosts import Point
from cavet.routines import KEYWORDS, STEPS, written_word

WORD = re.compile(r'#.*|"(?:[^"\\]|\\.)*"?|[A-Za-z_]\w*|[^\sA-Za-z_"#]+')
MOST_FITTING = 6
Fit = tuple[str, str]
"""A word that may stand there, and what it is."""
OF_OUTPUTS = ("set", "toggle", "pulse", "show", "clear", "keep")
HEADS = ("routine", "alongside", "when", "finally", "reflex")


def spans(line: str) -> Iterator[tuple[int, int, str]]:
    """Where each word begins and ends, and what it is: `quiet`, `name`, `text`, `head`."""
    first = True
    named = False
    for found in WORD.finditer(line):
        word = found.group()
        if word.startswith("#"):
            kind = "quiet"
        elif word.startswith('"'):
            kind = "text"
        elif named:
            kind, named = "head", False
        elif word in KEYWORDS:
            kind, named = "quiet", first and word in HEADS[:2]
        else:
            kind = "name"
        first = False
        yield found.start(), found.end(), kind


def fitting(line: str, column: int, setup: Setup, names: list[str], routines: Iterable[str] = ()) -> list[Fit]:
    """What may stand where the cursor is, each with what it is: words of the language, points, words of a point."""
    before = line[:column]
    part = begun(before)
    said = before[: len(before) - len(part)].split()
    if not part or "#" in before or before.count('"') % 2:
        return []
    found = list(_candidates(said, setup, names, routines))
    return [(word, tells) for word, tells in found if word.startswith(part) and word != part][:MOST_FITTING]


def begun(before: str) -> str:
    """The word that is begun at the end of a text."""
    found = re.search(r"[\w.]*$", before)
    return found.group() if found is not None else ""


def _candidates(said: list[str], setup: Setup, names: list[str], routines: Iterable[str]) -> Iterator[Fit]:
    if not said:
        yield from ((step, "a step") for step in STEPS)
        return
    if len(said) == 1 and said[0] in SUBJECTS:
        yield from SUBJECTS[said[0]](setup)
        return
    if said == ["do"]:
        yield from ((name, "a routine of this text") for name in routines)
        return
    if said[-1] in ("is", "to") and len(said) > 1 and said[-2] in setup.points:
        point = setup.points[said[-2]]
        words = [written_word(word) for word in point.words] if point.kind.is_switch else []
        yield from ((word, f"a word of {point.name}") for word in words)
    yield from ((name, "a tune, or a value") for name in names)
    for point in setup.points.values():
        if said[0] in OF_OUTPUTS and len(said) == 1 and not point.kind.is_output:
            continue
        yield point.name, _ends(point)
    if said[0] not in OF_OUTPUTS or len(said) > 1:
        yield from _parts(setup)
    yield from ((word, "") for word in sorted(KEYWORDS))


def _parts(setup: Setup) -> Iterator[Fit]:
    return ((f"{board.name}.{part}", "the truth: a part") for board in setup.boards.values() for part in board.parts)


def _boards(setup: Setup) -> Iterator[Fit]:
    return ((board, "a board") for board in setup.boards)


def _ends(point: Point) -> str:
    """What a point can be."""
    if point.kind.is_text:
        return "a text"
    if point.kind.is_switch:
        return " or ".join(point.words)
    return f"{point.show(point.low)} to {point.show(point.high)}"


SUBJECTS: dict[str, Callable[[Setup], Iterable[Fit]]] = {
    "make": lambda setup: ((name, defect.tells) for name, defect in setup.defects.items()),
    "mend": lambda setup: ((name, defect.tells) for name, defect in setup.defects.items()),
    "place": lambda setup: ((name, "a quantity of the rig") for name in setup.rig),
    "press": _parts, "release": _parts, "work": _parts, "reset": _boards, "send": _boards, "break": _boards,
}  # fmt: skip
"""What a step is about, where that is no point."""
