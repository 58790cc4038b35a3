"""The short way to read a frame of fixed size: a function that is written for it once, out of its layout.

It reads only frames in which nothing is wrong, and gives `None` for all others: these go the long way, which says what
is wrong with them. A test proves by chance that both ways give the same.
"""

from __future__ import annotations

import keyword
from collections.abc import Callable
from typing import Any

from cavet.protocols._message import Message
from cavet.protocols.plans._layout import Layout, Run, wire_constant
from cavet.protocols.plans._plan import FieldPlan
from cavet.protocols.plans._spot import Spot
from cavet.protocols.plans._values import from_wire, value_problem

Read = Callable[[bytes, int], Message | None]
"""Reads the frame that begins at a place, all of whose bytes are there."""
TABLE_BITS = 12
"""Up to this width all values of a field are reckoned beforehand."""


def short_reader(layout: Layout, form: Callable[..., Message]) -> Read | None:
    """Write the function for a layout; `None` where its frames are not of fixed size, or hold floats, texts, lists."""
    plan = layout.plan
    if not (layout.is_fixed and len(layout.steps) == 1 and isinstance(layout.steps[0], Run)):
        return None
    if any(not _is_plain(field) or plan.repeats(field) for field in plan.fields):
        return None
    names: dict[str, Any] = {"form": form, "from_bytes": int.from_bytes}
    lines = ["def read(data, at):"]
    for place, spot in enumerate(layout.steps[0].spots):
        lines += _lines(f"v{place}", spot, layout, names)
    lines += [f"    if data[at + {place}] & {free}: return None" for place, free in enumerate(layout.free) if free]
    given = ", ".join(f"{spot.field.name}=v{place}" for place, spot in enumerate(layout.steps[0].spots))
    lines.append(f"    return form({given})")
    exec("\n".join(lines), names)
    read: Read = names["read"]
    return read


def _is_plain(field: FieldPlan) -> bool:
    return field.kind in ("uint", "int", "bytes") and field.name.isidentifier() and not keyword.iskeyword(field.name)


def _lines(value: str, spot: Spot, layout: Layout, names: dict[str, Any]) -> list[str]:
    """The lines that read one field into a variable, and leave where something is wrong with it."""
    field = spot.field
    lines = [f"    {value} = {_expression(spot)}"]
    if spot.mask and field.kind == "int":
        sign = 1 << spot.mask.bit_length() - 1
        lines.append(f"    {value} = ({value} ^ {sign}) - {sign}")
    if field.check is not None:
        names[f"{value}_of"] = field.check.of
        lines.append(f"    if {value} != {value}_of(data[at:at + {spot.first}]): return None")
    elif field.const is not None:
        lines.append(f"    if {value} != {wire_constant(field)!r}: return None")
    elif field.tells:
        told = layout.told(field.name, {each.name for each in layout.plan.fields})
        lines.append(f"    if {value} != {told!r}: return None")
    elif spot.mask and (field.values or field.is_scaled or field.low is not None or field.high is not None):
        lines += _looked_up(value, spot, names)
    return lines


def _expression(spot: Spot) -> str:
    if not spot.mask:
        return f"data[at + {spot.first}:at + {spot.first + spot.size}]"
    if spot.size == 1:
        number = f"data[at + {spot.first}]"
    else:
        number = f"from_bytes(data[at + {spot.first}:at + {spot.first + spot.size}], {spot.order!r})"
    whole = (1 << 8 * spot.size) - 1
    shifted = f"({number} >> {spot.shift})" if spot.shift else number
    return f"{shifted} & {spot.mask}" if spot.mask << spot.shift != whole else number


def _looked_up(value: str, spot: Spot, names: dict[str, Any]) -> list[str]:
    """A value that is a word, scaled, or has limits."""
    field = spot.field
    bits = spot.mask.bit_length()
    if bits > TABLE_BITS or field.kind == "int":
        names |= {f"{value}_field": field, "from_wire": from_wire, "problem": value_problem}
        return [
            f"    if problem({value}_field, {value}): return None",
            f"    {value} = from_wire({value}_field, {value})",
        ]
    names[f"{value}_table"] = tuple(
        None if value_problem(field, raw) else from_wire(field, raw) for raw in range(1 << bits)
    )
    return [f"    {value} = {value}_table[{value}]", f"    if {value} is None: return None"]
