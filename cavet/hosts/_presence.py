"""What a host knows of whether a board is there, and how it is."""

from __future__ import annotations

import msgspec

from cavet.messaging import is_number, read_json


class BoardTopics(msgspec.Struct, frozen=True, kw_only=True):
    """Where a board tells of itself: full topics, "" for none; `base` is what its topics begin with."""

    base: str = ""
    presence: str = ""
    here: str = "here"
    gone: str = "gone"
    health: str = ""


class Presence(msgspec.Struct):
    """Whether a board is there, as it says itself or as the broker says for it, and the last of its health."""

    here: bool | None = None
    """`None` while nothing was said."""
    since: float = 0.0
    health: dict[str, float | str | bool] = {}
    health_at: float | None = None
    usual_pause: float | None = None
    """How long it usually is from one health to the next, as the last two were apart."""

    def took_health(self, health: dict[str, float | str | bool], now: float) -> None:
        """Its health has come."""
        if self.health_at is not None and self.here:
            self.usual_pause = now - self.health_at
        self.health, self.health_at = health, now


def read_health(payload: bytes) -> dict[str, float | str | bool]:
    """The numbers and texts in a health's JSON. Raises `ValueError` for what is no object of them."""
    found = read_json(payload)
    if not isinstance(found, dict):
        raise ValueError("no JSON object")
    return {name: value for name, value in found.items() if isinstance(value, str | bool) or is_number(value)}
