"""`cavet remarks BENCH`: what a careful colleague would say of the file. Nothing is started."""

from __future__ import annotations

import click
import msgspec

from cavet.benchfile import BenchFile, find_places
from cavet.commands._bench import open_bench
from cavet.commands._completing import complete_benches
from cavet.commands._run import DOES_NOT_HOLD, DONE
from cavet.remarks import Remark, Weight, mended, remarks_on, well
from cavet.wording import WrongError, plain

SIGNS = {Weight.WRONG: "✕", Weight.DOUBTFUL: "!", Weight.NOTE: "·"}


@click.command("remarks")
@click.argument("bench", shell_complete=complete_benches)
@click.option("--json", "as_json", is_flag=True, help="JSON lines, one a remark.")
@click.option("--mend", "number", type=int, metavar="N", help="Make the mend of the N-th remark in the file.")
def command(bench: str, as_json: bool, number: int | None) -> int:
    """Say what a careful colleague would say of BENCH: each remark with its place, its reason, its mend."""
    file = open_bench(bench)
    found = remarks_on(file.setup)
    if number is not None:
        mend(file, found, number)
        return DONE
    lines = Lines(file)
    for place, remark in enumerate(found, 1):
        line = lines.of(remark.keys)
        if as_json:
            print(msgspec.json.encode(row(remark, line)).decode(), flush=True)
        else:
            print(told(place, remark, f"{file.path.name}:{line}"))
    if not as_json:
        held = well(file.setup)
        title = "well:" if found else "all well:" if held else "nothing is on this bench yet"
        print("\n".join([title, *(f"  · {words}" for words in held)]))
    return DOES_NOT_HOLD if any(remark.weight is Weight.WRONG for remark in found) else DONE


class Lines:
    """The lines of a file at which keys stand."""

    def __init__(self, file: BenchFile) -> None:
        self._places = find_places(file.text)

    def of(self, keys: tuple[str, ...]) -> int:
        """The line of a key, or of the nearest table around it that is in the file."""
        known = keys
        while known and known not in self._places:
            known = known[:-1]
        return self._places.get(known, 1)


def row(remark: Remark, line: int) -> dict[str, object]:
    """A remark as a JSON object."""
    return {
        "remark": remark.name, "place": remark.place, "line": line, "weight": remark.weight.value,
        "what": remark.what, "why": remark.why, "mend": remark.mend.words if remark.mend is not None else None,
    }  # fmt: skip


def told(number: int, remark: Remark, where: str) -> str:
    """A remark as it is read."""
    lines = [
        f"{number:3} {SIGNS[remark.weight]} {remark.name}  {plain(remark.what)}",
        f"      {where} {remark.place}",
        f"      {plain(remark.why)}",
    ]
    if remark.mend is not None:
        lines.append(f"      --mend {number}: {plain(remark.mend.words)}")
    return "\n".join([*lines, ""])


def mend(file: BenchFile, found: list[Remark], number: int) -> None:
    """Make a mend in the file. Raises `WrongError`."""
    if not 1 <= number <= len(found):
        expected = f"1 to {len(found)}, the number of a remark" if found else "none: there is no remark"
        raise WrongError("--mend", found=number, expected=expected)
    remark = found[number - 1]
    if remark.mend is None:
        raise WrongError(f"--mend {number}", found=remark.name, expected="one with a mend: none is sure here")
    mended(file, remark.mend).save()
    print(f"{file.path.name}: {remark.place}: {remark.mend.words}")
