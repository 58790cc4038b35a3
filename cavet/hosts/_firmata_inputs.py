"""What a Firmata board reports by itself: the levels of ports as they change, the voltages at channels again and again.

A port's report is said once, at a change, and nothing in it shows whether one was lost. So where bytes were lost, ports
are switched on anew a little later: the board then says how they stand. Source: protocol description, "toggle digital
port reporting".
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from math import inf

from cavet.hosts._point import PointKind
from cavet.hosts._points import PinPoint
from cavet.protocols import Message, firmata

PORT_PINS = 8
DOUBT_SECONDS = 0.5
"""So long after bytes were lost ports are switched on anew, and no more often."""


class Inputs:
    """Which inputs there are, and which of them a report tells of. Time is handed in, in s."""

    def __init__(self) -> None:
        self._at_pins: dict[int, list[PinPoint]] = {}
        self._at_channels: dict[int, list[PinPoint]] = {}
        self._ports: list[int] = []
        self.due = inf
        """When the ports are to be switched on anew; `inf` for not at all, as when the link is lost."""

    def begin(
        self, points: Iterable[PinPoint], channel_of: Callable[[int], int | None], pins: Iterable[int]
    ) -> list[Message]:
        """What switches the reports of channels on. Of these points and of the ports of these pins it is told then."""
        said: list[Message] = []
        self._at_pins.clear()
        self._at_channels.clear()
        self.due = inf
        ports = {pin // PORT_PINS for pin in pins}
        for point in points:
            self._at_pins.setdefault(point.pin, []).append(point)
            if point.kind is PointKind.READING:
                channel = channel_of(point.pin)
                assert channel is not None  # else the point was refused
                self._at_channels[channel] = self._at_pins[point.pin]
                said.append(firmata.ReportAnalogPin(pin=channel, value=1))
            else:
                ports.add(point.pin // PORT_PINS)
        self._ports = sorted(ports)
        return said

    def switch_on(self) -> Iterator[Message]:
        """What switches the reports of ports on: each begins with how it stands."""
        return (firmata.ReportDigitalPort(port=port, value=1) for port in self._ports)

    def doubt(self, now: float) -> None:
        """Bytes were lost, and maybe a report with them."""
        if self._ports:
            self.due = min(self.due, now + DOUBT_SECONDS)

    def again(self, now: float) -> Iterator[Message]:
        """What lets the board say how its ports stand, where that is due."""
        if now >= self.due:
            self.due = inf
            yield from self.switch_on()

    def readings(self, channel: int) -> Iterable[PinPoint]:
        """The points that the voltage at a channel is told of."""
        return self._at_channels.get(channel, ())

    def contacts(self, report: firmata.DigitalMessage) -> Iterator[tuple[PinPoint, int]]:
        """The contacts that a port's report tells of, each with its level."""
        for bit in range(PORT_PINS):
            for point in self._at_pins.get(PORT_PINS * report.port + bit, ()):
                if point.kind is PointKind.CONTACT:
                    yield point, report.value >> bit & 1
