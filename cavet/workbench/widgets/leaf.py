"""A sheet in the middle of the screen, with a line of keys at its foot."""

from __future__ import annotations

from textual.app import ComposeResult
from textual.containers import Vertical

from cavet.workbench import keymap
from cavet.workbench.drawing.lines import draw_foot
from cavet.workbench.drawing.sheet import MARGIN_ROWS, Sheet, draw_sheet
from cavet.workbench.widgets.picture import Picture

SHARE_OF_HEIGHT = 0.86
LEAST_ROWS = 12


class Leaf(Vertical):
    """As high as its lines need, as far as there is room."""

    DEFAULT_CSS = """
    Leaf {
        width: 90%;
        max-width: 118;
        height: 12;
        .page { height: 1fr; }
        .foot { height: 1; }
    }
    """

    def compose(self) -> ComposeResult:
        yield Picture(classes="page")
        yield Picture(classes="foot")

    def show(self, sheet: Sheet, first: int, keys: keymap.Keys) -> None:
        """Show a sheet from its line `first` on."""
        wanted = max(LEAST_ROWS, len(sheet.lines) + MARGIN_ROWS + 2)
        self.styles.height = min(wanted, int(SHARE_OF_HEIGHT * self.app.size.height))
        page, foot = self.query(Picture)
        page.look((sheet, first), lambda width, height: draw_sheet(sheet, first, width, height))
        foot.look(keys, lambda width, height: draw_foot(keys, keymap.REST, width))

    @property
    def room(self) -> int:
        """How many lines can be seen at once."""
        return max(0, self.query(Picture).first().size.height - MARGIN_ROWS)
