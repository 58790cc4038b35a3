"""What the record of a run must show: nothing told twice, nothing refused, no command slower than it may be."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from cavet.benchfile import CheckSettings, DelaysCheck, Setup
from cavet.library.past import past_trails
from cavet.library.trails import Trail
from cavet.record import Event, Kind, Topic
from cavet.units import show_duration
from cavet.wording import counted, plain

MOST_TOLD = 120


def problem_in(events: Sequence[Event], setup: Setup, check: CheckSettings) -> str:
    """What the record shows that it must not, in words; "" where it is as it should be."""
    found = [
        refused(events, _names(setup, check.no_refusal)) if check.no_refusal else "",
        redundant(events, _boards(setup, check.no_redundant)) if check.no_redundant else "",
        too_slow(events, setup, check.delays) if check.delays is not None else "",
    ]
    return "; ".join(words for words in found if words)


def _names(setup: Setup, board: str) -> set[str]:
    """A board by its own name, and by what its hosts call it."""
    hosts = {host for host, each in setup.hosts.items() if setup.links[each.link].board == board}
    return {board, *hosts} | _boards(setup, board)


def _boards(setup: Setup, name: str) -> set[str]:
    """The board that a name means: its own, or its host's."""
    host = setup.hosts.get(name)
    return {name} if host is None else {name, setup.links[host.link].board}


def refused(events: Iterable[Event], names: set[str]) -> str:
    """The first thing that a board has refused, and how many there were."""
    found = [event for event in events if event.kind is Kind.REFUSED and event.board in names]
    if not found:
        return ""
    first = found[0]
    return f"{first.board} refused {_count(len(found))}, first at {first.t:.3f} s: {_words(first)}"


def redundant(events: Iterable[Event], boards: set[str]) -> str:
    """The first message that told a board what it did already, and how many did: all pins that it drove stood so
    before, by another command. The same command sent again, since nobody had answered, is no other one."""
    roots: dict[int, int] = {}
    stood: dict[tuple[str, str], tuple[object, str, int]] = {}
    driven: dict[int, list[bool]] = {}
    taken: dict[int, Event] = {}
    for event in events:
        cause = event.cause
        root = roots[event.number] = event.number if cause is None else roots.get(cause, cause)
        if event.kind is Kind.TAKEN and event.board in boards:
            taken[event.number] = event
        elif event.kind is Kind.DRIVEN and event.topic is Topic.PIN and event.note != "mode":
            key, now = (event.board, event.subject), (event.value, event.note)
            before = stood.get(key)
            if cause in taken:
                driven.setdefault(cause, []).append(before is not None and before[:2] == now and before[2] != root)
            stood[key] = (*now, root)
    twice = [taken[number] for number, same in driven.items() if all(same)]
    if not twice:
        return ""
    first = twice[0]
    words = f"{first.board} was told {_count(len(twice))} what it did already"
    return f"{words}, first at {first.t:.3f} s: {_words(first)}"


def too_slow(events: Iterable[Event], setup: Setup, wanted: DelaysCheck) -> str:
    """Which share of the commands took longer than they may, and the slowest."""
    found = []
    for trail in past_trails(events, setup):
        times = {stage.stage: stage.t for stage in trail.stages}
        if wanted.begin in times and wanted.end in times:
            found.append((times[wanted.end] - times[wanted.begin], _name_of(trail), trail.stages[0].t))
    if not found:
        return f"no command went from {wanted.begin} to {wanted.end}"
    good = sum(took <= wanted.at_most for took, *_ in found)
    if good >= wanted.share * len(found):
        return ""
    took, name, t = max(found)
    return (
        f"{good} of {len(found)} commands went from {wanted.begin} to {wanted.end} within "
        f"{show_duration(wanted.at_most)}; {name} at {t:.3f} s took {show_duration(took)}"
    )


def _name_of(trail: Trail) -> str:
    return f"{trail.board}.{trail.point}" if trail.is_command else plain(trail.what, MOST_TOLD)


def _count(count: int) -> str:
    return "once" if count == 1 else f"{count} times"


def _words(event: Event) -> str:
    said, what = event.value, event.subject
    if event.topic is Topic.BYTES and isinstance(said, bytes):
        what = f"{counted(len(said), 'byte')}:"
    return plain(f"{what} {event.note}".strip(), MOST_TOLD)
