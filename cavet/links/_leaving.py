"""A program that is gone while its last bytes are still on the line: they come over, and only then it counts as gone.

A real port's close waits until all bytes have gone out. A pseudo-terminal's, or a socket's, returns at once; so a
program whose last word is "all off" would never be heard.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from cavet.links._wire import Wire

LEAST_QUIET_SECONDS, QUIET_CHARACTERS = 0.02, 5
"""So long it is silent behind the last byte before the program is gone: who tells frames apart by silences (RTU: 3.5
characters) hears the last one."""


class Leaving:
    """What is left to come of a program that has gone."""

    def __init__(self, wire: Wire, byte_seconds: float, gone: Callable[[], None]) -> None:
        """`gone` is called once nothing more comes: at once where nothing is under way."""
        self._wire = wire
        self._quiet = max(LEAST_QUIET_SECONDS, QUIET_CHARACTERS * byte_seconds) if byte_seconds else 0.0
        self._gone = gone
        self._timer: asyncio.TimerHandle | None = None

    def __bool__(self) -> bool:
        return self._timer is not None

    def begin(self) -> None:
        """The program is gone."""
        left = self._wire.until_quiet(self._quiet) if self._quiet else 0.0
        if left > 0:
            self._timer = asyncio.get_running_loop().call_later(left, self._end)
        else:
            self._gone()

    def hurry(self) -> None:
        """Another one comes: what is left comes over at once."""
        if self._timer is not None:
            self._wire.rush()
            self._end()

    def _end(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        self._gone()
