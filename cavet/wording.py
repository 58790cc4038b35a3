"""How Cavet words what is wrong, and how text from outside is made fit to show."""

from __future__ import annotations

import math
import re
import unicodedata
from collections.abc import Iterable
from itertools import islice

CONTROLS = (
    "NUL", "SOH", "STX", "ETX", "EOT", "ENQ", "ACK", "BEL", "BS", "HT", "LF", "VT", "FF", "CR", "SO", "SI",
    "DLE", "DC1", "DC2", "DC3", "DC4", "NAK", "SYN", "ETB", "CAN", "EM", "SUB", "ESC", "FS", "GS", "RS", "US",
)  # fmt: skip
"""The names of the C0 control characters, by their codes."""

LONGEST, MOST_COMPARED = 80, 2000
"""Longer words, and more of them, are not compared with what was meant."""
QUOTED, TOLD = 80, 600
"""So much is quoted of what was found, and of the rest of an error."""


def nearest(word: str, words: Iterable[str]) -> str | None:
    """Give the one of `words` that `word` was probably meant to be, if any is close."""
    if len(word) > LONGEST:
        return None
    import difflib  # here, since most of the time nothing is wrong

    lowered = {known.lower(): known for known in islice(words, MOST_COMPARED) if len(known) <= LONGEST}
    close = difflib.get_close_matches(word.lower(), lowered, n=1, cutoff=0.6)
    return lowered[close[0]] if close else None


MOST_NAMED, FIRST_NAMED = 30, 16
"""Of more names than so many the first are told."""


def listed(words: Iterable[object], last: str = "or") -> str:
    """Join words as a sentence does: `a, b or c`."""
    texts = [str(word) for word in words]
    if len(texts) < 2:
        return "".join(texts)
    return f"{', '.join(texts[:-1])} {last} {texts[-1]}"


def one_of(known: Iterable[object], none: str = "nothing: there is none") -> str:
    """What is expected where there are only these, or `none`: `one of a, b or c`; of very many the first, and how many
    others there are."""
    words = list(known)
    if len(words) > MOST_NAMED:
        words = [*words[:FIRST_NAMED], f"{len(words) - FIRST_NAMED} others"]
    return f"one of {listed(words)}" if words else none


def counted(count: int, word: str) -> str:
    """A number of something in words: `1 byte`, `2 bytes`, `3 tries`."""
    if count == 1:
        return f"1 {word}"
    return f"{count} {word[:-1]}ies" if re.search("[^aeiou]y$", word) else f"{count} {word}s"


def is_text(text: str) -> bool:
    """Whether it is made of whole characters: bytes that the shell could not read as such stand in it as halves."""
    return not any("\ud800" <= character <= "\udfff" for character in text)


def plain(text: str, limit: int | None = None) -> str:
    """Make text from outside fit to show: control and format characters become visible, nothing is dropped.

    C0 controls become their names (`‹ESC›`), all others that have no glyph become `‹U+XXXX›`.
    """
    shown = "".join(_visible(character) for character in text)
    if limit is not None and len(shown) > limit:
        return shown[: max(0, limit - 1)] + "…"
    return shown


def _visible(character: str) -> str:
    code = ord(character)
    if code < 0x20:
        return f"‹{CONTROLS[code]}›"
    if code == 0x7F:
        return "‹DEL›"
    if unicodedata.category(character) in ("Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"):
        return f"‹U+{code:04X}›"
    return character


def digits(number: float, most: int = 12) -> str:
    """Print a number: a whole one with all of its digits, another one with `most` that tell, and never fewer than stand
    before its point."""
    if isinstance(number, int) or (abs(number) < 1e15 and number.is_integer()):
        return str(int(number))
    before = math.floor(math.log10(abs(number))) + 1 if 1 <= abs(number) < 1e15 else 0
    return f"{number:.{max(most, before)}g}"


def from_to(low: float, high: float, most: int = 12) -> str:
    """Print what lies between two numbers: `0 to 65535`."""
    return f"{digits(low, most)} to {digits(high, most)}"


def hex_pairs(data: bytes) -> str:
    """Print bytes as upper-case pairs with spaces, the one form that Cavet uses everywhere."""
    return data.hex(" ").upper()


def with_article(word: str) -> str:
    """A word with the article before it that it takes: `a lamp`, `an expander`."""
    return f"{'an' if word[:1] in 'aeiou' and not word.startswith('one') else 'a'} {word}"


def as_written(data: bytes) -> str:
    """Bytes as text where they are a line of it, or a unit that `;` ends; and in hex else."""
    line = data.removesuffix(b"\n").removesuffix(b"\r")
    is_text = bool(line) and data.endswith((b"\n", b";")) and all(0x20 <= byte < 0x7F for byte in line)
    return line.decode("ascii") + "↵" * data.endswith(b"\n") if is_text else hex_pairs(data)


class WrongError(Exception):
    """Something that a person gave is wrong: where, what was found, what was expected, and the nearest right word."""

    def __init__(self, place: str, *, found: object, expected: str, nearest: str | None = None) -> None:
        self.place = place
        self.found = found
        self.expected = expected
        self.nearest = nearest
        super().__init__(place, found, expected, nearest)

    def __reduce__(self) -> tuple[object, ...]:
        """So that it comes whole out of another process."""
        return _wrong, (self.place, self.found, self.expected, self.nearest)

    def __str__(self) -> str:
        found = f'"{plain(self.found, QUOTED)}"' if isinstance(self.found, str) else plain(str(self.found), QUOTED)
        hint = f'; did you mean "{self.nearest}"?' if self.nearest else ""
        place = f"{plain(self.place, TOLD)}: " if self.place else ""
        return f"{place}found {found}, expected {plain(self.expected, TOLD)}{hint}"


def unknown(place: str, found: str, known: Iterable[str], none: str = "nothing: there is none") -> WrongError:
    """The error for a name that is none of those known: they are told, and the nearest one; or that there is `none`."""
    words = list(known)
    return WrongError(place, found=found, expected=one_of(words, none), nearest=nearest(found, words))


def _wrong(place: str, found: object, expected: str, nearest: str | None) -> WrongError:
    return WrongError(place, found=found, expected=expected, nearest=nearest)


class MoreWrongError(WrongError):
    """There is more wrong than what is told."""

    def __init__(self, place: str, count: int) -> None:
        super().__init__(place, found=f"{count} more mistakes", expected="fewer")
        self.count = count

    def __reduce__(self) -> tuple[object, ...]:
        return MoreWrongError, (self.place, self.count)

    def __str__(self) -> str:
        return f"{plain(self.place)}: {self.count} more mistakes, not told"


class UnreachableError(Exception):
    """A link or a board could not be reached, or was lost: which one, and why."""

    def __init__(self, place: str, reason: str) -> None:
        self.place = place
        self.reason = reason
        super().__init__(place, reason)

    def __str__(self) -> str:
        return f"{plain(self.place, TOLD)}: {plain(self.reason)}"
