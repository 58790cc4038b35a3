"""What a host has sent, frame by frame, taken apart by whatever is spoken there."""

from __future__ import annotations

from cavet.bench import BROKER, FormatPlan
from cavet.hosts import Point, TopicPoint
from cavet.messaging import read_publish
from cavet.protocols import PROTOCOLS, Codec, Field, Frame, Side, buses, codec
from cavet.record import Trail
from cavet.workbench.desk import Desk

Apart = list[tuple[bytes, Field]]
"""Frames, each with its bytes."""


def taken_apart(desk: Desk, trail: Trail, point: Point | None, data: bytes) -> Apart:
    """The frames in what was sent on a trail."""
    plan = desk.bench.plan
    host = plan.hosts.get(point.board) if point is not None else None
    if host is not None and host.protocol == "buses":
        return [(buses.on_wires(call), buses.explain(call)) for call in buses.read_calls(data)]
    if host is not None and host.format is not None:
        return _by_plan(list(host.format.codecs.values()), data)
    board = plan.boards.get(trail.root.board)
    if point is None and board is not None and isinstance(board.device, FormatPlan):
        frames = board.device.board
        return _by_plan([frames.codecs[name] for name in frames.takes], data)
    protocol = _spoken(desk, trail, point)
    return _read(codec(protocol), data) if protocol in PROTOCOLS else []


def _read(chosen: Codec, data: bytes) -> Apart:
    return [(frame.data, chosen.explain(frame, Side.HOST)) for frame in _frames(chosen, data)]


def _frames(chosen: Codec, data: bytes) -> list[Frame]:
    decoder = chosen.decoder(Side.HOST)
    return [*decoder.feed(data), *decoder.finish()]


def _by_plan(codecs: list[Codec], data: bytes) -> Apart:
    """By the first of a plan's frames that fits without a problem; else by the first that can be read."""
    read = [(chosen, _frames(chosen, data)) for chosen in codecs]
    good = [pair for pair in read if all(frame.readable and not frame.problems for frame in pair[1])]
    fair = [pair for pair in read if all(frame.readable for frame in pair[1])]
    chosen, frames = (good or fair or read)[0]
    return [(frame.data, chosen.explain(frame, Side.HOST)) for frame in frames]


def _spoken(desk: Desk, trail: Trail, point: Point | None) -> str:
    """The protocol that a trail's bytes are in: that of its point's link, or of the one that they came by."""
    plan = desk.bench.plan
    if isinstance(point, TopicPoint):
        return "mqtt5" if plan.hosts[point.board].client.version == 5 else "mqtt"
    if trail.root.board == BROKER:
        data = trail.root.value
        return "mqtt" if isinstance(data, bytes) and read_publish(data, 4, Side.HOST) else "mqtt5"
    link = plan.links.get(plan.hosts[point.board].link if point is not None else trail.root.subject)
    return link.protocol if link is not None else ""
