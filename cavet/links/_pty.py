"""A simulated board's serial device: a pseudo-terminal that any program opens as it would a real port."""

from __future__ import annotations

import asyncio
import errno
import os
import select
import termios
import tty
from collections.abc import Callable

from cavet.links._end import Listener, Welcome
from cavet.links._leaving import Leaving
from cavet.links._lookout import lookout
from cavet.links._remote import SAME_RATE
from cavet.links._serial import RATES
from cavet.links._settings import SerialSettings
from cavet.links._tap import Tap
from cavet.links._wire import Losses, Watch, Wire
from cavet.protocols.characters import garble
from cavet.record import Direction
from cavet.wording import UnreachableError

READ_BYTES = 4096
MAX_WAITING_BYTES = 65536
"""Reading stops while so much is under way on the line: the sender's writes then wait, as on a real port."""


class PtyEnd:
    """Serves one serial device file. It sees open and close, and the rate that the other side has set."""

    def __init__(
        self, settings: SerialSettings, losses: Losses, tell_rate: Callable[[int], None] | None = None,
        tap: Tap | None = None, *, resets: bool = False,
    ) -> None:  # fmt: skip
        """`resets` tells that a board begins anew when its device is opened, and hears nothing at first."""
        self._settings = settings
        self._resets = resets
        self._tell_rate = tell_rate
        self._master = -1
        self._welcome: Welcome
        self._listener: Listener
        self._is_open = False
        self._reading = False
        self._rest = b""
        self._offset = 0
        inward = tap.watch(Direction.TO_BOARD) if tap is not None else None
        outward = self._spoilt(tap.watch(Direction.TO_HOST)) if tap is not None else None
        self.inward = Wire(self._hear, settings.byte_seconds, losses, watch=inward)
        self.outward = Wire(self._put, settings.byte_seconds, losses, gathers=True, watch=outward)
        self._leaving = Leaving(self.inward, settings.byte_seconds, self._left)
        self._why = ""
        self.heard_rate = settings.rate
        """The rate that the program has set; a change is told to `tell_rate`."""

    name = ""

    async def start(self, welcome: Welcome) -> str:
        self._welcome = welcome
        try:
            self._master, slave = os.openpty()
        except OSError as error:
            raise UnreachableError("serial device", f"none can be made: {error.strerror}") from error
        self._make_raw(slave)
        path = os.ttyname(slave)
        os.close(slave)  # from now on the system tells when the program's side is shut
        os.set_blocking(self._master, False)
        lookout().add(self._master, path, self)
        return path

    def _make_raw(self, slave: int) -> None:
        tty.setraw(slave)
        attributes = termios.tcgetattr(slave)
        attributes[4] = attributes[5] = RATES.get(self._settings.rate, termios.B57600)
        termios.tcsetattr(slave, termios.TCSANOW, attributes)

    @property
    def is_open(self) -> bool:
        return self._is_open

    @property
    def is_held_up(self) -> bool:
        return self._is_open and not self._reading

    def looked_at(self, state: int) -> None:
        """How the device stands, as `poll` tells it: the program's side was opened, or shut."""
        if not state & select.POLLHUP:
            self.was_opened()
        elif state & select.POLLIN:
            self.was_opened()  # it was opened and shut again between two looks; what it wrote is here
        elif self._is_open:
            self._shut()

    def was_opened_anew(self) -> None:
        self._shut(flush=self._resets)  # else what the new program has written already would be lost
        self.was_opened()

    def was_opened(self) -> None:
        if not self._is_open:
            self._leaving.hurry()
            self._is_open = True
            self.inward.clear()
            self.outward.clear()
            self._rest = b""
            self._listener = self._welcome(self)
            self._listener.opened()
        if not self._reading and self.inward.waiting < MAX_WAITING_BYTES:
            self._reading = True
            asyncio.get_running_loop().add_reader(self._master, self._read)

    def _stop_reading(self) -> None:
        if self._reading:
            self._reading = False
            asyncio.get_running_loop().remove_reader(self._master)

    def _shut(self, *, flush: bool = True) -> None:
        """The program has shut it; what it has written before comes over first."""
        self._why = "the program has shut the device"
        self._let_go(flush=flush)
        self._leaving.begin()

    def _let_go(self, *, flush: bool) -> None:
        self._stop_reading()
        self._is_open = False
        self.outward.clear()
        asyncio.get_running_loop().remove_writer(self._master)
        if flush:
            termios.tcflush(self._master, termios.TCIOFLUSH)

    def _left(self) -> None:
        self.inward.clear()
        self._listener.closed(self._why)

    def _read(self) -> None:
        try:
            data = os.read(self._master, READ_BYTES)
        except BlockingIOError:
            return
        except OSError as error:
            if error.errno != errno.EIO:
                raise
            data = b""
        if not data:
            self._stop_reading()
            if self._is_open:
                self._shut()
            return
        self._look_at_rate()
        if self._same_rate():
            self.inward.send(data)
        else:
            self.inward.send(garble(data, self.heard_rate, self._settings.rate), said=data)
        if self.inward.waiting > MAX_WAITING_BYTES:
            self._stop_reading()
            lookout().look_on()

    def _spoilt(self, watch: Watch) -> Watch:
        """What a board says is heard at the rate that the program has set."""

        def watch_spoilt(offset: int, begin: float, end: float, data: bytes, sent: bytes | None) -> None:
            if self._same_rate():
                watch(offset, begin, end, data, sent)
            else:
                watch(offset, begin, end, garble(data, self._settings.rate, self.heard_rate), sent or data)

        return watch_spoilt

    def _rate(self) -> int:
        speed = termios.tcgetattr(self._master)[5]
        return next((rate for rate, code in RATES.items() if code == speed), self._settings.rate)

    def _look_at_rate(self) -> None:
        rate = self._rate()
        if rate != self.heard_rate:
            self.heard_rate = rate
            if self._tell_rate is not None:
                self._tell_rate(rate)

    def _same_rate(self) -> bool:
        return abs(self.heard_rate / self._settings.rate - 1) < SAME_RATE

    def _hear(self, data: bytes, offset: int, at: float) -> None:
        if self._is_open or self._leaving:
            self._listener.received(data, offset, at)

    def write(self, data: bytes) -> int:
        return self.outward.send(data)

    @property
    def unread(self) -> int:
        return self.outward.waiting + len(self._rest)

    def hang_up(self) -> None:
        """A board can't shut the device that a program has opened: on a serial line there is nothing to shut."""

    def _put(self, data: bytes, offset: int, at: float) -> None:
        if not self._is_open:
            return
        self._look_at_rate()
        if not self._same_rate():
            data = garble(data, self._settings.rate, self.heard_rate)
        self._rest = (self._rest + data)[-MAX_WAITING_BYTES:]
        self._flush()

    def _flush(self) -> None:
        loop = asyncio.get_running_loop()
        try:
            written = os.write(self._master, self._rest)
        except BlockingIOError:
            written = 0
        self._rest = self._rest[written:]
        if self._rest:
            loop.add_writer(self._master, self._flush)
        else:
            loop.remove_writer(self._master)

    async def rename(self, *, back: bool) -> str:
        """The system gives out names as it likes: the first one does not come back."""
        before = self._master
        self._is_gone("the device has got another name")
        lookout().remove(before)
        path = await self.start(self._welcome)  # while the old one is still there: else it could get the same name
        os.close(before)
        return path

    def _is_gone(self, why: str) -> None:
        """The device itself goes, and what is on the line with it."""
        self._leaving.hurry()
        if self._is_open:
            self._why = why
            self._let_go(flush=True)
            self._left()

    async def stop(self) -> None:
        lookout().remove(self._master)
        self._is_gone("the device is there no more")
        self.outward.clear()
        if self._master >= 0:
            asyncio.get_running_loop().remove_writer(self._master)
            os.close(self._master)
            self._master = -1
