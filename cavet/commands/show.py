"""`cavet show`: a bench, a board, a kind of board, a register map, as tables or for a program of the user's own."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click
import msgspec

from cavet.benchfile import (
    Constant,
    bench_rows,
    board_rows,
    constants,
    find_profile,
    load_plan,
    read_plan_text,
    register_rows,
    shipped_plans,
    shipped_profiles,
)
from cavet.boards import PinProfile
from cavet.commands._bench import open_bench
from cavet.commands._completing import complete_shown
from cavet.protocols.registers import RegisterMap
from cavet.units import show
from cavet.wording import WrongError, digits, listed, plain, unknown

FORMS = ("markdown", "csv", "python", "c")
Tables = dict[str, list[dict[str, Any]]]


@click.command("show")
@click.argument("what", metavar="BENCH | profile | map", shell_complete=complete_shown)
@click.argument("name", required=False, metavar="[BOARD | NAME]", shell_complete=complete_shown)
@click.option("--json", "as_json", is_flag=True, help="JSON lines, one a row.")
@click.option(
    "--as", "form", type=click.Choice(FORMS), help="What a host's program has to know, as a table or constants."
)
def command(what: str, name: str | None, as_json: bool, form: str | None) -> None:
    """Print a bench, one of its boards pin by pin, a profile that ships, or a register map."""
    if what == "profile":
        show_profile(name, as_json)
        return
    if what == "map":
        tables: Tables = {"registers": register_rows(find_map(name))}
    else:
        setup = open_bench(what).setup
        tables = bench_rows(setup) if name is None else board_rows(setup, name)
        if form is not None:
            print(as_form(constants(setup, name), form))
            return
    if form in ("python", "c"):
        raise WrongError("--as", found=form, expected="markdown or csv; constants are of a bench")
    if as_json:
        for kind, rows in tables.items():
            for row in rows:
                print(msgspec.json.encode({"row": kind.removesuffix("s"), **row}).decode())
        return
    print(printed(tables, form))


def show_profile(name: str | None, as_json: bool) -> None:
    """Print a profile that ships; without a name: their names."""
    if name is None:
        print("\n".join(shipped_profiles()))
        return
    profile = find_profile(name)
    if as_json:
        for pin in profile.pins.values():
            print(msgspec.json.encode(row_of(pin)).decode())
        return
    rows = [
        (str(pin.number), pin.label, listed([mode.value for mode in pin.modes], "and"), pin.reserved)
        for pin in profile.pins.values()
    ]
    print("\n".join(table([("pin", "other number", "it can", "kept for"), *rows])))
    amps = f"{show(1000 * profile.pin_current, 'mA')} a pin, {show(1000 * profile.board_current, 'mA')} in all"
    print(f"\n{show(profile.supply, 'V')}; {amps}")


def find_map(name: str | None) -> RegisterMap:
    """Find a register map: `FILE#NAME`, or the name of one that ships. Raises `WrongError`."""
    if name is None:
        raise WrongError("show map", found="nothing", expected="FILE#NAME, or a map that ships")
    file, hash_, wanted = name.partition("#")
    if hash_:
        known = load_plan(Path(file)).maps
    else:
        read = [read_plan_text(text, f"{plan}.plan.toml") for plan, text in shipped_plans().items()]
        known = {map_: each for plan in read for map_, each in plan.maps.items()}
        wanted = name
    if wanted not in known:
        raise unknown("map", wanted, known)
    return known[wanted]


def row_of(pin: PinProfile) -> dict[str, Any]:
    """A pin as a JSON object: the modes with their bits."""
    return {
        "pin": pin.number,
        "label": pin.label,
        "modes": {mode.value: bits for mode, bits in pin.modes.items()},
        "channel": pin.channel,
        "kept_for": pin.reserved,
    }


def printed(tables: Tables, form: str | None) -> str:
    """Tables one below the other, each under its name; as csv, the rows alone."""
    parts = []
    for kind, rows in tables.items():
        if not rows:
            continue
        head = tuple(rows[0])
        cells = [tuple(cell(value) for value in row.values()) for row in rows]
        if form == "csv":
            parts.append(as_csv([head, *cells]))
        elif form == "markdown":
            parts.append(f"## {kind}\n\n{as_markdown([head, *cells])}")
        else:
            words = tuple(name.replace("_", " ") for name in head)
            parts.append("\n".join([kind, *(f"  {line}" for line in table([words, *cells]))]))
    return "\n\n".join(parts)


def cell(value: Any) -> str:
    """A value as it stands in a table."""
    if value is None or value == "":
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return digits(value, 6)
    if isinstance(value, dict):
        return ", ".join(str(key) for key in value)
    if isinstance(value, list):
        return ", ".join(str(each.get("name", each)) if isinstance(each, dict) else str(each) for each in value)
    return plain(str(value))


def table(rows: Sequence[tuple[str, ...]]) -> list[str]:
    """Rows of words under each other; columns with nothing in them are left out."""
    columns = [column for column in zip(*rows, strict=True) if any(column[1:])]
    widths = [max(map(len, column)) for column in columns]
    lines = zip(*columns, strict=True)
    return ["  ".join(word.ljust(width) for word, width in zip(line, widths, strict=True)).rstrip() for line in lines]


def as_markdown(rows: Sequence[tuple[str, ...]]) -> str:
    """Rows as a table of Markdown."""
    escaped = [[word.replace("|", "\\|") for word in row] for row in rows]
    lines = [f"| {' | '.join(row)} |" for row in escaped]
    return "\n".join([lines[0], f"|{'---|' * len(rows[0])}", *lines[1:]])


def as_csv(rows: Sequence[tuple[str, ...]]) -> str:
    """Rows as RFC 4180 has them."""
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows(rows)
    return out.getvalue().rstrip("\n")


def as_form(found: Sequence[Constant], form: str) -> str:
    """What a host's program has to know, in a form."""
    if form in ("markdown", "csv"):
        rows = [("name", "value", "meaning"), *((each.name, str(each.value), each.about) for each in found)]
        return as_markdown(rows) if form == "markdown" else as_csv(rows)
    lines = []
    for each in found:
        about = plain(each.about)
        if form == "python":
            lines.append(f"{each.name} = {each.value!r}  # {about}")
        else:
            text = msgspec.json.encode(each.value).decode() if isinstance(each.value, str) else str(each.value)
            lines.append(f"#define {each.name} {text} /* {about.replace('*/', '* /')} */")
    return "\n".join(lines)
