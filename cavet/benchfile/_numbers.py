"""Numbers and runs of them, as people write the pins of a list: `2-13, 18`."""

from __future__ import annotations

import re
from collections.abc import Iterable

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path

LONGEST_RUN = 1000


def numbers(checker: Checker, path: Path, text: str) -> Iterable[int]:
    """Read numbers and runs of them: `1-3, 8`."""
    found: list[int] = []
    for word in text.replace(",", " ").split():
        match = re.fullmatch(r"(\d{1,5})(?:-(\d{1,5}))?", word)
        if match is None:
            checker.wrong(path, found=word, expected='numbers and runs of numbers, such as "2-13, 18"')
            continue
        first, last = int(match[1]), int(match[2] or match[1])
        found += [number for number in range(first, min(last, first + LONGEST_RUN) + 1) if number not in found]
    return found
