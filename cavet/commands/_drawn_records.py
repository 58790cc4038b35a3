"""Drawings of a record: a trail, how long its stages took, its lanes."""

from __future__ import annotations

from pathlib import Path

from cavet.commands._records import bench_of, opened, setup_of
from cavet.drawings.vector import Drawing
from cavet.exports import Cut
from cavet.lanes import Lane, Lanes
from cavet.library.past import delays_of, past_trails
from cavet.record import RecordFile
from cavet.units import show_duration, whole_number
from cavet.wording import WrongError, nearest, one_of, plain, unknown

COLUMNS = 112


def trail_drawing(words: tuple[str, ...]) -> Drawing:
    """One trail, stage by stage. Raises `WrongError`."""
    from cavet.drawings.from_canvas import canvas_drawing
    from cavet.drawings.trail import draw_trail

    try:
        _, written = words
        number = whole_number(written)
    except ValueError as error:
        found, expected = " ".join(words) or "nothing", "RECORD N, the number of a trail"
        raise WrongError("draw trail", found=found, expected=expected) from error
    path = Path(words[0])
    with opened(path) as file:
        trails = {trail.number: trail for trail in past_trails(file.since(0), setup_of(file, path, None))}
    trail = trails.get(number)
    if trail is None:
        known = [str(number) for number in trails]
        near = nearest(words[1], known)
        raise WrongError("draw trail", found=words[1], expected=one_of(known), nearest=near)
    title = f"{trail.board}.{trail.point} = {trail.shown}" if trail.is_command else f"{trail.board} {trail.shown}"
    by = f"{trail.by}, trail {trail.number}, {trail.ended or 'under way'} after {show_duration(trail.took)}"
    ending = f"stopped before {trail.broken_at}: {trail.why} → {trail.mend}" if trail.broken_at else trail.why
    stages = [(stage, t, note) for stage, t, note in trail.stages]
    canvas = draw_trail(plain(title, 70), plain(by, 100), stages, plain(ending, 300), COLUMNS)
    return canvas_drawing(canvas, plain(title, 90), plain(" ".join(str(trail).split()), 2000))


def delays_drawing(words: tuple[str, ...]) -> Drawing:
    """How long each stage took, for each board. Raises `WrongError`."""
    from cavet.drawings.delays import Spread
    from cavet.drawings.delays import delays_drawing as draw

    if len(words) != 1:
        raise WrongError("draw delays", found=" ".join(words) or "nothing", expected="RECORD")
    path = Path(words[0])
    with opened(path) as file:
        found = delays_of(past_trails(file.since(0), setup_of(file, path, None)))
    spreads = [
        Spread(
            board=each.board, begin=each.begin, end=each.end, seconds=each.all, median=each.median, p95=each.p95,
            p99=each.p99,
        )
        for each in found
    ]  # fmt: skip
    return draw(plain(f"{path.name}: from stage to stage (how many · median · 95 % · greatest)", 110), spreads)


def lanes_drawing(file: RecordFile, path: Path, bench: str | None, cut: Cut, names: tuple[str, ...]) -> Drawing:
    """The lanes of a record, those that are named, or all on which something happens. Raises `WrongError`."""
    from cavet.drawings.lanes_drawn import lanes_drawing as draw

    setup = bench_of(file, path, bench).setup
    end = cut.until(file)
    transfers = (transfer for transfer in file.transfers() if transfer.end <= end)
    lanes = [lane for lane in Lanes(setup).read(cut.history(file), transfers).all() if _is_of(lane, cut)]
    chosen = [lane for lane in lanes if not names or any(_is_called(lane, name) for name in names)]
    for name in names:
        if not any(_is_called(lane, name) for lane in lanes):
            known = list(dict.fromkeys(lane.name for lane in lanes))
            raise unknown("--lane", name, known)
    if not names:
        chosen = [lane for lane in chosen if lane.stirs]
    return draw(plain(f"{file.about.get('bench', '')}: {path.name}", 90), chosen, cut.begin, max(end, cut.begin + 1e-6))


def _is_of(lane: Lane, cut: Cut) -> bool:
    return not cut.boards or lane.board in cut.boards


def _is_called(lane: Lane, name: str) -> bool:
    """Whether a word means a lane: its name, with its board, or with its group."""
    pin = f"pin {lane.name}" if lane.group == "pins" else lane.name
    return name in (lane.name, pin, f"{lane.board}.{lane.name}", f"{lane.board}.{pin}", f"{lane.group}.{lane.name}")
