"""Presses that a host has never heard of: an input's level went away from where it rests and came back, unheard."""

from __future__ import annotations

from collections.abc import Iterator

from cavet.benchfile import Setup
from cavet.hosts import PinPoint
from cavet.record import Event, Kind, Topic

HEARD_WITHIN = 0.5
"""So long after it has come back a host may still hear of it, in s."""
LEAST = 0.002
"""What is shorter is a contact that bounces."""


class Missed:
    """Follows inputs at pins, and what their hosts hear."""

    def __init__(self, setup: Setup) -> None:
        self._points: dict[tuple[str, str], str] = {}
        self._pins: dict[tuple[str, str], tuple[str, str]] = {}
        for point in setup.points.values():
            if isinstance(point, PinPoint) and not point.kind.is_output:
                pin = (setup.board_of(point.board), str(point.pin))
                self._points[pin] = point.name
                self._pins[point.board, point.name] = pin
        self._rest: dict[tuple[str, str], object] = {}
        self._away: dict[tuple[str, str], tuple[int, float, float | None]] = {}
        """Of each pin that is away from its rest: the event and the time at which it left, and when it came back."""

    @property
    def waits(self) -> bool:
        """Whether some input is away from its rest, or was just now."""
        return bool(self._away)

    def note(self, event: Event) -> Iterator[tuple[int, float, str]]:
        """Take in an event; give what was missed, as far as that is known by now: the event, the time, words."""
        for pin, (number, left, back) in list(self._away.items()):
            if back is not None and event.t > back + HEARD_WITHIN:
                del self._away[pin]
                if back - left >= LEAST:
                    yield (
                        number,
                        left,
                        f"{self._points[pin]}: {1000 * (back - left):.3g} ms that the host never heard of",
                    )
        pin = (event.board, event.subject)
        if event.kind is Kind.LEVEL and event.topic is Topic.PIN and pin in self._points:
            rest = self._rest.setdefault(pin, event.value)
            number, left, _ = self._away.get(pin, (event.number, event.t, None))
            if event.value != rest:
                self._away[pin] = (number, left, None)
            elif pin in self._away:
                self._away[pin] = (number, left, event.t)
        elif event.kind is Kind.HEARD and event.topic is Topic.POINT:
            heard = self._pins.get((event.board, event.subject))
            if heard is not None:
                self._away.pop(heard, None)
