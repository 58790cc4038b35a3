"""From checks that were run to what the Checks screen shows."""

from __future__ import annotations

from itertools import groupby

import msgspec

from cavet.benchfile import CheckSettings, Setup
from cavet.checks import Case, Done, Hosted, squares_of
from cavet.drawings.square import BoardRow
from cavet.units import show_duration
from cavet.wording import counted, plain
from cavet.workbench.checks.checking import Checking
from cavet.workbench.checks.running import Hosting, Run

AS_IT_IS = "as it is"
MOST_STEPS = 9
MOST_SAID = 160
MOST_MARKS = 40
"""Of so many marks a strip is at most."""


class WalkView(msgspec.Struct, frozen=True):
    """The walk: by boards; the one whose square is shown, the row under the cursor."""

    title: str
    boards: tuple[BoardRow, ...]
    board: int = 0
    row: int = 0
    note: str = ""


class StripView(msgspec.Struct, frozen=True):
    """The runs of one set of defects: `marks` are `held`, `failed`, `waiting`, one for each so many runs; how many
    held; the longest, in words."""

    title: str
    tells: str
    marks: tuple[str, ...]
    held: str
    t: str
    chosen: int | None = None


class CampaignView(msgspec.Struct, frozen=True):
    """A campaign: what it is of, its strips, how far it is, and the failing run under the cursor."""

    title: str
    strips: tuple[StripView, ...] = ()
    progress: tuple[int, int] = (0, 0)
    told: str = ""
    failing: str = ""
    lines: tuple[tuple[str, str], ...] = ()
    why: str = ""
    problem: str = ""


class CheckView(msgspec.Struct, frozen=True):
    """A check in the list: `held`, `failed`, `runs`, or `new`; what it is; how long; what came."""

    name: str
    what: str
    state: str
    t: str
    came: str
    is_chosen: bool = False


def check_views(checking: Checking, chosen: int) -> tuple[CheckView, ...]:
    """The list of checks."""
    return tuple(_check(checking, check, place == chosen) for place, check in enumerate(checking.checks))


def what_of(check: CheckSettings) -> str:
    """What a check does, in a few words."""
    if check.walk:
        return "the walk is a diagonal" if not check.outputs else f"the walk of {counted(len(check.outputs), 'output')}"
    if check.routine:
        return f"routine {check.routine.partition('#')[2]} ends done"
    if check.program:
        return plain(f"your program: {' '.join(check.program)}", 60)
    if check.rest is not None:
        return f"all at rest {show_duration(check.rest.within)} after {check.rest.breaks or 'the program'} is cut"
    names = {"no redundant message to": check.no_redundant, "no refusal of": check.no_refusal}
    shown = [f"{words} {board}" for words, board in names.items() if board]
    if check.delays is not None:
        shown.append(f"{check.delays.begin} to {check.delays.end} within {show_duration(check.delays.at_most)}")
    return ", ".join(shown)


def _check(checking: Checking, check: CheckSettings, chosen: bool) -> CheckView:
    going = checking.last(check.name)
    if going is None:
        return CheckView(check.name, what_of(check), "new", "", "not run since the bench was opened", chosen)
    if not check.acts:
        return _shown(check, going, chosen)
    done = going.of(check.name)
    wanted = sum(order.case.check == check.name for order in list(going.orders))
    failed = [each for each in done if not each.came.held]
    t = show_duration(sum(each.came.t for each in done)) if done else ""
    if going.problem:
        return CheckView(check.name, what_of(check), "failed", t, plain(going.problem), chosen)
    if len(done) < wanted or (not wanted and not going.is_over):
        state = "stopped" if going.is_over else "runs"
        return CheckView(check.name, what_of(check), state, t, f"{len(done)} of {wanted or '…'} runs", chosen)
    if failed:
        more = f"{len(failed)} of {wanted} runs: " if wanted > 1 else ""
        return CheckView(check.name, what_of(check), "failed", t, plain(f"{more}{failed[0].came.why}"), chosen)
    return CheckView(check.name, what_of(check), "held", t, f"{wanted} runs" if wanted > 1 else "", chosen)


def _shown(check: CheckSettings, going: Run, chosen: bool) -> CheckView:
    """One that looks at the records of others."""
    looked_at = [each.came.shown[check.name] for each in list(going.done) if check.name in each.came.shown]
    problems = [problem for problem in looked_at if problem]
    if problems:
        return CheckView(check.name, what_of(check), "failed", "", plain(problems[0]), chosen)
    state = "runs" if not going.is_over else "held" if looked_at else "new"
    came = f"in {counted(len(looked_at), 'record')}" if looked_at or state == "runs" else "no record could show it"
    return CheckView(check.name, what_of(check), state, "", came, chosen)


# the walk


def has_real_boards(setup: Setup) -> bool:
    """Whether hosts of a bench drive boards that are real: what is checked on boards of its own is not of those."""
    return any(not setup.links[host.link].simulated for host in setup.hosts.values())


def walk_view(checking: Checking, going: Run | None, check: str, board: int, row: int) -> WalkView:
    """What was walked last, by boards."""
    walked, t = going.walked(check) if going is not None else ((), 0.0)
    setup = checking.setup
    outputs = [point for point in setup.points.values() if point.kind.is_output]
    is_here = going is not None and going.is_live
    name = f"the walk{' here' if is_here else ', simulated' if has_real_boards(setup) else ''}"
    if not walked:
        note = "being walked" if going is not None and not going.is_over else "not walked yet: w walks all outputs"
        if not outputs:
            return WalkView("the walk", (), note="this bench has no outputs to walk: its host asks for none")
        return WalkView(f"{name}  {counted(len(outputs), 'output')}, each alone: what moved?", (), note=note)
    boards = squares_of(setup, walked)
    wrong = sum(each.held is False for each in walked)
    unjudged = sum(each.held is None for each in walked)
    words = "each moves what it names, and nothing else"
    if unjudged:
        moving = len(walked) - unjudged
        words = f"{moving} {'is as it' if moving == 1 else 'are as they'} should be, {unjudged} not judged"
    if wrong:
        words = f"{wrong} of {len(walked)} {'is not as it' if wrong == 1 else 'are not as they'} should be"
    size = counted(len(walked), "output") if len(walked) == len(outputs) else f"{len(walked)} of {len(outputs)} outputs"
    title = f"{name}  {size}, {show_duration(t)} of bench time: {words}"
    board = min(board, len(boards) - 1)
    return WalkView(title, boards, board, min(row, len(boards[board].rows) - 1))


# campaigns


def campaign_view(checking: Checking, going: Run | None, check: str, failing: int) -> CampaignView:
    """The runs of a check under its sets of defects."""
    if going is None:
        return CampaignView("campaign", told="c: this check under many seeds, defects and faults")
    if isinstance(going, Hosting) and not going.is_over and len(going.orders) < 2:
        return _hosting_view(check, going)
    cases = [order.case for order in list(going.orders) if order.case.check == check]
    done = going.of(check)
    if len(cases) < 2:
        return _alone(check, done, going)
    fails = [place for place, each in enumerate(done) if not each.came.held]
    chosen = fails[min(failing, len(fails) - 1)] if fails else None
    strips, at = [], 0
    for defects, group in groupby(cases, key=lambda case: case.defects):
        size = len(list(group))
        strips.append(_strip(checking, defects, done[at : at + size], size, None if chosen is None else chosen - at))
        at += size
    faults = max(len(case.faults) for case in cases)
    sets = len(strips)
    title = f"campaign  {check}, {counted(sets, 'set')} of defects, {counted(len(cases) // sets, 'seed')}"
    title += f", {counted(faults, 'fault')}" if faults else ""
    bench_time = sum(each.came.t for each in done)
    told = f"{len(done)} of {len(cases)} runs, {show_duration(bench_time)} of bench time"
    told += " · stopped" if going.is_stopped and len(done) < len(cases) else ""
    bunch = -(-len(cases) // sets // MOST_MARKS)
    told += f" · each mark {bunch} runs" if bunch > 1 else ""
    view = CampaignView(title, tuple(strips), (len(done), len(cases)), told, problem=plain(going.problem))
    return view if chosen is None else _with_failing(view, done[chosen], fails.index(chosen), len(fails))


def _hosting_view(check: str, going: Hosting) -> CampaignView:
    """A program of one's own at work: what it has to bring about, and what it says."""
    hosted = going.hosted
    if hosted is None:
        return CampaignView(f"{check}  your program, about to be started", problem=plain(going.problem))
    missing = hosted.missing
    (setup,) = going.checks
    taken, refused = hosted.did()
    lines = [("◇ not yet" if words in missing else "◆ came", words) for words in setup.expect]
    lines += _never(hosted, setup)
    lines.append(("the boards", f"took {counted(taken, 'message')}, refused {refused}"))
    lines += [("says", plain(line, MOST_SAID)) for line in hosted.said.splitlines()[-(MOST_STEPS - len(lines)) :]]
    t = show_duration(hosted.bench.clock.now()) if hosted.bench is not None else ""
    return CampaignView(
        f"{check}  your program, for {t}", told=plain(" ".join(setup.program), MOST_SAID), failing="what it has to do",
        lines=tuple(lines),
    )  # fmt: skip


def _hosted_view(check: str, done: list[Done], going: Hosting) -> CampaignView:
    """A program of one's own that has ended: whether it has done what it has to, what came of what it said, what it has
    written."""
    once = "run once" if done else "stopped" if going.is_stopped else "not run"
    view = CampaignView(f"{check}  your program, {once}", told="⏎ runs it again", problem=plain(going.problem))
    if not done or going.hosted is None:
        return view
    came = done[0].came
    (setup,) = going.checks
    missing = going.hosted.missing
    lines = [("◇ not come" if words in missing else "◆ came", words) for words in setup.expect]
    lines += _never(going.hosted, setup)
    lines += [_timed(line) for line in came.trail.splitlines()]
    lines += [("says", plain(line, MOST_SAID)) for line in came.output.splitlines()[-MOST_STEPS:]]
    return msgspec.structs.replace(
        view, told=view.told if came.held else f"o: the run as it was   {view.told}", failing="what came of it",
        lines=tuple(lines), why=plain(came.why),
    )  # fmt: skip


def _never(hosted: Hosted, check: CheckSettings) -> list[tuple[str, str]]:
    """What must not come, and whether it has."""
    return [("✕ came" if words in hosted.wrong else "◆ never", words) for words in check.never]


def _timed(line: str) -> tuple[str, str]:
    """A line of what came of something: when, and what."""
    when, _, what = line.strip().partition("  ")
    return (when, what) if what else (line.strip(), "")


def _alone(check: str, done: list[Done], going: Run) -> CampaignView:
    """A check that was run once."""
    if isinstance(going, Hosting):
        return _hosted_view(check, done, going)
    view = CampaignView(
        f"{check}  run once", told="c: this check under many seeds, defects and faults", problem=going.problem
    )
    if not done or done[0].came.held:
        return view
    trail = [(line.strip(), "") for line in done[0].came.trail.splitlines()[:MOST_STEPS]]
    return msgspec.structs.replace(view, failing="what broke", lines=tuple(trail), why=plain(done[0].came.why))


def _strip(checking: Checking, defects: tuple[str, ...], done: list[Done], size: int, chosen: int | None) -> StripView:
    bunch = -(-size // MOST_MARKS)
    marks = [_mark(done[first : first + bunch], min(bunch, size - first)) for first in range(0, size, bunch)]
    held = sum(each.came.held for each in done)
    tells = ", ".join(checking.setup.defects[name].tells for name in defects if name in checking.setup.defects)
    longest = max((each.came.t for each in done), default=0.0)
    here = chosen // bunch if chosen is not None and 0 <= chosen < size else None
    return StripView(
        "+".join(defects) or AS_IT_IS, plain(tells), tuple(marks),
        f"{held} of {len(done)}" if done else "", show_duration(longest) if done else "", here,
    )  # fmt: skip


def _mark(done: list[Done], size: int) -> str:
    if any(not each.came.held for each in done):
        return "failed"
    return "held" if len(done) == size else "waiting"


def _with_failing(view: CampaignView, done: Done, place: int, count: int) -> CampaignView:
    case = done.came.case
    small = small_case(done)
    name = f"{'+'.join(case.defects) or AS_IT_IS}, seed {case.seed}"
    lines = [("defect", defect) for defect in small.defects]
    lines += [(f"{fault.t:.3f} s", fault.step) for fault in small.faults]
    if not lines:
        lines = [("nothing", "it fails by itself")]
    why = done.small.why if done.small is not None else done.came.why
    return msgspec.structs.replace(
        view, failing=f"{name}   the smallest run that fails, {place + 1} of {count}", lines=tuple(lines[:MOST_STEPS]),
        why=plain(why),
    )  # fmt: skip


def failing_runs(going: Run | None, check: str) -> list[Done]:
    """The runs of a check that did not hold."""
    return [] if going is None else [done for done in going.of(check) if not done.came.held]


def run_to_look_at(going: Run | None, check: CheckSettings, failing: int) -> Done | None:
    """A failing run by its place; of a walk that is all well the last one; of a check that looks at records the first
    run whose record has failed it."""
    if going is None:
        return None
    if not check.acts:
        return next((done for done in list(going.done) if done.came.shown.get(check.name)), None)
    fails = failing_runs(going, check.name)
    if fails:
        return fails[min(failing, len(fails) - 1)]
    return next(reversed(going.of(check.name)), None) if check.walk else None


def small_case(done: Done) -> Case:
    """The case that is looked at: the smallest that still fails."""
    return done.small.case if done.small is not None else done.came.case
