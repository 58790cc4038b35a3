"""Files of the user's in TOML: reading their text, and telling the place of what is wrong in it."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any

from cavet.benchfile._check import Checker
from cavet.benchfile._places import STRING
from cavet.benchfile._places import Path as KeyPath
from cavet.wording import QUOTED, WrongError, plain

FORMAT = 1
MAX_BYTES = 1 << 20
MOST_PARTS = 32
"""So many parts a dotted key may have."""
MOST_LEVELS = 16
"""So deep may tables and lists be nested."""
MOST_VALUES = 100_000
LONG_INTEGER = "an integer of more than 64 bits"
INTEGERS = range(-(1 << 63), 1 << 63)
"""What TOML 1.0 holds in an integer."""
_WORD = r'(?:[\w-]++|"")'
_LONG_KEY = re.compile(rf"(?<![\w-]){_WORD}(?:[ \t]*+\.[ \t]*+{_WORD}){{{MOST_PARTS},}}")
_TEXTS = re.compile(rf"#[^\n]*+|{STRING.pattern}")
_LONG_NUMBER = re.compile(r"\d[\d_]{1000,}")


def read_text(path: Path, what: str, most: int = MAX_BYTES) -> str:
    """Read the text of a file of at most so many bytes, without a byte order mark. Raises `WrongError`."""
    try:
        with path.open("rb") as file:
            data = file.read(most + 1)
    except OSError as error:
        found = "no such file" if isinstance(error, FileNotFoundError) else error.strerror or str(error)
        raise WrongError(str(path), found=found, expected=what) from error
    if len(data) > most:
        raise WrongError(str(path), found="a longer file", expected=f"{what} of at most {most} bytes")
    try:
        return data.decode("utf-8").removeprefix("\ufeff")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        found = f"byte {data[error.start]:02X}"
        raise WrongError(f"{path.name}:{line}", found=found, expected="text in UTF-8") from error


def parse_toml(text: str, file: str, checker: Checker) -> dict[str, Any]:
    """Read the tables of a file of our format. Raises `WrongError` for no TOML, and for a newer format."""
    bare = _TEXTS.sub(_emptied, text)
    if bare.count(",") + bare.count("=") > MOST_VALUES:  # before it is read: that takes long
        raise WrongError(file, found="more values", expected=f"at most {MOST_VALUES}")
    if found := _LONG_KEY.search(bare):
        place = f"{file}:{_line(found.string, found)}"
        raise WrongError(place, found=found.group()[:40], expected=f"keys of at most {MOST_PARTS} parts")
    try:
        data = tomllib.loads(text)
    except RecursionError as error:
        raise WrongError(file, found="tables or lists in one another", expected=f"{MOST_LEVELS} levels") from error
    except tomllib.TOMLDecodeError as error:
        place, reason = _toml_place(str(error), text)
        raise WrongError(f"{file}:{place}", found=reason, expected="TOML 1.0") from error
    except ValueError as error:  # Python's own limit of digits
        number = _LONG_NUMBER.search(text)
        place = f"{file}:{_line(text, number)}" if number else file
        reason = LONG_INTEGER if number else str(error)
        raise WrongError(place, found=reason, expected="a number of TOML 1.0") from error
    _check_format(data, checker)
    _check_shape(data, checker)
    return data


def _emptied(found: re.Match[str]) -> str:
    """A text, or a comment, with nothing in it but its lines' ends: what is dotted there is no key."""
    lines = "\n" * found.group().count("\n")
    return lines if found.group().startswith("#") else f'"{lines}"'


def _line(text: str, found: re.Match[str]) -> int:
    return text.count("\n", 0, found.start()) + 1


def _check_shape(data: dict[str, Any], checker: Checker) -> None:
    """Nothing in it may be deeper or longer than what can be read on. Raises `WrongError`."""
    waiting: list[tuple[KeyPath, Any]] = [((), data)]
    while waiting:
        path, value = waiting.pop()
        if isinstance(value, dict | list):
            if len(path) > MOST_LEVELS:
                place = f"{checker.file} {plain(str(path[0]), QUOTED)}"  # looking for its line would go as deep
                raise WrongError(place, found="tables or lists in one another", expected=f"{MOST_LEVELS} levels")
            within = value.items() if isinstance(value, dict) else enumerate(value)
            waiting += [((*path, name), each) for name, each in within]
        elif type(value) is int and value not in INTEGERS:
            place = checker.place(path)
            raise WrongError(place, found=LONG_INTEGER, expected="a number of TOML 1.0")


def _check_format(data: dict[str, Any], checker: Checker) -> None:
    """A file of a newer format is refused at once: what else is in it can't be judged."""
    found = data.get("format")
    if type(found) is int and found > FORMAT:
        raise WrongError(
            checker.place(("format",)),
            found=f"format {found}",
            expected=f"format {FORMAT}; this file needs a newer Cavet",
        )


def _toml_place(message: str, text: str) -> tuple[str, str]:
    """Take the parser's message apart: `Expected '=' after a key (at line 3, column 5)`."""
    reason, _, at = message.rpartition(" (at ")
    if not reason:
        return "1", message
    if "end of document" in at:
        return str(text.count("\n") + 1), f"the file ends too early: {reason[:1].lower()}{reason[1:]}"
    line, _, column = at.rstrip(")").removeprefix("line ").partition(", column ")
    return f"{line}:{column}", f"{reason[:1].lower()}{reason[1:]}"
