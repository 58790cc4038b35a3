"""What a host has sent on a trail, frame by frame, as rulers."""

from __future__ import annotations

from cavet.bench import BROKER, Spoken, spoken
from cavet.benchfile import LinkSetup
from cavet.hosts import Point
from cavet.messaging import read_publish
from cavet.protocols import Field, Frame, Side, read_all
from cavet.record import Trail
from cavet.workbench.desk import Desk

Apart = list[tuple[Frame, list[Field]]]


def taken_apart(desk: Desk, trail: Trail, point: Point | None, data: bytes) -> Apart:
    """The frames in what was sent on a trail, each with its fields and what they mean."""
    tongue, board = _tongue(desk, trail, point, data)
    if tongue is None:
        return []
    frames = read_all(tongue.decoder(Side.HOST), data)
    meanings = desk.meanings(board)
    found = []
    for frame in frames:
        fields = tongue.explained(frame, Side.HOST)
        found.append((frame, meanings.tell(frame, fields, Side.HOST) if meanings is not None else fields))
    return found


def _tongue(desk: Desk, trail: Trail, point: Point | None, data: bytes) -> tuple[Spoken | None, str]:
    """What a trail's bytes are in, and the board that they are for."""
    setup = desk.bench.setup
    if trail.root.board == BROKER and point is None:
        return Spoken("mqtt" if read_publish(data, 4, Side.HOST) else "mqtt5", setup, None), ""
    link = _link(desk, trail, point)
    return (spoken(setup, link), link.board) if link is not None else (None, "")


def _link(desk: Desk, trail: Trail, point: Point | None) -> LinkSetup | None:
    """The link of a trail's point, or the one that its bytes came by."""
    setup = desk.bench.setup
    return setup.links.get(setup.hosts[point.board].link if point is not None else trail.root.subject)
