"""One track of a routine at work."""

from __future__ import annotations

from typing import Any

from cavet.routines._checked import CheckedRoutine
from cavet.routines._looking import Looking


class Track:
    """What one track is at: its name, how it looks at the bench, and whose it is."""

    def __init__(self, routine: CheckedRoutine, name: str, looking: Looking) -> None:
        self.routine = routine
        self.name = name
        self.look = looking
        self.step: int | None = None
        """The event of the step that is under way."""
        self.line = 0
        self.kept: dict[str, Any] = {}
        """What a program keeps from one turn of a `when` to the next."""
        self.home = "routine"
        """What its lines are counted in: the routine, or a program."""

    @property
    def by(self) -> str:
        """Who asks, as trails say it."""
        return f"{self.home} {self.routine.name}, line {self.line}"


class Scope(dict[str, Any]):
    """The names of a track: its own, and behind them the routine's tunes, as they are turned."""

    def __init__(self, tunes: dict[str, Any], own: dict[str, Any]) -> None:
        super().__init__(own)
        self._tunes = tunes

    def __missing__(self, name: str) -> Any:
        return self._tunes[name]
