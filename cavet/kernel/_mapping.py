"""Which of the kernel's devices stand for what of a bench."""

from __future__ import annotations

from collections.abc import Iterable
from collections.abc import Mapping as Table

import msgspec

from cavet.bench import simulated_boards
from cavet.benchfile import GPIO, I2C, SERIAL, SPI, KernelDevice, Setup, is_device_path, kernel_device
from cavet.wording import WrongError, unknown

FILE = "file"
"""How the shim is told of another file in a device's place."""
MOST_MAPPED = 64
"""As many as the shim has room for."""
FORM = "/dev/NAME=BOARD.i2c, BOARD.spi.CHIP, BOARD.gpio, or BOARD"

__all__ = ["GPIO", "I2C", "SPI", "Mapping", "mappings_of"]


class Mapping(msgspec.Struct, frozen=True):
    """A device of the kernel, and what answers in its place: a board's bus, a chip on its SPI, its lines, another
    file."""

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


def mappings_of(setup: Setup, words: Iterable[str], endpoints: Table[str, str]) -> list[Mapping]:
    """Those of the bench file, and in their place or besides what words say: `PATH=BOARD.i2c`, `PATH=BOARD.spi.CHIP`,
    `PATH=BOARD.gpio`, or `PATH=BOARD`: its lines at a path that begins with `/dev/gpiochip`, else its serial line.
    Raises `WrongError`."""
    found = {
        device.path: _mapping(setup, name, device, endpoints)
        for name, board in setup.boards.items()
        for device in board.kernel
    }
    for word in words:
        mapping = _read(setup, word, endpoints)
        found[mapping.path] = mapping
    if len(found) > MOST_MAPPED:
        raise WrongError("--map", found=f"{len(found)} devices", expected=f"at most {MOST_MAPPED}")
    return list(found.values())


def _read(setup: Setup, word: str, endpoints: Table[str, str]) -> Mapping:
    path, equals, target = word.partition("=")
    if not equals or not is_device_path(path):
        raise WrongError("--map", found=word, expected=FORM)
    name, _, what = target.partition(".")
    if name not in setup.boards:
        raise unknown("--map", name, setup.boards)
    board = setup.boards[name]
    links = [link.name for link in setup.links.values() if link.board == name and link.kind == SERIAL]
    device, able = kernel_device(path, what, board.profile, board.firmware, links)
    if device is None:
        known = [f"{name}.{each}" for each in able]
        raise unknown("--map", target, known, none=f"another board: {name} has no bus, no lines, no serial line")
    return _mapping(setup, name, device, endpoints)


def _mapping(setup: Setup, board: str, device: KernelDevice, endpoints: Table[str, str]) -> Mapping:
    if board not in simulated_boards(setup):
        raise WrongError("with", found=f"{board}, which is elsewhere", expected="a board that is simulated")
    if device.kind != SERIAL:
        return Mapping(device.path, device.kind, board=board, chip=device.chip)
    place = endpoints.get(f"{board}.{device.link}", "")
    if not place.startswith("/"):
        found = f"{board}.{device.link}" + (f", at {place}" if place else "")
        raise WrongError("--map", found=found, expected="a serial line that is served as a device")
    return Mapping(device.path, FILE, board=board, target=place)
