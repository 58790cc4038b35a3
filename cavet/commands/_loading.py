"""Loading modules without looking for garbage: there is none, and each look at all that is loaded costs 20 ms."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def loading() -> Iterator[None]:
    """While modules are loaded, nothing is collected; what they hold is not looked at again afterwards."""
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()
