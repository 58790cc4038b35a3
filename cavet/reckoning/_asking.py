"""Asking for a sum: by its name and its values, or by a line as it is written."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from cavet.reckoning import _drives, _lines, _numbers
from cavet.reckoning._sum import Reckoned, Sum
from cavet.wording import WrongError, listed, nearest

SUMS: dict[str, Sum] = {**_lines.SUMS, **_numbers.SUMS, **_drives.SUMS}


def reckon(what: str, words: Sequence[str], known: Mapping[str, str] | None = None) -> Reckoned:
    """Reckon a sum from `NAME=VALUE` words; what is left out may be among the `known`. Raises `WrongError`."""
    if what not in SUMS:
        raise WrongError("reckon", found=what, expected=listed(SUMS), nearest=nearest(what, SUMS))
    chosen = SUMS[what]
    given = _taken_apart(what, chosen, words)
    for name, value in (known or {}).items():
        if name in chosen.names and name in chosen.required:
            given.setdefault(name, value)
    for name in chosen.required:
        if name not in given:
            raise WrongError(f"{what}.{name}", found="nothing", expected=f"it; {chosen.summary}")
    return chosen.reckon(given)


def _taken_apart(what: str, chosen: Sum, words: Sequence[str]) -> dict[str, str]:
    given: dict[str, str] = {}
    for word in words:
        name, equals, value = word.partition("=")
        if not equals and name not in chosen.flags:
            raise WrongError(what, found=word, expected="NAME=VALUE")
        if name in given:
            raise WrongError(f"{what}.{name}", found="it twice", expected="it once")
        if name not in chosen.names:
            near = nearest(name, chosen.names)
            raise WrongError(f"{what}.{name}", found="this name", expected=listed(chosen.names), nearest=near)
        given[name] = value if equals else "on"
    return given


def reckon_line(line: str, known: Mapping[str, str] | None = None) -> Reckoned:
    """Reckon what stands in a line: the sum, then its values, which may have spaces in them. Raises `WrongError`."""
    what, *rest = line.split() or [""]
    words: list[str] = []
    for word in rest:
        is_flag = what in SUMS and word in SUMS[what].flags
        if "=" in word or is_flag or not words:
            words.append(word)
        else:
            words[-1] += f" {word}"  # a value with its unit behind it, or bytes in pairs
    return reckon(what, words, known)
