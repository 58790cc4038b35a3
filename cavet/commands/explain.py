"""`cavet explain PROTOCOL HEX…`: the ruler of each frame: hex, bits, fields, values, what they mean."""

from __future__ import annotations

import os
import shutil
import sys
from collections.abc import Sequence
from typing import TYPE_CHECKING

import click
import msgspec

from cavet.commands._bytes import frames_in, hint_at_other_side
from cavet.commands._completing import complete_benches, complete_protocols
from cavet.library.codec import find_codec
from cavet.protocols import Codec, Field, Frame, Side, ruler, ruler_json
from cavet.wording import WrongError, hex_pairs

if TYPE_CHECKING:
    from cavet.bench import Telling

COLUMNS = 80
LEAST_COLUMNS = 24


@click.command("explain")
@click.argument("protocol", shell_complete=complete_protocols)
@click.argument("hex_words", nargs=-1, metavar="[HEX ... | -]")
@click.option("--from", "side", type=click.Choice([side.value for side in Side]), default="host", help="Who speaks.")
@click.option(
    "--bench", nargs=2, metavar="BENCH BOARD", shell_complete=complete_benches, help="Tell what is meant on this board."
)
@click.option("--address", type=click.IntRange(0, 65535), help="With --bench: where the answer to a read begins.")
@click.option("--pec", is_flag=True, help="I2C: each transaction's last byte is its packet error code.")
@click.option("--binary", is_flag=True, help="Standard input is the bytes themselves, not hex.")
@click.option("--json", "as_json", is_flag=True, help="A JSON object a frame.")
def command(
    protocol: str, hex_words: tuple[str, ...], side: str, bench: tuple[str, str] | None, address: int | None,
    pec: bool, binary: bool, as_json: bool,
) -> int:  # fmt: skip
    """Print the ruler of each frame in a stream of bytes, given as hex or on standard input."""
    chosen, who = find_codec(protocol), Side(side)
    tell = _telling(bench, address)
    wrong = False
    for frames in frames_in(chosen, who, hex_words, pec=pec, binary=binary):
        for frame in frames:
            fields = tell(frame, ruler(chosen, frame, who), who)
            print_json(frame, fields) if as_json else print_ruler(frame, fields, _sayer(chosen, frame, who))
            wrong |= bool(frame.problems)
    if wrong:
        hint_at_other_side(chosen, who, hex_words)
    return 1 if wrong else 0


def _sayer(chosen: Codec, frame: Frame, side: Side) -> Side:
    """Who says it: the side that was named, unless only the other one has such a message."""
    other = Side.BOARD if side is Side.HOST else Side.HOST
    name = frame.message.NAME
    return other if name in chosen.forms(other) and name not in chosen.forms(side) else side


def _telling(bench: tuple[str, str] | None, address: int | None) -> Telling:
    """What tells what is meant on a bench; without one, nothing is added."""
    if bench is None:
        if address is not None:
            raise WrongError("--address", found="no bench", expected="--bench BENCH BOARD beside it")
        return lambda frame, fields, side: list(fields)
    from cavet.bench import meanings
    from cavet.commands._bench import open_bench

    return meanings(open_bench(bench[0]).setup, bench[1], address)


def print_json(frame: Frame, fields: Sequence[Field]) -> None:
    """Print a frame as a JSON object."""
    line = {
        "message": frame.message.NAME, "hex": hex_pairs(frame.data), "fields": ruler_json(fields),
        "offset": frame.offset, "problems": list(frame.problems),
    }  # fmt: skip
    print(msgspec.json.encode(line).decode(), flush=True)


def print_ruler(frame: Frame, fields: Sequence[Field], side: Side) -> None:
    """Print the ruler of a frame, in colours at a terminal."""
    from cavet.drawings.console import colours_here, painted
    from cavet.drawings.explained import draw_explained

    print(painted(draw_explained(frame, fields, side, width()), colours_here()), end="\n\n", flush=True)


def width() -> int:
    """The columns there are: those of the terminal, or as `COLUMNS` says."""
    if not sys.stdout.isatty() and "COLUMNS" not in os.environ:
        return COLUMNS
    return max(LEAST_COLUMNS, shutil.get_terminal_size((COLUMNS, 24)).columns)
