"""The key that sends everything to rest, as it stands at the foot of all screens and sheets."""

from __future__ import annotations

from typing import Any

from textual.app import App

from cavet.workbench import keymap


def rest_in(app: App[Any]) -> tuple[str, str] | None:
    """The key with what it does; `None` where a record is looked at, and nothing runs."""
    return keymap.REST if getattr(app, "runs", True) else None
