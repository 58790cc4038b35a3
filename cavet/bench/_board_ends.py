"""The boards' ends of links that leave this process: device files, network ports."""

from __future__ import annotations

from functools import partial

import msgspec

from cavet.benchfile import ModbusDevice
from cavet.benchfile._setup import LinkSetup, Setup
from cavet.links import SEVERAL, BoardEnd, Losses, PtyEnd, RemotePort, Tap, TcpServerEnd
from cavet.record import Kind, Record, Topic


def board_end(setup: Setup, link: LinkSetup, losses: Losses, tap: Tap, listen: str, record: Record) -> BoardEnd:
    """A network endpoint; a serial line as a device file, or offered on a network, to one program at a time."""
    if link.kind == "serial" and link.served == "device":
        settings = msgspec.structs.replace(link.settings, rate=(rates_of(setup, link) or (0, link.settings.rate))[1])
        resets = setup.boards[link.board].profile.resets
        return PtyEnd(settings, losses, partial(_tell_rate, setup, link, record), tap, resets=resets)
    if link.kind == "serial":
        tell = partial(_tell_port, link, record)
        return TcpServerEnd(
            listen,
            link.listen_port,
            losses,
            byte_seconds=link.byte_seconds,
            remote=(lambda write: RemotePort(link.settings, write, tell)) if link.served == "rfc2217" else None,
            tap=tap,
        )
    most = 1 if setup.boards[link.board].profile.resets else SEVERAL
    tls = link.tls.server(f"links.{link.name}") if link.tls is not None else None
    return TcpServerEnd(listen, link.listen_port, losses, most=most, tls=tls, tap=tap)


def rates_of(setup: Setup, link: LinkSetup) -> tuple[int, int] | None:
    """The rates of a serial line's two ends, where the board runs at another one than the link."""
    own = setup.boards[link.board].baud
    return (link.settings.rate, own) if link.kind == "serial" and own not in (None, link.settings.rate) else None


def unit_of(setup: Setup, link: LinkSetup) -> int:
    """The unit by which its board is known on its line, where it has one."""
    device = setup.boards[link.board].device
    return device.identity.unit if isinstance(device, ModbusDevice) else 0


def _tell_port(link: LinkSetup, record: Record, words: str) -> None:
    """The program at a line that is offered by RFC 2217 has changed a setting, or one of its lines."""
    record.append(Kind.REMARK, link.board, Topic.LINK, link.name, None, None, words)


def _tell_rate(setup: Setup, link: LinkSetup, record: Record, rate: int) -> None:
    """The program at a device has set another rate: say whether the board understands it."""
    own = setup.boards[link.board].baud or link.settings.rate
    note = "as the board's" if rate == own else f"the board runs at {own}: bytes are garbled both ways"
    words = f"{rate} baud at the other end, {note}"
    record.append(Kind.REMARK, link.board, Topic.LINK, link.name, rate, None, words)
