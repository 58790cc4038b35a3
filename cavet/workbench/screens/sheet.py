"""A sheet laid over the screen: lines to read, kept up to date while it is open."""

from __future__ import annotations

from collections.abc import Callable

from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.screen import ModalScreen

from cavet.workbench import keymap
from cavet.workbench.drawing.canvas import HAIR, PAPER, QUIET, Canvas, Ink
from cavet.workbench.drawing.lines import draw_foot
from cavet.workbench.widgets.picture import Picture

FRAME_SECONDS = 1 / 10

Line = list[tuple[str, Ink]]


class Sheet:
    """A title and lines of runs."""

    def __init__(self, title: str, lines: list[Line]) -> None:
        self.title = title
        self.lines = lines


def draw_sheet(sheet: Sheet, first: int, width: int, height: int) -> Canvas:
    """Draw a sheet from its line `first` on."""
    canvas = Canvas(width, height, "raised")
    canvas.put(2, 1, sheet.title, PAPER._replace(bold=True))
    canvas.across(2, 2, width - 4, "─", HAIR)
    room = height - 4
    for row, line in enumerate(sheet.lines[first : first + room]):
        x = 2
        for text, ink in line:
            canvas.put(x, 3 + row, text[: max(0, width - 2 - x)], ink)
            x += len(text)
    if len(sheet.lines) > room:
        canvas.put_right(
            width - 2, 1, f"{first + 1}–{min(len(sheet.lines), first + room)} of {len(sheet.lines)}", QUIET
        )
    return canvas


class SheetScreen(ModalScreen[None]):
    """Shows what `make` gives, anew at each look."""

    CSS = """
    SheetScreen { align: center middle; background: $background 60%; }
    #sheet { width: 90%; max-width: 118; height: 86%; }
    #page { height: 1fr; }
    #foot { height: 1; }
    """
    BINDINGS = [
        Binding("escape,enter,q,question_mark", "dismiss", "back"),
        Binding("up", "scroll(-1)"),
        Binding("down", "scroll(1)"),
        Binding("pageup", "scroll(-10)"),
        Binding("pagedown,space", "scroll(10)"),
    ]

    def __init__(self, make: Callable[[], Sheet]) -> None:
        super().__init__()
        self._make = make
        self._first = 0

    def compose(self) -> ComposeResult:
        with Vertical(id="sheet"):
            yield Picture(id="page")
            yield Picture(id="foot")

    def on_mount(self) -> None:
        self.set_interval(FRAME_SECONDS, self.follow)
        self.call_after_refresh(self.follow)

    def follow(self) -> None:
        page = self.query_one("#page", Picture)
        if page.size.width:
            sheet = self._make()
            self.query_one("#sheet").styles.height = min(len(sheet.lines) + 6, int(0.86 * self.app.size.height))
            page.show(draw_sheet(sheet, self._first, *page.size))
            self.query_one("#foot", Picture).show(draw_foot(keymap.SHEET_FOOT, keymap.REST, page.size.width))

    def action_scroll(self, by: int) -> None:
        room = self.query_one("#page", Picture).size.height - 4
        last = max(0, len(self._make().lines) - room)
        self._first = min(last, max(0, self._first + by))
        self.follow()

    async def action_dismiss(self, result: None = None) -> None:
        self.dismiss()
