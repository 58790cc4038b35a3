"""Where in a TOML text each key stands: so that an error can name its line."""

from __future__ import annotations

import re
from bisect import bisect_left

Path = tuple[str | int, ...]

STRING = re.compile(
    r'"{3}(?:[^"\\]|\\[\s\S]|"(?!""))*+"{3,5}'
    r"|'{3}(?:[^']|'(?!''))*+'{3,5}"
    r'|"(?:[^"\\\n]|\\.)*+"'
    r"|'[^'\n]*+'"
)
"""A text of TOML 1.0, in its four forms."""
_BLANK = re.compile(r"(?:[ \t\n]++|#[^\n]*+)*+")
_BARE = re.compile(r"[^ \t=.\]#\n,}]*+")
_NUMBER = re.compile(r"[^,\]}#\n]*+")
"""A value that is no text, list or table."""


def find_places(text: str) -> dict[Path, int]:
    """Give the line of each key and table of a text that has been read as valid TOML already."""
    return _Scanner(text).scan()


def find_headers(text: str) -> list[tuple[int, Path]]:
    """Where each table's header begins in such a text, and the table's path; for a text whose lines end in \\n only."""
    scanner = _Scanner(text)
    scanner.scan()
    return scanner.headers


class _Scanner:
    def __init__(self, text: str) -> None:
        self._text = text.replace("\r\n", "\n")
        self._ends = [found.start() for found in re.finditer("\n", self._text)]
        self._at = 0
        self._places: dict[Path, int] = {}
        self._counts: dict[Path, int] = {}
        self.headers: list[tuple[int, Path]] = []
        """Where each header begins, and the path of its table."""

    def scan(self) -> dict[Path, int]:
        table: Path = ()
        while self._skip_blank():
            if self._peek() == "[":
                table = self._header()
            else:
                self._pair(table)
        return self._places

    def _peek(self) -> str:
        return self._text[self._at : self._at + 1]

    def _skip_blank(self) -> bool:
        """Go on to the next thing that is neither space nor comment; tell whether there is one."""
        self._pass(_BLANK)
        return self._at < len(self._text)

    def _pass(self, pattern: re.Pattern[str]) -> str:
        """Go on behind what a pattern fits; give it."""
        found = pattern.match(self._text, self._at)
        assert found is not None  # it has been read as valid TOML
        self._at = found.end()
        return found.group()

    def _note(self, path: Path) -> None:
        self._places.setdefault(path, bisect_left(self._ends, self._at) + 1)

    def _header(self) -> Path:
        is_list = self._text.startswith("[[", self._at)
        start = self._at
        self._at += 2 if is_list else 1
        path: Path = self._indexed(self._key())
        self._at = self._text.find("]", self._at) + (2 if is_list else 1)
        if is_list:
            count = self._counts.get(path, 0)
            self._counts[path] = count + 1
            path = (*path, count)
        end, self._at = self._at, start
        for size in range(1, len(path) + 1):
            self._note(path[:size])
        self._at = end
        self.headers.append((start, path))
        return path

    def _indexed(self, path: Path) -> Path:
        """Put the number of the latest table of a list behind its name."""
        out: Path = ()
        for size, name in enumerate(path):
            out = (*out, name)
            if out in self._counts and size < len(path) - 1:
                out = (*out, self._counts[out] - 1)
        return out

    def _key(self) -> Path:
        """Read a dotted key, up to `=` or `]`."""
        path: Path = ()
        while True:
            self._skip_blank()
            quote = self._peek()
            if quote in "\"'":
                path = (*path, self._pass(STRING)[1:-1])
            else:
                path = (*path, self._pass(_BARE))
            self._skip_blank()
            if self._peek() != ".":
                return path
            self._at += 1

    def _pair(self, table: Path) -> None:
        start = self._at
        key = self._key()
        end, self._at = self._at, start
        for size in range(1, len(key) + 1):
            self._note((*table, *key[:size]))
        self._at = end + 1  # the `=`
        self._value((*table, *key))

    def _value(self, path: Path) -> None:
        self._skip_blank()
        character = self._peek()
        if character == "[":
            self._list(path)
        elif character == "{":
            self._inline(path)
        elif character in "\"'":
            self._pass(STRING)
        else:
            self._pass(_NUMBER)

    def _list(self, path: Path) -> None:
        self._at += 1
        count = 0
        while self._skip_blank() and self._peek() != "]":
            self._note((*path, count))
            self._value((*path, count))
            count += 1
            if self._skip_blank() and self._peek() == ",":
                self._at += 1
        self._at += 1

    def _inline(self, path: Path) -> None:
        self._at += 1
        while self._skip_blank() and self._peek() != "}":
            self._pair(path)
            if self._skip_blank() and self._peek() == ",":
                self._at += 1
        self._at += 1
