"""Saying one message by hand to a board that runs, right or wrong, and what answers it."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from cavet.bench._asking import until_ready
from cavet.bench._by_hand import Heard
from cavet.bench._running import RunningBench
from cavet.bench._spoiling import Spoiling, request_in, spoiled
from cavet.bench._spoken import Spoken, UsbSpoken, spoken
from cavet.protocols import Frame, Side


class Said(msgspec.Struct, frozen=True):
    """A message that was said: the event that its trail begins with, its bytes, whether an answer was due, what
    answered."""

    tongue: Spoken
    asked: int
    wire: bytes
    due: bool
    heard: tuple[Heard, ...]


async def say(
    running: RunningBench, host: str, message: str, fields: Mapping[str, str], within: float | None, by: str,
    how: Spoiling | None = None, cause: int | None = None,
) -> Said:  # fmt: skip
    """Say a message by hand, as it is or wrong on purpose, its fields as a person writes them. Raises `WrongError`,
    `UnreachableError`."""
    link = running.host_links[host]
    tongue = spoken(running.setup, link.link)
    request = tongue.made(message, fields, link.said_by_hand)
    pieces = spoiled(how, tongue, request, tongue.encode(request), tongue.silence(link.link.byte_seconds))
    meant = request_in(tongue, request, pieces) if how is not None else request
    due = tongue.is_due(meant or request)
    await until_ready(link)
    number = link.said_by_hand
    carried = tuple((pause, tongue.carried(data, request, number)) for pause, data in pieces)

    def answers(frame: Frame) -> bool:
        return tongue.is_answer(meant or request, frame)

    patience = within if within is not None else link.setup.settings.reply_within
    count = 2 if how is not None and how.kind == "twice" else 1
    wire = b"".join(data for _, data in pieces)
    setup = tongue.control(request, wire) if isinstance(tongue, UsbSpoken) else None
    if setup is not None:
        found = await link.control(setup, request.NAME, by, patience, cause)
    else:
        decoder = tongue.decoder(Side.BOARD)
        expected = answers if due else None
        refuses = tongue.is_refusal_of_any
        found = await link.say(carried, request.NAME, by, decoder, expected, patience, count, cause, refuses)
    return Said(tongue, found.asked, wire, due, found.heard)
