"""`cavet import CAPTURE -o RECORD --as PROTOCOL`: traffic from elsewhere as a record."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from cavet.exports import Importing
from cavet.record import RecordWriter, check_new
from cavet.wording import WrongError, plain


@click.command("import")
@click.argument("capture", type=click.Path(path_type=Path))
@click.option("-o", "path", type=click.Path(path_type=Path), required=True, metavar="RECORD", help="The new record.")
@click.option(
    "--as",
    "protocol",
    required=True,
    metavar="PROTOCOL",
    help="What is spoken in it; or FILE.plan.toml, for frames of your own.",
)
@click.option("--host", metavar="ADDRESS", help="Who is the host, where the capture does not tell: ADDRESS[:PORT].")
@click.option("--force", is_flag=True, help="Replace a record that is there already.")
def command(capture: Path, path: Path, protocol: str, host: str | None, force: bool) -> None:
    """Make RECORD of a capture file (pcapng, pcap), or of text with a time and hex on each line, so that `look`,
    `trails`, `compare` and `export` work on it."""
    if not capture.is_file():
        raise WrongError(str(capture), found="no such file", expected="a capture")
    check_new(path, force=force)
    looked = Importing(capture, protocol, host)
    looked.read()
    if not looked.places:
        raise WrongError(str(capture), found=f"nothing that reads as {protocol}", expected="another protocol with --as")
    made = Importing(capture, protocol, host, looked.places.keys())
    counts = made.read()
    writer = RecordWriter(made.record, path, {"bench": capture.name, "text": made.bench})
    writer.close()
    if writer.problem:
        raise WrongError(str(path), found=writer.problem, expected="a place where a record can be written")
    click.echo(f"{plain(str(path))}: {counts.packets} packets, {counts.frames} messages of {protocol}")
    for place, count in made.places.items():
        click.echo(f"{made.board_at(place):12} {plain(place)}, {count} messages")
    told = {
        "packets are of other kinds, or places": counts.left_out,
        "bytes came again": counts.repeated,
        "bytes are missing": counts.lost,
    }
    for words, count in told.items():
        if count:
            print(f"{plain(str(capture))}: {count} {words}", file=sys.stderr)
    if made.problem:
        print(plain(made.problem), file=sys.stderr)
