"""`cavet who ADDRESS`: who is there, asked with harmless questions only."""

from __future__ import annotations

from typing import Any

import click
import msgspec

from cavet import clock, units
from cavet.finding import PROTOCOLS, Line, who
from cavet.wording import WrongError, listed, plain


@click.command("who")
@click.argument("address", metavar="DEVICE | HOST:PORT | usb:VENDOR:PRODUCT | usbip:HOST:PORT")
@click.option("--as", "protocol", metavar="PROTOCOL", help=f"Ask in one protocol only: {listed(PROTOCOLS)}.")
@click.option("--at-most", metavar="TIME", help="How long it may take in all.  [default: 8 s; 10 min with --units]")
@click.option("--units", "every_unit", is_flag=True, help="Modbus: ask every unit from 1 to 247.")
@click.option("--rate", type=int, metavar="BAUD", help="On a serial line: ask at this rate alone.")
@click.option("--settings", default="", metavar="FORM", help="On a serial line: characters such as 8E1 alone.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def command(
    address: str,
    protocol: str | None,
    at_most: str | None,
    every_unit: bool,
    rate: int | None,
    settings: str,
    as_json: bool,
) -> None:
    """Say who is at ADDRESS: at which rate it was understood, and what it tells of itself."""
    seconds = units.parse(at_most, "s", "--at-most") if at_most is not None else None
    if seconds is not None and not seconds > 0:
        raise WrongError("--at-most", found=at_most, expected="more than 0 s")
    if rate is not None and rate <= 0:
        raise WrongError("--rate", found=rate, expected="more than 0 baud")
    known = clock.run(who(address, protocol, seconds, every_unit=every_unit, line=Line(rate, settings)))
    print(msgspec.json.encode(known).decode() if as_json else told(known), flush=True)


def told(known: dict[str, Any]) -> str:
    """What was found, for a person."""
    lines = [f"{plain(str(known['address']))}: {known['protocol']}"]
    for name, value in known.items():
        if name in ("address", "protocol") or value in (None, []):
            continue
        shown = listed([_shown(each) for each in value], "and") if isinstance(value, list) else str(value)
        lines.append(f"  {name.replace('_', ' '):<16} {plain(shown)}")
    return "\n".join(lines)


def _shown(value: object) -> str:
    return ", ".join(str(each) for each in value.values()) if isinstance(value, dict) else str(value)
