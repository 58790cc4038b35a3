"""A line that is being typed, with a caret in it: one way to type, wherever something is."""

from __future__ import annotations

import msgspec

CARET = "▏"
LEAST_ROOM = 3
"""Cells that there must be for the caret with something around it."""


class Typed(msgspec.Struct, frozen=True):
    """What stands in the line, and where the caret is: so many characters from its begin. At most `most` are kept."""

    text: str = ""
    caret: int = 0
    most: int = 4000

    @classmethod
    def of(cls, text: str, most: int = 4000) -> Typed:
        """A line that is gone on with at its end."""
        return cls(text[:most], min(len(text), most), most)

    def put(self, more: str) -> Typed:
        """Put something in at the caret, as far as there is room for it."""
        more = more[: self.most - len(self.text)]
        return Typed(self.text[: self.caret] + more + self.text[self.caret :], self.caret + len(more), self.most)

    def hear(self, key: str, character: str | None) -> Typed | None:
        """What a key makes of it; `None` where it has nothing to do with that."""
        before, behind = self.text[: self.caret], self.text[self.caret :]
        carets = {"left": self.caret - 1, "right": self.caret + 1, "home": 0, "end": len(self.text)}
        if key in carets:
            return Typed(self.text, min(len(self.text), max(0, carets[key])), self.most)
        if key == "backspace":
            return Typed(before[:-1] + behind, max(0, self.caret - 1), self.most)
        if key == "delete":
            return Typed(before + behind[1:], self.caret, self.most)
        if character is not None and character.isprintable():
            return self.put(character)
        return None

    def shown(self, room: int | None = None) -> str:
        """The line with its caret in so many cells: what stands around that, where there is no room for all of it; `…`
        says that there is more."""
        line = self.text[: self.caret] + CARET + self.text[self.caret :]
        if room is None or len(line) <= room:
            return line
        if room < LEAST_ROOM:
            return CARET[:room]
        begin = max(0, min(self.caret + 2, len(line)) - room)
        seen = line[begin : begin + room]
        seen = f"…{seen[1:]}" if begin else seen
        return f"{seen[:-1]}…" if begin + room < len(line) else seen
