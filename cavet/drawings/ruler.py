"""A frame as a ruler: hex, bits, a bracket under each field, and under that its name, its value, what it means.

Fields lie where they lie on the wire. A label stands under its bracket where there is room; else a line leads down to
one of its own. Where a field comes in several runs of bits, each says which of its bits it has.
"""

from __future__ import annotations

import textwrap
from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Sequence

import msgspec

from cavet.drawings.canvas import ASKED, CORAL, GOT, HAIR, PAPER, QUIET, Canvas, Ink
from cavet.protocols import Field, Role, Side, means
from cavet.wording import hex_pairs, plain

BYTE_CELLS = 10
"""Eight bits, and a gap."""
MARGIN = 1
WHOLE_ROWS = 32
"""So many rows of a long frame's beginning are drawn, and as many of its end, where not all is wanted."""
MAX_MEANING_ROWS = 3
MAX_RUNS_NAMED = 3
"""A field of more runs than this says its name at the first one alone."""
MAX_VALUE = 48
FEWEST = 4
LEAST_TEXT = 3
"""Bytes of so many printable characters are shown as a text."""
PAPER_BOLD = PAPER._replace(bold=True)
OWN = {Side.HOST: ASKED._replace(bold=True), Side.BOARD: GOT._replace(bold=True)}
"""The ink of each side's bytes."""
UNTOLD = ("top_bit", "continuation")
"""Bits that every byte of a kind has: where they are as ever, they are told once, below."""


class RulerView(msgspec.Struct, frozen=True, kw_only=True):
    """What a ruler shows. `cursor` is the number of a field; `bit` a bit of the frame; `changed` bits that are not as
    they were."""

    data: bytes
    fields: tuple[Field, ...]
    side: Side = Side.HOST
    cursor: int | None = None
    bit: int | None = None
    changed: frozenset[int] = frozenset()


class _Run(msgspec.Struct):
    """The part of a field's bits that lies in one row, with cells and label."""

    number: int
    """Of the field."""
    first: int
    """Its first cell, and the one behind its last."""
    last: int
    opens: bool
    closes: bool
    label: list[tuple[str, Ink]]
    """What stands below it: name, value, what it means; nothing for what is not named."""
    row: int = 0
    """The line of its label: 0 right under its bracket."""
    texts: bool = False
    """Whether its bytes may be characters."""
    lines: list[list[tuple[str, Ink]]] = []
    """The label as it is laid out."""

    @property
    def in_one(self) -> str:
        return "  ".join(text for text, _ in self.label)


def bytes_in(width: int, size: int) -> int:
    """How many bytes a row has at a width: all of a short frame, else so many that the last one's label has room."""
    most = max(1, (width - MARGIN + BYTE_CELLS - 8) // BYTE_CELLS)
    return most if size <= most or most < FEWEST else most - 1


def draw_ruler(view: RulerView, width: int, *, whole: bool = True, rows: range | None = None) -> Canvas:
    """Draw the ruler of a frame, as high as it needs. A long frame is drawn whole, or, if not `whole`, only its ends;
    or those of its `rows` of bytes that are wanted."""
    a_row = bytes_in(width, len(view.data))
    count = -(-len(view.data) // a_row)
    wanted = list(rows) if rows is not None else list(range(count))
    if not whole and count > 2 * WHOLE_ROWS + 1:
        wanted = [*range(WHOLE_ROWS), *range(count - WHOLE_ROWS, count)]
    pieces: list[Canvas] = []
    by_row = _by_row(view, a_row, set(wanted))
    for number, row in enumerate(wanted):
        if number:
            pieces.append(Canvas(width, 1))
        if number and wanted[number - 1] != row - 1:
            left = (row - wanted[number - 1] - 1) * a_row
            pieces.append(_line(width, f"… {left} bytes more", QUIET))
            pieces.append(Canvas(width, 1))
        pieces.append(_draw_row(view, row, a_row, by_row.get(row, []), width))
    once = [_line(width, text, QUIET) for text in _told_once(view)]
    if once:
        pieces += [Canvas(width, 1), *once]
    return _stacked(pieces, width)


def bit_at(view: RulerView, width: int, rows: range, x: int, y: int) -> int | None:
    """The bit of the frame that a cell of its drawing is at, or below; `None` beside it."""
    a_row = bytes_in(width, len(view.data))
    by_row = _by_row(view, a_row, set(rows))
    for row in rows:
        height = _draw_row(view, row, a_row, by_row.get(row, []), width).height + 1
        if y < height:
            byte, bit = divmod(x - MARGIN, BYTE_CELLS)
            at = 8 * (row * a_row + byte) + min(bit, 7)
            return at if x >= MARGIN and byte < a_row and at < 8 * len(view.data) else None
        y -= height
    return None


def _line(width: int, text: str, ink: Ink) -> Canvas:
    canvas = Canvas(width, 1)
    canvas.put(MARGIN, 0, text, ink)
    return canvas


def _stacked(pieces: Sequence[Canvas], width: int) -> Canvas:
    out = Canvas(width, sum(piece.height for piece in pieces))
    y = 0
    for piece in pieces:
        for row in range(piece.height):
            out.lay_row(y, piece, row)
            y += 1
    return out


def _by_row(view: RulerView, a_row: int, wanted: set[int]) -> dict[int, list[_Run]]:
    """The runs of bits of all fields, by the row in which they are, from left to right."""
    found: dict[int, list[_Run]] = {}
    bits_a_row, order = 8 * a_row, sorted(wanted)
    for number, field in enumerate(view.fields):
        left = sum(size for _, size in field.spans)
        total = left
        named = not _is_untold(view, number)
        for place, (begin, size) in enumerate(sorted(field.spans) if len(field.spans) > 1 else field.spans):
            left -= size
            labels = _labels(field, place, begin, size, total) if named else []
            last_row = (begin + size - 1) // bits_a_row
            for row in order[bisect_left(order, begin // bits_a_row) : bisect_right(order, last_row)]:
                first, last = max(begin, row * bits_a_row), min(begin + size, (row + 1) * bits_a_row)
                base = row * bits_a_row
                found.setdefault(row, []).append(
                    _Run(number, _cell(first - base), _cell(last - 1 - base) + 1, first == begin,
                         last == begin + size, labels if first == begin or row == min(wanted) else [],
                         texts=size % 8 == 0 and isinstance(field.value, str | bytes))
                )  # fmt: skip
    for runs in found.values():
        runs.sort(key=lambda run: run.first)
    return found


def _cell(bit: int) -> int:
    """The cell of a bit of a row."""
    return MARGIN + BYTE_CELLS * (bit // 8) + bit % 8


def _is_untold(view: RulerView, number: int) -> bool:
    field = view.fields[number]
    return field.name in UNTOLD and not field.problem and number != view.cursor


def _told_once(view: RulerView) -> Iterator[str]:
    for name in UNTOLD:
        found = [field for number, field in enumerate(view.fields) if field.name == name and _is_untold(view, number)]
        if found:
            kinds = {field.meaning for field in found}
            yield f"·  {name}  {'; '.join(sorted(kinds))}"


def _labels(field: Field, place: int, begin: int, size: int, total: int) -> list[tuple[str, Ink]]:
    """What stands below a run of a field's bits: all of it below the first, which of its bits they are below others."""
    name = field.name
    several = 1 < len(field.spans) <= MAX_RUNS_NAMED
    if several:
        above = sum(other for at, other in field.spans[field.spans.index((begin, size)) + 1 :])
        top = above + size - 1
        name = f"{name} {top}…{above}" if size > 1 else f"{name} {top}"
    if place:
        return [(name, QUIET)] if several else []
    lines: list[tuple[str, Ink]] = [(name, QUIET)]
    if value := value_words(field):
        lines.append((value, PAPER))
    if field.problem:
        lines.append((f"✕ {plain(field.problem)}", CORAL))
    elif told := meaning_words(field):
        lines.append((told, GOT if field.role is Role.CHECK else QUIET))
    return lines


def meaning_words(field: Field) -> str:
    """What a field means, as short as it can be said."""
    if field.role is Role.CHECK and field.expected is not None:
        return "◆ right"
    return plain(field.meaning)


def value_words(field: Field) -> str:
    """A field's value as a person reads it; a check in hex, as it is written everywhere."""
    value = field.raw if field.value is None else field.value
    if field.role is Role.CONSTANT and field.value is None:
        return ""
    if field.role is Role.CHECK and isinstance(value, int):
        return f"{value:0{max(2, 2 * len(field.spans))}X}"
    if isinstance(value, bool):
        return "1" if value else "0"
    if isinstance(value, bytes) and len(value) >= LEAST_TEXT and value.isascii() and value.decode().isprintable():
        return f'"{plain(value.decode(), MAX_VALUE)}"'
    if isinstance(value, bytes | bytearray):
        return plain(hex_pairs(bytes(value)[: MAX_VALUE // 3 + 1]), MAX_VALUE)
    if isinstance(value, str):
        return f'"{plain(value, MAX_VALUE)}"' if field.role is Role.VALUE else plain(value, MAX_VALUE)
    if isinstance(value, tuple | list):
        return plain(", ".join(str(item) for item in value[:MAX_VALUE]), MAX_VALUE)
    return "" if value is None else f"{value} {field.unit}".rstrip()


def _draw_row(view: RulerView, row: int, a_row: int, runs: list[_Run], width: int) -> Canvas:
    """One row of bytes with all that is below it."""
    data = view.data[row * a_row : (row + 1) * a_row]
    _placed(runs, width)
    block = max((len(run.lines) for run in runs if run.row == 0), default=0)
    lowest = max((run.row + len(run.lines) - 1 for run in runs if run.row), default=0)
    canvas = Canvas(width, 3 + block + lowest)
    for place, byte in enumerate(data):
        _draw_byte(canvas, view, row * a_row + place, _cell(8 * place), byte, runs)
    for run in runs:
        _draw_run(canvas, run, view, 3, block)
    return canvas


def _placed(runs: list[_Run], width: int) -> None:
    """Find a line for each label, from the right: right below its bracket where it fits, else one further down, to
    which a line leads."""
    ends = [width]
    """For each line the cell before which a label has to end."""
    for run in reversed(runs):
        if not run.label:
            continue
        block = _block(run.label, ends[0] - run.first - 1)
        if block is not None:
            run.lines = block
            ends[0] = run.first
            continue
        run.row = next((row for row in range(1, len(ends)) if run.first + len(run.in_one) + 3 <= ends[row]), len(ends))
        room = (ends[run.row] - 1 if run.row < len(ends) else width) - run.first - 2
        run.lines = _flowing(run.label, room)
        ends += [width] * (run.row + len(run.lines) - len(ends))
        last = run.row + len(run.lines)
        ends[:last] = [min(end, run.first) for end in ends[:last]]


def _block(label: list[tuple[str, Ink]], room: int) -> list[list[tuple[str, Ink]]] | None:
    """Name, value and meaning below each other, where there is room; the meaning in a few lines if it must be."""
    if max(len(text) for text, _ in label[:2]) > room:
        return None
    lines = [[piece] for piece in label[:2]]
    for text, ink in label[2:]:
        pieces = [text] if len(text) <= room else _wrapped(text, room)
        if len(pieces) > MAX_MEANING_ROWS or max(map(len, pieces)) > room:
            return None
        lines += [[(piece, ink)] for piece in pieces]
    return lines


def _wrapped(text: str, room: int) -> list[str]:
    """Break between words, but not behind the glyph at the beginning."""
    kept = text.replace("✕ ", "✕\xa0", 1).replace("◆ ", "◆\xa0", 1)
    if len(text) > room and " " not in text:  # a long name, broken behind its underscores
        kept = kept.replace("_", "_ ")
    pieces = textwrap.wrap(kept, max(1, room), break_long_words=False, break_on_hyphens=False) or [""]
    if kept.count(" ") > text.count(" "):
        pieces = [piece.replace("_ ", "_") for piece in pieces]
    return [piece.replace("\xa0", " ") for piece in pieces]


def _flowing(label: list[tuple[str, Ink]], room: int) -> list[list[tuple[str, Ink]]]:
    """A label in one line, or in as many as it needs at the end of a row."""
    lines: list[list[tuple[str, Ink]]] = [[]]
    left = room
    for text, ink in label:
        gap = "  " if lines[-1] else ""
        if lines[-1] and len(gap + text) > left:
            lines.append([])
            left, gap = room, ""
        first, *rest = _wrapped(text, left - len(gap)) if len(gap + text) > left else [text]
        lines[-1].append((gap + first, ink))
        left -= len(gap + first)
        for piece in rest:
            lines.append([(piece, ink)])
            left = room - len(piece)
    return lines


def _draw_byte(canvas: Canvas, view: RulerView, place: int, x: int, byte: int, runs: list[_Run]) -> None:
    own = OWN[view.side]
    canvas.put(x + 3, 0, f"{byte:02X}", own)
    if chr(byte).isprintable() and byte < 0x7F and any(run.texts and run.first <= x < run.last for run in runs):
        canvas.put(x + 6, 0, chr(byte), QUIET)
    chosen = view.fields[view.cursor].spans if view.cursor is not None else ()
    bits = range(8 * place, 8 * place + 8)
    if not any(begin < bits.stop and begin + size > bits.start for begin, size in chosen) and not (
        view.changed or view.bit in bits
    ):
        canvas.put(x, 1, f"{byte:08b}", QUIET)
        return
    for bit, at in enumerate(bits):
        here = any(begin <= at < begin + size for begin, size in chosen)
        ink = own if at in view.changed else PAPER_BOLD if here else QUIET
        canvas.put(x + bit, 1, str(byte >> 7 - bit & 1), ink)
        if at == view.bit:
            canvas.shade(x + bit, 1, 1, 1, "asked")
            canvas.put(x + bit, 1, str(byte >> 7 - bit & 1), Ink("ink", bold=True))


def _draw_run(canvas: Canvas, run: _Run, view: RulerView, top: int, block: int) -> None:
    field = view.fields[run.number]
    is_chosen = run.number == view.cursor
    ink = CORAL if field.problem else ASKED if is_chosen else HAIR
    size = run.last - run.first
    if _is_untold(view, run.number):
        canvas.across(run.first, 2, 1, "·", HAIR)
        return
    inside = "─" * (size - run.opens - run.closes)
    canvas.put(run.first, 2, "│" if size == 1 else f"{'└' * run.opens}{inside}{'┘' * run.closes}", ink)
    if not run.lines:
        return
    y, x = (top, run.first) if run.row == 0 else (top + block + run.row - 1, run.first + 2)
    if run.row:
        canvas.down(run.first, top, y - top, "│", ink)
        canvas.put(run.first, y, "└", ink)
    for place, line in enumerate(run.lines):
        if is_chosen:
            line = [(text, PAPER_BOLD) for text, _ in line]
        canvas.flow(x, y + place, line, canvas.width)


def told(field: Field) -> str:
    """All that is known of a field, in a line."""
    return "  ".join(word for word in (field.name, value_words(field), field.problem or means(field) or "") if word)
