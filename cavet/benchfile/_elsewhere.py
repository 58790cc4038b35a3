"""A set-up with some of its boards found elsewhere than it says: at a device, at an address, on another broker."""

from __future__ import annotations

import re
from collections.abc import Mapping

import msgspec

from cavet.benchfile._setup import AT, Setup, address_problem
from cavet.wording import WrongError, listed, nearest


def with_addresses(setup: Setup, addresses: Mapping[str, str], place: str) -> Setup:
    """Give the set-up with boards at these addresses: their hosts open that. Raises `WrongError`, with this place."""
    for board, address in addresses.items():
        boards = sorted({link.board for link in setup.links.values()})
        if board not in boards:
            raise WrongError(place, found=board, expected=f"one of {listed(boards)}", nearest=nearest(board, boards))
        setup = _moved(setup, board, address, place)
    return msgspec.structs.replace(setup, elsewhere=setup.elsewhere | dict(addresses))


def as_recorded(setup: Setup, about: Mapping[str, str]) -> Setup:
    """Give the set-up with its boards where a record, by what it says of itself, had them. Raises `WrongError`."""
    moved = {name.removeprefix(AT): address for name, address in about.items() if name.startswith(AT)}
    broker = moved.pop("", None)
    return with_addresses(setup if broker is None else setup.on_broker(broker), moved, "the record")


def _moved(setup: Setup, board: str, address: str, place: str) -> Setup:
    """A board's hosts open its link of the kind that the address is of; none of its links is simulated any more."""
    if any(link.broker for link in setup.links.values() if link.board == board):
        return _on_its_broker(setup, board, address, place)
    kind = "tcp" if re.fullmatch(r"[^/]+:\d{1,5}", address) else "serial"
    own = {name: link for name, link in setup.links.items() if link.board == board}
    fitting = [name for name, link in own.items() if link.kind == kind]
    if not fitting:
        has = listed(sorted({link.kind for link in own.values()}))
        raise WrongError(place, found=address, expected=f"the address of a {has} link, which is what {board} has")
    links = setup.links | {name: msgspec.structs.replace(link, address=address) for name, link in own.items()}
    hosts = {
        name: msgspec.structs.replace(host, link=fitting[0]) if host.link in own and host.link not in fitting else host
        for name, host in setup.hosts.items()
    }
    return msgspec.structs.replace(setup, links=links, hosts=hosts)


def _on_its_broker(setup: Setup, board: str, address: str, place: str) -> Setup:
    """A board that is a client of the broker at an address."""
    if problem := address_problem(address):
        raise WrongError(place, found=address, expected=f"{problem}: that of the broker which {board} is on")
    links = {
        name: msgspec.structs.replace(link, address="real", broker=address) if link.board == board else link
        for name, link in setup.links.items()
    }
    return msgspec.structs.replace(setup, links=links)
