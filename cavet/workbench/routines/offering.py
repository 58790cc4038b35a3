"""What fits where the cursor is, offered while one types: tab takes the first, tab again the next in its place."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from cavet.workbench.routines.fits import Fit, begun

Place = tuple[int, int]


class OfferView(msgspec.Struct, frozen=True):
    """The words that fit, each with what it is; `taken` is the one that stands in the text now, -1 for none."""

    fits: tuple[Fit, ...]
    taken: int


class Offer:
    """What is offered at a place of the text."""

    def __init__(self, find: Callable[[], list[Fit]]) -> None:
        self._find = find
        self._typed_at: Place | None = None
        self._fits: tuple[Fit, ...] = ()
        self._begin = 0
        """The column where the word begins that is taken."""
        self._taken = -1
        self._taken_at: Place | None = None

    def typed(self, at: Place) -> None:
        """The text has changed, and the cursor is here now."""
        self._typed_at = at

    def view(self, at: Place, line: str) -> OfferView | None:
        """What is shown at the cursor: only right behind a word that was typed."""
        if at == self._taken_at:
            return OfferView(self._fits, self._taken) if len(self._fits) > 1 else None
        self._taken_at = None
        is_behind = not line[at[1] : at[1] + 1].strip()
        fits = tuple(self._find()) if at == self._typed_at and is_behind else ()
        return OfferView(fits, -1) if fits else None

    def take(self, at: Place, line: str) -> tuple[int, str] | None:
        """The word to stand at the cursor, and the column where it begins; `None` where nothing fits."""
        if at == self._taken_at and len(self._fits) > 1:
            self._taken = (self._taken + 1) % len(self._fits)
        else:
            self._fits, self._taken = tuple(self._find()), 0
            self._begin = at[1] - len(begun(line[: at[1]]))
        if not self._fits:
            return None
        word = self._fits[self._taken][0]
        self._taken_at = (at[0], self._begin + len(word))
        return self._begin, word

    @property
    def begin(self) -> int:
        """The column under which it stands, of what was taken."""
        return self._begin
