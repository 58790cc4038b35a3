"""What the sheet of the Checks screen says: a check, what it asks for, what came, and how its pictures are read."""

from __future__ import annotations

from collections.abc import Mapping

from cavet.benchfile import CheckSettings
from cavet.drawings.canvas import CORAL, GOT, HEATHER, PAPER, QUIET, Ink
from cavet.drawings.square import MARKS
from cavet.units import show_duration
from cavet.wording import counted, plain
from cavet.workbench.checks import views
from cavet.workbench.checks.checking import Checking
from cavet.workbench.drawing.checks import RUNS
from cavet.workbench.drawing.sheet import Line, Sheet

NAME = 14
OF_SQUARE = {
    "right": "the output has moved its part, and nothing else",
    "missing": "its part should have moved, and has not",
    "wrong": "this part has moved, though the output does not name it",
    "unseen": "its part can't be seen: what is read back agrees",
    "neither": "it can't move alone, or nothing hangs on it: that is no failure",
}
OF_RUNS = {
    "held": "a run that held",
    "failed": "one that did not; then it is made small: without the faults and defects that it fails without, too",
    "waiting": "one that is still to come",
}


def check_sheet(checking: Checking, check: CheckSettings) -> Sheet:
    """A check from end to end."""
    lines: list[Line] = [[(_does(check), PAPER)], []]
    if views.has_real_boards(checking.setup):
        lines.insert(
            1, [("It is run on boards that are simulated from the file, not on those that are real here.", PAPER)]
        )
    lines += [[(f"{name:{NAME}}", QUIET), (plain(value), PAPER)] for name, value in _asks(check)]
    shown = next(view for view in views.check_views(checking, -1) if view.name == check.name)
    came = shown.came or {"held": "it holds", "runs": "being run"}.get(shown.state, "")
    inks = {"held": GOT, "failed": CORAL}
    told = f"{came}{f', {shown.t} of bench time' if shown.t else ''}"
    lines.append([(f"{'last':{NAME}}", QUIET), (told, inks.get(shown.state, HEATHER))])
    if check.walk:
        lines += _key("the square: outputs go down, and their parts across", MARKS, OF_SQUARE)
    if check.acts and not check.program:
        lines += _key("a campaign: a mark a run", RUNS, OF_RUNS)
    return Sheet(f"{check.name}   {views.what_of(check)}", lines)


def _key(title: str, marks: Mapping[str, tuple[str, Ink]], words: dict[str, str]) -> list[Line]:
    """What marks mean."""
    return [[], [(title, HEATHER)], *([marks[mark], (f" {told}", QUIET)] for mark, told in words.items())]


def _does(check: CheckSettings) -> str:
    """What is done, and what must come of it."""
    if check.walk:
        return "Each output alone is sent to its far end and back; its part must move, and no other one."
    if check.routine:
        return "The routine is run on boards of its own, in fast time; it must end done."
    if check.program:
        return (
            "Your program drives the simulated boards, in real time; what is expected must come. It runs at your word."
        )
    if check.rest is not None:
        return "Outputs are set, then the link is cut, or the program ends; every output must go to rest in time."
    return "Nothing is done: the records of the other checks must show it."


def _asks(check: CheckSettings) -> list[tuple[str, str]]:
    """What its keys say, but for those that are left out."""
    asks = [
        ("outputs", ", ".join(check.outputs)),
        ("routine", check.routine),
        ("tunes", ", ".join(f"{name} = {value}" for name, value in check.tunes.items())),
        ("program", " ".join(check.program)),
        ("expects", "; ".join(check.expect)),
        ("never", "; ".join(check.never)),
        ("ends with", "" if check.ends is None else f"exit code {check.ends}"),
        ("at most", "" if check.within is None else show_duration(check.within)),
        ("never told twice", check.no_redundant),
        ("never refuses", check.no_refusal),
        ("defects", "; ".join(" and ".join(each) or views.AS_IT_IS for each in check.defects)),
        ("seeds", counted(check.seeds, "seed") if check.seeds > 1 else ""),
        ("faults", f"{counted(check.faults, 'fault')} in each run, at drawn times" if check.faults else ""),
    ]
    if check.rest is not None:
        after = f"{check.rest.breaks} is cut" if check.rest.breaks else "the program has ended"
        asks += [
            ("sets", ", ".join(f"{point} = {value}" for point, value in check.rest.set)),
            ("at rest", f"within {show_duration(check.rest.within)}, after {after}"),
        ]
    if check.delays is not None:
        delays = check.delays
        share = f", {100 * delays.share:g} % of the commands" if delays.share < 1 else ""
        asks.append(("in time", f"{delays.begin} to {delays.end} within {show_duration(delays.at_most)}{share}"))
    return [(name, value) for name, value in asks if value]
