"""Reading a stream of program or response messages, unit by unit.

Source: IEEE 488.2-1992, sections 7.3 to 7.7 (what a device hears) and 8.3 (what it says); the header-path rule from
SCPI 1999, volume 1, section 6.2.4.
"""

from __future__ import annotations

import functools
import re

from cavet.protocols._codec import Side
from cavet.protocols._frame import Frame, Unreadable
from cavet.protocols._message import Message
from cavet.protocols.scpi._data import (
    MAX_WORD,
    WHITE,
    Datum,
    FaultError,
    read_datum,
    skip_block,
    split_data,
    strip_white,
)
from cavet.protocols.scpi._messages import QueryUnit, ResponseUnit, Unit

MAX_UNIT_BYTES = 1 << 20
"""The longest message unit that is read; a longer one is unreadable up to its end."""
LF = 0x0A
MAX_NODES = 64
"""A path only grows from unit to unit of a message; no real tree is as deep."""
HEAD = re.compile(rb"(\*[A-Za-z][A-Za-z0-9_]*|:?[A-Za-z][A-Za-z0-9_]*(?::[A-Za-z][A-Za-z0-9_]*)*)(\??)")
_NODE = re.compile(r"(.*?)(\d*)", re.DOTALL)
Path = tuple[tuple[str, int | None], ...]
"""The nodes of a header, each with its numeric suffix."""
MAX_SUFFIX_DIGITS = 9
"""A longer suffix is beyond any range anyhow; its mnemonic is too long, and told as that."""
MAX_KEPT_HEADER = MAX_KEPT_UNIT = 64
REMEMBERED = 1024
"""So many headers and units, up to these lengths, are remembered, taken apart."""
_STOPS = re.compile(rb"[;\n\"'#]")


class ScpiDecoder:
    """Reads what one side says. A frame is a message unit with the `;` or the LF that ends it."""

    def __init__(self, side: Side) -> None:
        self._side = side
        self._rest = b""
        self._offset = 0
        self._seen = 0
        """How much of the rest has been looked at already."""
        self._path: Path = ()
        self._fresh = True
        """Whether a new message begins here."""
        self._skipping = False

    def feed(self, data: bytes) -> list[Frame]:
        """Take more bytes; give the units that are complete now."""
        self._rest += data
        return self._frames(last=False)

    def finish(self) -> list[Frame]:
        """The end of the input counts as the end of a message."""
        return self._frames(last=True)

    def _frames(self, *, last: bool) -> list[Frame]:
        frames = []
        at = 0
        while at < len(self._rest):
            end = self._end(at)
            if end is None and len(self._rest) - at <= MAX_UNIT_BYTES and not last:
                break
            end = len(self._rest) if end is None else end
            wire = self._rest[at : min(end, at + MAX_UNIT_BYTES)]
            frames.append(self._frame(wire, self._offset + at, whole=at + len(wire) == end))
            at += len(wire)
            self._seen = at
        self._rest = self._rest[at:]
        self._offset += at
        self._seen -= at
        return frames

    def _end(self, at: int) -> int | None:
        """Where the unit that begins at `at` is over; `None` when that is not there yet."""
        data = self._rest
        place = max(at, self._seen)
        while (match := _STOPS.search(data, place)) is not None:
            place = match.start()
            if data[place] in (LF, 0x3B):
                return place + 1
            after = self._behind(data, at, place)
            if after is None or after > len(data):
                self._seen = place
                return None
            place = after
        self._seen = len(data)
        return None

    def _behind(self, data: bytes, begin: int, place: int) -> int | None:
        """Where the string or block that begins at `place` is over; just behind its sign when it is none."""
        if data[place : place + 1] == b"#":
            if self._side is Side.HOST and not self._in_data(data[begin:place]):
                return place + 1
            if data[place + 1 : place + 2] == b"0":
                line = data.find(b"\n", place)
                return line if line >= 0 else None
            digits = data[place + 1 : place + 2]
            if not digits:
                return None
            if digits.isdigit() and len(data) < place + 2 + int(digits) and b"\n" not in data[place:]:
                return None
            end = skip_block(data, place)
            return place + 1 if end is None or end - place > MAX_UNIT_BYTES else end
        line = data.find(b"\n", place)
        close = data.find(data[place : place + 1], place + 1)
        if line >= 0 and (close < 0 or line < close):
            return line  # a line feed ends a message, also inside a string
        return close + 1 if close >= 0 else None

    def _in_data(self, before: bytes) -> bool:
        """Whether what follows stands where data may: behind white space or a comma."""
        return bool(before) and (before[-1:] == b"," or before[-1] in WHITE) and bool(strip_white(before))

    def _frame(self, wire: bytes, offset: int, *, whole: bool) -> Frame:
        if self._skipping or not whole:
            self._skipping = not whole
            self._begin_message()
            reason = f"no end within {MAX_UNIT_BYTES} bytes"
            return Frame(Unreadable(reason=reason), wire, offset, (reason,))
        ended = wire[-1] == LF
        closed = ended or wire[-1:] == b";"
        body = wire[:-1] if closed else wire
        read = _remembered if len(body) <= MAX_KEPT_UNIT else _read
        message, problems, self._path = read(
            body, self._side is Side.BOARD, self._path, self._fresh, closed and not ended
        )
        if ended:
            self._begin_message()
        else:
            self._fresh = False
        return Frame(message, wire, offset, problems)

    def _begin_message(self) -> None:
        self._path = ()
        self._fresh = True


def _read(
    body: bytes, is_answer: bool, path: Path, fresh: bool, goes_on: bool
) -> tuple[Message, tuple[str, ...], Path]:
    """Read a message unit behind a path; give it, what is wrong with it, and the path for the next one. `fresh` says
    that it begins a message, `goes_on` that another unit follows."""
    problems: list[str] = []
    if is_answer:
        return ResponseUnit(values=_values(body, Side.BOARD, problems)), tuple(problems), path
    text = body.lstrip(WHITE)
    if not text:
        return Unit(), (str(FaultError(-102, "an empty message unit")),) if goes_on else (), path
    match = HEAD.match(text)
    if match is None:
        return Unit(), (str(FaultError(-101 if text[:1] not in b":*" else -110, _first(text))),), path
    header, asks = match[1].decode(), bool(match[2])
    rest = text[match.end() :]
    whole, path = _whole_path(header, () if fresh else path, path, problems)
    values: tuple[Datum, ...] = ()
    if not rest or rest[0] in WHITE:
        values = _values(rest, Side.HOST, problems)
    else:
        number = -111 if rest[:1] in (b",", b'"', b"'", b"(", b"#", b"?") else -101
        problems.append(str(FaultError(number, _first(rest))))
    form = QueryUnit if asks else Unit
    nodes, suffixes = tuple(name for name, _ in whole), tuple(suffix for _, suffix in whole)
    return form(header=header, nodes=nodes, suffixes=suffixes, values=values), tuple(problems), path


def _whole_path(header: str, base: Path, path: Path, problems: list[str]) -> tuple[Path, Path]:
    """Put the path of the header before in front of this one, as the rule says, and give the path for the next one; a
    common command has none, and leaves it as it is."""
    nodes, too_long = _nodes(header) if len(header) <= MAX_KEPT_HEADER else _split(header)
    problems += too_long
    if header.startswith("*"):
        return nodes, path
    base = () if header.startswith(":") else base
    if len(base) + len(nodes) > MAX_NODES:
        problems.append(str(FaultError(-110, f"more than {MAX_NODES} nodes")))
        base = ()
    return (*base, *nodes), (*base, *nodes[:-1])


def _values(data: bytes, side: Side, problems: list[str]) -> tuple[Datum, ...]:
    values = []
    for piece in split_data(data) if strip_white(data) else ():
        try:
            values.append(read_datum(piece, side))
        except FaultError as fault:
            problems.append(str(fault))
    return tuple(values)


_remembered = functools.lru_cache(maxsize=REMEMBERED)(_read)
"""The same, remembered: a program says the same few things over and over."""


def _split(header: str) -> tuple[Path, tuple[str, ...]]:
    """A header's nodes, and what is wrong with them."""
    words = header.removeprefix(":").split(":")
    too_long = tuple(str(FaultError(-112, word)) for word in words if len(word.removeprefix("*")) > MAX_WORD)
    return tuple(_node(word) for word in words), too_long


_nodes = functools.lru_cache(maxsize=REMEMBERED)(_split)
"""The same, remembered: a program says the same few headers over and over."""


def _node(word: str) -> tuple[str, int | None]:
    match = _NODE.fullmatch(word)
    assert match is not None  # it matches anything
    if word.startswith("*") or not match[1]:
        return word.upper(), None
    return match[1].upper(), int(match[2][:MAX_SUFFIX_DIGITS]) if match[2] else None


def _first(data: bytes) -> str:
    return repr(data[:1].decode("latin-1"))
