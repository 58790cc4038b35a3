"""What a run tells, line by line."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

Tell = Callable[[dict[str, Any]], None]


class End(msgspec.Struct, frozen=True, kw_only=True):
    """How a run ended: `done`, `failed`, `stopped` or `lost`; where, and why."""

    result: str
    line: int = 0
    why: str = ""


class LeaveError(Exception):
    """The innermost loop is left."""


class EndError(Exception):
    """The routine ends here: `end`."""


class OverError(Exception):
    """The whole run ends: it has failed, was stopped, or a link is lost."""

    def __init__(self, end: End) -> None:
        super().__init__(end.why)
        self.end = end
