"""All keys, in one place, as data."""

from __future__ import annotations

from textual.binding import Binding, BindingType

REST = ("F12", "everything to rest")

APP: list[BindingType] = [
    Binding("f12,ctrl+e", "rest", "everything to rest", priority=True),
    Binding("f2", "palette", "all actions"),
    Binding("q", "leave", "quit"),
    Binding("ctrl+q", "leave", "quit", priority=True),
]

RAILS: list[BindingType] = [
    Binding("up", "move(-1)", "the point above"),
    Binding("down", "move(1)", "the point below"),
    Binding("home", "move(-999)", "the first point"),
    Binding("end", "move(999)", "the last point"),
    Binding("left", "nudge(-1)", "a small step down"),
    Binding("right", "nudge(1)", "a small step up"),
    Binding("shift+left", "nudge(-10)", "a big step down"),
    Binding("shift+right", "nudge(10)", "a big step up"),
    Binding("space", "flip", "flip, or hold"),
]

DRIVE: list[BindingType] = [
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

DRIVE_FOOT = (
    ("↑↓", "point"),
    ("←→", "nudge"),
    ("shift", "far"),
    ("0–9", "value"),
    ("space", "flip, hold"),
    ("⏎", "look"),
    ("d", "defects"),
    ("?", "explain"),
    ("F2", "all actions"),
)
ENTRY_FOOT = (("⏎", "set it"), ("esc", "leave it as it is"), ("any unit that fits:", "60 %, 0.6, 250 ms"))
SHEET_FOOT = (("↑↓", "scroll"), ("esc", "back"))
DEFECTS_FOOT = (("↑↓", "choose"), ("space", "switch"), ("s", "save in the bench file"), ("esc", "back"))
