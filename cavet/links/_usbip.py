"""A USB device that is exported over IP, as a host's end: reports go out and come in whole."""

from __future__ import annotations

import asyncio
from typing import TypeVar

from cavet.links._end import HostEnd, Listener, StalledError
from cavet.links._usbip_client import IN_BIT, Steps, UsbIpClient
from cavet.protocols import usb
from cavet.protocols.usb import ip
from cavet.wording import UnreachableError

T = TypeVar("T")
ANSWER_SECONDS = 3.0
REPORT_BYTES = 512
"""The most that is asked for at once."""
STATUSES = {ip.EPIPE: "stalled", ip.EOVERFLOW: "more bytes than were asked for", ip.ESHUTDOWN: "it was unplugged"}


class UsbIpEnd:
    """Imports the first device that a server exports, configures it, and keeps one read of its IN endpoint waiting.

    `way` carries the protocol's bytes. `vendor` and `product` choose a device, `None` takes the first.
    """

    def __init__(self, way: HostEnd, out_endpoint: int, in_endpoint: int) -> None:
        self._way = way
        self._out = out_endpoint
        self._in = in_endpoint
        self._client = UsbIpClient()
        self._arrived = asyncio.Event()
        self._listener: Listener | None = None
        self._sent = self._got = 0
        self._failed = ""
        self._asked: dict[int, asyncio.Future[bytes]] = {}
        """Who waits for the control pipe, by the transfer's number."""

    @property
    def address(self) -> str:
        return f"usbip:{self._way.address}"

    @property
    def name(self) -> str:
        return self._way.name

    async def open(self, listener: Listener) -> None:
        self._client, self._failed = UsbIpClient(), ""
        self._sent = self._got = 0
        self._listener = None
        try:
            await self._way.open(_Inner(self))
        except UnreachableError as error:
            raise UnreachableError(self.address, error.reason) from error
        try:
            async with asyncio.timeout(ANSWER_SECONDS):
                await self._import()
        except TimeoutError as error:
            self._way.close()
            raise UnreachableError(self.address, f"no answer within {ANSWER_SECONDS:.0f} s") from error
        except ValueError as error:
            self._way.close()
            raise UnreachableError(self.address, str(error)) from error
        self._listener = listener
        listener.opened()
        self._ask()

    async def _import(self) -> None:
        """Raises `ValueError` for what no such server says."""
        devices = await self._follow(self._client.exported())
        if not devices:
            raise ValueError("found no device, expected one that is exported")
        if await self._follow(self._client.take(devices[0])):
            raise ValueError(f"device {devices[0].bus_id} is not to be had: another program has it")
        self._submit(0, 0, setup=usb.Setup(0, 9, 1).packed())
        while (ended := next(self._client.ended(), None)) is None:
            await self._more()
        if ended.status:
            raise ValueError(f"configuration 1: {STATUSES.get(ended.status, f'error {-ended.status}')}")

    async def _follow(self, steps: Steps[T]) -> T:
        """Send what the steps want to be sent, wait where they need more."""
        while True:
            try:
                data = next(steps)
            except StopIteration as done:
                found: T = done.value
                return found
            if data:
                self._way.write(data)
            else:
                await self._more()

    async def _more(self) -> None:
        self._arrived.clear()
        if self._failed:
            raise ValueError(self._failed)
        await self._arrived.wait()

    def _submit(self, endpoint: int, length: int, *, setup: bytes = bytes(8), data: bytes = b"") -> int:
        number, out = self._client.submit(endpoint, length, setup=setup, data=data)
        self._way.write(out)
        return number

    def _ask(self) -> None:
        self._submit(self._in, REPORT_BYTES)

    def write(self, data: bytes) -> int:
        self._sent += len(data)
        self._submit(self._out, len(data), data=data)
        return self._sent

    async def control(self, setup: bytes) -> bytes:
        request = usb.Setup.unpacked(setup)
        number = self._submit(IN_BIT, request.length, setup=setup) if request.is_in else self._submit(0, 0, setup=setup)
        self._asked[number] = asyncio.get_running_loop().create_future()
        try:
            return await self._asked[number]
        finally:
            del self._asked[number]

    def close(self) -> None:
        self._listener = None
        self._way.close()
        self._give_up("the link was shut")

    def _give_up(self, reason: str) -> None:
        """Nobody answers any more who was asked at the control pipe."""
        for asked in self._asked.values():
            if not asked.done():
                asked.set_exception(UnreachableError(self.address, reason))

    # what the way tells

    def heard(self, data: bytes, at: float) -> None:
        """Bytes have come from the server."""
        self._client.feed(data)
        self._arrived.set()
        if self._listener is None:
            return
        try:
            for ended in self._client.ended():
                self._take(ended, at)
                if self._listener is None:
                    return
        except ValueError as error:
            self._lose(str(error))

    def _take(self, ended: ip.Ended, at: float) -> None:
        asked = self._asked.get(ended.sequence)
        if asked is not None and not asked.done():
            if ended.status:
                asked.set_exception(StalledError(STATUSES.get(ended.status, f"error {-ended.status}")))
            else:
                asked.set_result(ended.data)
            return
        if ended.status:
            self._lose(f"a transfer failed: {STATUSES.get(ended.status, f'error {-ended.status}')}")
            return
        if not ended.data:
            return  # an OUT has gone through
        offset, self._got = self._got, self._got + len(ended.data)
        assert self._listener is not None
        self._listener.received(ended.data, offset, at)
        self._ask()

    def _lose(self, reason: str) -> None:
        listener, self._listener = self._listener, None
        self._way.close()
        self._give_up(reason)
        if listener is not None:
            listener.closed(reason)

    def lost(self, reason: str) -> None:
        """The way is gone."""
        self._failed = reason
        self._arrived.set()
        self._give_up(reason)
        listener, self._listener = self._listener, None
        if listener is not None:
            listener.closed(reason)


class _Inner:
    """Listens on the way for the end."""

    def __init__(self, end: UsbIpEnd) -> None:
        self._end = end

    def opened(self) -> None:
        """The handshake begins when the end's own `open` goes on."""

    def received(self, data: bytes, offset: int, at: float) -> None:
        self._end.heard(data, at)

    def closed(self, reason: str) -> None:
        self._end.lost(reason)
