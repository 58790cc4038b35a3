"""Cavet: a workbench for people who write the program that moves a board's outputs.

For scripts and tests:

    import cavet

    with cavet.open("demo", seed="a") as bench:
        bench["beacon"].set("50 %")
        print(bench.part("gatehouse.beacon").state)

`cavet.aio` has the same for asyncio, `cavet.testing` a test case. Times are seconds of the bench, values in the unit of
the point or part, words as text.
"""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from cavet.library.blocking import Bench, Part, Point, open
    from cavet.library.codec import Decoded, decode, encode
    from cavet.library.core import BenchRecord, Ran
    from cavet.library.errors import Refused, TooLate, Unconfirmed
    from cavet.library.rig import Rig
    from cavet.library.sending import Sent
    from cavet.library.trails import Stage, Trail
    from cavet.wording import UnreachableError, WrongError

__version__ = "0.1.0"

_HOMES = {
    "library.blocking": ("Bench", "Part", "Point", "open"),
    "library.codec": ("Decoded", "decode", "encode"),
    "library.core": ("BenchRecord", "Ran"),
    "library.errors": ("Refused", "TooLate", "Unconfirmed"),
    "library.rig": ("Rig",),
    "library.sending": ("Sent",),
    "library.trails": ("Stage", "Trail"),
    "wording": ("UnreachableError", "WrongError"),
}
__all__ = [
    "Bench",
    "BenchRecord",
    "Decoded",
    "Part",
    "Point",
    "Ran",
    "Refused",
    "Rig",
    "Sent",
    "Stage",
    "TooLate",
    "Trail",
    "Unconfirmed",
    "UnreachableError",
    "WrongError",
    "decode",
    "encode",
    "open",
]


def __getattr__(name: str) -> Any:
    """What scripts use is imported when it is first asked for: the commands begin without it."""
    for home, names in _HOMES.items():
        if name in names:
            return getattr(importlib.import_module(f"cavet.{home}"), name)
    raise AttributeError(f"module 'cavet' has no attribute {name!r}")


def __dir__() -> list[str]:
    return sorted([*__all__, "__version__"])
