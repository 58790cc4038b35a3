"""Where simulated boards are reached, and what their links are made of."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from enum import Enum

import msgspec

from cavet.benchfile._setup import LinkSetup, Setup
from cavet.boards import CableSettings
from cavet.boards.buses import TargetBoardSettings


class Carrier(Enum):
    """What the links of simulated boards are made of."""

    REAL = "real"
    """Endpoints that any program can open."""
    MEMORY = "memory"
    """Wires inside this process, for fast time."""


class Endpoint(msgspec.Struct, frozen=True, kw_only=True):
    """Where a simulated board can be reached."""

    board: str
    link: str
    kind: str
    address: str
    setup: LinkSetup


def shown_address(link: LinkSetup, address: str, carrier: Carrier) -> str:
    """The address of an endpoint as a program takes it."""
    if carrier is not Carrier.REAL:
        return address
    if link.kind == "serial" and link.served != "device":
        return f"{'socket' if link.served == 'raw' else 'rfc2217'}://{address}"
    return f"usbip:{address}" if link.kind == "usb" else address


def places_of(endpoints: Iterable[Endpoint]) -> dict[str, str]:
    """Where other programs find the boards, by `board.kind` and by `board.link`."""
    found = {}
    for endpoint in endpoints:
        found[f"{endpoint.board}.{endpoint.kind}"] = found[f"{endpoint.board}.{endpoint.link}"] = endpoint.address
    return found


def variables_of(places: Mapping[str, str]) -> dict[str, str]:
    """The variables of its environment in which a program finds the boards: `CAVET_BOARD_LINK`."""
    return {f"CAVET_{re.sub('[^A-Z0-9]', '_', name.upper())}": place for name, place in places.items()}


def simulated_boards(setup: Setup) -> set[str]:
    """The boards that are simulated: those that have a simulated link, or none at all, with their targets."""
    found = {link.board for link in setup.links.values() if link.simulated}
    found |= set(setup.boards).difference(setup.linked_boards)
    return found | targets_of(setup, found)


def targets_of(setup: Setup, boards: set[str]) -> set[str]:
    """The boards that are targets on the buses of these, or at the ends of their cables."""
    return {
        table.board
        for name in boards
        if name in setup.boards
        for table in setup.boards[name].parts.values()
        if isinstance(table, TargetBoardSettings | CableSettings)
    }
