"""Something that a person can do, as data: keys, where it is told, what does it."""

from __future__ import annotations

import msgspec


class Command(msgspec.Struct, frozen=True, kw_only=True):
    """Something that a person can do."""

    keys: str = ""
    """Textual's names of its keys, with commas; "" where it has none, or where what has the focus takes them."""
    shown: str = ""
    """How its key is written for a person."""
    does: str
    """What it does, as the docs and the list of all actions say it."""
    foot: str = ""
    """The same in a word or two, for the foot line; "" where it does not stand there."""
    action: str = ""
    """The method that does it, as Textual writes a call."""
    name: str = ""
    """What it is called in the list of all actions; "" where it is not in it."""
    always: bool = False
    """Also while something is typed, and over every sheet."""
    tight: bool = False
    """Only where there is room for one view at a time."""
