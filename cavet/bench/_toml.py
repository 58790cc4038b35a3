"""Files of the user's in TOML: reading their text, and telling the place of what is wrong in it."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any

from cavet.bench._check import Checker
from cavet.wording import WrongError

FORMAT = 1
MAX_BYTES = 4 << 20


def read_text(path: Path, what: str) -> str:
    """Read the text of a file. Raises `WrongError`."""
    try:
        data = path.read_bytes()
    except OSError as error:
        found = "no such file" if isinstance(error, FileNotFoundError) else error.strerror or str(error)
        raise WrongError(str(path), found=found, expected=what) from error
    if len(data) > MAX_BYTES:
        raise WrongError(str(path), found=f"{len(data)} bytes", expected=f"at most {MAX_BYTES}")
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        found = f"byte {data[error.start]:02X}"
        raise WrongError(f"{path.name}:{line}", found=found, expected="text in UTF-8") from error


def parse_toml(text: str, file: str, checker: Checker) -> dict[str, Any]:
    """Read the tables of a file of our format. Raises `WrongError` for no TOML, and for a newer format."""
    try:
        data = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        place, reason = _toml_place(str(error), text)
        raise WrongError(f"{file}:{place}", found=reason, expected="TOML 1.0") from error
    _check_format(data, checker)
    return data


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
