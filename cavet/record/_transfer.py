"""Transfers: the bytes that have passed a link, each way, as they were put on it and as they came off."""

from __future__ import annotations

from enum import StrEnum

import msgspec


class Direction(StrEnum):
    """Which way bytes go. A broker is a board here: what its clients send goes to it."""

    TO_BOARD = "to-board"
    TO_HOST = "to-host"


class Seat(StrEnum):
    """At which end of a link a transfer was seen."""

    HOST = "host"
    BOARD = "board"


class Transfer(msgspec.Struct, frozen=True, gc=False):
    """Bytes that have passed in one go.

    `link` is its name in the bench, `client` tells the programs on it apart ("" where there can be only one). `offset`
    counts the bytes of this direction since that program has opened the link; `begin` and `end` are seconds since the
    bench was started, of the first byte's beginning and the last one's end. `event` is how many events were in the
    record by then.
    """

    number: int
    link: str
    client: str
    seat: Seat
    direction: Direction
    offset: int
    begin: float
    end: float
    data: bytes
    """What came off the link."""
    sent: bytes | None
    """What was put on it, where that is something else: bytes were lost on the way, or changed."""
    event: int
