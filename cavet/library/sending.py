"""Saying one message to a board, and what answers it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from cavet import bench as benches
from cavet.bench import RunningBench, Spoiling
from cavet.library.codec import Decoded
from cavet.library.frames import decoded
from cavet.protocols import Side, as_text
from cavet.units import finite
from cavet.wording import UnreachableError, digits

BY = "script"


class Sent:
    """A message that was said: its bytes `wire`, the `answer`, `None` where none was due or none came, its `delay` in
    seconds, and whether one was `due`. `answers` holds all, where it was said twice; `asked` is the event its trail
    begins with."""

    def __init__(self, asked: int, wire: bytes, due: bool, answers: list[tuple[Decoded, float]]) -> None:
        self.asked = asked
        self.wire = wire
        self.due = due
        self.answers = answers
        self.answer = answers[0][0] if answers else None
        self.delay = answers[0][1] if answers else None

    def __repr__(self) -> str:
        return f"<sent {self.wire.hex(' ')}, answer {self.answer}>"


async def send(running: RunningBench, place: str, message: str, within: float | None, fields: dict[str, Any]) -> Sent:
    """Say a message to a board, on its host's link. Raises `WrongError`, and `UnreachableError` where no answer comes
    though one is due."""
    within = within if within is None else finite(within, "send.within", "seconds, 0 or more", 0.0)
    given = {name: as_text(value) for name, value in fields.items()}
    sent = await say(running, running.setup.host_meant(place), message, given, within, BY)
    if sent.due and sent.answer is None:
        link = running.host_links[running.setup.host_meant(place)]
        patience = within if within is not None else link.setup.settings.reply_within
        raise UnreachableError(link.link.board, f"no answer to {message} within {digits(patience)} s")
    return sent


async def say(
    running: RunningBench, host: str, message: str, fields: Mapping[str, str], within: float | None, by: str,
    how: Spoiling | None = None,
) -> Sent:  # fmt: skip
    """Say a message by hand, as it is or wrong on purpose, its fields as a person writes them."""
    said = await benches.say(running, host, message, fields, within, by, how)
    heard = [(decoded(said.tongue, each.frame, Side.BOARD), each.delay) for each in said.heard]
    return Sent(said.asked, said.wire, said.due, heard)
