"""TCP, as the endpoint of a simulated board and as a host's way to a real one."""

from __future__ import annotations

import asyncio

from cavet.links._end import Listener
from cavet.links._wire import Losses, Wire
from cavet.wording import UnreachableError

READ_BYTES = 65536
MAX_WAITING_BYTES = 1 << 20
CONNECT_SECONDS = 5.0


class TcpServerEnd:
    """Listens for one program at a time; a second one is turned away while the first is there."""

    def __init__(self, host: str, port: int, losses: Losses) -> None:
        self._host = host
        self._port = port
        self._losses = losses
        self._server: asyncio.Server | None = None
        self._writer: asyncio.StreamWriter | None = None
        self._serving: asyncio.Task[None] | None = None
        self._listener: Listener
        self.inward = Wire(self._hear, 0.0, losses)
        self.outward = Wire(self._put, 0.0, losses)

    async def start(self, listener: Listener) -> str:
        self._listener = listener
        try:
            self._server = await asyncio.start_server(self._serve, self._host, self._port)
        except OSError as error:
            raise UnreachableError(f"{self._host}:{self._port}", error.strerror or str(error)) from error
        host, port = self._server.sockets[0].getsockname()[:2]
        return f"[{host}]:{port}" if ":" in host else f"{host}:{port}"

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        if self._writer is not None:
            writer.close()
            return
        self._writer = writer
        self._serving = asyncio.current_task()
        self.inward.clear()
        self.outward.clear()
        self._listener.opened()
        try:
            while data := await reader.read(READ_BYTES):
                self.inward.send(data)
        except ConnectionError:
            pass  # the other side is gone: the same as its having shut the connection
        finally:
            self._writer = None
            writer.close()
            self._listener.closed("the program has shut the connection")

    def _hear(self, data: bytes, offset: int) -> None:
        self._listener.received(data, offset)

    def write(self, data: bytes) -> int:
        return self.outward.send(data)

    def _put(self, data: bytes, offset: int) -> None:
        if self._writer is None:
            return
        if self._writer.transport.get_write_buffer_size() > MAX_WAITING_BYTES:
            self._writer.transport.abort()  # it does not read: nothing may pile up for it
            return
        self._writer.write(data)

    async def stop(self) -> None:
        if self._server is not None:
            self._server.close()
        if self._writer is not None:
            self._writer.transport.abort()
        if self._serving is not None:
            await asyncio.wait({self._serving})


class TcpClientEnd:
    """Connects to a board's address."""

    def __init__(self, host: str, port: int) -> None:
        self._host = host
        self._port = port
        self._writer: asyncio.StreamWriter | None = None
        self._reading: asyncio.Task[None] | None = None
        self._sent = self._got = 0

    @property
    def address(self) -> str:
        return f"{self._host}:{self._port}"

    async def open(self, listener: Listener) -> None:
        try:
            async with asyncio.timeout(CONNECT_SECONDS):
                reader, self._writer = await asyncio.open_connection(self._host, self._port)
        except TimeoutError as error:
            raise UnreachableError(self.address, f"no answer within {CONNECT_SECONDS:.0f} s") from error
        except OSError as error:
            raise UnreachableError(self.address, error.strerror or str(error)) from error
        self._sent = self._got = 0
        listener.opened()
        self._reading = asyncio.create_task(self._read(reader, listener))

    async def _read(self, reader: asyncio.StreamReader, listener: Listener) -> None:
        reason = "the board has shut the connection"
        try:
            while data := await reader.read(READ_BYTES):
                offset = self._got
                self._got += len(data)
                listener.received(data, offset)
        except ConnectionError as error:
            reason = error.strerror or str(error)
        self.close()
        listener.closed(reason)

    def write(self, data: bytes) -> int:
        self._sent += len(data)
        if self._writer is not None:
            self._writer.write(data)
        return self._sent

    def close(self) -> None:
        if self._writer is not None:
            self._writer.close()
            self._writer = None
        if self._reading is not None and self._reading is not asyncio.current_task():
            self._reading.cancel()
        self._reading = None
