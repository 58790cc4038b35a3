"""Why a command that goes over a broker has stopped: what is between a host and its board is more than a cable."""

from __future__ import annotations

from cavet.hosts import TopicPoint
from cavet.record import Trail

Reason = tuple[str, str]
"""What happened, and what to do about it."""


def not_taken(trail: Trail, point: TopicPoint, here: bool | None, *, own_broker: bool) -> Reason:
    """The bytes are on their way to the broker, or beyond."""
    tries = f" in {trail.resends + 1} tries" if trail.resends else ""
    if trail.refused is not None:
        return trail.refused.note, f"is the payload what the board expects at {point.command}?"
    if here is False:
        return (
            "the board is gone: its presence says so",
            "look at its supply and its network; send it again when it is here",
        )
    if own_broker and trail.passed is None:
        return "the broker did not take it", "look at the link to the broker, and at the broker's own record"
    if trail.passed is not None and not trail.passed.value:
        return (
            f"the broker took it, but nobody has subscribed to {point.command}{tries}",
            f"compare `command` in [points.{point.name}] with the topic that the board listens to",
        )
    return (
        f"the broker took it, but no message has come out at the board{tries}",
        "does the board listen to this topic? has its link just been lost?",
    )


def not_driven(point: TopicPoint) -> Reason:
    """The board's firmware has the message."""
    return "the board took it, but did not act", f"is the payload what it expects at {point.command}?"


def not_confirmed(trail: Trail, point: TopicPoint, *, simulated: bool) -> Reason:
    """Whatever the board did, the host has not read it."""
    stands = trail.stopped.note if trail.stopped is not None else f"nothing came on {point.state}"
    if simulated and trail.told is None:
        return (
            f"the board acted, but reported nothing on {point.state}",
            "does its firmware report after each command? without that, set `confirm` to off",
        )
    return (
        stands,
        f"compare `state` in [points.{point.name}] with what it reports; a slow board: raise reply_within",
    )
