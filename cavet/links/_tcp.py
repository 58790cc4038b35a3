"""TCP, as the endpoint of a simulated board and as a host's way to a real one."""

from __future__ import annotations

import asyncio
import os
import re
import ssl
from collections.abc import Callable

from cavet.clock import start_task
from cavet.links._end import Listener, Welcome
from cavet.links._leaving import Leaving
from cavet.links._remote import MalformedError, RemotePort
from cavet.links._tap import Tap
from cavet.links._wire import Losses, Wire
from cavet.record import Direction
from cavet.wording import UnreachableError, WrongError

READ_BYTES = 65536
MAX_WAITING_BYTES = 1 << 20
MAX_LINE_BYTES = 65536
"""So much may be under way on a serial line that is offered over TCP."""
CONNECT_SECONDS = 5.0
LINGER_SECONDS = 5.0
"""How long a program may take to read what was written before we hung up: one that never does must not stay."""
MakeRemote = Callable[[Callable[[bytes], None]], RemotePort]
SEVERAL = 600
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
        tap: Tap | None = None,
        who: str = "the board",
    ) -> None:
        """`who` listens there. Raises `WrongError` where no host is named: that would be all networks there are."""
        if not host:
            raise WrongError("listen", found=host, expected="a host; 127.0.0.1 for this machine alone")
        self.who = who
        self._host = host
        self._port = self._first_port = port
        self._losses = losses
        self._most = most
        self.byte_seconds = byte_seconds
        self._tls = tls
        self._remote = remote
        self._tap = tap
        self._server: asyncio.Server | None = None
        self._welcome: Welcome
        self._callers: set[_Caller] = set()

    async def start(self, welcome: Welcome) -> str:
        self._welcome = welcome
        address = await self._listen(self._port)
        self._first_port = int(address.rpartition(":")[2])
        return address

    async def _listen(self, port: int) -> str:
        try:
            self._server = await asyncio.get_running_loop().create_server(
                self._make_caller, self._host, port, ssl=self._tls
            )
        except OSError as error:
            raise UnreachableError(host_port(self._host, port) if port else self._host, _reason(error)) from error
        return _address(self._server.sockets[0].getsockname())

    async def rename(self, *, back: bool) -> str:
        """It listens on another port, or on the first one again."""
        await self.stop()
        return await self._listen(self._first_port if back else 0)

    def _make_caller(self) -> _Caller:
        return _Caller(self)

    def admit(self, caller: _Caller) -> Listener | None:
        """Give the listener for a new program; `None` where there are too many already."""
        for each in list(self._callers) if self.byte_seconds else ():
            each.leaving.hurry()
        if len(self._callers) >= self._most:
            return None
        self._callers.add(caller)
        return self._welcome(caller)

    def make_wires(self, caller: _Caller) -> tuple[Wire, Wire, RemotePort | None]:
        """Both directions of its line, and what takes settings out of it."""
        tap, ways = self._tap, (Direction.TO_BOARD, Direction.TO_HOST)
        watches = [tap.watch(way, caller) if tap is not None else None for way in ways]
        inward = Wire(caller.hear, self.byte_seconds, self._losses, watch=watches[0])
        outward = Wire(caller.put, self.byte_seconds, self._losses, watch=watches[1])
        return inward, outward, self._remote(caller.say) if self._remote is not None else None

    def dismiss(self, caller: _Caller) -> None:
        """A program is gone."""
        self._callers.discard(caller)

    async def stop(self) -> None:
        if self._server is not None:
            self._server.close()
        callers = list(self._callers)
        for caller in callers:
            caller.drop()
        for caller in callers:
            await caller.gone.wait()


class _Caller(asyncio.Protocol):
    """One program that has connected."""

    def __init__(self, end: TcpServerEnd) -> None:
        self._end = end
        self._transport: asyncio.Transport
        self._paused = self._is_dropped = False
        self._listener: Listener | None = None
        self._reason = "the program has shut the connection"
        self._linger: asyncio.TimerHandle | None = None
        self.name = ""
        """Its address."""
        self.gone = asyncio.Event()

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        assert isinstance(transport, asyncio.Transport)  # a stream's
        self._transport = transport
        self.name = _address(transport.get_extra_info("peername"))
        self._inward, self._outward, self._remote = self._end.make_wires(self)
        self.leaving = Leaving(self._inward, self._end.byte_seconds, self._left)
        self.write = self._outward.send
        self._listener = self._end.admit(self)
        if self._listener is None:
            transport.close()
        else:
            self._listener.opened()

    def data_received(self, data: bytes) -> None:
        if self._listener is None:
            return  # turned away
        try:
            self._inward.send(self._remote.incoming(data) if self._remote is not None else data)
        except MalformedError as error:
            self._reason = str(error)
            self.drop()
            return
        if self._inward.waiting > MAX_LINE_BYTES and not self._transport.is_closing():
            self._transport.pause_reading()  # the line is slower than the network: the sender has to wait
            self._paused = True

    def connection_lost(self, exc: Exception | None) -> None:
        if self._linger is not None:
            self._linger.cancel()
        self._outward.clear()
        if self._is_dropped:
            self._left()
        else:
            self.leaving.begin()

    def _left(self) -> None:
        self._inward.clear()
        self._end.dismiss(self)
        if self._listener is not None:
            self._listener.closed(self._reason)
        self.gone.set()

    def hear(self, data: bytes, offset: int, at: float) -> None:
        """Bytes have come over the line."""
        if self._listener is not None:
            self._listener.received(data, offset, at)
        if self._paused and self._inward.waiting < MAX_LINE_BYTES // 2 and not self._transport.is_closing():
            self._paused = False
            self._transport.resume_reading()

    @property
    def unread(self) -> int:
        return self._outward.waiting + self._transport.get_write_buffer_size()

    def put(self, data: bytes, offset: int, at: float) -> None:
        """Bytes have gone over the line."""
        if self._transport.get_write_buffer_size() > MAX_WAITING_BYTES:
            self.drop()  # it does not read: nothing may pile up for it
            return
        self._transport.write(self._remote.outgoing(data) if self._remote is not None else data)

    def say(self, data: bytes) -> None:
        """Send bytes as they are."""
        self._transport.write(data)

    def hang_up(self) -> None:
        """Shut it, when what was written has gone out."""
        self._reason = f"{self._end.who} has shut the connection"
        self._transport.close()
        self._linger = asyncio.get_running_loop().call_later(LINGER_SECONDS, self._transport.abort)

    def drop(self) -> None:
        """Shut it at once."""
        self._is_dropped = True
        self.leaving.hurry()
        self._transport.abort()


def _reason(error: OSError) -> str:
    """What the system says, without what was tried."""
    if error.errno is not None and error.errno > 0:
        return os.strerror(error.errno)
    several = re.search(r"\[Errno (\d+)\]", str(error))  # a name with several addresses: the first one's
    return os.strerror(int(several[1])) if several is not None else error.strerror or str(error)


def _address(name: tuple[str, int] | None) -> str:
    """Write an address as HOST:PORT. A connection that is gone already has none."""
    return host_port(*name[:2]) if name is not None else ""


def host_port(host: str, port: int) -> str:
    """An address as a person writes it: HOST:PORT, IPv6 in brackets."""
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
        return host_port(self._host, self._port)

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
            raise UnreachableError(self.address, _reason(error)) from error
        self._sent = self._got = 0
        self.name = _address(self._writer.get_extra_info("sockname"))
        listener.opened()
        self._reading = start_task(self._read(reader, listener))

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
