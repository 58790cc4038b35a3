"""The two ends of a link, and who listens at them."""

from __future__ import annotations

from typing import Protocol


class Listener(Protocol):
    """Told of what happens at an end. `offset` counts the bytes of that direction since the link was opened."""

    def opened(self) -> None: ...
    def received(self, data: bytes, offset: int) -> None: ...
    def closed(self, reason: str) -> None: ...


class HostEnd(Protocol):
    """The host's end: a device or an address to open."""

    @property
    def address(self) -> str:
        """What is opened, for a person."""

    async def open(self, listener: Listener) -> None:
        """Open it, and tell the listener so. Raises `UnreachableError`; `listener.closed` tells of its loss later."""

    def write(self, data: bytes) -> int:
        """Send bytes; give the offset behind the last of them."""

    def close(self) -> None:
        """Let go of it; the listener is not told."""


class BoardEnd(Protocol):
    """A simulated board's end: an endpoint that others open."""

    async def start(self, listener: Listener) -> str:
        """Be there; give the address that a program opens. Raises `UnreachableError`."""

    def write(self, data: bytes) -> int:
        """Send bytes, at the link's pace; give the offset behind the last of them."""

    async def stop(self) -> None:
        """Be gone."""
