"""Benches to begin with: a small one for each protocol, every key explained, that works as it stands."""

from __future__ import annotations

import shlex
from collections.abc import Iterable
from importlib import resources

from cavet.wording import plain

KINDS = ("firmata", "modbus", "scpi", "mqtt", "usb", "i2c", "plan")
HEAD = """\
# A bench: what is wired to what, and what the host believes. `cavet open {file}` opens it, `cavet remarks {file}`
# says what a careful colleague would say of it. All keys are in docs/bench-file.md.

format = 1
name = "{name}" # what it is called on the screen
seed = "{name}" # where chance begins: the same seed, the same run
"""


def start_text(file: str, name: str, kinds: Iterable[str]) -> str:
    """The text of a bench with a board for each of these kinds."""
    parts = [HEAD.format(file=shlex.quote(plain(file)), name=name)]
    folder = resources.files("cavet.benchfile").joinpath("starts")
    parts += [folder.joinpath(f"{kind}.toml").read_text("utf-8") for kind in dict.fromkeys(kinds)]
    return "\n".join(parts)
