"""How the bench stands, for a track that runs."""

from __future__ import annotations

from typing import Any

from cavet.bench import HostLink, RunningBench
from cavet.hosts import Point


class Looking:
    """What the values and conditions of a track look at."""

    def __init__(self, bench: RunningBench, scope: dict[str, Any], began: float) -> None:
        self._bench = bench
        self.scope = scope
        self.before: dict[int, Any] = {}
        self.seen: dict[int, Any] = {}
        self._began = began

    def beside(self) -> Looking:
        """The same for something that watches on its own: edges are its own."""
        return Looking(self._bench, self.scope, self._began)

    def look_again(self) -> None:
        """What edges have seen is what was before, from now on."""
        self.before.update(self.seen)

    def point(self, name: str) -> Point:
        """A point of the bench. Raises `WrongError`."""
        return self._bench.setup.point(name)

    @property
    def elapsed(self) -> float:
        return self._bench.clock.now() - self._began

    def got(self, point: Point) -> Any:
        """What was heard of a point last."""
        return self._bench.reading(point).got

    def asked(self, point: Point) -> Any:
        """What it was asked for last."""
        return self._bench.reading(point).asked

    def part(self, path: str) -> Any:
        """How a part stands: the truth."""
        self._bench.board_side.turn()
        return self._bench.world.part(path).state(self._bench.clock.now())

    def pin(self, board: str, number: int) -> Any:
        """How a pin stands: what it is driven to, or what it reads."""
        self._bench.board_side.turn()
        circuit = self._bench.world.boards[board].circuit
        pin = circuit.pins[number]
        if pin.mode.drives:
            return float(pin.value)
        if pin.mode.value == "analog":
            return float(circuit.read_counts(number, self._bench.clock.now()))
        return float(circuit.read_level(number))

    def stands(self, name: str, how: str) -> bool:
        """Whether a board is ready or lost, a link open."""
        links = [host for host in self._bench.host_links.values() if name in _names_of(host)]
        if how == "ready":
            return bool(links) and all(host.ready for host in links)
        if how == "lost":
            return any(not host.ready for host in links)
        return bool(links) and all(host.is_open for host in links)


class NotingUnknown(Looking):
    """The same look, which notes what is not known of all that it is asked for."""

    def __init__(self, look: Looking) -> None:
        self.__dict__.update(look.__dict__)
        self.unknown: list[str] = []

    def got(self, point: Point) -> Any:
        return self._noted(point.name, super().got(point))

    def asked(self, point: Point) -> Any:
        return self._noted(f"asked {point.name}", super().asked(point))

    def _noted(self, name: str, value: Any) -> Any:
        if value is None and name not in self.unknown:
            self.unknown.append(name)
        return value


def _names_of(host: HostLink) -> tuple[str, ...]:
    """The words that mean a host's link."""
    link = host.link
    return (host.setup.name, link.board, f"{link.board}.{link.name}", f"{link.board}.{link.kind}")
