"""Scanning a bus: each address is asked, and who acknowledges is there."""

from __future__ import annotations

from collections.abc import AsyncIterator

from cavet.bench import RunningBench
from cavet.benchfile import PROTOCOLS
from cavet.finding._around import Found
from cavet.finding._talk import Talk
from cavet.library.sending import say
from cavet.links.system_bus import SystemBusEnd
from cavet.protocols.buses import I2C, BusAnswer, BusCall, BusDecoder
from cavet.wording import WrongError, listed

ADDRESSES = range(0x08, 0x78)
"""Those that are not kept for other purposes. Source: I2C-bus specification 7.0, table 4."""
READ_ONLY = (*range(0x30, 0x38), *range(0x50, 0x60))
"""Memories are asked by a read: a write of nothing may set off something there."""
CALL_SECONDS = 0.25
BY = "find"
THERE = ("i2c-reply", "acknowledged", "read")
"""What comes back where somebody has acknowledged."""


async def scan_kernel_bus(path: str) -> list[Found]:
    """Who acknowledges on a bus of the kernel's. Raises `UnreachableError`."""
    found = []
    async with Talk(SystemBusEnd(path)) as talk:
        for address in ADDRESSES:
            call = BusCall(
                number=address, bus=I2C, address=address, count=int(address in READ_ONLY), data=b"", ten_bit=False
            )
            answer = await talk.ask(call.packed(), _answer, CALL_SECONDS)
            if answer is not None and not answer.why:
                found.append(Found(kind="address", address=f"0x{address:02X}"))
    return found


def _answer(data: bytes) -> BusAnswer | None:
    for frame in BusDecoder(answers=True).feed(data):
        if isinstance(frame.message, BusAnswer):
            return frame.message
    return None


async def scan_board(running: RunningBench, board: str) -> AsyncIterator[Found]:
    """Who acknowledges on a board's bus, as its controller asks. Raises `WrongError` for a board without one."""
    of_board = [host for host in running.setup.hosts.values() if running.setup.links[host.link].board == board]
    host = next((host for host in of_board if PROTOCOLS[host.protocol].HAS_BUS), None)
    if host is None or host.name not in running.host_links:
        able = [
            running.setup.links[each.link].board
            for each in running.setup.hosts.values()
            if PROTOCOLS[each.protocol].HAS_BUS
        ]
        raise WrongError("find bus", found=board, expected=f"a board with a bus: {listed(able) or 'none here'}")
    names = {device.address: name for name, device in host.devices.items() if device.kind not in ("chain", "shift")}
    if host.protocol == "firmata":
        await say(running, host.name, "i2c-config", {"delay": "0"}, None, BY)
    for address in ADDRESSES:
        if await _is_there(running, host.name, host.protocol, address):
            description = names.get(address, "not in the bench")
            yield Found(kind="address", address=f"0x{address:02X}", description=description)


async def _is_there(running: RunningBench, host: str, protocol: str, address: int) -> bool:
    if protocol == "buses":
        message = ("read", {"count": "1"}) if address in READ_ONLY else ("quick-command", {})
    else:
        message = ("i2c-request", {"mode": "read", "count": "1"})
    sent = await say(running, host, message[0], {"address": f"0x{address:02X}", **message[1]}, CALL_SECONDS, BY)
    return sent.answer is not None and sent.answer.name in THERE
