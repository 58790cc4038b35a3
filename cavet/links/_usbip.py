"""A USB device that is exported over IP, as a host's end: reports go out and come in whole."""

from __future__ import annotations

import asyncio

from cavet.links._end import HostEnd, Listener, StalledError
from cavet.protocols import usb
from cavet.protocols.usb import ip
from cavet.wording import UnreachableError

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
        self._replies = ip.ReplyReader()
        self._arrived = asyncio.Event()
        self._listener: Listener | None = None
        self._sequence = 0
        self._device = 0
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
        self._replies, self._failed = ip.ReplyReader(), ""
        self._sent = self._got = self._sequence = 0
        self._listener = None
        await self._way.open(_Inner(self))
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
        self._way.write(ip.devlist_request())
        await self._operation(ip.REP_DEVLIST, "no list of devices")
        count = int.from_bytes(await self._bytes(4), "big")
        if not count:
            raise ValueError("found no device, expected one that is exported")
        device = ip.read_exported(await self._bytes(ip.DEVICE_BYTES))
        await self._bytes(4 * len(device.interfaces))
        for _ in range(count - 1):
            other = ip.read_exported(await self._bytes(ip.DEVICE_BYTES))
            await self._bytes(4 * len(other.interfaces))
        self._way.write(ip.import_request(device.bus_id))
        await self._operation(ip.REP_IMPORT, f"device {device.bus_id} is not to be had: another program has it")
        await self._bytes(ip.DEVICE_BYTES)
        self._device = device.bus << 16 | device.number
        self._submit(ip.OUT, 0, 0, setup=usb.Setup(0, 9, 1).packed())
        while (ended := self._replies.ended()) is None:
            await self._more()
        if ended.status:
            raise ValueError(f"configuration 1: {STATUSES.get(ended.status, f'error {-ended.status}')}")

    async def _operation(self, code: int, refused: str) -> None:
        while (found := self._replies.operation()) is None:
            await self._more()
        if found[1]:
            raise ValueError(refused)
        if found[0] != code:
            raise ValueError(f"found reply 0x{found[0]:04X}, expected 0x{code:04X}")

    async def _bytes(self, size: int) -> bytes:
        while (found := self._replies.take(size)) is None:
            await self._more()
        return found

    async def _more(self) -> None:
        self._arrived.clear()
        if self._failed:
            raise ValueError(self._failed)
        await self._arrived.wait()

    def _submit(
        self, direction: int, endpoint: int, length: int, *, setup: bytes = bytes(8), data: bytes = b""
    ) -> None:
        self._sequence += 1
        if direction == ip.IN:
            self._replies.wanted[self._sequence] = length
        self._way.write(
            ip.submit_request(ip.Submit(self._sequence, direction, endpoint, length, setup, data, self._device))
        )

    def _ask(self) -> None:
        self._submit(ip.IN, self._in & 0x7F, REPORT_BYTES)

    def write(self, data: bytes) -> int:
        self._sent += len(data)
        self._submit(ip.OUT, self._out, len(data), data=data)
        return self._sent

    async def control(self, setup: bytes) -> bytes:
        request = usb.Setup.unpacked(setup)
        self._submit(ip.IN if request.is_in else ip.OUT, 0, request.length if request.is_in else 0, setup=setup)
        number = self._sequence
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
        self._replies.feed(data)
        self._arrived.set()
        if self._listener is None:
            return
        try:
            while self._listener is not None and (ended := self._replies.ended()) is not None:
                self._take(ended, at)
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
