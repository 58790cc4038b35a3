"""The outside world of a bench, as a script sees it and works it by hand."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any

from cavet.bench import RunningBench
from cavet.units import given
from cavet.wording import WrongError, unknown


class UnknownQuantity(WrongError, KeyError):  # noqa: N818
    """The rig has no quantity of that name; also for who looks one up as in any mapping."""

    def __init__(self, name: str, known: Iterable[str]) -> None:
        wrong = unknown("rig", name, known)
        super().__init__(wrong.place, found=name, expected=wrong.expected, nearest=wrong.nearest)


class Rig(Mapping[str, float]):
    """The quantities of the outside world, each in its own unit."""

    def __init__(self, running: RunningBench, here: Callable[[Callable[[], Any]], Any]) -> None:
        """`here` does something in the bench's own loop."""
        self._running = running
        self._here = here

    def __getitem__(self, name: str) -> float:
        def look() -> float:
            self._running.board_side.turn()
            return self._running.world.rig.value(name)

        if name not in self._units:
            raise UnknownQuantity(name, self._units)
        return float(self._here(look))

    def __setitem__(self, name: str, value: float | str) -> None:
        number = given(value, self._units.get(name, ""), f"rig.{name}")
        self._here(lambda: self._running.place(name, number))

    @property
    def _units(self) -> dict[str, str]:
        """The unit of each, by its name."""
        return {quantity.name: quantity.unit for quantity in self._running.world.rig.quantities}

    def __iter__(self) -> Iterator[str]:
        return iter(self._units)

    def __len__(self) -> int:
        return len(self._units)
