"""The words of a line of a routine by what they are: quiet for the language, paper for names and numbers, heather for
texts."""

from __future__ import annotations

import functools
import re

from cavet.routines import KEYWORDS

WORD = re.compile(r'#.*|"(?:[^"\\]|\\.)*"?|[A-Za-z_]\w*|[^\sA-Za-z_"#]+')
REMEMBERED = 1024
"""So many lines are remembered: with each letter that is typed all that are seen are drawn again."""
HEADS = ("routine", "alongside", "when", "finally", "reflex")


@functools.lru_cache(REMEMBERED)
def spans(line: str) -> tuple[tuple[int, int, str], ...]:
    """Where each word begins and ends, and what it is: `quiet`, `name`, `text`, `head`."""
    of_words = []
    first = True
    named = False
    for found in WORD.finditer(line):
        word = found.group()
        if word.startswith("#"):
            kind = "quiet"
        elif word.startswith('"'):
            kind = "text"
        elif named:
            kind, named = "head", False
        elif word in KEYWORDS:
            kind, named = "quiet", first and word in HEADS[:2]
        else:
            kind = "name"
        first = False
        of_words.append((found.start(), found.end(), kind))
    return tuple(of_words)
