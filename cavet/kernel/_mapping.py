"""Which of the kernel's devices stand for what of a bench."""

from __future__ import annotations

from collections.abc import Iterable
from collections.abc import Mapping as Table

import msgspec

from cavet.bench import Plan
from cavet.boards import PinMode
from cavet.wording import WrongError, listed, nearest

I2C, SPI, FILE = "i2c", "spi", "file"
FORM = "/dev/NAME=BOARD.i2c, /dev/NAME=BOARD.spi.CHIP, or /dev/NAME=BOARD"


class Mapping(msgspec.Struct, frozen=True):
    """A device of the kernel, and what answers in its place: a board's I2C bus, a chip on its SPI, another file."""

    path: str
    kind: str
    board: str = ""
    target: str = ""
    """The file that is opened instead."""
    chip: int = 0

    @property
    def line(self) -> str:
        """As the shim reads it."""
        return "\t".join((self.path, self.kind, self.target)).rstrip("\t")


def mappings_of(plan: Plan, words: Iterable[str], endpoints: Table[str, str]) -> list[Mapping]:
    """Read `PATH=BOARD.i2c`, `PATH=BOARD.spi.CHIP`, or `PATH=BOARD` for a serial device. Raises `WrongError`."""
    return [_mapping(plan, word, endpoints) for word in words]


def _mapping(plan: Plan, word: str, endpoints: Table[str, str]) -> Mapping:
    path, equals, target = word.partition("=")
    if not equals or not path.startswith("/") or any(character in path for character in "\t\n"):
        raise WrongError("--map", found=word, expected=FORM)
    board, _, what = target.partition(".")
    if board not in plan.boards:
        raise WrongError(
            "--map", found=board, expected=f"one of {listed(plan.boards)}", nearest=nearest(board, plan.boards)
        )
    bus, _, chip = what.partition(".")
    if bus in (I2C, SPI):
        able = [
            name
            for name, each in plan.boards.items()
            if each.firmware == "buses" or (bus == I2C and each.profile.able(PinMode.BUS))
        ]
        if board not in able or (chip and (bus == I2C or not chip.isdecimal())):
            expected = f"a board with a bus, and a chip's number: {listed(f'{name}.{bus}' for name in able) or 'none'}"
            raise WrongError("--map", found=target, expected=expected)
        return Mapping(path, bus, board=board, chip=int(chip or 0))
    place = endpoints.get(f"{board}.{what or 'serial'}", "")
    if not place.startswith("/"):
        found = [name for name, each in endpoints.items() if each.startswith("/")]
        expected = f"BOARD.i2c, or a serial device: {listed(found) if found else 'there is none'}"
        raise WrongError("--map", found=target, expected=expected, nearest=nearest(target, found))
    return Mapping(path, FILE, board=board, target=place)
