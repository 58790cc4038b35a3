"""`cavet show profile NAME`: what a kind of board offers, pin by pin."""

from __future__ import annotations

from typing import Any

import click
import msgspec

from cavet.bench import find_profile, shipped_profiles
from cavet.boards import PinProfile
from cavet.commands._completing import complete_profiles
from cavet.units import show
from cavet.wording import WrongError, listed

COLUMNS = ("pin", "other number", "it can", "kept for")


@click.command("show")
@click.argument("what", metavar="profile")
@click.argument("name", required=False, shell_complete=complete_profiles)
@click.option("--json", "as_json", is_flag=True, help="JSON lines, one a pin.")
def command(what: str, name: str | None, as_json: bool) -> None:
    """Print a profile that ships: every pin with its numbers and modes. Without NAME: their names."""
    if what != "profile":
        raise WrongError("show", found=what, expected="profile, and its name")
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
    print("\n".join(table([COLUMNS, *rows])))
    amps = f"{show(1000 * profile.pin_current, 'mA')} a pin, {show(1000 * profile.board_current, 'mA')} in all"
    print(f"\n{show(profile.supply, 'V')}; {amps}")


def row_of(pin: PinProfile) -> dict[str, Any]:
    """A pin as a JSON object: the modes with their bits."""
    return {
        "pin": pin.number,
        "label": pin.label,
        "modes": {mode.value: bits for mode, bits in pin.modes.items()},
        "channel": pin.channel,
        "kept_for": pin.reserved,
    }


def table(rows: list[tuple[str, ...]]) -> list[str]:
    """Rows of words under each other; columns with nothing in them are left out."""
    columns = [column for column in zip(*rows, strict=True) if any(column[1:])]
    widths = [max(map(len, column)) for column in columns]
    lines = zip(*columns, strict=True)
    return ["  ".join(word.ljust(width) for word, width in zip(line, widths, strict=True)).rstrip() for line in lines]
