"""All keys, in one place, as data."""

from __future__ import annotations

from textual.binding import Binding, BindingType

REST = ("F12", "everything to rest")

APP: list[BindingType] = [
    Binding("f12,ctrl+e", "rest", "everything to rest", priority=True),
    Binding("f2,ctrl+p", "palette", "all actions", priority=True),
    Binding("q", "leave", "quit"),
    Binding("ctrl+q", "leave", "quit", priority=True),
    Binding("ctrl+c", "how_to_leave", "say how to quit", priority=True),
]

RAILS = {
    "up": ("move", -1),
    "down": ("move", 1),
    "home": ("move", -999),
    "end": ("move", 999),
    "left": ("nudge", -1),
    "right": ("nudge", 1),
    "shift+left": ("nudge", -10),
    "shift+right": ("nudge", 10),
    "space": ("flip", 1),
}
"""What the list of points does at a key, and how far. It takes these itself, so that fast keys keep their order."""

FIND = "f"

DRIVE: list[BindingType] = [
    Binding("escape", "show_all", "end a search"),
    Binding("enter", "look", "look at the trail"),
    Binding("b", "broken", "the next broken trail"),
    Binding("left_square_bracket", "trail(-1)", "the trail before"),
    Binding("right_square_bracket", "trail(1)", "the trail after"),
    Binding("u", "undo", "take back"),
    Binding("d", "defects", "defects"),
    Binding("o", "link", "let go of the link, or take it up"),
    Binding("v", "view", "rails or board, where there is room for one"),
    Binding("question_mark", "explain", "explain what is under the cursor"),
]

Keys = tuple[tuple[str, str], ...]

DRIVE_FOOT: Keys = (
    ("↑↓", "point"),
    ("←→", "nudge"),
    ("shift", "far"),
    ("0–9", "value"),
    ("space", "flip, hold, fold"),
    ("f", "find"),
    ("⏎", "look"),
    ("d", "defects"),
    ("?", "explain"),
    ("F2", "all actions"),
)
DRIVE_FOOT_NARROW: Keys = (("v", "board"), *DRIVE_FOOT)
FIND_FOOT: Keys = (("a word", "finds points"), ("↑↓", "choose"), ("⏎", "keep the search"), ("esc", "show all"))
ENTRY_FOOT: Keys = (("⏎", "set it"), ("esc", "leave it as it is"), ("any unit that fits:", "60 %, 0.6, 250 ms"))
SHEET_FOOT = (("↑↓", "scroll"), ("esc", "back"))
ACTIONS_FOOT = (("a word", "finds it"), ("↑↓", "choose"), ("⏎", "do it"), ("esc", "back"))
DEFECTS_FOOT = (("↑↓", "choose"), ("space", "switch"), ("s", "save in the bench file"), ("esc", "back"))
