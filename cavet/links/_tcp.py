"""TCP, as the endpoint of a simulated board and as a host's way to a real one."""

from __future__ import annotations

import asyncio
import ssl
from collections.abc import Callable

from cavet.links._end import Listener, Welcome
from cavet.links._remote import MalformedError, RemotePort
from cavet.links._wire import Losses, Wire
from cavet.wording import UnreachableError

READ_BYTES = 65536
MAX_WAITING_BYTES = 1 << 20
CONNECT_SECONDS = 5.0
MakeRemote = Callable[[Callable[[bytes], None]], RemotePort]
SEVERAL = 100
"""How many programs a network board serves at once."""


class TcpServerEnd:
    """Listens for programs, `most` at a time; one more is turned away.

    With `byte_seconds` it is a serial line whose bytes travel over TCP, paced like the line: as they are, or with the
    port's settings among them, where `remote` makes what takes those out.
    """

    def __init__(
        self,
        host: str,
        port: int,
        losses: Losses,
        *,
        most: int = 1,
        byte_seconds: float = 0.0,
        tls: ssl.SSLContext | None = None,
        remote: MakeRemote | None = None,
    ) -> None:
        self._host = host
        self._port = port
        self._losses = losses
        self._most = most
        self._byte_seconds = byte_seconds
        self._tls = tls
        self._remote = remote
        self._server: asyncio.Server | None = None
        self._welcome: Welcome
        self._callers: set[_Caller] = set()

    async def start(self, welcome: Welcome) -> str:
        self._welcome = welcome
        try:
            self._server = await asyncio.start_server(self._serve, self._host, self._port, ssl=self._tls)
        except OSError as error:
            raise UnreachableError(f"{self._host}:{self._port}", error.strerror or str(error)) from error
        return _address(self._server.sockets[0].getsockname())

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        if len(self._callers) >= self._most:
            writer.close()
            return
        caller = _Caller(writer, self._byte_seconds, self._losses, self._remote)
        self._callers.add(caller)
        try:
            await caller.talk(reader, self._welcome(caller))
        finally:
            self._callers.discard(caller)

    async def stop(self) -> None:
        if self._server is not None:
            self._server.close()
        for caller in list(self._callers):
            caller.drop()
        serving = {caller.serving for caller in self._callers if caller.serving is not None}
        if serving:
            await asyncio.wait(serving)


class _Caller:
    """One program that has connected."""

    def __init__(
        self, writer: asyncio.StreamWriter, byte_seconds: float, losses: Losses, remote: MakeRemote | None
    ) -> None:
        self._writer = writer
        self._remote = remote(writer.write) if remote is not None else None
        self._listener: Listener
        self.name = _address(writer.get_extra_info("peername"))
        self.serving = asyncio.current_task()
        self._inward = Wire(self._hear, byte_seconds, losses)
        self._outward = Wire(self._put, byte_seconds, losses)

    async def talk(self, reader: asyncio.StreamReader, listener: Listener) -> None:
        """Hear it until it shuts the connection."""
        self._listener = listener
        listener.opened()
        reason = "the program has shut the connection"
        try:
            while data := await reader.read(READ_BYTES):
                self._inward.send(self._remote.incoming(data) if self._remote is not None else data)
        except (ConnectionError, ssl.SSLError):
            pass  # the other side is gone: the same as its having shut the connection
        except MalformedError as error:
            reason = str(error)
        finally:
            self._inward.clear()
            self._outward.clear()
            self._writer.close()
            listener.closed(reason)

    def _hear(self, data: bytes, offset: int, at: float) -> None:
        self._listener.received(data, offset, at)

    def write(self, data: bytes) -> int:
        return self._outward.send(data)

    @property
    def unread(self) -> int:
        return self._outward.waiting + self._writer.transport.get_write_buffer_size()

    def _put(self, data: bytes, offset: int, at: float) -> None:
        if self._writer.transport.get_write_buffer_size() > MAX_WAITING_BYTES:
            self.drop()  # it does not read: nothing may pile up for it
            return
        self._writer.write(self._remote.outgoing(data) if self._remote is not None else data)

    def drop(self) -> None:
        self._writer.transport.abort()


def _address(name: tuple[str, int] | None) -> str:
    """Write an address as HOST:PORT. A connection that is gone already has none."""
    if name is None:
        return ""
    host, port = name[:2]
    return f"[{host}]:{port}" if ":" in host else f"{host}:{port}"


class TcpClientEnd:
    """Connects to a board's address."""

    def __init__(self, host: str, port: int, tls: ssl.SSLContext | None = None) -> None:
        self._host = host
        self._port = port
        self._tls = tls
        self._writer: asyncio.StreamWriter | None = None
        self._reading: asyncio.Task[None] | None = None
        self._sent = self._got = 0
        self.name = ""
        """Its own address, by which the board's side knows it."""

    @property
    def address(self) -> str:
        return f"{self._host}:{self._port}"

    async def open(self, listener: Listener) -> None:
        try:
            async with asyncio.timeout(CONNECT_SECONDS):
                reader, self._writer = await asyncio.open_connection(self._host, self._port, ssl=self._tls)
        except TimeoutError as error:
            raise UnreachableError(self.address, f"no answer within {CONNECT_SECONDS:.0f} s") from error
        except ssl.SSLCertVerificationError as error:
            raise UnreachableError(self.address, f"its certificate is not trusted: {error.verify_message}") from error
        except ssl.SSLError as error:
            raise UnreachableError(self.address, f"no TLS: {error.reason or error}") from error
        except OSError as error:
            raise UnreachableError(self.address, error.strerror or str(error)) from error
        self._sent = self._got = 0
        self.name = _address(self._writer.get_extra_info("sockname"))
        listener.opened()
        self._reading = asyncio.create_task(self._read(reader, listener))

    async def _read(self, reader: asyncio.StreamReader, listener: Listener) -> None:
        reason = "the board has shut the connection"
        loop = asyncio.get_running_loop()
        try:
            while data := await reader.read(READ_BYTES):
                offset = self._got
                self._got += len(data)
                listener.received(data, offset, loop.time())
        except (ConnectionError, ssl.SSLError) as error:
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
