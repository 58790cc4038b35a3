"""Saying one message to a board, and what answers it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from cavet.bench import RunningBench, Spoiling, UsbSpoken, request_in, spoiled, spoken
from cavet.library.asking import until_ready
from cavet.library.codec import Decoded, as_text
from cavet.library.frames import decoded
from cavet.protocols import Frame, Side
from cavet.wording import UnreachableError, WrongError, listed, nearest

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
    given = {name: as_text(value) for name, value in fields.items()}
    sent = await say(running, find_host(running, place), message, given, within, BY)
    if sent.due and sent.answer is None:
        link = running.host_links[find_host(running, place)]
        patience = within if within is not None else link.plan.manners.reply_within
        raise UnreachableError(link.link.board, f"no answer to {message} within {patience:g} s")
    return sent


async def say(
    running: RunningBench, host: str, message: str, fields: Mapping[str, str], within: float | None, by: str,
    how: Spoiling | None = None,
) -> Sent:  # fmt: skip
    """Say a message by hand, as it is or wrong on purpose, its fields as a person writes them."""
    link = running.host_links[host]
    tongue = spoken(running.plan, link.link)
    request = tongue.made(message, fields, link.said_by_hand)
    pieces = spoiled(how, tongue, request, tongue.encode(request), tongue.silence(link.link.byte_seconds))
    meant = request_in(tongue, request, pieces) if how is not None else request
    due = tongue.is_due(meant or request)
    await until_ready(link)
    number = link.said_by_hand
    carried = tuple((pause, tongue.carried(data, request, number)) for pause, data in pieces)

    def answers(frame: Frame) -> bool:
        return tongue.is_answer(meant or request, frame)

    patience = within if within is not None else link.plan.manners.reply_within
    count = 2 if how is not None and how.kind == "twice" else 1
    setup = tongue.control(request, b"".join(data for _, data in pieces)) if isinstance(tongue, UsbSpoken) else None
    if setup is not None:
        found = await link.control(setup, request.NAME, by, patience)
    else:
        decoder = tongue.decoder(Side.BOARD)
        found = await link.say(carried, request.NAME, by, decoder, answers if due else None, patience, count)
    heard = [(decoded(tongue, each.frame, Side.BOARD), each.delay) for each in found.heard]
    return Sent(found.asked, b"".join(data for _, data in pieces), due, heard)


def find_host(running: RunningBench, place: str) -> str:
    """The host of a board, or of a link, `BOARD.LINK`. Raises `WrongError`."""
    hosts = running.host_links
    for name, link in hosts.items():
        if place in (name, link.link.board, link.link.name, f"{link.link.board}.{link.link.name}"):
            return name
    raise WrongError("send", found=place, expected=f"one of {listed(hosts)}", nearest=nearest(place, hosts))
