"""The text of routines, with the language's own inks: quiet words, paper for names and numbers, heather for texts."""

from __future__ import annotations

from collections.abc import Callable

from rich.cells import cell_len
from rich.segment import Segment
from rich.style import Style
from rich.text import Text
from textual import events
from textual.binding import Binding
from textual.geometry import Offset
from textual.strip import Strip
from textual.widgets import TextArea
from textual.widgets.text_area import TextAreaTheme

from cavet.drawings.canvas import HEATHER, PAPER, QUIET, Ink
from cavet.drawings.colours import ROLES, style
from cavet.workbench.routines.coloring import spans
from cavet.workbench.widgets.picture import FEW_COLOURS

INKS: dict[str, Ink] = {
    "quiet": QUIET, "name": PAPER, "text": HEATHER, "head": PAPER._replace(bold=True),
}  # fmt: skip
INDENT = 4


class Editor(TextArea):
    """A text area whose words have inks; what it does not take goes to the screen."""

    DEFAULT_CSS = """
    Editor {
        border: none; padding: 0; background: $background; scrollbar-size-vertical: 1; scrollbar-size-horizontal: 0;
        &:focus { border: none; }
    }
    """

    def __init__(self, text: str, complete: Callable[[], None]) -> None:
        """`complete` is called at once when tab is pressed: what is typed next must find its work done."""
        self._complete = complete
        super().__init__(text, show_line_numbers=False, soft_wrap=False, tab_behavior="indent", id="text")
        self.indent_width = INDENT

    def on_mount(self) -> None:
        """The ground of the screen, and the cursor's line a little lifted."""
        for name, roles in ROLES.items():
            line, cursor = Style.parse(f"on {roles['raised']}"), Style.parse(f"{roles['ink']} on {roles['asked']}")
            self.register_theme(
                TextAreaTheme(f"cavet-{name}", base_style=Style(), cursor_line_style=line, cursor_style=cursor)
            )
        self.watch(self.app, "theme", self._follow_theme)

    def _follow_theme(self, theme: str) -> None:
        self.theme = theme if theme in self.available_themes else "cavet-dark"

    def get_line(self, line_index: int) -> Text:
        line = super().get_line(line_index)
        theme = "light" if self.app.theme.endswith("light") else "dark"
        few = self.app.console.color_system == FEW_COLOURS
        for begin, end, kind in spans(line.plain):
            line.stylize(style(theme, INKS[kind], "ink", few=few), begin, end)
        return line

    def render_line(self, y: int) -> Strip:
        """A line, with `…` where it goes on beyond an edge; the cursor stays seen."""
        strip = super().render_line(y)
        left, row, width = (
            int(self.scroll_offset.x),
            int(self.scroll_offset.y) + y,
            self.scrollable_content_region.width,
        )
        if row >= self.document.line_count or width < 2:
            return strip
        length = cell_len(self.document.get_line(row).expandtabs(self.indent_width))
        cursor = self.wrapped_document.location_to_offset(self.cursor_location)
        at = cursor.x - left if cursor.y == row else -1
        if length > left + width and at != width - 1:
            strip = Strip.join([strip.crop(0, width - 1), _more(strip.crop(width - 1, width))])
        if 0 < left < length and at != 0:
            strip = Strip.join([_more(strip.crop(0, 1)), strip.crop(1)])
        return strip

    def scroll_cursor_visible(self, center: bool = False, animate: bool = False) -> Offset:
        """Bring the cursor into sight. While lines are taken back it may stand behind the end of the text, until it is
        put right as well."""
        if self.cursor_location[0] >= self.document.line_count:
            return Offset()
        return super().scroll_cursor_visible(center, animate)

    async def _on_key(self, event: events.Key) -> None:
        if event.key == "tab":
            event.stop()
            event.prevent_default()
            self._complete()
            return
        if event.key == "enter":
            event.stop()
            event.prevent_default()
            self._new_line()
            return
        action = MOVES.get(event.key)
        if action is not None:  # at once: bindings are looked up later, behind what is typed next
            event.stop()
            event.prevent_default()
            await self.run_action(action)
            return
        await super()._on_key(event)

    def action_to_text_start(self) -> None:
        """To the beginning of the text."""
        self.move_cursor((0, 0))

    def action_to_text_end(self) -> None:
        """To the end of the text."""
        self.move_cursor(self.document.end)

    def _new_line(self) -> None:
        """A new line, indented as this one (as the one above, where this one is empty), and deeper behind a line that
        opens a block."""
        row, column = self.cursor_location
        line = str(self.document.get_line(row))[:column]
        if not line and row:
            line = str(self.document.get_line(row - 1))
        indent = len(line) - len(line.lstrip(" "))
        opens = line.lstrip().partition(" ")[0]
        deeper = INDENT if opens in OPENS else 0
        self.insert("\n" + " " * (indent + deeper))


def _more(cell: Strip) -> Strip:
    """`…` in the place of a cell."""
    return Strip([Segment("…", segment.style) for segment in cell][:1])


OURS = ("f6", "f7", "ctrl+e", "ctrl+c", "super+c")
"""Keys of the text area's own that the screen, or the application, has other uses for."""
MOVES = {
    key: binding.action
    for binding in TextArea.BINDINGS
    if isinstance(binding, Binding)
    for key in binding.key.split(",")
    if key not in OURS
} | {"ctrl+home": "to_text_start", "ctrl+end": "to_text_end"}
OPENS = ("routine", "alongside", "when", "finally", "reflex", "repeat", "while", "every", "for", "if", "otherwise")
