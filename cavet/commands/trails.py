"""`cavet trails RECORD`: what became of each command, and how long its stages took."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from cavet.commands._records import bench_option, opened, setup_of
from cavet.library.past import Delays, delays_of, past_trails
from cavet.library.trails import Trail
from cavet.serving.output import as_json
from cavet.units import show_duration
from cavet.wording import hex_pairs, plain, unknown


@click.command("trails")
@click.argument("record", type=click.Path(path_type=Path))
@click.option("--point", "points", multiple=True, metavar="NAME", help="Only those of this point.")
@click.option("--broken", is_flag=True, help="Only those that broke.")
@click.option("--slowest", type=click.IntRange(1), metavar="N", help="The N that took longest, the slowest first.")
@click.option("--delays", is_flag=True, help="How long each stage took, for each board, instead.")
@click.option("--json", "json_lines", is_flag=True, help="JSON lines.")
@bench_option
def command(
    record: Path, points: tuple[str, ...], broken: bool, slowest: int | None, delays: bool, json_lines: bool,
    bench: str | None,
) -> int:  # fmt: skip
    """Say what became of each command in RECORD. Exit code 1 where one of them broke."""
    with opened(record) as file:
        setup = setup_of(file, record, bench)
        trails = past_trails(file.since(0), setup)
    named = [trail.point for trail in trails if trail.is_command]
    known = list(dict.fromkeys([*named, *(setup.points if setup is not None else ())]))
    for name in points:
        if name not in known:
            raise unknown("--point", name, known)
    chosen = [
        trail for trail in trails
        if (not points or (trail.is_command and trail.point in points)) and (not broken or trail.ended == "broken")
    ]  # fmt: skip
    if delays:
        for each in delays_of(chosen):
            click.echo(as_json(delays_line(each)) if json_lines else readable_delays(each))
        return 0
    if slowest is not None:
        chosen = sorted(chosen, key=lambda trail: -trail.took)[:slowest]
    for trail in chosen:
        click.echo(as_json(trail_line(trail)) if json_lines else readable(trail))
    return int(any(trail.ended == "broken" for trail in chosen))


def trail_line(trail: Trail) -> dict[str, Any]:
    """A trail as a JSON object."""
    value = hex_pairs(trail.value) if isinstance(trail.value, bytes) else trail.value
    line: dict[str, Any] = {"trail": trail.number, "board": trail.board}
    if trail.is_command:
        line |= {"point": trail.point, "value": value}
    else:
        answered = round(trail.answered, 6) if trail.answered is not None else None
        line |= {"point": None, "frame": value, "message": trail.message, "answered": answered}
    return line | {
        "by": plain(trail.by.removeprefix("by ")) or None,
        "stages": [{"stage": stage, "t": round(t, 6), "note": plain(note)} for stage, t, note in trail.stages],
        "ended": trail.ended or None, "at": trail.broken_at, "why": plain(trail.why) or None,
        "try": trail.mend or None,
    }  # fmt: skip


def readable(trail: Trail) -> str:
    """A trail in a line, and a second where it broke."""
    begun = trail.stages[0].t if trail.stages else 0.0
    sign = {"broken": "✕", "confirmed": "◈", "done": "◈"}.get(trail.ended, "·")
    by = f"  {plain(trail.by)}" if trail.by else ""
    line = f"{begun:10.3f} {sign} {trail.number:6}  {plain(trail.what, 90)}  {trail.ended or 'under way'}"
    line += f", answered after {show_duration(trail.answered)}" if trail.answered is not None else ""
    line += f" after {show_duration(trail.took)}" if trail.answered is None and len(trail.stages) > 1 else ""
    line += by
    if trail.broken_at is not None:
        mend = f" → {trail.mend}" if trail.mend else ""
        line += f"\n{'':19}stopped before {trail.broken_at}: {plain(trail.why)}{mend}"
    elif trail.why and not trail.is_command:
        line += f"\n{'':19}{plain(trail.why)}"
    return line


def delays_line(delays: Delays) -> dict[str, Any]:
    """The delays between two stages as a JSON object."""
    return {
        "board": delays.board, "from": delays.begin, "to": delays.end, "count": delays.count,
        "median": round(delays.median, 9), "p95": round(delays.p95, 9), "p99": round(delays.p99, 9),
        "max": round(delays.most, 9),
    }  # fmt: skip


def readable_delays(delays: Delays) -> str:
    """The same for a person."""
    of = {"median": delays.median, "95 %": delays.p95, "99 %": delays.p99, "greatest": delays.most}
    figures = "   ".join(f"{name} {show_duration(seconds):>8}" for name, seconds in of.items())
    return f"{delays.board:12} {delays.begin:>8} → {delays.end:9} {delays.count:6}   {figures}"
