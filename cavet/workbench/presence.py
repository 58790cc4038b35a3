"""Whether a board is there, and how it is, in a few words."""

from __future__ import annotations

from cavet.hosts import Presence
from cavet.units import show_duration
from cavet.wording import plain

LATE_SHARE = 3.0
"""A health that is older than so many of its usual pauses is told as a fault."""
MAX_SHOWN = 12


def presence_words(presence: Presence, now: float) -> tuple[str, bool]:
    """Say it, and whether it is bad."""
    if presence.here is None:
        return "not heard of", True
    if not presence.here:
        heard = f", last health {_ago(presence, now)}" if presence.health_at is not None else ""
        return f"gone for {show_seconds(now - presence.since)}{heard}", True
    if presence.health_at is None:
        return "here", False
    late = presence.usual_pause is not None and now - presence.health_at > LATE_SHARE * presence.usual_pause
    usual = f", usually every {show_seconds(presence.usual_pause or 0)}" if late else ""
    return f"here, health {_ago(presence, now)}{usual}", late


def _ago(presence: Presence, now: float) -> str:
    return f"{show_seconds(now - (presence.health_at or 0.0))} ago"


def show_seconds(seconds: float) -> str:
    """Whole seconds: what changes more often than that would only flicker."""
    return show_duration(float(int(seconds))) if seconds >= 1 else "0 s"


def health_words(presence: Presence) -> str:
    """The last health, name by name."""
    return "  ".join(
        f"{plain(name, MAX_SHOWN)} {plain(str(value), MAX_SHOWN)}" for name, value in list(presence.health.items())[:6]
    )
