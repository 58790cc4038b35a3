"""What a program has done, as the boards saw it: whoever reads that what was expected did not come looks for that
next."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence

from cavet.bench import BROKER, PastTrails
from cavet.benchfile import Setup
from cavet.boards import driven_words
from cavet.library.trails import Trail
from cavet.record import Event, Kind, Reason, Topic
from cavet.record import Trail as Followed
from cavet.wording import as_written, counted, nearest, plain

MOST_TOLD, MOST_SHOWN, MOST_PARTS = 8, 120, 3
NAME = re.compile(r"[A-Za-z_]\w*")


def deeds(events: Sequence[Event], setup: Setup, conditions: Iterable[str]) -> str:
    """What came of each thing that a program has said, a line each, and to which of the boards that the conditions are
    about it has said nothing. What has changed nothing is left out where there is too much."""
    meant = [board for words in conditions for board in _boards_in(words, setup)]
    silent = [board for board in dict.fromkeys(meant) if not _was_spoken_to(events, board, setup)]
    said = [*_said(events, setup), *_remarks(events)]
    told = [line for line, has_effect in said if has_effect or len(said) <= MOST_TOLD]
    lines = [*told[-MOST_TOLD:], *(f"nothing was said to {board}" for board in silent)]
    left = len(said) - min(len(told), MOST_TOLD)
    head = "what came of what it said" + (f", but for {left} more:" if left else ":")
    return "\n".join([head, *(f"  {line}" for line in lines)])


def _boards_in(words: str, setup: Setup) -> Iterator[str]:
    """The boards that a condition is about: by their own names, or by those of points."""
    for name in NAME.findall(words):
        if name in setup.boards:
            yield name
        elif name in setup.points:
            yield setup.board_of(setup.points[name].board)


def _was_spoken_to(events: Iterable[Event], board: str, setup: Setup) -> bool:
    """Whether anything was said to a board; of one behind a broker, to that."""
    is_by_broker = any(link.broker and link.board == board for link in setup.links.values())
    places = (board, BROKER) if is_by_broker else (board,)
    return any(event.kind is Kind.CARRIED and event.board in places for event in events)


def _said(events: Sequence[Event], setup: Setup) -> list[tuple[str, bool]]:
    """What was said, and what came of it, the same again in one line; and whether it had any effect."""
    found: dict[tuple[str, bool], list[float]] = {}
    beside = _remarks_by_root(events)
    topics = [topic for board in setup.boards.values() for topic in board.device.listens_to]
    read = PastTrails(setup).read(events)
    deaf = _Deaf()
    for followed in read.all:
        if not followed.is_of_a_point:
            trail = Trail(followed, read.diagnose(followed), None)
            if deaf.takes(trail, followed):
                continue
            came, has_effect = _came_of(trail, followed)
            if followed.passed is not None and not followed.passed.value:
                near = nearest(followed.passed.subject, topics)
                came += f"; did you mean {near}?" if near is not None else ""
            if remark := beside.get(followed.number):
                came, has_effect = f"{came}, and {remark}", True
            found.setdefault((f"{_what(trail, followed)}: {came}", has_effect), []).append(followed.root.t)
    lines = [(times[0], _line(times, words), has_effect) for (words, has_effect), times in found.items()]
    lines += [(times[0], _line(times[:1], words), True) for words, times in deaf.told()]
    return [(line, has_effect) for _, line, has_effect in sorted(lines, key=lambda line: line[0])]


class _Deaf:
    """What boards were deaf for: it comes in the line's slices, and is told in one."""

    def __init__(self) -> None:
        self._bytes: dict[tuple[str, str, str], bytearray] = {}
        self._times: dict[tuple[str, str, str], list[float]] = {}

    def takes(self, trail: Trail, followed: Followed) -> bool:
        """Take up a trail, if it is one of that."""
        stopped = followed.stopped
        if stopped is None or stopped.reason is not Reason.NOT_HEARD or not isinstance(stopped.value, bytes):
            return False
        key = (trail.board, stopped.note.partition(" not heard")[2], trail.mend)
        self._bytes.setdefault(key, bytearray()).extend(stopped.value)
        self._times.setdefault(key, []).append(followed.root.t)
        return True

    def told(self) -> Iterator[tuple[str, list[float]]]:
        """What was said while they were deaf, in words, and when."""
        for key, data in self._bytes.items():
            board, why, mend = key
            what = plain(f"{board} {as_written(bytes(data))}", MOST_SHOWN)
            yield f"{what}: {counted(len(data), 'byte')} not heard{why} → {mend}", self._times[key]


def _line(times: list[float], words: str) -> str:
    again = f"  ({len(times)} times)" if len(times) > 1 else ""
    return f"{times[0]:.3f} s  {plain(words)}{again}"


def _what(trail: Trail, followed: Followed) -> str:
    """The board and the message, with its fields; bytes that are none as they are."""
    taken = followed.reached(Kind.TAKEN)
    if followed.passed is not None:
        words = followed.passed.subject
    elif taken is not None and taken.topic is Topic.MESSAGE:
        words = f"{taken.subject} ({taken.note})" if taken.note else taken.subject
    else:
        words = trail.shown
    return plain(f"{trail.board} {words}", MOST_SHOWN)


def _came_of(trail: Trail, followed: Followed) -> tuple[str, bool]:
    """What came of a message, in words, and whether that is any effect."""
    if trail.broken_at is not None:
        return f"stopped before {trail.broken_at}: {trail.why}" + (f" → {trail.mend}" if trail.mend else ""), True
    if followed.passed is not None and Kind.TAKEN not in followed.steps:
        return trail.why or "passed on", True
    steps = followed.steps
    driven, moved = (steps[kind].events if kind in steps else [] for kind in (Kind.DRIVEN, Kind.MOVED))
    if moved:
        return "; ".join(f"{each.board}.{each.subject} {each.note}" for each in moved[-MOST_PARTS:]), True
    if driven:
        works = any(each.topic is Topic.PIN and each.note != "mode" for each in driven)
        return "; ".join(map(_driven, driven[-MOST_PARTS:])) + ("; no part moves by it" if works else ""), works
    return "answered" if followed.answered is not None else "taken", False


def _driven(event: Event) -> str:
    if event.topic is Topic.PIN:
        return f"pin {event.subject} {driven_words(event.note, event.value)}"
    return event.note or f"{event.subject} {as_written(event.value) if isinstance(event.value, bytes) else event.value}"


def _remarks_by_root(events: Iterable[Event]) -> dict[int, str]:
    """The last remark on what followed from an event that began something, by its number."""
    roots: dict[int, int] = {}
    found = {}
    for event in events:
        if event.cause is not None:
            root = roots[event.number] = roots.get(event.cause, event.cause)
            if event.kind is Kind.REMARK:
                found[root] = event.note
    return found


def _remarks(events: Iterable[Event]) -> Iterator[tuple[str, bool]]:
    """What a broker has against a client, and a board against bytes that are no message at all."""
    for event in events:
        is_refused = event.kind is Kind.REFUSED and event.cause is None
        if is_refused or (event.kind is Kind.REMARK and event.topic is Topic.CLIENT):
            words = f"{event.board} refuses it: {event.note}" if is_refused else event.note
            yield f"{event.t:.3f} s  {plain(words, MOST_SHOWN)}", True
