"""What the sheet of the Record screen says: a lane, and how it is read."""

from __future__ import annotations

from cavet.drawings.canvas import HEATHER, PAPER, QUIET
from cavet.drawings.lanes import INKS, full_name, shown, span_of, stood_at
from cavet.lanes import ASKED, CURVE, LEVEL, LINK, PARTS, PINS, RIG, SENSED, Lane, told_between
from cavet.units import show_duration
from cavet.wording import from_to, plain
from cavet.workbench.drawing.sheet import Line, Sheet
from cavet.workbench.record.looking import Looking

ABOUT = {
    ASKED: "what the host wished: each ◇ is a wish, at the time at which it was made",
    LINK: "what passed on the link, both ways: the higher, the more in that time; brass where a wish was carried",
    PINS: "what the board drove the pin to, or which level the pin had",
    PARTS: "how the part stood, truly; in brass ╌ where it was asked to be and was not yet",
    RIG: "a quantity of the world around the boards, as it truly was",
    SENSED: "what the part gave to its pin, whatever the host made of that",
}
"""What a lane shows, by its group."""
MEANS = {
    "pieces": "how often something was said, by host or board",
    "of the wire": "the share of the time in which the wire was taken",
    "rises": "how often it went high",
    "high": "the share of the time in which it was high",
    "period": "from one rise to the next, in the mean",
    "frequency": "rises in a second, in the mean",
    "wishes": "how many were made",
    "from": "where it stood at the beginning",
    "to": "where it stood at the end",
    "least": "the least in between",
    "greatest": "the greatest in between",
    "slope": "from beginning to end, in a second",
}
"""What is told of a stretch of time, in words."""
NAME, VALUE = 14, 16


def lane_sheet(looking: Looking) -> Sheet:
    """The lane under the cursor: what it shows, how it is drawn, what lies in the stretch that is measured."""
    lane = looking.chosen
    if lane is None:
        return Sheet("the record", [[("no lane yet: nothing has happened", QUIET)]])
    ink = INKS[lane.group]
    lines: list[Line] = [[(ABOUT[lane.group], PAPER)], []]
    lines += [[(f"{name:{NAME}}", QUIET), (value, ink)] for name, value in _facts(looking, lane)]
    begin, end = looking.stretch
    told = told_between(lane, begin, end)
    if told:
        stretch = {0: "in what is seen", 1: "from A to the cursor", 2: "from A to B"}[len(looking.marks)]
        lines += [[], [(f"{stretch}, {from_to(begin, end, 6)} s", HEATHER)]]
        for name, value, unit in told:
            lines.append([
                (f"{name:{NAME}}", QUIET), (f"{shown(name, value, unit):{VALUE}}", PAPER), (MEANS[name], QUIET),
            ])  # fmt: skip
    return Sheet(f"{plain(full_name(lane))}   {lane.group}", lines)


def _facts(looking: Looking, lane: Lane) -> list[tuple[str, str]]:
    """How it is drawn, how it stands at the cursor, and when it changes."""
    t = looking.t
    facts = [("at the cursor", f"{plain(_stood(lane, t))}, at {t:.6f} s")] if _stood(lane, t) else []
    if lane.kind == CURVE:
        low, high = span_of(lane)
        facts.append(("drawn", f"from {shown('', low, lane.unit)} to {shown('', high, lane.unit)}"))
    return facts + [(name, _when(lane, t, step)) for name, step in (("change before", -1), ("next change", 1))]


def _stood(lane: Lane, t: float) -> str:
    if lane.kind != LEVEL:
        return stood_at(lane, t)
    level = lane.course.at(t)
    return "" if level is None else "high" if level else "low"


def _when(lane: Lane, t: float, step: int) -> str:
    found = lane.next(t, step)
    if found is None:
        return "none"
    return f"at {found:.6f} s, {show_duration(abs(found - t))} {'later' if step > 0 else 'before'}"
