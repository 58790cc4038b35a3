"""`cavet compare A B`: what two records have in common, and from when on they differ."""

from __future__ import annotations

from pathlib import Path

import click

from cavet.commands._records import opened
from cavet.exports import Difference, compare
from cavet.record import as_line, words_of
from cavet.serving.output import as_json
from cavet.units import parse, show_duration
from cavet.wording import WrongError, plain

MOST_SHOWN = 10


@click.command("compare")
@click.argument("a", type=click.Path(path_type=Path))
@click.argument("b", type=click.Path(path_type=Path))
@click.option("--within", default="0 s", show_default=True, metavar="TIME", help="So far times may be apart.")
@click.option("--json", "json_lines", is_flag=True, help="One JSON object.")
def command(a: Path, b: Path, within: str, json_lines: bool) -> int:
    """Compare what happened in the records A and B. Exit code 1 where anything differs."""
    apart = parse(within, "s", "--within")
    if not apart >= 0:
        raise WrongError("--within", found=within, expected="0 s or more")
    with opened(a) as one, opened(b) as other:
        found = compare(one.since(0), other.since(0), apart)
    click.echo(as_json(difference_line(found)) if json_lines else readable(found, a, b))
    return int(found.count > 0)


def difference_line(found: Difference) -> dict[str, object]:
    """What differs, as a JSON object."""
    return {
        "same_until": round(found.same_until, 6) if found.same_until is not None else None,
        "only_a": [as_line(event) for event in found.only_a],
        "only_b": [as_line(event) for event in found.only_b],
        "later": [{"event": as_line(event), "by": round(by, 6)} for event, by in found.later],
    }


def readable(found: Difference, a: Path, b: Path) -> str:
    """The same for a person: the first of what differs."""
    if found.same_until is None:
        return "the same"
    lines = [found.words]
    rows = [(event.t, f"only in {a.name}", event) for event in found.only_a]
    rows += [(event.t, f"only in {b.name}", event) for event in found.only_b]
    rows += [(event.t, f"{show_duration(by)} later in {b.name}", event) for event, by in found.later]
    for t, where, event in sorted(rows, key=lambda row: row[0])[:MOST_SHOWN]:
        lines.append(f"{t:10.3f}  {plain(where)}: {words_of(event)}")
    if len(rows) > MOST_SHOWN:
        lines.append(f"{'':10}  and {len(rows) - MOST_SHOWN} more")
    return "\n".join(lines)
