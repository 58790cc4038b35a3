"""The bench file: reading, checking it whole, and saving changes with the user's comments kept."""

from __future__ import annotations

import os
import tempfile
import tomllib
from pathlib import Path
from typing import Any

import msgspec
import tomlkit

from cavet.bench._check import Checker
from cavet.bench._plan import Plan
from cavet.bench._reading import read_plan
from cavet.wording import WrongError

FORMAT = 1
MAX_BYTES = 4 << 20


class BenchFile(msgspec.Struct):
    """A bench file that has been read and found right."""

    path: Path
    text: str
    plan: Plan

    def changed(self, keys: tuple[str, ...], value: Any) -> BenchFile:
        """Give the file with one value changed, everything else as the user has written it. Checked like any other."""
        document = tomlkit.parse(self.text)
        table: Any = document
        for name in keys[:-1]:
            table = table[name]
        table[keys[-1]] = value
        text = tomlkit.dumps(document)
        return BenchFile(self.path, text, check_text(text, self.path.name))

    def save(self) -> None:
        """Write it in one go: a reader finds the old file or the new one, never a half."""
        handle, name = tempfile.mkstemp(dir=self.path.parent, prefix=f".{self.path.name}.")
        try:
            with os.fdopen(handle, "w", encoding="utf-8") as file:
                file.write(self.text)
                file.flush()
                os.fsync(file.fileno())
            if self.path.exists():
                Path(name).chmod(self.path.stat().st_mode)
            Path(name).replace(self.path)
        except OSError as error:
            Path(name).unlink(missing_ok=True)
            raise WrongError(
                str(self.path), found=error.strerror or str(error), expected="a file that can be written"
            ) from error


def load_bench(path: Path) -> BenchFile:
    """Read a bench file. Raises `WrongError`, or an `ExceptionGroup` of all that is wrong in it."""
    try:
        data = path.read_bytes()
    except OSError as error:
        found = "no such file" if isinstance(error, FileNotFoundError) else error.strerror or str(error)
        raise WrongError(str(path), found=found, expected="a bench file") from error
    if len(data) > MAX_BYTES:
        raise WrongError(str(path), found=f"{len(data)} bytes", expected=f"at most {MAX_BYTES}")
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        found = f"byte {data[error.start]:02X}"
        raise WrongError(f"{path.name}:{line}", found=found, expected="text in UTF-8") from error
    return BenchFile(path, text, check_text(text, path.name))


def check_text(text: str, file: str) -> Plan:
    """Check the text of a bench file; `file` is what errors call it."""
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        place, reason = _toml_place(str(error), text)
        raise WrongError(f"{file}:{place}", found=reason, expected="TOML 1.0") from error
    checker = Checker(file, text)
    _check_format(data, checker)
    plan = read_plan(data, checker)
    if plan is None or checker.errors:
        raise ExceptionGroup(f"{file} can't be used", checker.errors)
    return plan


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
