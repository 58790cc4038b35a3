"""Saying one message to a board, and what answers it."""

from __future__ import annotations

from typing import Any

from cavet.bench import RunningBench
from cavet.library.asking import until_ready
from cavet.library.codec import Decoded, as_text
from cavet.library.frames import protocol_of
from cavet.protocols import Frame, Side, codec, find_form, is_answer, is_answered, read_message
from cavet.wording import UnreachableError, WrongError, listed, nearest

BY = "script"
HAND_TRANSACTIONS = 0xFF00
"""Modbus TCP: what is said by hand takes its numbers from here on; a session's own come round after them."""


class Sent:
    """A message that was said: its bytes `wire`, the `answer`, `None` where none was due or none came, its `delay` in
    seconds, and whether one was `due`."""

    def __init__(self, wire: bytes, due: bool, answer: Decoded | None, delay: float | None) -> None:
        self.wire = wire
        self.due = due
        self.answer = answer
        self.delay = delay

    def __repr__(self) -> str:
        return f"<sent {self.wire.hex(' ')}, answer {self.answer}>"


async def send(running: RunningBench, place: str, message: str, within: float | None, fields: dict[str, Any]) -> Sent:
    """Say a message to a board, on its host's link."""
    host = find_host(running, place)
    link = running.host_links[host]
    protocol = protocol_of(link)
    if protocol in ("usb", "buses"):
        raise WrongError("send", found=f"{place}, on {protocol}", expected="a board that is spoken with in messages")
    chosen = codec(protocol)
    if "unit" not in fields and protocol.startswith("modbus"):
        fields = {"unit": link.plan.manners.unit, **fields}
    if protocol == "modbus-tcp" and "transaction" not in fields:
        fields = {"transaction": HAND_TRANSACTIONS + link.said_by_hand % 0x100, **fields}
    form = find_form(chosen, message, list(fields), False)
    request = read_message(form, {name: as_text(value) for name, value in fields.items()}, chosen.unused)
    data = chosen.encode(request)
    due = is_answered(protocol, request)
    await until_ready(link)

    def answers(frame: Frame) -> bool:
        return frame.readable and is_answer(protocol, request, frame.message)

    patience = within if within is not None else link.plan.manners.reply_within
    decoder = chosen.decoder(Side.BOARD)
    answer = await link.say(data, request.NAME, BY, decoder, answers if due else None, patience)
    found = Decoded(chosen, answer.frame) if answer.frame is not None else None
    if due and found is None:
        raise UnreachableError(link.link.board, f"no answer to {request.NAME} within {patience:g} s")
    return Sent(data, due, found, answer.delay)


def find_host(running: RunningBench, place: str) -> str:
    """The host of a board, or of a link, `BOARD.LINK`. Raises `WrongError`."""
    hosts = running.host_links
    for name, link in hosts.items():
        if place in (name, link.link.board, link.link.name, f"{link.link.board}.{link.link.name}"):
            return name
    raise WrongError("send", found=place, expected=f"one of {listed(hosts)}", nearest=nearest(place, hosts))
