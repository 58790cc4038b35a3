"""Which of the kernel's devices stand for what of a bench."""

from __future__ import annotations

from collections.abc import Iterable
from collections.abc import Mapping as Table

import msgspec

from cavet.bench import Plan
from cavet.boards import PinMode
from cavet.wording import WrongError, listed, nearest

I2C, FILE = "i2c", "file"


class Mapping(msgspec.Struct, frozen=True):
    """A device of the kernel, and what answers in its place: the I2C bus of a board, or another file."""

    path: str
    kind: str
    board: str = ""
    target: str = ""
    """The file that is opened instead."""

    @property
    def line(self) -> str:
        """As the shim reads it."""
        return "\t".join((self.path, self.kind, self.target)).rstrip("\t")


def mappings_of(plan: Plan, words: Iterable[str], endpoints: Table[str, str]) -> list[Mapping]:
    """Read `PATH=BOARD.i2c`, or `PATH=BOARD` for a board's serial device. Raises `WrongError`."""
    return [_mapping(plan, word, endpoints) for word in words]


def _mapping(plan: Plan, word: str, endpoints: Table[str, str]) -> Mapping:
    path, equals, target = word.partition("=")
    if not equals or not path.startswith("/") or any(character in path for character in "\t\n"):
        raise WrongError("--map", found=word, expected="/dev/NAME=BOARD.i2c, or /dev/NAME=BOARD")
    board, _, what = target.partition(".")
    if board not in plan.boards:
        raise WrongError(
            "--map", found=board, expected=f"one of {listed(plan.boards)}", nearest=nearest(board, plan.boards)
        )
    if what == I2C:
        if plan.boards[board].firmware != "buses" and not plan.boards[board].profile.able(PinMode.BUS):
            able = [
                name for name, each in plan.boards.items() if each.firmware == "buses" or each.profile.able(PinMode.BUS)
            ]
            raise WrongError("--map", found=target, expected=f"a board with an I2C bus: {listed(able) or 'none'}")
        return Mapping(path, I2C, board=board)
    place = endpoints.get(f"{board}.{what or 'serial'}", "")
    if not place.startswith("/"):
        found = [name for name, each in endpoints.items() if each.startswith("/")]
        expected = f"BOARD.i2c, or a serial device: {listed(found) if found else 'there is none'}"
        raise WrongError("--map", found=target, expected=expected, nearest=nearest(target, found))
    return Mapping(path, FILE, board=board, target=place)
