"""The list of points: the cursor, the keys and the mouse on it."""

from __future__ import annotations

from math import inf

from textual import events
from textual.message import Message

from cavet.hosts import Point
from cavet.workbench import keymap
from cavet.workbench.drawing.rails import Layout, RailsView, RailView, draw_rails, lay_out, widest
from cavet.workbench.pasted import Pasting
from cavet.workbench.roster import Head, Line, Roster
from cavet.workbench.typed import Typed
from cavet.workbench.widgets.picture import LEFT_BUTTON, Picture

ENTRY_BEGINS = '0123456789.-+"#'
MAX_ENTRY, MAX_SEARCH = 200, 24
STROKE_SECONDS = 0.7
"""Turns of the wheel that follow each other so soon are one stroke."""


class Rails(Pasting, Picture, can_focus=True):
    """Shows the points; posts what a person wants of the one under the cursor.

    Which lines there are, and which the cursor is on, is known here at once, not only when the screen is drawn again: a
    key that follows quickly must not act on another point than it was meant for.
    """

    class Moved(Message):
        """The cursor is on another point, or something is being typed, folded or searched for."""

    class Wanted(Message):
        """Something is wanted of a point, whichever the cursor is on by now."""

        def __init__(self, name: str) -> None:
            super().__init__()
            self.name = name

    class Nudged(Wanted):
        def __init__(self, name: str, steps: int) -> None:
            super().__init__(name)
            self.steps = steps

    class Pulled(Wanted):
        """The mouse wants an output at a place on its rail, 0 to 1."""

        def __init__(self, name: str, share: float) -> None:
            super().__init__(name)
            self.share = share

    class Flipped(Wanted):
        """Flip it, or hold it."""

    class Entered(Wanted):
        """A value was typed to its end."""

        def __init__(self, name: str, text: str) -> None:
            super().__init__(name)
            self.text = text

    def __init__(self, roster: Roster, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._roster = roster
        self.cursor = self._first_point()
        self.entry: Typed | None = None
        self.search: Typed | None = None
        """What is being searched for, while it is typed."""
        self._view: RailsView | None = None
        self._layout: Layout | None = None
        self._longest_value = 0
        """Of all that was shown so far."""
        self._went_at = -inf
        """When the wheel has moved the cursor last."""

    def set_view(self, view: RailsView) -> None:
        """Show the points as they stand now."""
        self._longest_value = max(self._longest_value, widest(view))
        layout = lay_out(view, *self.size, self._longest_value)
        self._view, self._layout = view, layout
        self.look(view, lambda width, height: draw_rails(view, layout, width, height))

    # the cursor

    @property
    def line(self) -> Line | None:
        """The line under the cursor; `None` when there is none."""
        lines = self._roster.lines()
        return lines[min(self.cursor, len(lines) - 1)] if lines else None

    def _first_point(self) -> int:
        """The first one there is; of those that were found the one that is called so."""
        points = [(place, line) for place, line in enumerate(self._roster.lines()) if isinstance(line, Point)]
        named = [place for place, point in points if point.name.lower() == self._roster.wanted.strip().lower()]
        return next(iter((*named, *(place for place, _ in points))), 0)

    def open_where_room(self) -> None:
        """Before it is seen first: no board is folded where there is room for the points of all."""
        if self.size.height:
            self.cursor = self._roster.open_in(self.size.height, self.cursor)

    def go_to(self, point: Point) -> None:
        """Bring the cursor to a point, and that in sight."""
        self.search = None
        self._roster.wanted = ""
        self._roster.fold(point.board, False)
        self._move_to(self._roster.lines().index(point))

    def _move(self, by: int) -> None:
        self._move_to(max(0, min(len(self._roster.lines()) - 1, self.cursor + by)))

    def _move_to(self, cursor: int) -> None:
        self.entry = None
        self.cursor = cursor
        self.post_message(self.Moved())

    def _nudge(self, steps: int) -> None:
        line = self.line
        if isinstance(line, Head):
            self._fold(line, steps < 0)
        elif line is not None:
            self.post_message(self.Nudged(line.name, steps))

    def _flip(self, _: int) -> None:
        line = self.line
        if isinstance(line, Head):
            self._fold(line, not self._roster.is_folded(line.board))
        elif line is not None:
            self.post_message(self.Flipped(line.name))

    def _fold(self, head: Head, folded: bool) -> None:
        self._roster.fold(head.board, folded)
        self.post_message(self.Moved())

    # searching

    def find(self) -> None:
        """Begin a search."""
        self.show_all()
        self.search = Typed(most=MAX_SEARCH)

    def show_all(self) -> None:
        """End a search. The cursor stays on its point, and that in sight."""
        line = self.line if self._roster.wanted else None
        self.search = None
        self._roster.wanted = ""
        if isinstance(line, Point):
            self._roster.fold(line.board, False)
            self.cursor = self._roster.lines().index(line)
        self.post_message(self.Moved())

    def _seek(self, search: Typed) -> None:
        if not search.text:
            self.show_all()
        self.search = search
        if search.text != self._roster.wanted:
            self._roster.wanted = search.text
            self.cursor = self._first_point() if search.text else self.cursor
        self.post_message(self.Moved())

    # keys

    def on_key(self, event: events.Key) -> None:
        if self.search is not None:
            self._look_for(event, self.search)
        elif self.entry is not None:
            self._edit(event, self.entry)
        elif event.key == "enter" and isinstance(self.line, Head):
            event.stop()
            self._flip(1)
        elif event.key == keymap.FIND_KEY:
            event.stop()
            self.find()
        elif event.key in keymap.MOVES:
            name, by = keymap.MOVES[event.key]
            {"move": self._move, "nudge": self._nudge, "flip": self._flip}[name](by)
            event.stop()
        elif event.character is not None and event.character in ENTRY_BEGINS and isinstance(self.line, Point):
            self._take(event, Typed(most=MAX_ENTRY).put(event.character))

    def paste(self, text: str) -> None:
        """Take what is pasted: it goes on with what is typed, or begins it."""
        if self.search is not None:
            self._seek(self.search.put(text))
        elif self.entry is not None or (text[0] in ENTRY_BEGINS and isinstance(self.line, Point)):
            self.entry = (self.entry or Typed(most=MAX_ENTRY)).put(text)
            self.post_message(self.Moved())

    def _look_for(self, event: events.Key, search: Typed) -> None:
        """A search is being typed: the list follows at once. `↑` and `↓` choose, and end it."""
        if event.key == "escape":
            self.show_all()
        elif event.key in ("enter", "up", "down"):
            self.search = None
            self._move({"up": -1, "down": 1}.get(event.key, 0))
        elif (typed := search.hear(event.key, event.character)) is not None:
            self._seek(typed)
        else:
            return
        event.stop()
        event.prevent_default()

    def _edit(self, event: events.Key, entry: Typed) -> None:
        if event.key == "enter":
            self._take(event, None)
            if isinstance(self.line, Point):
                self.post_message(self.Entered(self.line.name, entry.text))
        elif event.key == "escape":
            self._take(event, None)
        elif (typed := entry.hear(event.key, event.character)) is not None:
            self._take(event, typed if typed.text else None)

    def _take(self, event: events.Key, entry: Typed | None) -> None:
        event.stop()
        event.prevent_default()
        self.entry = entry
        self.post_message(self.Moved())

    # the mouse: it acts on what is shown

    def on_mouse_down(self, event: events.MouseDown) -> None:
        place = self._layout.line_at(event.y) if self._layout is not None else None
        lines = self._roster.lines()
        if place is None or self._view is None or self._layout is None or event.button != LEFT_BUTTON:
            return
        if place >= len(lines) or lines[place].name != self._view.lines[place].name:
            return  # the list has changed since it was drawn
        is_typing = self.entry is not None
        if is_typing and place == self.cursor:
            return  # it was meant for the text, and nothing may move by that
        if place != self.cursor:
            self._move_to(place)
        x = event.x - self._layout.rail
        line, view = lines[place], self._view.lines[place]
        if isinstance(line, Head):
            self._flip(1)
        elif is_typing or not 0 <= x < self._layout.rail_width:
            return
        elif isinstance(view, RailView) and not view.is_switch and not view.is_text:
            self.post_message(self.Pulled(line.name, x / max(1, self._layout.rail_width - 1)))
        else:
            self.post_message(self.Flipped(line.name))

    def on_mouse_scroll_up(self, event: events.MouseScrollUp) -> None:
        self._wheel(event, 1)

    def on_mouse_scroll_down(self, event: events.MouseScrollDown) -> None:
        self._wheel(event, -1)

    def _wheel(self, event: events.MouseEvent, steps: int) -> None:
        """The cursor goes up and down the list. Over the rail of the point that it stands on, that is nudged, but not
        by the same stroke that has brought it there."""
        if self.entry is not None or self._layout is None:
            return
        on_rail = 0 <= event.x - self._layout.rail < self._layout.rail_width
        is_going = event.time - self._went_at < STROKE_SECONDS
        if on_rail and not is_going and self._layout.line_at(event.y) == self.cursor and isinstance(self.line, Point):
            self._nudge(steps)
        else:
            self._went_at = event.time
            self._move(-steps)
