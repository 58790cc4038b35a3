"""Giving something in a bench file another name: wherever the file speaks of it, and nowhere else.

The user's text stays as it is but for the name. Each place where the name stands is tried by itself: what the file
says then tells whether it was this thing's name there, or a word that only looks like it.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterator
from typing import Any

from cavet.benchfile._file import BenchFile
from cavet.benchfile._schema import TABLES
from cavet.settings import Key, Section
from cavet.settings import section_of as section_of_table
from cavet.wording import WrongError

Thing = tuple[str, ...]
"""The path of a table: `("points", "beacon")`, `("boards", "gatehouse", "parts", "beacon")`."""
Leaf = tuple[Any, ...]
NAME = re.compile(r"[A-Za-z][A-Za-z0-9_-]{0,39}")
RENAMED = {
    ("boards",): "board", ("links",): "link", ("hosts",): "host", ("points",): "point", ("defects",): "defect",
    ("rig",): "quantity", ("profiles",): "profile", ("boards", "parts"): "part", ("hosts", "devices"): "device",
}  # fmt: skip
"""What a table is, by the names in its path that are not somebody's own."""


def sort_of(thing: Thing) -> str:
    """What a table is; "" for one that nothing else speaks of by its name."""
    return RENAMED.get(thing[:-1:2], "")


def section_of(path: tuple[Any, ...]) -> Section | None:
    """The schema of a table, by its path."""
    return next((section_of_table(table) for table in TABLES if _fits(table.TITLE, path)), None)


def _fits(title: str, path: tuple[Any, ...]) -> bool:
    words = title.strip("[]").split(".")
    return len(words) == len(path) and all(
        word.isupper() or word == name for word, name in zip(words, path, strict=True)
    )


def key_at(data: dict[str, Any], path: tuple[Any, ...]) -> Key | None:
    """The schema of a key, by the path of its value."""
    names = tuple(name for name in path if isinstance(name, str))
    section = section_of(names[:-1])
    if section is None:
        return None
    table: Any = data
    for name in names[:-1]:
        table = table[name]
    keys = (*section.keys, *section.variants.get(table.get("kind"), ()))
    return next((key for key in keys if key.name == names[-1]), None)


def renamed(file: BenchFile, thing: Thing, name: str) -> BenchFile:
    """A bench in which a thing is called otherwise, everywhere. Raises `WrongError`, also for a name that is taken."""
    if not NAME.fullmatch(name):
        raise WrongError("name", found=name or "nothing", expected="a letter, then letters, digits, _ and -")
    beside: Any = tomllib.loads(file.text)
    for step in thing[:-1]:
        beside = beside.get(step, {})
    if name in beside:
        raise WrongError(
            "name", found=name, expected=f"another one: there is a {sort_of(thing) or 'table'} of that name"
        )
    if thing[-1] not in beside:
        raise WrongError(".".join(thing), found="nothing of that name", expected="something in the file")
    changed = file.with_text(renamed_text(file.text, thing, name))
    means = list(_named_after(file, thing, name))
    return changed.changed_all(means) if means else changed


def _named_after(file: BenchFile, thing: Thing, name: str) -> Iterator[tuple[Thing, str]]:
    """Points that mean a part by having its name: the link between them is written down, when one is renamed."""
    old, sort = thing[-1], sort_of(thing)
    points = tomllib.loads(file.text).get("points", {})
    for point in file.setup.points.values():
        board = file.setup.board_of(point.board)
        there = file.setup.boards.get(board)
        if point.name != old or "part" in points[point.name] or there is None or old not in there.parts:
            continue
        if sort == "point":
            yield ("points", name, "part"), old
        elif sort == "part" and thing[1] == board:
            yield ("points", old, "part"), name


def renamed_text(text: str, thing: Thing, name: str) -> str:
    """The text of a file in which a thing is called otherwise."""
    data, old = tomllib.loads(text), thing[-1]
    before = dict(_leaves(data, ()))
    places = [
        found
        for found in re.finditer(rf"(?<![\w-]){re.escape(old)}(?![\w-])", text)
        if _is_name(data, before, thing, name, text[: found.start()] + name + text[found.end() :], found)
    ]
    for found in reversed(places):
        text = text[: found.start()] + name + text[found.end() :]
    return text


def _is_name(
    data: dict[str, Any], before: dict[Leaf, Any], thing: Thing, name: str, changed: str, found: re.Match[str]
) -> bool:
    """Whether it is the thing's own name that stands at a place: by what the file says with another one there."""
    try:
        after = dict(_leaves(tomllib.loads(changed), ()))
    except tomllib.TOMLDecodeError:
        return False
    gone = {path: value for path, value in before.items() if path not in after or after[path] != value}
    came = {path: value for path, value in after.items() if path not in before or before[path] != value}
    if not gone or len(gone) != len(came):
        return False
    if gone.keys() == came.keys():
        text = found.string
        around = (text[found.start() - 1 : found.start()], text[found.end() : found.end() + 1])
        owner = text[: found.start() - 1] if around[0] == "." else ""
        return all(_speaks_of(data, path, thing, around, owner) for path in gone)
    size = len(thing)
    return came == {(*thing[:-1], name, *path[size:]): value for path, value in gone.items() if path[:size] == thing}


def _leaves(value: Any, path: Leaf) -> Iterator[tuple[Leaf, Any]]:
    """Every value of a file with its path; a table without any by itself."""
    if isinstance(value, dict | list) and value:
        for name, each in value.items() if isinstance(value, dict) else enumerate(value):
            yield from _leaves(each, (*path, name))
    else:
        yield path, value if not isinstance(value, dict | list) else None


def _speaks_of(data: dict[str, Any], path: Leaf, thing: Thing, around: tuple[str, str], owner: str) -> bool:
    """Whether a value names a thing: by what its key names, and by what stands on either side of the name."""
    key = key_at(data, path)
    if key is None:
        return False
    sort, alone = sort_of(thing), "." not in around
    if key.kind == "expression" or key.names == "board.part":
        if sort == "part":
            return around[0] == "." and owner.endswith(thing[1])
        return (sort == "board" and around[1] == ".") or (sort == "quantity" and alone)
    if key.kind == "pin" and sort == "part":
        return around[1] == "." and path[:2] == thing[:2]
    if key.names != sort:
        return False
    if sort == "part":
        return alone and _board_at(data, path) == thing[1]
    if sort == "device":
        return around[0] != "." and path[0] == "points" and data["points"][path[1]].get("board") == thing[1]
    return alone


def _board_at(data: dict[str, Any], path: Leaf) -> str:
    """The board that a value is about."""
    if path[0] == "boards":
        return str(path[1])
    table = data[path[0]][path[1]]
    if path[0] == "points":
        link = data.get("hosts", {}).get(table.get("board"), {}).get("link")
        return str(data.get("links", {}).get(link, {}).get("board", ""))
    return str(table.get("board", ""))
