"""What fits where the cursor is in a line of a routine: words of the language, and what the bench has."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence

from cavet.bench import FAULTS, needed_for, spoken
from cavet.benchfile import Setup
from cavet.boards import KINDS
from cavet.hosts import Point
from cavet.protocols import Side, kind_of, summary
from cavet.routines import KEYWORDS, STEPS, written_word
from cavet.wording import WrongError, listed

MOST_FITTING = 6
Fit = tuple[str, str]
"""A word that may stand there, and what it is."""
OF_OUTPUTS = ("set", "toggle", "pulse", "show", "clear", "keep")
DASHED = (["send"], ["fault"])
"""Steps in which names have dashes."""


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
    found = re.search(r"[\w.-]*$" if before.split()[:1] in DASHED else r"[\w.]*$", before)
    return found.group() if found is not None else ""


def _candidates(said: list[str], setup: Setup, names: list[str], routines: Iterable[str]) -> Iterator[Fit]:
    if not said:
        yield from ((step, "a step") for step in STEPS)
        return
    if len(said) == 1 and said[0] in SUBJECTS:
        yield from SUBJECTS[said[0]](setup)
        return
    if said[0] in PARTED and (len(said) > 1 or said == ["fault"]):
        yield from PARTED[said[0]](said, setup)
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
        yield from ((part, "the truth: a part") for part, _ in _parts(setup))
    yield from ((word, "") for word in sorted(KEYWORDS))


def _parts(setup: Setup) -> Iterator[tuple[str, Sequence[str]]]:
    """The parts, each with what a hand can do to it."""
    for board in setup.boards.values():
        yield from ((f"{board.name}.{name}", tuple(KINDS[part.kind].actions)) for name, part in board.parts.items())


def _worked(action: str) -> Callable[[Setup], Iterable[Fit]]:
    """The parts to which a hand can do this; "" for anything."""
    return lambda setup: (
        (part, f"it takes {listed(able, 'and')}") for part, able in _parts(setup) if able and action in (*able, "")
    )


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
    "press": _worked("press"), "release": _worked("release"), "work": _worked(""),
    "reset": _boards, "send": _boards, "break": _boards,
}  # fmt: skip
"""What a step is about, where that is no point."""


def _of_work(said: list[str], setup: Setup) -> Iterator[Fit]:
    part = next((part for part, _ in _parts(setup) if said[1] in (part, part.partition(".")[2])), "")
    if len(said) == 2:
        yield from ((action, f"done to {part}") for action in dict(_parts(setup)).get(part, ()))
    yield from ((word, "") for word in ("for", "without", "waiting"))


def _of_fault(said: list[str], setup: Setup) -> Iterator[Fit]:
    if len(said) == 1:
        yield from ((kind, "a fault") for kind in FAULTS)
    elif said[-1] == "on":
        for board in setup.boards.values():
            links = [link for link in setup.links.values() if link.board == board.name]
            if needed_for(said[1], board, links) is None:
                yield from [
                    (board.name, "a board"),
                    *((each.name, "a link") for each in links if each.name != board.name),
                ]
    yield from ((word, "") for word in ("on", "next", "for"))


def _of_send(said: list[str], setup: Setup) -> Iterator[Fit]:
    """Messages, their fields, and what can answer."""
    try:
        host = setup.hosts[setup.host_meant(said[1])]
    except WrongError:
        return
    tongue = spoken(setup, setup.links[host.link])
    out, back = tongue.forms(Side.HOST), tongue.coming_back
    answered = said.index("answered") if "answered" in said else None
    forms, at = (out, 2) if answered is None else (back, answered + 2)
    if len(said) == at:
        yield from ((name, summary(form)) for name, form in forms.items())
        return
    if len(said) > at and said[at] in forms:
        form = forms[said[at]]
        yield from ((field, kind_of(form, field)[0]) for field in form.__struct_fields__ if field not in said[at:])
    yield from ((word, "") for word in ("answered", "by", "within"))


PARTED: dict[str, Callable[[list[str], Setup], Iterator[Fit]]] = {
    "work": _of_work, "fault": _of_fault, "send": _of_send,
}  # fmt: skip
"""Steps whose later words follow from those before them."""
