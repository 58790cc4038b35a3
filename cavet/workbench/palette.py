"""The colours of the roles as themes of the screen's widgets."""

from __future__ import annotations

from textual.theme import Theme

from cavet.drawings.colours import ROLES


def themes() -> list[Theme]:
    """The two themes, for the widgets that are Textual's own."""
    return [_theme(name, roles) for name, roles in ROLES.items()]


def _theme(name: str, roles: dict[str, str]) -> Theme:
    return Theme(
        name=f"cavet-{name}",
        primary=roles["asked"],
        secondary=roles["heather"],
        warning=roles["asked"],
        error=roles["coral"],
        success=roles["got"],
        accent=roles["asked"],
        foreground=roles["paper"],
        background=roles["ink"],
        surface=roles["raised"],
        panel=roles["raised"],
        dark=name == "dark",
        variables={
            "hair": roles["hair"],
            "quiet": roles["quiet"],
            "block-cursor-background": roles["lifted"],
            "block-cursor-foreground": roles["paper"],
            "block-cursor-text-style": "bold",
            "input-cursor-background": roles["asked"],
            "border": roles["hair"],
            "scrollbar": roles["hair"],
            "scrollbar-background": roles["ink"],
        },
    )
