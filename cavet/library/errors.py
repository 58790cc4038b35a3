"""What a script is told where something did not become as it was wanted."""

from __future__ import annotations

from cavet.library.trails import Trail


class UnfulfilledError(Exception):
    """A wish has not been fulfilled. `trail` tells how far it came, and why no farther."""

    def __init__(self, trail: Trail) -> None:
        self.trail = trail
        super().__init__(trail)

    def __str__(self) -> str:
        return str(self.trail)


class Refused(UnfulfilledError):  # noqa: N818
    """The session or the board has said no: a pin that can't, a value out of range, something that is held."""


class Unconfirmed(UnfulfilledError):  # noqa: N818
    """It was not read back as it was asked for, or its trail has broken before that."""


class TooLate(Exception):  # noqa: N818
    """What was waited for has not come in time."""
