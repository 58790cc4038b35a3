"""Changing values in the text of a file, everything else as the user has written it.

The text is cut at its tables' headers, and only the piece that a change is about is taken apart: a change in a large
file takes no longer than one in a small one. What comes of it is held against what was wanted; where it differs, the
whole text is taken apart instead.
"""

from __future__ import annotations

import copy
import tomllib
from collections.abc import Sequence
from typing import Any

import msgspec

from cavet.benchfile._places import Path, find_headers
from cavet.files import newline_of

Edits = Sequence[tuple[tuple[str, ...], Any]]
"""Values by the paths of their keys; `None` takes one away."""


class Piece(msgspec.Struct):
    """A table's header and what stands below it, up to the next; with the comment right above it."""

    path: Path
    text: str


def edited(text: str, changes: Edits) -> str:
    """Give the text with changes made. Tables that are not there are made; lines end as they did."""
    newline = newline_of(text)
    if newline != "\n":
        return edited(text.replace(newline, "\n"), changes).replace("\n", newline)
    wanted = _changed_data(tomllib.loads(text), changes)
    if "\r" not in text:
        pieces = _pieces(text)
        if all(_edit_pieces(pieces, keys, value) for keys, value in changes):
            result = "".join(piece.text for piece in pieces).rstrip("\n") + _end_of(text)
            if _reads_as(result, wanted):
                return result
    return _edit_whole(text, changes)


def _end_of(text: str) -> str:
    """The empty lines that a text ends with."""
    return "\n" * max(1, len(text) - len(text.rstrip("\n")))


def _reads_as(text: str, wanted: dict[str, Any]) -> bool:
    try:
        return tomllib.loads(text) == wanted
    except tomllib.TOMLDecodeError:
        return False


def _changed_data(data: dict[str, Any], changes: Edits) -> dict[str, Any]:
    """What the file is to say then."""
    for keys, value in changes:
        table: Any = data
        for name in keys[:-1]:
            table = table.setdefault(name, {})
        if value is None:
            table.pop(keys[-1], None)
        else:
            table[keys[-1]] = copy.deepcopy(value)
    return data


def _pieces(text: str) -> list[Piece]:
    """The text cut at its headers; what stands at the top comes first."""
    starts: list[tuple[int, Path]] = [(0, ())]
    for at, path in find_headers(text):
        start = text.rfind("\n", 0, at) + 1
        while start > 0 and text[text.rfind("\n", 0, start - 1) + 1 : start].startswith("#"):
            start = text.rfind("\n", 0, start - 1) + 1
        starts.append((start, path))
    ends = [start for start, _ in starts[1:]] + [len(text)]
    return [Piece(path, text[start:end]) for (start, path), end in zip(starts, ends, strict=True)]


def _edit_pieces(pieces: list[Piece], keys: tuple[str, ...], value: Any) -> bool:
    """Make one change; tell whether a piece was found that it is about."""
    within = [piece for piece in pieces if piece.path[: len(keys)] == keys]
    if within:
        if value is not None:
            return False  # a table in the place of one with pieces of its own
        pieces[:] = [piece for piece in pieces if piece not in within]
        return True
    beside = [piece for piece in pieces if piece.path[:-1] == keys[:-1] and piece.path]
    if isinstance(value, dict) and len(keys) == 2 and beside:
        place = max(place for place, piece in enumerate(pieces) if piece.path[:1] == keys[:1])
        pieces[place].text = pieces[place].text.rstrip("\n") + "\n\n"
        pieces.insert(place + 1, Piece(keys, _edit_whole("", [(keys, value)]) + "\n"))
        return True
    above = [piece for piece in pieces if piece.path == keys[: len(piece.path)]]
    holder = max(above, key=lambda piece: len(piece.path))
    if not holder.path:
        return False
    space = "\n" * (len(holder.text) - len(holder.text.rstrip("\n")))
    holder.text = _edit_whole(holder.text, [(keys, value)]).rstrip("\n") + space
    return True


def _edit_whole(text: str, changes: Edits) -> str:
    """The same with all of a text taken apart."""
    import tomlkit  # here, since most runs change nothing

    document = tomlkit.parse(text)
    for keys, value in changes:
        table: Any = document
        for name in keys[:-1]:
            if name not in table:
                table[name] = tomlkit.table(is_super_table=True) if table is document else tomlkit.table()
            table = table[name]
        if value is None:
            table.pop(keys[-1], None)
        elif isinstance(value, dict):
            item = tomlkit.inline_table() if len(keys) > 2 else tomlkit.table()  # parts and the like in one line
            item.update(value)
            inside = item.as_string().strip()[1:-1]
            table[keys[-1]] = tomlkit.value(f"{{ {inside} }}") if len(keys) > 2 and inside else item
        else:
            table[keys[-1]] = value
    return tomlkit.dumps(document)
