"""Courses as a value change dump. Source: IEEE 1364-2005, 18.2, "format of the four-state VCD file"."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from operator import itemgetter

from cavet.lanes import POINTS, RIG, Signal, Worth

FIRST, LAST = 33, 126
"""Of the printable characters that identifier codes are made of."""
NOT_IN_NAMES = re.compile(r"[^A-Za-z0-9_]")
COLOUR = re.compile("#[0-9a-f]{6}")
MICROSECOND = 1e-6


def vcd_lines(bench: str, signals: Iterable[Signal], begin: float, end: float) -> Iterator[str]:
    """The lines of a dump of some courses, from a time to another, in s."""
    shown = [signal for signal in signals if not signal.is_text or _is_colour(signal)]
    yield "$version Cavet $end"
    yield "$timescale 1 us $end"
    codes = {id(signal): _code(number) for number, signal in enumerate(shown)}
    yield from _declared(bench, shown, codes)
    yield "$enddefinitions $end"
    yield f"#{_ticks(begin)}"
    yield "$dumpvars"
    for signal in shown:
        before = [value for t, value in signal.changes if t <= begin]
        if before or signal.is_level:
            yield _change(signal, before[-1] if before else None, codes[id(signal)])
    yield "$end"
    changes = sorted(
        ((t, number, value) for number, signal in enumerate(shown) for t, value in signal.changes if begin < t <= end),
        key=itemgetter(0, 1),  # what changes twice at one time stays in its order
    )
    at = _ticks(begin)
    for t, number, value in changes:
        if _ticks(t) != at:
            at = _ticks(t)
            yield f"#{at}"
        yield _change(shown[number], value, _code(number))
    if _ticks(end) > at:
        yield f"#{_ticks(end)}"


def _declared(bench: str, signals: list[Signal], codes: dict[int, str]) -> Iterator[str]:
    """Scopes and variables: the bench, its boards with pins, parts and points, the rig."""
    yield f"$scope module {_named(bench or 'bench')} $end"
    open_scopes: list[str] = []
    taken: dict[tuple[str, ...], set[str]] = {}
    for signal in signals:
        scopes = [RIG] if signal.group == RIG else [_named(signal.board or "bench"), signal.group]
        while open_scopes != scopes[: len(open_scopes)]:
            open_scopes.pop()
            yield "$upscope $end"
        for scope in scopes[len(open_scopes) :]:
            open_scopes.append(scope)
            yield f"$scope module {scope} $end"
        name = _named(signal.name) + (f"_{signal.side}" if signal.group == POINTS else "")
        name = _unlike(name, taken.setdefault(tuple(scopes), set()))
        kind, size = ("wire", 1) if signal.is_level else ("wire", 24) if signal.is_text else ("real", 64)
        yield f"$var {kind} {size} {codes[id(signal)]} {name} $end"
    yield from ["$upscope $end"] * (len(open_scopes) + 1)


def _named(text: str) -> str:
    """A name as identifiers are: letters, digits, `_`, and no digit first."""
    name = NOT_IN_NAMES.sub("_", text) or "_"
    return f"_{name}" if name[0].isdigit() else name


def _unlike(name: str, taken: set[str]) -> str:
    """A name that no other has in its scope."""
    made, number = name, 2
    while made in taken:
        made, number = f"{name}_{number}", number + 1
    taken.add(made)
    return made


def _code(number: int) -> str:
    """The identifier code of a variable."""
    code = ""
    size = LAST - FIRST + 1
    number += 1
    while number:
        number, digit = divmod(number - 1, size)
        code += chr(FIRST + digit)
    return code


def _ticks(t: float) -> int:
    return round(t / MICROSECOND)


def _is_colour(signal: Signal) -> bool:
    """Whether its texts are colours: they are told as vectors of red, green and blue, a byte each."""
    return bool(signal.changes) and all(COLOUR.fullmatch(str(value)) for _, value in signal.changes)


def _change(signal: Signal, value: Worth | None, code: str) -> str:
    if signal.is_level:
        return f"{'x' if value is None else int(bool(value))}{code}"
    if isinstance(value, str):
        return f"b{int(value[1:], 16):b} {code}"
    return f"r{float(value or 0.0):.16g} {code}"
