"""`cavet export RECORD --as FORMAT`: a record in other formats."""

from __future__ import annotations

from pathlib import Path

import click

from cavet.commands._drawn_records import lanes_drawing
from cavet.commands._records import bench_of, bench_option, opened, setup_of, time_of, write_out
from cavet.drawings.vector import to_pdf, to_svg
from cavet.exports import TEXTS, Cut, blocks, check_boards, pcapng, points_csv
from cavet.files import check_target
from cavet.units import parse
from cavet.wording import WrongError, listed, unknown

CAPTURE = "pcapng"
DRAWN = ("svg", "pdf")
FORMATS = (*TEXTS, CAPTURE, *DRAWN)


@click.command("export")
@click.argument("record", type=click.Path(path_type=Path))
@click.option("--as", "form", metavar="FORMAT", required=True, help=f"One of {listed(FORMATS)}.")
@click.option("--from", "begin", metavar="T", help="From this time on, such as 14.6 or 900ms.")
@click.option("--to", "end", metavar="T", help="Up to this time.")
@click.option("--board", "boards", multiple=True, metavar="NAME", help="Only what is of this board.")
@click.option("--points", is_flag=True, help="csv: what was asked of each point and got, a line at each change.")
@click.option("--every", metavar="TIME", help="csv of points: a line each so long, such as 10ms.")
@click.option("--lane", "lanes", multiple=True, metavar="NAME", help="svg, pdf: only this lane.")
@click.option("-o", "path", type=click.Path(path_type=Path), metavar="FILE", help="Into FILE.")
@click.option("--force", is_flag=True, help="Replace a file that is there already.")
@bench_option
def command(
    record: Path, form: str, begin: str | None, end: str | None, boards: tuple[str, ...], points: bool,
    every: str | None, lanes: tuple[str, ...], path: Path | None, force: bool, bench: str | None,
) -> None:  # fmt: skip
    """Give RECORD in another format: on standard output, or into a file."""
    if form not in FORMATS:
        raise unknown("--as", form, FORMATS)
    if (points or every) and form != "csv":
        raise WrongError("--points", found=f"--as {form}", expected="--as csv")
    if lanes and form not in DRAWN:
        raise WrongError("--lane", found=f"--as {form}", expected=f"--as {listed(DRAWN)}")
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
        if form in DRAWN:
            drawing = lanes_drawing(file, record, bench, cut, lanes)
            write_out([to_svg(drawing).encode() if form == "svg" else to_pdf(drawing)], path)
            return
        if form == CAPTURE:
            write_out(pcapng(file, bench_of(file, record, bench).setup, cut), path)
            return
        setup = setup_of(file, record, bench)
        if points or period is not None:
            lines = points_csv(file, setup, cut, period)
        else:
            lines = TEXTS[form](file, setup, cut)
        write_out(blocks(lines), path)
