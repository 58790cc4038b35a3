"""A set-up with some of its boards found elsewhere than it says: at a device, at an address, on another broker."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

import msgspec

from cavet.benchfile._setup import AT, Setup, address_problem, joined_lines
from cavet.wording import WrongError, listed, unknown

ADDRESSES = {
    "serial": "/dev/ttyUSB0", "tcp": "HOST:PORT", "usb": "usbip:HOST:PORT or VENDOR:PRODUCT", "buses": "/dev/i2c-1",
}  # fmt: skip
"""What an address of each kind of link looks like."""
USB_PREFIX = "usb:"
USB_ADDRESS = re.compile(rf"usbip:[^/]+:\d{{1,5}}|({USB_PREFIX})?[0-9A-Fa-f]{{4}}:[0-9A-Fa-f]{{4}}")


def with_addresses(setup: Setup, addresses: Mapping[str, str], place: str) -> Setup:
    """Give the set-up with boards at these addresses: their hosts open that. Raises `WrongError`, with this place."""
    for board, address in addresses.items():
        boards = sorted(setup.linked_boards)
        if board not in boards:
            raise unknown(place, board, boards)
        beside = _elsewhere_beside(setup, board, addresses)
        if beside is not None:
            expected = f"{addresses[beside]}, where {beside} is: they are on one line"
            raise WrongError(place, found=address, expected=expected)
        setup = _moved(setup, board, address, place)
    links = joined_lines(setup.links)
    return msgspec.structs.replace(setup, links=links, elsewhere=setup.elsewhere | dict(addresses))


def as_recorded(setup: Setup, about: Mapping[str, str]) -> Setup:
    """Give the set-up with its boards where a record, by what it says of itself, had them. Raises `WrongError`."""
    moved = {name.removeprefix(AT): address for name, address in about.items() if name.startswith(AT)}
    broker = moved.pop("", None)
    return with_addresses(setup if broker is None else setup.on_broker(broker), moved, "the record")


def _moved(setup: Setup, board: str, address: str, place: str) -> Setup:
    """A board's hosts open its link of the kind that the address is of; none of its links is simulated any more, and
    where those of other kinds are is not known. What hangs on the same line is there, too."""
    if any(link.broker for link in setup.links.values() if link.board == board):
        return _on_its_broker(setup, board, address, place)
    own = {name: link for name, link in setup.links.items() if link.board == board}
    has = sorted({link.kind for link in own.values()})
    kind = _kind_of(address, has)
    fitting = [name for name, link in own.items() if link.kind == kind]
    if not fitting:
        looks = ", or ".join(ADDRESSES[each] for each in has)
        expected = f"the address of a {listed(has)} link, which is what {board} has: {looks}"
        raise WrongError(place, found=address, expected=expected)
    opened = address.removeprefix(USB_PREFIX) if kind == "usb" else address
    links = setup.links | {
        name: msgspec.structs.replace(link, address=opened if name in fitting else "") for name, link in own.items()
    }
    moved = {own[name].line for name in fitting}
    links |= {name: msgspec.structs.replace(link, address=opened) for name, link in links.items() if link.line in moved}
    hosts = {
        name: msgspec.structs.replace(host, link=fitting[0]) if host.link in own and host.link not in fitting else host
        for name, host in setup.hosts.items()
    }
    return msgspec.structs.replace(setup, links=links, hosts=hosts)


def _elsewhere_beside(setup: Setup, board: str, addresses: Mapping[str, str]) -> str | None:
    """The board on a line with this one that is said to be at another address; `None` where none is."""
    lines = {link.line for link in setup.links.values() if link.board == board}
    there = [link.board for link in setup.links.values() if link.line in lines]
    return next((each for each in there if addresses.get(each, addresses[board]) != addresses[board]), None)


def _kind_of(address: str, has: Sequence[str]) -> str:
    """The kind of link that an address is of, where a board has links of these kinds."""
    if "usb" in has and USB_ADDRESS.fullmatch(address):
        return "usb"
    if "buses" in has and address.startswith("/dev/i2c-"):
        return "buses"
    return "tcp" if re.fullmatch(r"[^/]+:\d{1,5}", address) else "serial"


def _on_its_broker(setup: Setup, board: str, address: str, place: str) -> Setup:
    """A board that is a client of the broker at an address."""
    if problem := address_problem(address):
        raise WrongError(place, found=address, expected=f"{problem}: that of the broker which {board} is on")
    links = {
        name: msgspec.structs.replace(link, address="real", broker=address) if link.board == board else link
        for name, link in setup.links.items()
    }
    return msgspec.structs.replace(setup, links=links)
