"""A small font for lamp matrices: five rows, as wide as each letter needs; and arrows that fill eight by eight."""

from __future__ import annotations

HEIGHT, SIGN_HEIGHT = 5, 8
"""Of letters, and of arrows and signs."""
_SHAPES = """
A .#./#.#/###/#.#/#.#   B ##./#.#/##./#.#/##.   C .##/#../#../#../.##   D ##./#.#/#.#/#.#/##.
E ###/#../##./#../###   F ###/#../##./#../#..   G .##/#../#.#/#.#/.##   H #.#/#.#/###/#.#/#.#
I #/#/#/#/#             J ..#/..#/..#/#.#/.#.   K #.#/#.#/##./#.#/#.#   L #../#../#../#../###
M #...#/##.##/#.#.#/#...#/#...#   N #..#/##.#/#.##/#..#/#..#   O .#./#.#/#.#/#.#/.#.
P ##./#.#/##./#../#..   Q .#./#.#/#.#/.#./..#   R ##./#.#/##./#.#/#.#   S .##/#../.#./..#/##.
T ###/.#./.#./.#./.#.   U #.#/#.#/#.#/#.#/.##   V #.#/#.#/#.#/#.#/.#.   W #...#/#...#/#.#.#/##.##/#...#
X #.#/#.#/.#./#.#/#.#   Y #.#/#.#/.#./.#./.#.   Z ###/..#/.#./#../###
0 ###/#.#/#.#/#.#/###   1 .#/##/.#/.#/.#        2 ##./..#/.#./#../###   3 ##./..#/.#./..#/##.
4 #.#/#.#/###/..#/..#   5 ###/#../##./..#/##.   6 .##/#../###/#.#/###   7 ###/..#/.#./.#./.#.
8 ###/#.#/###/#.#/###   9 ###/#.#/###/..#/##.
. ././././#             , ././././#             : ./#/./#/.             ; ./#/./#/#
! #/#/#/./#             ? ##./..#/.#./.../.#.   - .../.../###/.../...   + .../.#./###/.#./...
= .../###/.../###/...   / ..#/..#/.#./#../#..   % #.#/..#/.#./#../#.#   ' #/#/./././
( .#/#./#./#./.#        ) #./.#/.#/.#/#.        < ..#/.#./#../.#./..#   > #../.#./..#/.#./#..
* #.#/.#./###/.#./#.#   # .#.#./#####/.#.#./#####/.#.#.   ° ##/##/../../..   _ .../.../.../.../###
"""
_ARROWS = {
    "←": "00103070FF703010",
    "→": "00080C0EFF0E0C08",
    "↑": "10387CFE10101010",
    "↓": "1010101010FE7C38",
    "●": "003C7E7E7E7E3C00",
    "✕": "0042241818244200",
}
"""Eight rows each, the left dot in the top bit."""
UNKNOWN = "?"


def _read_shapes() -> dict[str, tuple[str, ...]]:
    words = _SHAPES.split()
    shapes = {}
    for letter, shape in zip(words[::2], words[1::2], strict=True):
        rows = shape.split("/")
        width = max(len(row) for row in rows)
        shapes[letter] = tuple(row.ljust(width, ".") for row in rows)
    shapes[" "] = ("..",) * HEIGHT
    return shapes


_LETTERS = _read_shapes()


def with_known_letters(text: str) -> str:
    """A text with `?` for each letter that the font lacks."""
    return "".join(letter if letter in _ARROWS or letter.upper() in _LETTERS else UNKNOWN for letter in text)


def height_of(text: str) -> int:
    """How many rows a text takes."""
    return SIGN_HEIGHT if any(letter in _ARROWS for letter in text) else HEIGHT


def columns_of(text: str, height: int = 8) -> list[int]:
    """Write a text: a number a column, the top row in bit 0; letters stand a dot above the lowest row."""
    top = max(0, (height - HEIGHT + 1) // 2)
    columns: list[int] = []
    for letter in text:
        if letter in _ARROWS:
            rows = bytes.fromhex(_ARROWS[letter])
            glyph = [sum((rows[row] >> 7 - column & 1) << row for row in range(8)) for column in range(8)]
        else:
            shape = _LETTERS.get(letter.upper()) or _LETTERS[UNKNOWN]
            glyph = [
                sum((shape[row][column] == "#") << row + top for row in range(HEIGHT))
                for column in range(len(shape[0]))
            ]
        columns += [*([0] if columns else []), *glyph]
    return columns
