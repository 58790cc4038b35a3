"""What stands in a message's payload for a value, in the forms that devices use."""

from __future__ import annotations

import math
import re
from typing import Any, TypeGuard

import msgspec

from cavet import units
from cavet.wording import WrongError, digits, listed, plain

KINDS = ("words", "number", "text", "json", "raw")
NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,3})?", re.ASCII)
STEP = re.compile(r"([^.\[\]]+)|\[(\d{1,3})\]")
USUAL_WORDS = ("0", "1")
MAX_SHOWN = 40
Value = float | bool | str


class PayloadError(Exception):
    """A payload is not what was expected; the text says what was found and what was expected."""


class PayloadForm(msgspec.Struct, frozen=True, kw_only=True):
    """How a value stands in a payload.

    `words` are two texts for off and on; a `number` is written in decimal, with `unit` behind it where there is one;
    `json` has the value at `path` (`a.b[0]`; "" for the whole), as `words` of its own where these are not the usual
    ones; `raw` is a number of `size` bytes, the high one first.
    """

    kind: str = "text"
    words: tuple[str, str] = USUAL_WORDS
    unit: str = ""
    path: str = ""
    size: int = 1

    def encode(self, value: Value) -> bytes:
        """The payload for a value. Raises `PayloadError` for one that this form can't carry."""
        if self.kind == "words":
            return self.words[bool(value)].encode()
        if self.kind == "number":
            return f"{digits(float(value), 9)}{f' {self.unit}' if self.unit else ''}".encode()
        if self.kind == "json":
            return msgspec.json.encode(self._wrap(self.words[value] if self._says_words(value) else value))
        if self.kind == "raw":
            number = round(float(value))
            if not 0 <= number < 1 << 8 * self.size:
                raise PayloadError(f"found {number}, expected 0 to {(1 << 8 * self.size) - 1}")
            return number.to_bytes(self.size, "big")
        return str(value).encode("utf-8", "replace")

    def _says_words(self, value: object) -> TypeGuard[bool]:
        """Whether a value is said in words inside JSON."""
        return isinstance(value, bool) and self.words != USUAL_WORDS

    def _wrap(self, value: Value) -> object:
        """The value inside the objects that its path names."""
        found: object = value
        if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
            found = int(value)
        for name, place in reversed(STEP.findall(self.path)):
            found = {name: found} if name else [None] * int(place) + [found]
        return found

    def decode(self, payload: bytes) -> Value:
        """The value that a payload stands for. Raises `PayloadError`."""
        if self.kind == "raw":
            if len(payload) != self.size:
                raise PayloadError(f"found {len(payload)} bytes, expected {self.size}")
            return int.from_bytes(payload, "big")
        try:
            text = payload.decode()
        except UnicodeDecodeError as error:
            raise PayloadError(f"found {payload[:12].hex(' ').upper()}, expected {self._expected}") from error
        if self.kind == "words":
            if text not in self.words:
                raise self._wrong(text)
            return text == self.words[1]
        if self.kind == "number":
            return self._number(text)
        return self._at_path(text) if self.kind == "json" else text

    def last_place(self, payload: bytes) -> float:
        """What one more in the last place of a payload's number would be; 0 where it is no number. Decode it first."""
        if self.kind == "raw":
            return 1.0
        if self.kind == "json":
            found = self._at_path(payload.decode())
            return 0.0 if isinstance(found, str | bool) else units.last_place(repr(found))
        return units.last_place(payload.decode().strip().removesuffix(self.unit)) if self.kind == "number" else 0.0

    def _number(self, text: str) -> float:
        if NUMBER.fullmatch(text.strip()) and is_number(float(text)):
            return float(text)
        if not self.unit:
            raise self._wrong(text)
        try:
            value = units.parse(text, self.unit)
        except WrongError as error:
            raise self._wrong(text) from error
        if not is_number(value):
            raise self._wrong(text)
        return value

    def _at_path(self, text: str) -> Value:
        try:
            found = read_json(text.encode())
        except ValueError as error:
            raise self._wrong(text) from error
        for name, place in STEP.findall(self.path):
            if name and isinstance(found, dict) and name in found:
                found = found[name]
            elif place and isinstance(found, list) and int(place) < len(found):
                found = found[int(place)]
            else:
                raise PayloadError(f"found no {self.path} in {_short(text)}")
        if isinstance(found, str) and self.words != USUAL_WORDS:
            if found not in self.words:
                raise PayloadError(f"found {_short(found)} at {self.path or 'its top'}, expected {listed(self.words)}")
            return found == self.words[1]
        if isinstance(found, str | bool) or is_number(found):
            return found
        raise PayloadError(
            f"found {_short(msgspec.json.encode(found).decode())} at {self.path or 'its top'}, expected a value"
        )

    def _wrong(self, text: str) -> PayloadError:
        return PayloadError(f"found {_short(text)}, expected {self._expected}")

    @property
    def _expected(self) -> str:
        if self.kind == "words":
            return listed(self.words)
        if self.kind == "number":
            return f"a number in {self.unit}" if self.unit else "a number"
        return "JSON" if self.kind == "json" else "text in UTF-8"


def read_json(data: bytes) -> Any:
    """What stands in JSON. Raises `ValueError` for what is none, or is nested too deeply to be read."""
    try:
        return msgspec.json.decode(data)
    except (msgspec.DecodeError, RecursionError) as error:
        raise ValueError(f"no JSON: {error}") from error


def is_number(found: object) -> TypeGuard[int | float]:
    """Whether something is a number that a float can hold."""
    try:
        return isinstance(found, int | float) and math.isfinite(found)
    except OverflowError:
        return False


def path_problem(path: str) -> str:
    """Say what is wrong with a JSON path; "" for nothing."""
    rest = STEP.sub("", path).replace(".", "")
    return f"found {path}, expected names with dots and places in brackets, such as `a.b[0]`" if rest else ""


def _short(text: str) -> str:
    return f'"{plain(text, MAX_SHOWN)}"'
