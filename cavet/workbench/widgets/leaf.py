"""A sheet in the middle of the screen, with a line of keys at its foot."""

from __future__ import annotations

from textual.app import ComposeResult
from textual.containers import Vertical

from cavet.workbench import keymap
from cavet.workbench.drawing.lines import draw_foot
from cavet.workbench.drawing.sheet import MARGIN_ROWS, Sheet, draw_sheet, laid
from cavet.workbench.widgets.picture import Picture
from cavet.workbench.widgets.rest import rest_in

SHARE_OF_HEIGHT = 0.86
SHARE_OF_WIDTH, MOST_COLUMNS = 0.9, 118
LEAST_ROWS = 6


def columns_in(width: int) -> int:
    """How wide a sheet is in a window."""
    return max(1, min(MOST_COLUMNS, round(SHARE_OF_WIDTH * width), width))


class Leaf(Vertical):
    """As high as its lines need, as far as there is room."""

    DEFAULT_CSS = """
    Leaf {
        width: 40;
        height: 6;
        .page { height: 1fr; }
        .foot { height: 1; }
    }
    """

    def __init__(self) -> None:
        super().__init__()
        self._page = Picture(classes="page")
        self._foot = Picture(classes="foot")

    def compose(self) -> ComposeResult:
        yield self._page
        yield self._foot

    def fit(self, sheet: Sheet, width: int, height: int) -> None:
        """Take the room that a sheet needs, in a window of a size."""
        columns = columns_in(width)
        rows = max(LEAST_ROWS, len(laid(sheet, columns)) + MARGIN_ROWS + 1)
        self.styles.width = columns
        self.styles.height = max(LEAST_ROWS, min(rows, int(SHARE_OF_HEIGHT * height)))

    def show(self, sheet: Sheet, first: int, keys: keymap.Keys) -> None:
        """Show a sheet from its line `first` on."""
        self.fit(sheet, *self.app.size)
        self._page.look((sheet, first), lambda width, height: draw_sheet(sheet, first, width, height))
        self._foot.look(keys, lambda width, height: draw_foot(keys, rest_in(self.app), width))

    @property
    def room(self) -> int:
        """How many lines can be seen at once."""
        return max(0, self._page.size.height - MARGIN_ROWS)
