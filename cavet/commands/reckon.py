"""`cavet reckon WHAT [NAME=VALUE …]`: the small sums of the trade, as a JSON line each."""

from __future__ import annotations

import click
import msgspec

from cavet.reckoning import SUMS, Reckoned, reckon
from cavet.wording import WrongError

SUPPLY = "supply"
"""The sum that is about a whole bench."""


@click.command("reckon", context_settings={"ignore_unknown_options": True})
@click.argument("what", required=False)
@click.argument("words", nargs=-1, metavar="[NAME=VALUE ...]")
def command(what: str | None, words: tuple[str, ...]) -> int:
    """Reckon one of the small sums of the trade; print it as JSON. Without WHAT: the sums."""
    if what is None:
        for name, each in SUMS.items():
            print(f"  {name:12} {each.summary}")
        print(f"  {SUPPLY:12} what the parts of a bench draw, from which supply: {SUPPLY} BENCH")
        return 0
    found = _of_bench(words) if what == SUPPLY else reckon(what, words)
    print(msgspec.json.encode(found.as_json()).decode())
    return 1 if found.problems else 0


def _of_bench(words: tuple[str, ...]) -> Reckoned:
    if len(words) != 1:
        raise WrongError(SUPPLY, found=f"{len(words)} words", expected="one: the bench")
    from cavet.commands._bench import open_bench
    from cavet.reckoning.supply import reckon_supply

    return reckon_supply(open_bench(words[0]).setup)
