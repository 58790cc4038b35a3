"""A serial port that is reached over the network, as pyserial's URLs name it: `rfc2217://` and `socket://`."""

from __future__ import annotations

import asyncio
import contextlib
import queue
import threading
from collections.abc import Callable
from typing import Any

from cavet.links._end import Listener
from cavet.links._settings import SerialSettings
from cavet.wording import UnreachableError

LOOK_SECONDS = 0.05
WRITE_SECONDS = 1.0
"""A port that takes nothing for so long counts as lost."""
LEAVE_SECONDS = 0.2
"""How long closing waits for what is still on its way out."""
READ_BYTES = 4096
SCHEMES = ("rfc2217://", "socket://")


class UrlEnd:
    """Opens such a port. pyserial waits while it works, so it reads and writes in threads of its own."""

    name = ""

    def __init__(self, url: str, settings: SerialSettings) -> None:
        self._url = url
        self._settings = settings
        self._port: Any = None
        self._outgoing: queue.SimpleQueue[bytes | None] = queue.SimpleQueue()
        self._writer = threading.Thread()
        self._sent = self._got = 0

    @property
    def address(self) -> str:
        return self._url

    async def open(self, listener: Listener) -> None:
        loop = asyncio.get_running_loop()
        port = await loop.run_in_executor(None, self._open)
        self._port = port
        self._outgoing = queue.SimpleQueue()
        self._sent = self._got = 0
        listener.opened()
        self._writer = threading.Thread(target=self._write, args=(port, self._outgoing, loop, listener), daemon=True)
        for thread in (self._writer, threading.Thread(target=self._read, args=(port, loop, listener), daemon=True)):
            thread.start()

    def _open(self) -> Any:
        settings = self._settings
        try:
            import serial  # here, since most benches never need it

            return serial.serial_for_url(
                self._url,
                settings.rate,
                bytesize=settings.data_bits,
                parity=settings.parity,
                stopbits=settings.stop_bits,
                timeout=LOOK_SECONDS,
                write_timeout=WRITE_SECONDS if self._url.startswith("socket://") else None,  # the other has none
            )
        except (OSError, ValueError) as error:
            raise UnreachableError(self._url, str(error)) from error

    def _read(self, port: Any, loop: asyncio.AbstractEventLoop, listener: Listener) -> None:
        """In its own thread: hand on what comes, until the port is shut on either side."""
        reason = "the port is gone"
        while self._port is port:
            try:
                data = port.read(1)
                data += port.read(min(READ_BYTES, port.in_waiting)) if data and port.in_waiting else b""
            except (OSError, TypeError, AttributeError) as error:
                reason = str(error)  # the last two from pyserial's own, when the port is shut while it reads
                break
            if data:
                _hand_over(loop, self._heard, port, data, listener)
        _hand_over(loop, self._lost, port, reason, listener)

    def _write(
        self, port: Any, outgoing: queue.SimpleQueue[bytes | None], loop: asyncio.AbstractEventLoop, listener: Listener
    ) -> None:
        """In its own thread: say what is to go out, until the port is shut."""
        while (data := outgoing.get()) is not None:
            try:
                port.write(data)
            except OSError as error:
                _hand_over(loop, self._lost, port, str(error), listener)
                return

    def _heard(self, port: Any, data: bytes, listener: Listener) -> None:
        if self._port is port:
            offset = self._got
            self._got += len(data)
            listener.received(data, offset, asyncio.get_running_loop().time())

    def _lost(self, port: Any, reason: str, listener: Listener) -> None:
        if self._port is port:
            self.close()
            listener.closed(reason)

    def write(self, data: bytes) -> int:
        self._sent += len(data)
        if self._port is not None:
            self._outgoing.put(data)
        return self._sent

    def close(self) -> None:
        port, self._port = self._port, None
        if port is not None:
            self._outgoing.put(None)
            self._writer.join(LEAVE_SECONDS)
            port.close()


def _hand_over(loop: asyncio.AbstractEventLoop, call: Callable[..., None], *arguments: object) -> None:
    """Call something in the loop, soon. When the loop has ended, nobody is there to be told."""
    if not loop.is_closed():
        with contextlib.suppress(RuntimeError):  # it may end between the look and the call
            loop.call_soon_threadsafe(call, *arguments)
