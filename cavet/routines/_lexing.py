"""One line of a routine as words: numbers with their units, texts, names, signs."""

from __future__ import annotations

import functools
import re

import msgspec

from cavet import units
from cavet.routines._mistakes import MistakeError
from cavet.routines._words import KEYWORDS
from cavet.wording import digits

MOST_COLUMNS, MOST_WORDS = 2000, 200
MOST_NUMBER = 1e15
REMEMBERED = 1024
NUMBER = re.compile(r"0[xX][0-9A-Fa-f]+|\d{1,3}(?: \d{3})+(?!\d)(?:\.\d+)?|\d+(?:\.\d+)?(?:[eE][+-]?\d+)?|\.\d+")
NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
STRING = re.compile(r'"((?:[^"\\]|\\.)*)"')
SIGN = re.compile(r"!=|<=|>=|[-−+*/=<>(),.{}]")
UNIT = re.compile(
    "|".join(sorted((re.escape(unit) for names in units.DIMENSIONS.values() for unit in names if unit), key=len)[::-1])
)
ESCAPES = {"n": "\n", "t": "\t", '"': '"', "\\": "\\", "{": "\\{", "}": "\\}"}
A_VALUE = re.compile(r"\s*(?:[-−(\d.]|([A-Za-z_]\w*))")
"""What can follow `step` of a `for`; a word of the language can't."""


class Token(msgspec.Struct, frozen=True):
    """A word of a line: what it is, its text, where it begins (from 1), and where it ends."""

    kind: str
    """`number`, `text`, `name`, `sign`, `end`."""
    text: str
    at: int
    end: int
    value: float = 0.0
    unit: str | None = None


@functools.lru_cache(REMEMBERED)
def tokens(line: str) -> tuple[Token, ...]:
    """The words of a line, without its comment; the last is its end. Raises `MistakeError`. While a text is written it
    is read again with each letter, and all its lines but one are what they were."""
    found: list[Token] = []
    at = 0
    if len(line) > MOST_COLUMNS:
        raise MistakeError(MOST_COLUMNS, found="a longer line", expected=f"at most {MOST_COLUMNS} characters")
    while True:
        while line[at : at + 1] in (" ", "\u00a0", "\u202f") and at < len(line):
            at += 1
        if at >= len(line) or line[at] == "#":
            found.append(Token("end", "the end of the line", at + 1, at + 1))
            return tuple(found)
        token = _next(line, at)
        if len(found) >= MOST_WORDS:
            raise MistakeError(token.at, found="more words", expected=f"at most {MOST_WORDS} in a line")
        found.append(token)
        at = token.end - 1


def _next(line: str, at: int) -> Token:
    column = at + 1
    if match := STRING.match(line, at):
        return Token("text", _unescaped(match.group(1), column), column, match.end() + 1)
    if line[at] == '"':
        raise MistakeError(column, found="a text without an end", expected='a " behind it')
    if match := NUMBER.match(line, at):
        return _number(line, match)
    if match := NAME.match(line, at):
        return Token("name", match.group(), column, match.end() + 1)
    if match := SIGN.match(line, at):
        return Token("sign", match.group().replace("−", "-"), column, match.end() + 1)
    expected = "four spaces: a tab is as wide as somebody likes" if line[at] == "\t" else "a word, a number, a text"
    raise MistakeError(column, found=line[at], expected=expected)


def _number(line: str, match: re.Match[str]) -> Token:
    text = match.group()
    value = float(int(text, 16)) if text[:2] in ("0x", "0X") else float(text.replace(" ", ""))
    if value > MOST_NUMBER:
        raise MistakeError(match.start() + 1, found="a larger number", expected=f"at most {digits(MOST_NUMBER)}")
    at = match.end()
    behind = at + 1 if line[at : at + 1] == " " else at
    unit = UNIT.match(line, behind)
    if unit is None or not _is_unit(line, unit):
        return Token("number", text, match.start() + 1, at + 1, value)
    return Token("number", line[match.start() : unit.end()], match.start() + 1, unit.end() + 1, value, unit.group())


def _is_unit(line: str, unit: re.Match[str]) -> bool:
    """Whether what looks like a unit is one: nothing goes on with it, and it is no word of the language there."""
    behind = line[unit.end() : unit.end() + 1]
    if behind and (behind.isalnum() or behind in "_("):
        return False
    if unit.group() == "min":
        return not line[unit.end() :].lstrip().startswith("(")
    if unit.group() != "step":
        return True
    value = A_VALUE.match(line, unit.end())
    return value is None or value.group(1) in KEYWORDS


def _unescaped(text: str, column: int) -> str:
    """A text as it is meant. `\\\\{` stays, for a brace that is no value's."""

    def one(match: re.Match[str]) -> str:
        if match.group(1) not in ESCAPES:
            known = ", ".join("\\" + each for each in ESCAPES)
            raise MistakeError(column + match.start() + 1, found=match.group(), expected=known)
        return ESCAPES[match.group(1)]

    return re.sub(r"\\(.)", one, text)
