"""The list of points: the cursor, the keys and the mouse on it."""

from __future__ import annotations

from textual import events
from textual.message import Message

from cavet.workbench import keymap
from cavet.workbench.drawing.rails import CourseView, HeadView, Layout, LineView, RailsView, draw_rails, lay_out
from cavet.workbench.widgets.picture import Picture

ENTRY_BEGINS = "0123456789.-+"
MAX_ENTRY = 24


class Rails(Picture, can_focus=True):
    """Shows the points; posts what a person wants of the one under the cursor."""

    class Moved(Message):
        """The cursor is on another point, or something is being typed."""

    class Wanted(Message):
        """Something is wanted of the point at `place`, whichever the cursor is on by now."""

        def __init__(self, place: int) -> None:
            super().__init__()
            self.place = place

    class Nudged(Wanted):
        def __init__(self, place: int, steps: int) -> None:
            super().__init__(place)
            self.steps = steps

    class Pulled(Wanted):
        """The mouse wants an output at a place on its rail, 0 to 1."""

        def __init__(self, place: int, share: float) -> None:
            super().__init__(place)
            self.share = share

    class Flipped(Wanted):
        """Flip it, or hold it."""

    class Typed(Wanted):
        def __init__(self, place: int, text: str) -> None:
            super().__init__(place)
            self.text = text

    class Folded(Wanted):
        """Fold a board's points away, or bring them out."""

        def __init__(self, place: int, folded: bool) -> None:
            super().__init__(place)
            self.folded = folded

    class Sought(Message):
        """Show only what has these words in its name."""

        def __init__(self, words: str) -> None:
            super().__init__()
            self.words = words

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.cursor = 0
        self.entry: str | None = None
        self.search: str | None = None
        """What is being searched for, while it is typed."""
        self._view: RailsView | None = None
        self._layout: Layout | None = None

    def set_view(self, view: RailsView) -> None:
        """Show the points as they stand now."""
        self.cursor = view.cursor
        layout = lay_out(view, *self.size)
        self._view, self._layout = view, layout
        self.look(view, lambda width, height: draw_rails(view, layout, width, height))

    @property
    def _count(self) -> int:
        return len(self._view.lines) if self._view else 0

    @property
    def _on_head(self) -> bool:
        return self._view is not None and bool(self._view.lines) and isinstance(self._line, HeadView)

    @property
    def _line(self) -> LineView:
        assert self._view is not None  # there is a line, so there is a list
        return self._view.lines[self.cursor]

    def _move(self, by: int) -> None:
        self._move_to(min(self._count - 1, max(0, self.cursor + by)))

    def _move_to(self, cursor: int) -> None:
        self.entry = None
        self.cursor = cursor
        self.post_message(self.Moved())

    def _nudge(self, steps: int) -> None:
        self.post_message(self.Folded(self.cursor, steps < 0) if self._on_head else self.Nudged(self.cursor, steps))

    def _flip(self, _: int) -> None:
        line = self._line if self._count else None
        if isinstance(line, HeadView):
            self.post_message(self.Folded(self.cursor, not line.folded))
        else:
            self.post_message(self.Flipped(self.cursor))

    def on_key(self, event: events.Key) -> None:
        if self.search is not None:
            self._look_for(event, self.search)
        elif self.entry is not None:
            self._edit(event, self.entry)
        elif event.key == "enter" and self._on_head:
            event.stop()
            self._flip(1)
        elif event.key == keymap.FIND:
            self._seek(event, "")
        elif event.key in keymap.RAILS:
            name, by = keymap.RAILS[event.key]
            {"move": self._move, "nudge": self._nudge, "flip": self._flip}[name](by)
            event.stop()
        elif event.character is not None and event.character in ENTRY_BEGINS and not self._on_head:
            self._take(event, event.character)

    def _look_for(self, event: events.Key, search: str) -> None:
        """A search is being typed: the list follows at once. The arrows choose, and end it."""
        if event.key == "escape":
            self._seek(event, None)
        elif event.key == "backspace":
            self._seek(event, search[:-1])
        elif event.key in ("enter", "up", "down"):
            event.stop()
            self.search = None
            if event.key != "enter":
                self._move(-1 if event.key == "up" else 1)
            self.post_message(self.Moved())
        elif event.character is not None and event.character.isprintable():
            self._seek(event, (search + event.character)[:MAX_ENTRY])

    def _seek(self, event: events.Key, search: str | None) -> None:
        event.stop()
        event.prevent_default()
        self.search = search
        self.post_message(self.Sought(search or ""))

    def _edit(self, event: events.Key, entry: str) -> None:
        if event.key == "enter":
            self._take(event, None)
            self.post_message(self.Typed(self.cursor, entry))
        elif event.key == "escape":
            self._take(event, None)
        elif event.key == "backspace":
            self._take(event, entry[:-1] or None)
        elif event.character is not None and event.character.isprintable():
            self._take(event, (entry + event.character)[:MAX_ENTRY])

    def _take(self, event: events.Key, entry: str | None) -> None:
        event.stop()
        event.prevent_default()
        self.entry = entry
        self.post_message(self.Moved())

    def on_mouse_down(self, event: events.MouseDown) -> None:
        place = self._line_at(event.y)
        if place is None or self._view is None or self._layout is None:
            return
        if place != self.cursor:
            self._move_to(place)
        x = event.x - self._layout.rail
        line = self._view.lines[place]
        if isinstance(line, HeadView):
            self.post_message(self.Folded(place, not line.folded))
        elif not 0 <= x < self._layout.rail_width:
            return
        elif isinstance(line, CourseView) or line.is_switch:
            self.post_message(self.Flipped(self.cursor))
        else:
            self.post_message(self.Pulled(self.cursor, x / max(1, self._layout.rail_width - 1)))

    def _line_at(self, y: int) -> int | None:
        return self._layout.line_at(y) if self._layout is not None else None

    def on_mouse_scroll_up(self, event: events.MouseScrollUp) -> None:
        self.post_message(self.Nudged(self.cursor, 1))

    def on_mouse_scroll_down(self, event: events.MouseScrollDown) -> None:
        self.post_message(self.Nudged(self.cursor, -1))
