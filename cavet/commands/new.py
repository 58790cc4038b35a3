"""`cavet new FILE`: a small bench that works at once; or one for a board that is there."""

from __future__ import annotations

import os
import shlex
from pathlib import Path

import click

from cavet import clock
from cavet.benchfile import START_KINDS, check_text, name_of, start_text
from cavet.files import file_errors
from cavet.wording import WrongError, counted, plain


def kind_options(command: click.decorators.FC) -> click.decorators.FC:
    """An option for each kind of board to begin with; they are kept in the order in which they are given."""
    for kind in reversed(START_KINDS):
        command = click.option(f"--{kind}", "kinds", flag_value=kind, multiple=True, help=f"With a board: {kind}.")(
            command
        )
    return command


@click.command("new")
@click.argument("file", type=click.Path(path_type=Path))
@kind_options
@click.option("--from", "address", metavar="ADDRESS", help="Fill it with what the board at ADDRESS tells of itself.")
def command(file: Path, kinds: tuple[str, ...], address: str | None) -> None:
    """Write a new bench to FILE: with a board for each kind that is named, Firmata without any. It works at once."""
    if address is not None and kinds:
        raise WrongError("new", found=f"--{kinds[0]} and --from", expected="one of them")
    refuse_old(file)
    name = name_of(file.name)
    if address is not None:
        from cavet.finding import bench_at  # here, since the workbench begins with this module, and asks nobody

        text = clock.run(bench_at(address, name))
    else:
        text = start_text(file.name, name, kinds or START_KINDS[:1])
    setup = check_text(text, file.name, file.parent)
    write_new(file, text)
    links, points = counted(len(setup.links), "link"), counted(len(setup.points), "point")
    print(f"{plain(str(file))}: {links}, {points}; `cavet open {shlex.quote(plain(str(file)))}` opens it")


def refuse_old(file: Path) -> None:
    """Raise `WrongError` where there is a file already, or none can be."""
    if os.path.lexists(file):
        raise WrongError(str(file), found="a file that is there already", expected="a new one")
    folder = file.parent
    if not folder.is_dir():
        raise WrongError(str(file), found=f"no folder {folder}", expected="a folder that is there")


def write_new(file: Path, text: str) -> None:
    """Write a file that was not there; raise `WrongError` where that can't be."""
    with file_errors(file, "a place for a file"), file.open("x", encoding="utf-8") as out:
        out.write(text)
