"""The words of a line of a routine by what they are: quiet for the language, paper for names and numbers, heather for
texts; and what fits where the cursor is."""

from __future__ import annotations

import re
from collections.abc import Iterator

from cavet.bench import Plan
from cavet.hosts import Point
from cavet.routines import KEYWORDS, STEPS

WORD = re.compile(r'#.*|"(?:[^"\\]|\\.)*"?|[A-Za-z_]\w*|[^\sA-Za-z_"#]+')
MOST_FITTING = 6
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


def fitting(line: str, column: int, plan: Plan, names: list[str]) -> list[tuple[str, str]]:
    """What may stand where the cursor is, each with what it is: words of the language, points, words of a point."""
    before = line[:column]
    begun = re.search(r"[\w.]*$", before)
    part = begun.group() if begun is not None else ""
    said = before[: len(before) - len(part)].split()
    if not part or "#" in before or before.count('"') % 2:
        return []
    found = list(_candidates(said, plan, names))
    return [(word, tells) for word, tells in found if word.startswith(part) and word != part][:MOST_FITTING]


def _candidates(said: list[str], plan: Plan, names: list[str]) -> Iterator[tuple[str, str]]:
    if not said:
        yield from ((step, "a step") for step in STEPS)
        return
    if said[-1] in ("is", "to") and len(said) > 1 and said[-2] in plan.points:
        point = plan.points[said[-2]]
        yield from ((word, f"a word of {point.name}") for word in (point.words if point.kind.is_switch else ()))
    yield from ((name, "a tune, or a value") for name in names)
    for point in plan.points.values():
        if (
            said[0] in ("set", "toggle", "pulse", "show", "clear", "keep")
            and len(said) == 1
            and not point.kind.is_output
        ):
            continue
        ends = (
            " or ".join(point.words) if point.kind.is_switch else f"{point.show(point.low)} to {point.show(point.high)}"
        )
        yield point.name, ends if not point.kind.is_text else "a text"
    for board in plan.boards.values():
        yield from ((f"{board.name}.{part}", "the truth: a part") for part in board.parts)
    yield from ((word, "") for word in sorted(KEYWORDS))


def _ends(point: Point) -> str:
    """What a point can be."""
    if point.kind.is_text:
        return "a text"
    if point.kind.is_switch:
        return " or ".join(point.words)
    return f"{point.show(point.low)} to {point.show(point.high)}"
