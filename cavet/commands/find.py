"""`cavet find`: what is around this machine. Nothing is driven, and no host is looked at that was not named."""

from __future__ import annotations

import asyncio
import re
import time
from collections.abc import Awaitable, Callable

import click
import msgspec

from cavet import clock
from cavet.bench import Carrier, RunningBench
from cavet.benchfile import Setup, address_problem
from cavet.commands._bench import at_addresses, open_bench
from cavet.finding import (
    Found,
    kernel_buses,
    nearby,
    open_ports,
    scan_board,
    scan_kernel_bus,
    serial_ports,
    topics_at,
    usb_devices,
)
from cavet.wording import WrongError, plain, unknown

LOOK_SECONDS = 0.5
"""How often `--watch` looks again."""
KINDS = ("serial", "usb", "i2c", "tcp", "broker", "bus")
TCP = re.compile(r"(.+):(\d{1,5})(?:-(\d{1,5}))?")
Look = Callable[[], Awaitable[list[Found]]]


@click.command("find")
@click.argument("words", nargs=-1, metavar="[serial | usb | i2c [BUS] | tcp HOST:PORTS | broker HOST:PORT | bus …]")
@click.option("--json", "as_json", is_flag=True, help="JSON lines, one a find.")
@click.option("--watch", is_flag=True, help="Go on, and say what comes and what goes.")
@click.option("--at", multiple=True, metavar="BOARD=ADDRESS", help="With bus: where the board is.")
def command(words: tuple[str, ...], as_json: bool, watch: bool, at: tuple[str, ...]) -> None:
    """List what is there; without a word serial ports, USB devices and the kernel's buses.

    `tcp` looks at the ports of a host that you name, 256 at most; `broker` lists topics; `bus BENCH BOARD` asks every
    address of a board's bus.
    """
    look = looking(words, at)
    found = clock.run(_once(look), fast=isinstance(look, BusLook) and look.is_within)
    for each in found:
        tell(each, as_json=as_json)
    if not found and not as_json and not watch:
        print("nothing found")
    if watch:
        clock.run(_go_on(look, found, as_json=as_json))


async def _once(look: Look) -> list[Found]:
    return await look()


async def _go_on(look: Look, found: list[Found], *, as_json: bool) -> None:
    known = {each.address: each for each in found}
    while True:
        await asyncio.sleep(LOOK_SECONDS)
        now = {each.address: each for each in await look()}
        for address, each in now.items():
            if address not in known:
                tell(each, as_json=as_json, change="came")
        for address, each in known.items():
            if address not in now:
                tell(each, as_json=as_json, change="gone")
        known = now


def tell(found: Found, *, as_json: bool, change: str = "") -> None:
    """Print what was found."""
    if as_json:
        row = found.row() | ({"change": change, "at": round(time.time(), 3)} if change else {})
        print(msgspec.json.encode(row).decode(), flush=True)
        return
    busy = f"in use by {found.by}" if found.busy else ""
    words = (change, found.kind, found.address, found.description, found.vendor, found.serial, busy)
    print("  ".join(plain(word) for word in words if word), flush=True)


def looking(words: tuple[str, ...], at: tuple[str, ...]) -> Look:
    """What looks for what is wanted. Raises `WrongError`."""
    kind, rest = (words[0], words[1:]) if words else ("", ())
    if kind and kind not in KINDS:
        raise unknown("find", kind, KINDS)
    wants = {"tcp": 1, "broker": 1, "bus": 2}.get(kind, 0)
    if len(rest) != wants and not (kind == "i2c" and len(rest) == 1):
        expected = {"tcp": "HOST:FIRST-LAST", "broker": "HOST:PORT", "bus": "BENCH BOARD", "i2c": "a bus, or nothing"}
        raise WrongError(
            f"find {kind}".strip(), found=" ".join(rest) or "nothing", expected=expected.get(kind, "nothing")
        )
    if kind == "tcp":
        return _ports(rest[0])
    if kind == "broker":
        return _topics(rest[0])
    if kind == "bus":
        return _bus(rest[0], rest[1], at)
    if kind == "i2c" and rest:
        return lambda: scan_kernel_bus(rest[0])
    here = {"serial": serial_ports, "usb": usb_devices, "i2c": kernel_buses, "": nearby}[kind]

    async def look() -> list[Found]:
        return here()

    return look


def _ports(words: str) -> Look:
    match = TCP.fullmatch(words)
    if match is None:
        raise WrongError("find tcp", found=words, expected="HOST:FIRST-LAST, or HOST:PORT")
    first = int(match[2])
    last = int(match[3]) if match[3] else first
    return lambda: open_ports(match[1], first, last)


def _topics(address: str) -> Look:
    if problem := address_problem(address):
        raise WrongError("find broker", found=address, expected=problem)
    return lambda: topics_at(address)


def _bus(bench: str, board: str, at: tuple[str, ...]) -> Look:
    setup = at_addresses(open_bench(bench).setup, at)
    known = sorted(setup.linked_boards)
    if board not in known:
        raise unknown("find bus", board, known)

    return BusLook(setup, board)


class BusLook:
    """Asks every address of a board's bus, as its controller does; in fast time where all of it is simulated."""

    def __init__(self, setup: Setup, board: str) -> None:
        self._setup = setup
        self._board = board
        self.is_within = all(link.is_within for link in setup.links.values() if link.board == board)

    async def __call__(self) -> list[Found]:
        carrier = Carrier.MEMORY if self.is_within else Carrier.REAL
        boards = [self._board] if self._board in self._setup.boards else []
        running = RunningBench(self._setup, carrier=carrier, boards=boards)
        try:
            await running.start()
            return [found async for found in scan_board(running, self._board)]
        finally:
            await running.stop()
