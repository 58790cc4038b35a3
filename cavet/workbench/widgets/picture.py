"""A widget that shows a canvas, and redraws only the rows that have changed."""

from __future__ import annotations

from collections.abc import Callable

from rich.segment import Segment
from textual.geometry import Region
from textual.strip import Strip
from textual.widget import Widget

from cavet.drawings.canvas import PAPER, Canvas
from cavet.drawings.colours import style

LEFT_BUTTON = 1
"""What is pressed acts by this one only: the others are the terminal's, for pasting and menus."""
FEW_COLOURS = "standard"
"""What a terminal with sixteen colours is called."""


class Picture(Widget):
    """Shows the rows of the last canvas that it was given."""

    DEFAULT_CSS = "Picture { width: 1fr; height: 1fr; }"

    def __init__(self, *, id: str | None = None, classes: str | None = None) -> None:
        super().__init__(id=id, classes=classes)
        self._canvas = Canvas(0, 0)
        self._strips: dict[int, Strip] = {}
        self._theme = ""
        self._seen: object = None
        self._last: tuple[object, Callable[[int, int], Canvas]] | None = None

    def look(self, view: object, draw: Callable[[int, int], Canvas]) -> None:
        """Draw a view, unless it is the one that is shown already, at this size."""
        self._last = (view, draw)
        width, height = self.size
        seen = (view, width, height)
        if self.display and width and seen != self._seen:
            self._seen = seen
            self.show(draw(width, height))

    @property
    def shown(self) -> object:
        """The view that it was given last."""
        return self._last[0] if self._last is not None else None

    def on_resize(self) -> None:
        if self._last is not None:
            self.look(*self._last)

    def show(self, canvas: Canvas) -> None:
        """Take a new picture."""
        before, self._canvas = self._canvas, canvas
        changed = [y for y in range(canvas.height) if not canvas.same_row(before, y)]
        for y in changed:
            self._strips.pop(y, None)
        if canvas.height < before.height or canvas.width != before.width:
            self._strips.clear()
            self.refresh()
        elif changed:
            self.refresh(*[Region(0, y, self.size.width, 1) for y in changed])

    def render_line(self, y: int) -> Strip:
        theme = "light" if self.app.theme.endswith("light") else "dark"
        if theme != self._theme:
            self._theme = theme
            self._strips.clear()
        if y not in self._strips:
            self._strips[y] = self._strip(y, theme)
        return self._strips[y]

    def _strip(self, y: int, theme: str) -> Strip:
        runs = self._canvas.row(y) if y < self._canvas.height else ()
        few = self.app.console.color_system == FEW_COLOURS
        segments = [Segment(run.text, style(theme, run.ink, run.ground, few=few)) for run in runs]
        return Strip(segments).adjust_cell_length(self.size.width, style(theme, PAPER, "ink", few=few))
