"""`cavet export RECORD --as FORMAT`: a record in other formats."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path

import click

from cavet.commands._records import bench_of, bench_option, check_target, opened, plan_of, time_of, write_out
from cavet.exports import TEXTS, Cut, check_boards, pcapng, points_csv
from cavet.units import parse
from cavet.wording import WrongError, listed, nearest

CAPTURE = "pcapng"
FORMATS = (*TEXTS, CAPTURE)
BLOCK = 1 << 16


@click.command("export")
@click.argument("record", type=click.Path(path_type=Path))
@click.option("--as", "form", metavar="FORMAT", required=True, help=f"One of {listed(FORMATS)}.")
@click.option("--from", "begin", metavar="T", help="From this time on, such as 14.6 or 900ms.")
@click.option("--to", "end", metavar="T", help="Up to this time.")
@click.option("--board", "boards", multiple=True, metavar="NAME", help="Only what is of this board.")
@click.option("--points", is_flag=True, help="csv: what was asked of each point and got, a line at each change.")
@click.option("--every", metavar="TIME", help="csv of points: a line each so long, such as 10ms.")
@click.option("-o", "path", type=click.Path(path_type=Path), metavar="FILE", help="Into FILE.")
@click.option("--force", is_flag=True, help="Replace a file that is there already.")
@bench_option
def command(
    record: Path, form: str, begin: str | None, end: str | None, boards: tuple[str, ...], points: bool,
    every: str | None, path: Path | None, force: bool, bench: str | None,
) -> None:  # fmt: skip
    """Give RECORD in another format: on standard output, or into a file."""
    if form not in FORMATS:
        raise WrongError("--as", found=form, expected=f"one of {listed(FORMATS)}", nearest=nearest(form, FORMATS))
    if (points or every) and form != "csv":
        raise WrongError("--points", found=f"--as {form}", expected="--as csv")
    period = parse(every, "s", "--every") if every is not None else None
    if period is not None and not period > 0:
        raise WrongError("--every", found=every, expected="more than 0 s")
    cut = Cut(begin=time_of(begin, "--from", 0.0), end=time_of(end, "--to", float("inf")), boards=frozenset(boards))
    if cut.end < cut.begin:
        raise WrongError("--to", found=end, expected=f"no less than --from, {begin}")
    if path is not None:
        check_target(path, force=force)
    with opened(record) as file:
        check_boards(cut.boards, file)
        if form == CAPTURE:
            write_out(pcapng(file, bench_of(file, record, bench).plan, cut), path)
            return
        plan = plan_of(file, record, bench)
        if points or period is not None:
            lines = points_csv(file, plan, cut, period)
        else:
            lines = TEXTS[form](file, plan, cut)
        write_out(blocks(lines), path)


def blocks(lines: Iterable[str]) -> Iterator[bytes]:
    """Lines, so many at once that writing them costs little."""
    waiting: list[str] = []
    size = 0
    for line in lines:
        waiting.append(line)
        size += len(line)
        if size > BLOCK:
            yield "".join(waiting).encode()
            waiting, size = [], 0
    yield "".join(waiting).encode()
