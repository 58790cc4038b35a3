"""What a remark is."""

from __future__ import annotations

from enum import Enum

import msgspec

from cavet.remarks._mending import Mend


class Weight(Enum):
    """How much it matters."""

    WRONG = "wrong"
    DOUBTFUL = "doubtful"
    NOTE = "note"


class Remark(msgspec.Struct, frozen=True, kw_only=True):
    """One remark: the rule's name, where it is in the file, what is so, why that matters, and what mends it."""

    name: str
    keys: tuple[str, ...]
    weight: Weight
    what: str
    why: str
    mend: Mend | None = None
    subjects: tuple[str, ...] = ()
    """The points and parts that it is about: those of parts as `board.part`."""

    @property
    def place(self) -> str:
        """Where it is, as a dotted name."""
        return ".".join(self.keys)
