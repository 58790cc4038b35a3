"""Topic names and topic filters: what may stand in them.

Sources: MQTT 5.0, sections 4.7 and 4.8.2; 3.1.1, section 4.7.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

import msgspec

from cavet.protocols._message import FieldError
from cavet.units import whole_number

SHARE = "$share/"


class Filter(msgspec.Struct, frozen=True):
    """A topic filter with what is wanted for it: the QoS in 3.1.1, the options byte in 5.0."""

    filter: str
    options: int = 0


def name_problem(topic: str) -> str:
    """Say what is wrong with a topic name; "" for nothing."""
    if not topic:
        return "topic: found none, expected one character at least (MQTT-4.7.3-1)"
    if "+" in topic or "#" in topic:
        return "topic: found a wildcard, expected a name without (MQTT-3.3.2-2)"
    return ""


def filter_problem(text: str, version: int) -> str:
    """Say what is wrong with a topic filter; "" for nothing."""
    if not text:
        return "filter: found none, expected one character at least (MQTT-4.7.3-1)"
    if version == 5 and text.startswith(SHARE):
        name, slash, text = text[len(SHARE) :].partition("/")
        if not name or "+" in name or "#" in name:
            return "filter: a shared subscription needs a name without wildcards (MQTT-4.8.2-1)"
        if not slash or not text:
            return "filter: a shared subscription needs a filter behind its name (MQTT-4.8.2-2)"
    levels = text.split("/")
    if any("#" in level and (level != "#" or place < len(levels) - 1) for place, level in enumerate(levels)):
        return "filter: # only alone in the last level (MQTT-4.7.1-1)"
    if any("+" in level and level != "+" for level in levels):
        return "filter: + only alone in its level (MQTT-4.7.1-2)"
    return ""


_COMMA = re.compile(r"(?<!\\),")


def split_list(text: str) -> list[str]:
    """Split what a person writes at its commas; one that is meant itself stands behind a backslash."""
    return [word.replace("\\,", ",") for word in _COMMA.split(text)] if text else []


def join_list(words: Iterable[str]) -> str:
    """Write words so that `split_list` gives them again."""
    return ",".join(word.replace(",", "\\,") for word in words)


def read_filters(place: str, text: str) -> tuple[Filter, ...]:
    """Read `a/b:1,c/#:2`: after the last colon the QoS or the options byte, 0 where there is none."""
    found = []
    for word in split_list(text):
        name, colon, options = word.rpartition(":")
        try:
            found.append(Filter(name, whole_number(options)) if colon else Filter(word))
        except ValueError:
            found.append(Filter(word))
    if any(not 0 <= wanted.options <= 0xFF for wanted in found):
        raise FieldError(place, found=text, expected="options of 0 to 255")
    return tuple(found)


def read_names(place: str, text: str) -> tuple[str, ...]:
    """Read filters without options, with commas."""
    return tuple(split_list(text))


def write_filters(filters: tuple[Filter, ...]) -> str:
    """Write filters as `read_filters` takes them."""
    return join_list(show_filters(filters))


def show_filters(filters: tuple[Filter, ...]) -> list[str]:
    """Filters as they are written."""
    return [f"{wanted.filter}:{wanted.options}" for wanted in filters]
