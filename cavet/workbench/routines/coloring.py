"""The words of a line of a routine by what they are: quiet for the language, paper for names and numbers, heather for
texts."""

from __future__ import annotations

import re
from collections.abc import Iterator

from cavet.routines import KEYWORDS

WORD = re.compile(r'#.*|"(?:[^"\\]|\\.)*"?|[A-Za-z_]\w*|[^\sA-Za-z_"#]+')
HEADS = ("routine", "alongside", "when", "finally", "reflex")


def spans(line: str) -> Iterator[tuple[int, int, str]]:
    """Where each word begins and ends, and what it is: `quiet`, `name`, `text`, `head`."""
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
        yield found.start(), found.end(), kind
