"""Rules about links: rates, units, topics."""

from __future__ import annotations

import math
from collections.abc import Iterator

from cavet.benchfile import line_share
from cavet.benchfile.boards import FormatDevice, ModbusDevice
from cavet.hosts import FieldPoint, TopicPoint
from cavet.protocols.firmata import SAMPLING_SECONDS
from cavet.remarks._around import Around, point_key
from cavet.remarks._mending import Edit, Mend
from cavet.remarks._points import topic_meant
from cavet.remarks._remark import Remark, Weight
from cavet.units import show_duration
from cavet.wording import digits, listed

NEARLY_FULL, HALF_FULL = 0.8, 0.5
"""Shares of a line that reports may take: there it is told, and so much may stay."""
AMPLE = 1.5
"""So many times as long as a board takes at most its host waits without haste."""


def rates_differ(around: Around) -> Iterator[Remark]:
    """A board that runs its line at another rate than the link."""
    for link in around.setup.links.values():
        board = around.setup.boards.get(link.board)
        if board is None or board.baud is None or link.kind != "serial" or board.baud == link.settings.rate:
            continue
        keys = ("links", link.name, "rate")
        yield Remark(
            name="baud-differs", keys=keys, weight=Weight.WRONG,
            what=f"the link runs at {link.settings.rate} baud, the {board.name} at {board.baud}",
            why="each bit is looked at in the wrong place: what comes is other characters, or none; never an answer",
            mend=Mend(f"rate = {board.baud}", (Edit(keys, board.baud),)),
        )  # fmt: skip


def told_too_late(around: Around) -> Iterator[Remark]:
    """Hosts that give a wish up before their board tells how it stands."""
    for host in around.setup.hosts.values():
        board = around.setup.boards.get(around.setup.links[host.link].board)
        if board is None or not isinstance(board.device, FormatDevice):
            continue
        told = {each.frame: each.seconds for each in board.device.board.gives if each.when == "every"}
        waited = host.settings.reply_within * (host.settings.retries + 1)
        late = {
            point.name: told[point.state_frame]
            for point in around.setup.points.values()
            if isinstance(point, FieldPoint) and point.board == host.name and point.kind.is_output and point.confirm
            and told.get(point.state_frame, 0.0) >= waited
        }  # fmt: skip
        if not late:
            continue
        keys, enough = ("hosts", host.name, "reply_within"), f"{digits(AMPLE * max(late.values()))} s"
        yield Remark(
            name="told-too-late", keys=keys, weight=Weight.DOUBTFUL,
            what=f"the {board.name} tells of {listed(late, 'and')} every {show_duration(max(late.values()))}, and "
            f"{host.name} waits for {show_duration(waited)}",
            why="what was asked counts as unconfirmed before the board has told of it, though all is well",
            mend=Mend(f"reply_within = {enough}", (Edit(keys, enough),)),
            subjects=tuple(late),
        )  # fmt: skip


def lines_too_slow(around: Around) -> Iterator[Remark]:
    """Lines that what a board reports by itself fills, or nearly: answers come late behind it."""
    for host in around.setup.hosts.values():
        share = line_share(around.setup, host.name)
        if share < NEARLY_FULL:
            continue
        rate = around.setup.links[host.link].settings.rate
        sampling = host.settings.sampling or SAMPLING_SECONDS
        enough = f"{math.ceil(sampling * share / HALF_FULL * 1000)} ms"
        keys = ("hosts", host.name, "sampling")
        yield Remark(
            name="line-too-slow", keys=keys, weight=Weight.WRONG if share >= 1 else Weight.DOUBTFUL,
            what=f"what is reported to {host.name} every {show_duration(sampling)} needs {100 * share:.0f} % of a line "
            f"of {rate} baud",
            why="answers wait behind it: what was asked counts as unconfirmed though all is well, and readings are old",
            mend=Mend(f'sampling = "{enough}"', (Edit(keys, enough),)),
        )  # fmt: skip


def units_twice(around: Around) -> Iterator[Remark]:
    """Two boards of one line, or behind one address, with one unit."""
    there: dict[tuple[str, int], tuple[str, str]] = {}
    for host in around.setup.hosts.values():
        link, unit = around.setup.links[host.link], host.settings.unit
        if not link.protocol.startswith("modbus") or not unit:
            continue
        where = f"on the line of {link.line}" if link.simulated else f"at {link.address}"
        other, board = there.setdefault((where, unit), (host.name, link.board))
        if board != link.board:
            yield Remark(
                name="unit-twice", keys=("hosts", host.name, "unit"), weight=Weight.WRONG,
                what=f"{other} and {host.name} are both unit {unit} {where}",
                why="two units of one number answer at once, and their frames destroy each other; what one is told "
                "the other does as well",
            )  # fmt: skip


def units_differ(around: Around) -> Iterator[Remark]:
    """A host that asks another unit than the board is."""
    for host in around.setup.hosts.values():
        link = around.setup.links[host.link]
        board = around.setup.boards.get(link.board)
        device = board.device if board is not None else None
        if board is None or not isinstance(device, ModbusDevice) or host.settings.unit in (0, device.identity.unit):
            continue
        if link.protocol == "modbus-tcp" and host.settings.unit == 255:
            continue  # "whoever is at this address"
        keys = ("hosts", host.name, "unit")
        yield Remark(
            name="unit-differs", keys=keys, weight=Weight.WRONG,
            what=f"the host asks unit {host.settings.unit}, the {board.name} is unit {device.identity.unit}",
            why="a unit that is not meant says nothing at all: it looks like a cable that is not there",
            mend=Mend(f"unit = {device.identity.unit}", (Edit(keys, device.identity.unit),)),
        )  # fmt: skip


def topics_differ(around: Around) -> Iterator[Remark]:
    """Points at topics that the board spells otherwise."""
    for board, wiring in around.simulated():
        for point in wiring.points:
            if not isinstance(point, TopicPoint):
                continue
            key, meant = topic_meant(wiring, point)
            if not key:
                continue
            found = point.command if key == "command" else point.state
            yield Remark(
                name="topic-differs", keys=point_key(point, key), weight=Weight.WRONG,
                what=f"{point.name} is at {found}, the {board.name} at {meant}",
                why="a broker takes every topic and tells nobody that none listens: what is published there is lost "
                "without a word",
                mend=_to_topic(around, point, key, meant), subjects=(point.name,),
            )  # fmt: skip


def _to_topic(around: Around, point: TopicPoint, key: str, meant: str) -> Mend | None:
    base = around.setup.hosts[point.board].topics.base
    if base and not meant.startswith(f"{base}/"):
        return None
    word = meant.removeprefix(f"{base}/") if base else meant
    return Mend(f"{key} = {word}", (Edit(point_key(point, key), word),))
