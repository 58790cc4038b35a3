"""The tree of headers: patterns in the standard's notation, and finding what a header means.

Source: SCPI 1999, volume 1, section 6.2: short and long forms, optional nodes, numeric suffixes.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from functools import cache
from typing import Generic, TypeVar

import msgspec

from cavet.protocols.scpi import FaultError
from cavet.wording import WrongError

_NODE = re.compile(
    r"(?P<optional>\[)?:?(?P<short>[A-Z]+)(?P<rest>[a-z]*)(?:<(?P<low>\d{1,4})-(?P<high>\d{1,4})>)?(?P<close>\])?"
)


class Node(msgspec.Struct, frozen=True):
    """One mnemonic: its two forms, the suffixes that it can bear (1 alone stands for none), whether it may be left."""

    short: str
    long: str
    low: int = 1
    high: int = 1
    optional: bool = False

    def fits(self, word: str) -> bool:
        return word in (self.short, self.long)

    def meets(self, other: Node) -> bool:
        """Whether some mnemonic fits both."""
        alike = {self.short, self.long} & {other.short, other.long}
        return bool(alike) and self.low <= other.high and other.low <= self.high


class Pattern(msgspec.Struct, frozen=True):
    """A header: its nodes, and whether it is only a query."""

    text: str
    nodes: tuple[Node, ...]
    only_query: bool = False

    @classmethod
    def parse(cls, text: str, place: str = "") -> Pattern:
        """Read `SOURce<1-2>:VOLTage[:LEVel]`; a `?` at the end says that there is only the query."""
        body = text.removesuffix("?")
        nodes = []
        at = 0
        while at < len(body):
            match = _NODE.match(body, at)
            if match is None or bool(match["optional"]) != bool(match["close"]):
                expected = "mnemonics such as SOURce<1-2>:VOLTage[:LEVel], their short forms in capitals"
                raise WrongError(place, found=text, expected=expected)
            low, high = int(match["low"] or 1), int(match["high"] or 1)
            long = (match["short"] + match["rest"]).upper()
            nodes.append(Node(match["short"], long, low, high, bool(match["optional"])))
            at = match.end()
        if not nodes:
            raise WrongError(place, found=text, expected="a header")
        return cls(text, tuple(nodes), body != text)

    def match(self, words: Sequence[str], suffixes: Sequence[int | None]) -> tuple[int, ...] | None:
        """Give the suffixes of the nodes that have a range, where the header is this one; `None` where it is not.

        Raises `FaultError` −114 where only a suffix is wrong.
        """
        return self._match(words, suffixes, 0, 0)

    def _match(
        self, words: Sequence[str], suffixes: Sequence[int | None], at: int, place: int
    ) -> tuple[int, ...] | None:
        if place == len(self.nodes):
            return () if at == len(words) else None
        node = self.nodes[place]
        if at < len(words) and node.fits(words[at]):
            rest = self._match(words, suffixes, at + 1, place + 1)
            if rest is not None:
                suffix = suffixes[at] if suffixes[at] is not None else 1
                assert suffix is not None  # 1 stands for none
                if not node.low <= suffix <= node.high:
                    raise FaultError(-114, f"{words[at]}{suffix}")
                return ((suffix,) if node.high > 1 else ()) + rest
        if node.optional:
            rest = self._match(words, suffixes, at, place + 1)
            return rest if rest is None else ((1,) if node.high > 1 else ()) + rest
        return None

    def meets(self, other: Pattern) -> bool:
        """Whether some header fits both."""

        @cache
        def meet(here: int, there: int) -> bool:
            mine, its = self.nodes[here:], other.nodes[there:]
            if not mine and not its:
                return True
            if mine and its and mine[0].meets(its[0]) and meet(here + 1, there + 1):
                return True
            if mine and mine[0].optional and meet(here + 1, there):
                return True
            return bool(its) and its[0].optional and meet(here, there + 1)

        return meet(0, 0)

    @property
    def first_words(self) -> set[str]:
        """The words that a header of this pattern can begin with."""
        words: set[str] = set()
        for node in self.nodes:
            words |= {node.short, node.long}
            if not node.optional:
                break
        return words


T = TypeVar("T")


class Headers(Generic[T]):
    """Patterns, with what each stands for, in their order."""

    def __init__(self, known: Iterable[tuple[Pattern, T]]) -> None:
        self._by_first_word: dict[str, list[tuple[Pattern, T]]] = {}
        for pattern, stands_for in known:
            for word in pattern.first_words:
                self._by_first_word.setdefault(word, []).append((pattern, stands_for))

    def fitting(
        self, words: Sequence[str], suffixes: Sequence[int | None]
    ) -> Iterator[tuple[Pattern, T, tuple[int, ...]]]:
        """Give those that a header fits, with its suffixes. Raises `FaultError` −114."""
        for pattern, stands_for in self._by_first_word.get(words[0], ()):
            found = pattern.match(words, suffixes)
            if found is not None:
                yield pattern, stands_for, found
