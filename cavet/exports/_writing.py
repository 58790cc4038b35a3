"""Lines, on their way into a file."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

BLOCK = 1 << 16


def blocks(lines: Iterable[str]) -> Iterator[bytes]:
    """Lines, so many at once that writing them costs little."""
    waiting: list[str] = []
    size = 0
    for line in lines:
        waiting.append(line)
        size += len(line)
        if size > BLOCK:
            yield "".join(waiting).encode()
            waiting, size = [], 0
    yield "".join(waiting).encode()
