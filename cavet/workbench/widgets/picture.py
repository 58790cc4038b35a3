"""A widget that shows a canvas, and redraws only the rows that have changed."""

from __future__ import annotations

from rich.segment import Segment
from textual.geometry import Region
from textual.strip import Strip
from textual.widget import Widget

from cavet.workbench.drawing.canvas import Canvas, Ink, Run
from cavet.workbench.palette import style


class Picture(Widget):
    """Shows the rows of the last canvas that it was given."""

    DEFAULT_CSS = "Picture { width: 1fr; height: 1fr; }"

    def __init__(self, *, id: str | None = None, classes: str | None = None) -> None:
        super().__init__(id=id, classes=classes)
        self._rows: list[tuple[Run, ...]] = []

    def show(self, canvas: Canvas) -> None:
        """Take a new picture."""
        rows = [canvas.row(y) for y in range(canvas.height)]
        changed = [y for y, row in enumerate(rows) if y >= len(self._rows) or self._rows[y] != row]
        fewer = len(rows) < len(self._rows)
        self._rows = rows
        if fewer:
            self.refresh()
        elif changed:
            self.refresh(*[Region(0, y, self.size.width, 1) for y in changed])

    def render_line(self, y: int) -> Strip:
        theme = "light" if self.app.theme.endswith("light") else "dark"
        width = self.size.width
        runs = self._rows[y] if y < len(self._rows) else ((" " * width, Ink()),)
        segments = [Segment(text, style(theme, ink)) for text, ink in runs]
        return Strip(segments).adjust_cell_length(width, style(theme, Ink()))
