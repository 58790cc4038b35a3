"""From a text and its run to what the Routines screen shows."""

from __future__ import annotations

import math
from typing import Any

import msgspec

from cavet.routines import CheckedRoutine
from cavet.units import decimals_of, show, show_duration
from cavet.wording import plain
from cavet.workbench.routines.work import Run, Work

MOST_LANES = 4
MOST_RUNS = 4
LEFT, RUNS, DONE, FAILED = "left", "runs", "done", "failed"


class MarginRow(msgspec.Struct, frozen=True):
    """A line of the text in the margin: its number, when it began, how long it took, how it ended."""

    number: int
    began: str = ""
    took: str = ""
    how: str = ""


class MarginView(msgspec.Struct, frozen=True):
    """The margin beside the lines that are seen."""

    rows: tuple[MarginRow, ...]
    wrong: tuple[int, ...]
    """The lines with a mistake."""


def margin_view(work: Work, first: int, height: int) -> MarginView:
    """The margin from a line on."""
    count = work.text.count("\n") + 1
    states = work.run.states if work.run is not None else {}
    rows = []
    for number in range(first + 1, min(count, first + height) + 1):
        state = states.get(number)
        if state is None:
            rows.append(MarginRow(number))
        else:
            took = show_duration(state.took) if state.took is not None else ""
            rows.append(MarginRow(number, f"{state.began:.3f}", took, state.result or RUNS))
    return MarginView(tuple(rows), tuple(sorted({line_of(str(each.place)) for each in work.mistakes})))


def line_of(place: str) -> int:
    """The line in a mistake's place, FILE:LINE:COLUMN."""
    parts = place.rsplit(":", 2)
    return int(parts[1]) if len(parts) == 3 and parts[1].isdigit() else 0


class HeadView(msgspec.Struct, frozen=True):
    """The line over the text: routine, file, how the run goes."""

    routine: str
    others: tuple[str, ...]
    file: str
    is_saved: bool
    state: str
    words: str


def head_view(work: Work, name: str, now: float) -> HeadView:
    """What is being worked on, and whether it runs."""
    known = tuple(work.program.routines) if work.program is not None else ()
    run = work.run
    state, words = "", ""
    if run is not None and run.end is None:
        held = run.runner.is_held
        state, words = (
            ("held" if held else "runs"),
            f"{run.routine} {'held' if held else 'runs'}, {now - run.began:.1f} s",
        )
    elif run is not None and run.end is not None:
        state, words = run.end["result"], f"{run.routine} {run.end['result']}"
    return HeadView(name, tuple(each for each in known if each != name), work.path.name, work.is_saved, state, words)


def words_of(work: Work, name: str, line: int) -> str:
    """A routine in the list of them: where it is, what it has, how it ended last."""
    words = [f"line {line}"]
    routine = work.program.routines.get(name) if work.program is not None else None
    if routine is not None:
        words += [
            f"{what}: {len(each)}" for each, what in
            ((routine.tunes, "tunes"), (routine.tracks, "alongside"), (routine.whens, "when")) if each
        ]  # fmt: skip
    past = next((past for past in work.before if past.routine == name), None)
    if past is not None:
        words.append(f"{past.result} after {show_duration(past.took)}")
    return " · ".join(words)


class Entry(msgspec.Struct, frozen=True):
    """Something in a lane: its sign, and its words."""

    how: str
    words: str


class TrackRow(msgspec.Struct, frozen=True):
    """A moment: the time, and what begins then in a lane."""

    t: str
    lane: int
    entry: Entry


class Lane(msgspec.Struct, frozen=True):
    """A track: its name, where it is, what it waits for."""

    name: str
    at: str = ""
    waits: tuple[str, ...] = ()


class TracksView(msgspec.Struct, frozen=True):
    """The lanes of a run: their names, what each is at now, and what has happened, the latest last."""

    lanes: tuple[Lane, ...]
    rows: tuple[TrackRow, ...]
    now: str


def tracks_view(work: Work, height: int, now: float) -> TracksView:
    """The run, flowing down in time."""
    run = work.run
    if run is None:
        return TracksView((), (), "")
    text = work.text.split("\n")
    steps = [line for line in list(run.lines) if line["event"] == "begun"]
    names = list(dict.fromkeys([run.routine, *(line["track"] for line in steps)]))[:MOST_LANES]
    lanes = tuple(_lane(work, run, name, now) for name in names)
    rows = [
        TrackRow(f"{line['t'] - run.began:.2f}", names.index(line["track"]), Entry(*_said_of(run, line, text)))
        for line in steps[-4 * height :]
        if line["track"] in names and _is_shown(_text_of(text, line["line"]))
    ]
    return TracksView(lanes, tuple(rows), f"{now - run.began:.1f} s" if run.end is None else "")


def _text_of(text: list[str], line: int) -> str:
    return text[line - 1].strip() if 0 < line <= len(text) else ""


def _is_shown(text: str) -> bool:
    """Steps that only hold others are not drawn: what is in them is."""
    return not text.startswith(("repeat", "every", "while", "for ", "if ", "otherwise", "do "))


def _said_of(run: Run, line: dict[str, object], text: list[str]) -> tuple[str, str]:
    state = run.states.get(int(str(line["line"])))
    how = state.result or RUNS if state is not None else DONE
    return how, plain(_text_of(text, int(str(line["line"]))).split("  #")[0])


def _lane(work: Work, run: Run, track: str, now: float) -> Lane:
    """A track with what it is at, for how long already, and what it waits for."""
    if run.end is not None:
        return Lane(track)
    under_way = run.at.get(track, [])
    if not under_way:
        return Lane(track, "listens" if track.startswith("when") else "over")
    line, since = under_way[-1]
    waited = max(0.0, now - since)
    return Lane(track, f"line {line} for {show_duration(waited)}", work.waits_at(line, waited))


class TuneRow(msgspec.Struct, frozen=True):
    """A tune as a rail: where it stands, 0 to 1, `None` where it has no ends."""

    name: str
    share: float | None
    value: str
    ends: str


class LowerView(msgspec.Struct, frozen=True):
    """Below the text: tunes, mistakes, what fits; below the tracks: what was expected, the runs before."""

    tunes: tuple[TuneRow, ...]
    cursor: int
    mistakes: tuple[str, ...]
    fits: tuple[tuple[str, str], ...]


def _exact(value: float, unit: str) -> str:
    return show(value, unit, decimals_of(value))


def lower_view(
    work: Work, routine: CheckedRoutine | None, cursor: int, line: int, fits: list[tuple[str, str]]
) -> LowerView:
    """What stands below the text; the mistake of the cursor's line comes first."""
    tunes = []
    for name, tune in (routine.tunes if routine is not None else {}).items():
        value, unit = work.value_of(routine, name) if routine is not None else 0.0, tune.unit or ""
        bounded = math.isfinite(tune.low) and math.isfinite(tune.high) and tune.high != tune.low
        share = (value - tune.low) / (tune.high - tune.low) if bounded else None
        ends = f"{_exact(tune.low, unit)} to {_exact(tune.high, unit)}" if bounded else ""
        tunes.append(TuneRow(name, share, _exact(value, unit), ends))
    ordered = sorted(work.mistakes, key=lambda each: line_of(str(each.place)) != line)
    return LowerView(tuple(tunes), cursor, tuple(plain(str(each)) for each in ordered), tuple(fits))


class ToldView(msgspec.Struct, frozen=True):
    """What was expected in the last run and whether it held; what it said; the runs before."""

    expected: tuple[Entry, ...]
    said: tuple[str, ...]
    runs: tuple[Entry, ...]


def told_view(work: Work) -> ToldView:
    """What the last run told, and how those before it ended."""
    run = work.run
    lines = list(run.lines) if run is not None else []
    expected = [_expected(line) for line in lines if line["event"] == "expected"]
    said = [plain(str(line["text"])) for line in lines if line["event"] in ("said", "marked")]
    delays = [line for line in lines[-200:] if line["event"] in ("when", "reflex")]
    said += [f"{line['event']} {line['name']}: {show_duration(line['delay'])} from edge to pin" for line in delays[-1:]]
    runs = []
    for past in work.before[:MOST_RUNS]:
        where = f", line {past.line}" if past.line else ""
        why = f": {past.why}" if past.why else ""
        words = f"{past.routine} {past.result} after {show_duration(past.took)}{where}{why}"
        runs.append(Entry(past.result, plain(words)))
    return ToldView(tuple(expected[-6:]), tuple(said[-4:]), tuple(runs))


def _expected(line: dict[str, Any]) -> Entry:
    found = "" if line["held"] else f", found {line.get('found', '')}"
    return Entry(DONE if line["held"] else FAILED, plain(f"{line['text']}{found}"))
