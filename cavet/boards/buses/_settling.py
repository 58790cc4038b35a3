"""What a display shows is told once it stands: a picture or a text is laid down in many small steps."""

from __future__ import annotations

from collections.abc import Callable
from math import inf
from typing import Generic, TypeVar

T = TypeVar("T")


class Settling(Generic[T]):
    """Tells what is shown once nothing has been written for so many seconds; at first `shown` is known.

    It is told again where it is the same by another event: also what leaves it as it was has done its work.
    """

    def __init__(self, seconds: float, shown: T) -> None:
        self._seconds = seconds
        self._at = inf
        self._told: tuple[T, int | None] = (shown, None)
        self.cause: int | None = None
        """The event by which something was written last."""

    @property
    def is_under_way(self) -> bool:
        """Whether something was written that does not count as standing yet."""
        return self._at < inf

    def written(self, at: float) -> None:
        """Something has been written at a time, in bench seconds."""
        self._at = at + self._seconds

    def advance(self, now: float, look: Callable[[], T], tell: Callable[[T], None]) -> float:
        """Look at what is shown, and tell it, where that is due; give when it will be, in bench seconds."""
        if now < self._at:
            return self._at
        self._at = inf
        shown = look()
        if (shown, self.cause) != self._told:
            self._told = (shown, self.cause)
            tell(shown)
        return inf
