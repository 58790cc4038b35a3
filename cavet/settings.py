"""Settings, each declared once: a key of the bench file, and a table of it.

Reading, checking, the tables of the docs, completion, and what a part is made from are all readings of these.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, TypeVar

import msgspec

T = TypeVar("T", bound=msgspec.Struct)


class Key(msgspec.Struct, frozen=True):
    """One key. `kind` is `text`, `unit` (one that can be reckoned
    with), `word` (one of `choices`), `whole` (a whole number), `whole-list`, `switch`,
    `words` (two texts), `texts`, `sets` (lists of
    texts), `walk` (true, or texts), `wholes` (any number of them), `names` (one text or several), `pin` (a number, or a
    label such as "A0"), `scalar` (a number or a text), `quantity` (a number with a unit), `range` (two of them),
    `expression`, `octets` (hex pairs, or text behind @), `table` or `tables` (a list of them).

    `unit` names the unit that a quantity is read in; `=unit` stands for the one that the key `unit` beside it gives.
    """

    name: str
    kind: str
    doc: str
    required: bool = False
    default: Any = None
    unit: str = ""
    names: str = ""
    """What it names: a `board`, `link`, `host`, `device`, `profile`, `part`, `quantity`, or a part as `board.part`."""
    choices: tuple[str, ...] = ()
    low: float | None = None
    high: float | None = None
    concerns: tuple[str, ...] = ()
    """What must be spoken where it means something; () for whatever is."""


class Section(msgspec.Struct, frozen=True, kw_only=True):
    """One kind of table. `variants` adds keys by what the key `kind` in it says."""

    title: str
    doc: str
    keys: tuple[Key, ...]
    variants: dict[str, tuple[Key, ...]] = {}


def gathered(rooms: Mapping[str, Iterable[Key]]) -> tuple[Key, ...]:
    """The keys of several rooms in one table: each once, and it concerns all those that have it."""
    found: dict[str, Key] = {}
    for room, keys in rooms.items():
        for key in keys:
            known = found.get(key.name, key)
            found[key.name] = msgspec.structs.replace(known, concerns=(*known.concerns, room))
    return tuple(found.values())


def made(of: type[T], table: Mapping[str, Any], **more: Any) -> T:
    """Make a struct of a table that was read: what a key says goes to the field of its name. `more` is what was made of
    other keys, or stands in their place."""
    names: tuple[str, ...] = of.__struct_fields__
    return of(**{name: table[name] for name in names if name in table and name not in more}, **more)
