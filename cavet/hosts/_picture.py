"""Pictures for lamp matrices: what a person asks for, as dots."""

from __future__ import annotations

import re

from cavet.hosts._font import HEIGHT, columns_of, height_of, with_known_letters
from cavet.wording import WrongError

Picture = tuple[int, ...]
"""A number a column, the top row in bit 0."""

HELP = "words, `rows` and hex pairs, `dots` and COLUMN,ROW …, `fill` or `clear`"


WORDLESS = ("", "clear", "fill", "rows", "dots")
"""What a picture begins with that is no words."""


def fitted_words(text: str, width: float) -> str:
    """What of a picture's words can be shown in so many columns: `?` for letters that are not there, no more than has
    room."""
    if text.strip().partition(" ")[0] in WORDLESS:
        return text
    bare = text.strip()
    words = with_known_letters(bare.removeprefix("@"))
    while len(columns_of(words)) > width:
        words = words[:-1]
    return f"@{words}" if bare.startswith("@") else words


def read_picture(text: str, width: int, height: int, place: str = "") -> Picture:
    """The dots that a text asks for; wider than `width` where it is to run through. Raises `WrongError`."""
    word, _, rest = text.strip().partition(" ")
    if word in ("clear", ""):
        return (0,) * width
    if word == "fill":
        return ((1 << height) - 1,) * width
    if word == "rows":
        return _from_rows(rest, width, height, place)
    if word == "dots":
        return _from_dots(rest, width, height, place)
    columns = columns_of(text.strip().removeprefix("@"), height)
    spare = width - len(columns)
    if spare < 0:
        return tuple(columns)
    left = spare // 2
    return (*(0,) * left, *columns, *(0,) * (spare - left))


def written_into(there: Picture, words: str, row: int, column: int, width: int, height: int) -> str:
    """A picture with words written into it, their upper left dot at a row and column from 0; what has no room is left
    out."""
    columns = list(there[:width])
    glyphs, tall = columns_of(words, HEIGHT), (1 << height_of(words)) - 1
    for at, dots in enumerate(glyphs[: width - column], column):
        columns[at] = (columns[at] & ~(tall << row) | dots << row) & (1 << height) - 1
    return as_rows(tuple(columns), height)


def _from_rows(text: str, width: int, height: int, place: str) -> Picture:
    size = (width + 7) // 8
    try:
        data = bytes.fromhex(text)
    except ValueError as error:
        raise WrongError(place, found=text, expected=f"{height} rows of {size} bytes as hex") from error
    if len(data) != height * size:
        raise WrongError(place, found=f"{len(data)} bytes", expected=f"{height} rows of {size} bytes as hex")
    return tuple(
        sum((data[row * size + column // 8] >> 7 - column % 8 & 1) << row for row in range(height))
        for column in range(width)
    )


def _from_dots(text: str, width: int, height: int, place: str) -> Picture:
    columns = [0] * width
    for word in text.split():
        match = re.fullmatch(r"(\d{1,4}),(\d{1,4})", word)
        if match is None or int(match[1]) >= width or int(match[2]) >= height:
            expected = f"COLUMN,ROW: 0 to {width - 1}, 0 to {height - 1} from the top"
            raise WrongError(place, found=word, expected=expected)
        columns[int(match[1])] |= 1 << int(match[2])
    return tuple(columns)


def as_rows(picture: Picture, height: int = 8) -> str:
    """Write dots so that they can be asked for again."""
    size = (len(picture) + 7) // 8
    data = bytearray(height * size)
    for column, dots in enumerate(picture):
        for row in range(height):
            if dots >> row & 1:
                data[row * size + column // 8] |= 0x80 >> column % 8
    return "rows " + " ".join(data[at : at + size].hex().upper() for at in range(0, len(data), size))


def turned(picture: Picture, turns: int, *, mirrored: bool = False) -> Picture:
    """An eight by eight picture as a matrix that is mounted so many quarter turns clockwise must show it."""
    dots = [[column >> row & 1 for column in picture] for row in range(8)]
    if mirrored:
        dots = [row[::-1] for row in dots]
    for _ in range(turns % 4):
        dots = [list(row) for row in zip(*dots, strict=True)][::-1]
    return tuple(sum(dots[row][column] << row for row in range(8)) for column in range(8))
