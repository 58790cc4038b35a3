"""The kernel's devices of a bench, for as long as a program runs."""

from __future__ import annotations

import os
import tempfile
from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from pathlib import Path

from cavet.bench import RunningBench
from cavet.kernel._mapping import Mapping
from cavet.kernel._server import KernelServer
from cavet.kernel._shim import is_static, shim
from cavet.wording import WrongError


@asynccontextmanager
async def kernel_devices(
    bench: RunningBench, mappings: Sequence[Mapping], program: str, place: str
) -> AsyncIterator[dict[str, str]]:
    """Answer for devices; give the variables of the environment with which a program finds them. Raises `WrongError`,
    said of `place`, where that can't be, or where the program is linked so that nothing can be put before its calls."""
    if not mappings:
        yield {}
        return
    if is_static(program):
        raise WrongError(place, found=f"{program}, linked statically", expected="one that the loader starts")
    before = os.environ.get("LD_PRELOAD", "")
    preloaded = f"{shim()} {before}".strip()
    server = KernelServer(bench, mappings)
    with tempfile.TemporaryDirectory(prefix="cavet-") as folder:
        try:
            yield {**await server.start(Path(folder)), "LD_PRELOAD": preloaded}
        finally:
            await server.stop()
