"""The rig's equations as two functions made for it: what changes how fast, and a step of it."""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping, Sequence
from math import inf
from typing import Any, Protocol

from cavet.expressions import KNOWN, Expression

Row = list[float]
Look = Callable[[Row, Row], bool]
"""Takes all values, and puts each quantity's rate in the second row; tells whether one began or ceased to change."""
Move = Callable[[Row, Row, float], None]
"""Takes all values, the rates, and a span in seconds; brings the values through it."""


class Changing(Protocol):
    """What is asked of a quantity."""

    @property
    def name(self) -> str: ...
    @property
    def low(self) -> float: ...
    @property
    def high(self) -> float: ...
    @property
    def rate(self) -> Expression | None: ...
    @property
    def free(self) -> Expression | None: ...


def make_equations(quantities: Sequence[Changing], slots: Mapping[str, int]) -> tuple[Look, Move]:
    """Make the functions for quantities that stand at these slots of a row. Raises `WrongError` for unknown names.

    All of it in one piece is several times as quick as a call for each expression.
    """
    look, move = ["def look(row, moving):", " stirred = False"], ["def move(row, moving, span):", " pass"]
    for quantity in quantities:
        if quantity.rate is None:
            continue
        slot = slots[quantity.name]
        change = f"({_text(quantity.rate, slots)})"
        if quantity.free is not None:
            change += f" if ({_text(quantity.free, slots)}) else 0.0"
        look += [
            f" change = {change}",
            f" if (change == 0.0) != (moving[{slot}] == 0.0): stirred = True",
            f" moving[{slot}] = change",
        ]
        low, high = float(quantity.low), float(quantity.high)
        move += [
            f" change = moving[{slot}]",
            " if change:",
            f"  value = row[{slot}] + change * span",
            f"  row[{slot}] = {low!r} if value < {low!r} else {high!r} if value > {high!r} else value",
        ]
    made: dict[str, Any] = {}
    # safe: every node of an expression was checked when it was read; the rest are numbers
    exec(
        compile("\n".join([*look, " return stirred", *move]), "<rig>", "exec"),
        {**KNOWN, "inf": inf},
        made,
    )
    return made["look"], made["move"]


def _text(sum_: Expression, slots: Mapping[str, int]) -> str:
    return ast.unparse(sum_.in_slots(slots))
