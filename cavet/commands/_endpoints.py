"""Endpoints at places that a person names: a port that is fixed, a link in the file system to a device."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import msgspec

from cavet.bench import Endpoint
from cavet.benchfile import LinkSetup, Setup
from cavet.files import file_errors
from cavet.units import whole_number
from cavet.wording import WrongError, listed

MOST_PORT = 65535


def with_ports(setup: Setup, words: tuple[str, ...], boards: Sequence[str] | None = None) -> Setup:
    """The set-up with links that listen on these ports, `BOARD[.LINK]=N` each; where only some `boards` are served, of
    those. Raises `WrongError`."""
    links = dict(setup.links)
    for word in words:
        place, _, number = word.partition("=")
        try:
            port = whole_number(number)
        except ValueError:
            port = 0
        if not 1 <= port <= MOST_PORT:
            raise WrongError("--port", found=word, expected=f"BOARD[.LINK]=N, N from 1 to {MOST_PORT}")
        able = [link for link in links.values() if _listens(link) and _is_served(link, boards)]
        chosen = _chosen("--port", place, able, "a simulated link that listens on a port")
        links |= {link.name: msgspec.structs.replace(link, listen_port=port) for link in setup.on_line(chosen.line)}
    return msgspec.structs.replace(setup, links=links)


def _is_served(link: LinkSetup, boards: Sequence[str] | None) -> bool:
    return boards is None or link.board in boards


def _listens(link: LinkSetup) -> bool:
    if not link.simulated or link.broker:
        return False
    return link.kind in ("tcp", "usb") or (link.kind == "serial" and link.served != "device")


def devices_wanted(setup: Setup, words: tuple[str, ...], boards: Sequence[str] | None = None) -> dict[str, Path]:
    """For each link that is to have one, the path at which its device is to be found; where only some `boards` are
    served, of those. Raises `WrongError`."""
    found: dict[str, Path] = {}
    able = [
        link
        for link in setup.links.values()
        if link.simulated and link.kind == "serial" and link.served == "device" and _is_served(link, boards)
    ]
    for word in words:
        place, equals, path = word.partition("=")
        if not equals or not path:
            raise WrongError("--device", found=word, expected="BOARD[.LINK]=PATH")
        link = _chosen("--device", place, able, "a simulated serial link that is served as a device")
        if os.path.lexists(path) and not (Path(path).is_symlink() and not Path(path).exists()):
            raise WrongError("--device", found=f"{path}, which is there already", expected="a path where nothing is")
        found[link.name] = Path(path)
    return found


def _chosen(option: str, place: str, links: list[LinkSetup], what: str) -> LinkSetup:
    for link in links:
        if place in (link.name, f"{link.board}.{link.name}", f"{link.board}.{link.kind}"):
            return link
    of_board = [link for link in links if link.board == place]
    if of_board:
        return of_board[0]
    known = listed([f"{link.board}.{link.name}" if link.board != link.name else link.name for link in links])
    raise WrongError(option, found=place, expected=f"{what}: {known or 'this bench has none'}")


@contextmanager
def linked(endpoints: list[Endpoint], wanted: dict[str, Path]) -> Iterator[None]:
    """Make links to devices, and take them away in the end. Raises `WrongError` where one can't be made."""
    made: list[tuple[Path, str]] = []
    try:
        for endpoint in endpoints:
            path = wanted.get(endpoint.link)
            if path is None:
                continue
            with file_errors(path, "a path for a link"):
                if path.is_symlink():  # it points at nothing any more
                    path.unlink()
                path.symlink_to(endpoint.address)
            made.append((path, endpoint.address))
        yield
    finally:
        for path, address in made:
            if path.is_symlink() and str(path.readlink()) == address:  # else somebody has put another one there
                path.unlink(missing_ok=True)
