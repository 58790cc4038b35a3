"""The kernel's devices of a bench, for as long as a program runs."""

from __future__ import annotations

import os
import tempfile
from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from pathlib import Path

from cavet.bench import RunningBench
from cavet.kernel._mapping import FILE, Mapping
from cavet.kernel._server import KernelServer
from cavet.kernel._shim import is_static, shim
from cavet.wording import WrongError, listed

MOST_FOLDER = 70
"""Of the 108 bytes of an address; the rest is the folder's own name, and the socket's."""


class Devices:
    """The devices that a program may open. `variables` are those of its environment by which it finds them."""

    def __init__(self, mappings: Sequence[Mapping], variables: dict[str, str], server: KernelServer | None) -> None:
        self.variables = variables
        self._mappings = mappings
        self._server = server

    def remark(self) -> str:
        """What is odd, now that the program has ended; "" for nothing. A serial device is opened past us."""
        answered = [mapping.path for mapping in self._mappings if mapping.kind != FILE]
        if self._server is None or self._server.was_opened or len(answered) < len(self._mappings):
            return ""
        why = "it may have ended before, or call the kernel by itself, past the C library: then it can't be served"
        return f"the program has not opened {listed(answered)}: {why}"


def _short_folder() -> str:
    """Where the socket's folder can be: its whole path must fit into an address. Source: unix(7)."""
    usual = tempfile.gettempdir()
    return usual if len(os.fsencode(usual)) <= MOST_FOLDER else "/tmp"


@asynccontextmanager
async def kernel_devices(
    bench: RunningBench, mappings: Sequence[Mapping], program: str, place: str
) -> AsyncIterator[Devices]:
    """Answer for devices. Raises `WrongError`, said of `place`, where that can't be, or where the program is linked so
    that nothing can be put before its calls."""
    if not mappings:
        yield Devices(mappings, {}, None)
        return
    if is_static(program):
        raise WrongError(place, found=f"{program}, linked statically", expected="one that the loader starts")
    before = os.environ.get("LD_PRELOAD", "")
    preloaded = f"{shim()} {before}".strip()
    server = KernelServer(bench, mappings)
    with tempfile.TemporaryDirectory(prefix="cavet-", dir=_short_folder()) as folder:
        try:
            yield Devices(mappings, {**await server.start(Path(folder)), "LD_PRELOAD": preloaded}, server)
        finally:
            await server.stop()
