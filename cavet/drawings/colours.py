"""The one place where roles become colours: dark and light, with the same roles."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from rich.color import Color
from rich.style import Style

from cavet.drawings.canvas import Ink

ROLES = {
    "dark": {
        "ink": "#10151a",
        "raised": "#171e25",
        "lifted": "#1f2831",
        "hair": "#34414c",
        "paper": "#d9d5c7",
        "quiet": "#83909b",
        "asked": "#d8a23c",
        "got": "#4db597",
        "coral": "#e2665b",
        "heather": "#9d8fd0",
        "water": "#3b6a7c",
    },
    "light": {
        "ink": "#f6f3ea",
        "raised": "#ece8dc",
        "lifted": "#e0dbcb",
        "hair": "#c3bcaa",
        "paper": "#23292e",
        "quiet": "#6b6f6c",
        "asked": "#996300",
        "got": "#0f7a5c",
        "coral": "#bf3325",
        "heather": "#5f4fa3",
        "water": "#86b3c4",
    },
}
"""Brass is asked, verdigris got, coral what differs too long; heather is inputs and time. Nothing else is coloured."""


SIXTEEN = {
    "dark": {
        "ink": "#000000", "raised": "#000000", "lifted": "#000080", "hair": "#808080", "paper": "#ffffff",
        "quiet": "#c0c0c0", "asked": "#808000", "got": "#008080", "coral": "#ff0000", "heather": "#800080",
        "water": "#000080",
    },
    "light": {
        "ink": "#ffffff", "raised": "#ffffff", "lifted": "#c0c0c0", "hair": "#c0c0c0", "paper": "#000000",
        "quiet": "#808080", "asked": "#808000", "got": "#008080", "coral": "#ff0000", "heather": "#800080",
        "water": "#000080",
    },
}  # fmt: skip
"""The roles where there are but sixteen colours, each one of these: the nearest by its channels may be another's."""


@lru_cache(maxsize=2048)
def style(theme: str, ink: Ink, ground: str, *, few: bool = False) -> Style:
    """The style of an ink on a ground in a theme, `dark` or `light`; with `few` there are but sixteen colours."""
    roles = SIXTEEN[theme] if few else ROLES[theme]
    colour = colour_of(roles, ink.role)
    if ink.share < 1 and not few:
        colour = blend(roles[ground], colour, ink.share)
    return Style(color=Color.parse(colour), bgcolor=Color.parse(roles[ground]), bold=ink.bold or None)


def colour_of(roles: Mapping[str, str], role: str) -> str:
    """The colour of a role. What begins with `#` is one already: that of a thing, such as a lamp."""
    return role if role.startswith("#") else roles[role]


def blend(ground: str, colour: str, share: float) -> str:
    """Mix two colours; 0 is all ground."""
    pairs = zip(_channels(ground), _channels(colour), strict=True)
    return "#" + "".join(f"{round(low + (high - low) * share):02x}" for low, high in pairs)


def _channels(colour: str) -> tuple[int, ...]:
    return tuple(int(colour[place : place + 2], 16) for place in (1, 3, 5))
