"""The two ends of a link, and who listens at them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol, runtime_checkable


class Listener(Protocol):
    """Told of what happens at an end. `offset` counts the bytes of that direction since the link was opened; `at` is
    the loop's time at which the last of them had come over the line."""

    def opened(self) -> None: ...
    def received(self, data: bytes, offset: int, at: float) -> None: ...
    def closed(self, reason: str) -> None: ...


class HostEnd(Protocol):
    """The host's end: a device or an address to open."""

    @property
    def address(self) -> str:
        """What is opened, for a person."""

    @property
    def name(self) -> str:
        """By which the board's side knows it, once it is open."""

    async def open(self, listener: Listener) -> None:
        """Open it, and tell the listener so. Raises `UnreachableError`; `listener.closed` tells of its loss later."""

    def write(self, data: bytes) -> int:
        """Send bytes; give the offset behind the last of them."""

    def close(self) -> None:
        """Let go of it; the listener is not told."""


class StalledError(Exception):
    """A device has refused a request to its control pipe."""


class ControlEnd(HostEnd, Protocol):
    """The host's end of a USB device, whose control pipe can be used beside its reports."""

    async def control(self, setup: bytes) -> bytes:
        """Make a request of eight bytes; give what the device sends, b"" where it only acknowledges. Raises
        `StalledError`, and `UnreachableError` where the link is lost meanwhile."""


class Caller(Protocol):
    """A program that has opened a simulated board's endpoint, as long as it is there."""

    @property
    def name(self) -> str:
        """Tells it from others on the same link: its address, "" where there can only be one."""

    def write(self, data: bytes) -> int:
        """Send it bytes, at the link's pace; give the offset behind the last of them."""

    @property
    def unread(self) -> int:
        """How many bytes it has not been able to take yet."""

    def hang_up(self) -> None:
        """Shut its connection, behind what was written; its listener is told."""


Welcome = Callable[[Caller], Listener]
"""Makes the listener for a program that has just opened an endpoint; it is told `opened` next."""


class BoardEnd(Protocol):
    """A simulated board's end: an endpoint that others open."""

    async def start(self, welcome: Welcome) -> str:
        """Be there; give the address that a program opens. Raises `UnreachableError`."""

    async def stop(self) -> None:
        """Be gone."""


@runtime_checkable
class NamedEnd(BoardEnd, Protocol):
    """One that can be there under another name than before."""

    async def rename(self, *, back: bool) -> str:
        """Be there under another name, or `back` under the first one, where that can be had again; give it. Programs at
        the old one lose it."""
