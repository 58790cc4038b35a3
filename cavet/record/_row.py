"""A row that is only ever appended to, in chunks: the last stay in memory; readers in other threads see it whole."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Generic, TypeVar

T = TypeVar("T")

CHUNK_ITEMS = 4096
CHUNK_BYTES = 1 << 20
"""A chunk ends at so many bytes, too."""


class Row(Generic[T]):
    """Items with numbers that count from 0. So many of them, and so many bytes in them, stay in memory; those that are
    not of the last two chunks as `packed` gives them. `left` is told of each chunk that leaves memory."""

    def __init__(
        self, kept: int, kept_bytes: int, packed: Callable[[Sequence[T]], Sequence[T]] = lambda chunk: chunk,
        left: Callable[[int, Sequence[T]], None] = lambda start, chunk: None,
    ) -> None:  # fmt: skip
        self._packed, self._left = packed, left
        self._kept = kept
        self._kept_bytes = kept_bytes
        self.tail: list[T] = []
        """The last chunk. Who is in a hurry does what `append` does by himself."""
        self.tail_bytes = 0
        self._sizes: list[int] = []
        self._starts: list[int] = [0]
        self._bytes = 0
        self.shelf: tuple[list[int], list[Sequence[T]]] = (self._starts, [self.tail])
        """Where each chunk begins, and the chunks; replaced whole."""
        self.next = 0
        """The number of the next item."""

    def begin_at(self, number: int) -> None:
        """Let the first item have another number than 0."""
        if self.next == 0 and not self.tail:
            self.next = number
            self._starts = [number]
            self.shelf = (self._starts, [self.tail])

    @property
    def first(self) -> int:
        """The number of the oldest item in memory."""
        return self.shelf[0][0]

    def append(self, item: T, size: int = 0) -> int:
        """Add an item with so many bytes in it; give its number."""
        number = self.next
        self.next = number + 1
        self.tail.append(item)
        self.tail_bytes += size
        if len(self.tail) >= CHUNK_ITEMS or self.tail_bytes >= CHUNK_BYTES:
            self.begin_chunk()
        return number

    def begin_chunk(self) -> None:
        """The last chunk is full."""
        starts, chunks = self.shelf
        self._sizes.append(self.tail_bytes)
        self._bytes += self.tail_bytes
        self.tail, self.tail_bytes = [], 0
        starts, chunks = [*starts, self.next], [*chunks[:-2], *map(self._packed, chunks[-2:-1]), chunks[-1], self.tail]
        while len(chunks) > 2 and (self.next - starts[1] >= self._kept or self._bytes > self._kept_bytes):
            self._bytes -= self._sizes.pop(0)
            self._left(starts[0], chunks[0])
            del starts[0], chunks[0]
        self.shelf = (starts, chunks)

    def since(self, number: int, most: int | None = None) -> list[T]:
        """Give the items from `number` on, oldest first, so many at most; those that have left memory are left out."""
        starts, chunks = self.shelf
        place = _place(starts, number)
        begin = max(0, number - starts[place])
        most = self.next if most is None else most
        found = list(chunks[place][begin : begin + most])
        for later in chunks[place + 1 :]:
            if len(found) >= most:
                break
            found += later[: most - len(found)]
        return found

    def __getitem__(self, number: int) -> T:
        """Give one item; `IndexError` when it is not in memory (any more)."""
        starts, chunks = self.shelf
        if not starts[0] <= number < self.next:
            raise IndexError(f"{number} is not in memory: it holds {starts[0]} to {self.next - 1}")
        place = _place(starts, number)
        return chunks[place][number - starts[place]]


def _place(starts: list[int], number: int) -> int:
    """The chunk in which a number is, or would be: the last one that begins at it or before."""
    low, high = 0, len(starts) - 1
    while low < high:
        middle = (low + high + 1) // 2
        if starts[middle] <= number:
            low = middle
        else:
            high = middle - 1
    return low
