"""What a record tells of who was there: boards that say so, or begin anew; devices that have acknowledged on a bus."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping
from math import inf

from cavet.hosts import ON_SPI, DeviceSettings
from cavet.record import Event, Kind, Topic

HERE = "here"
RESET, RUNS, READY = "reset", "runs", "ready"
MOST_TOLD = 100_000
"""So many changes of a board's presence are known; of more, the latest half."""
I2C = "i2c"


class Presences:
    """When each board was there, by what it says of itself."""

    def __init__(self) -> None:
        self._told: dict[str, list[tuple[float, bool]]] = {}

    def note(self, event: Event) -> None:
        """Take in an event."""
        if event.topic is Topic.PRESENCE and event.kind is Kind.LINK:
            told = self._told.setdefault(event.subject, [])
            told.append((event.t, event.value == HERE))
            if len(told) > MOST_TOLD:
                del told[: MOST_TOLD // 2]

    def at(self, host: str, t: float) -> bool | None:
        """Whether a host's board was there at a time; `None` where nothing had told that by then."""
        told = self._told.get(host, [])
        place = bisect_right(told, t, key=lambda each: each[0])
        return told[place - 1][1] if place else None


class Sessions:
    """How the sessions with the boards stand, and since when some can't speak to theirs."""

    def __init__(self) -> None:
        self.states: dict[str, str] = {}
        self._lost: dict[str, float] = {}

    def note(self, event: Event) -> None:
        """Take in an event."""
        if event.topic is Topic.SESSION and event.kind is Kind.LINK:
            self.states[event.subject] = str(event.value)
            if event.value == READY:
                self._lost.pop(event.subject, None)
            else:
                self._lost.setdefault(event.subject, event.t)

    def lost_at(self, host: str, untold: float = inf) -> float:
        """Since when a host can't speak to its board; `untold` where nothing has told of that."""
        return self._lost.get(host, untold)


class Beginnings:
    """When each board began anew, and ran again; when the hosts had set them up."""

    def __init__(self) -> None:
        self._began: dict[str, list[tuple[float, float]]] = {}
        self._ready: dict[str, list[float]] = {}

    def note(self, event: Event) -> None:
        """Take in an event."""
        if event.topic is Topic.SESSION and event.value == READY:
            told = self._ready.setdefault(event.subject, [])
            told.append(event.t)
            if len(told) > MOST_TOLD:
                del told[: MOST_TOLD // 2]
        if event.kind is not Kind.BOARD or event.subject != event.board:
            return  # a session that the host has begun anew needs no time
        began = self._began.setdefault(event.board, [])
        if event.value == RESET:
            began.append((event.t, inf))
            if len(began) > MOST_TOLD:
                del began[: MOST_TOLD // 2]
        elif event.value == RUNS and began and began[-1][1] == inf:
            began[-1] = (began[-1][0], event.t)

    def since_ready(self, board: str, host: str, t: float) -> bool:
        """Whether a board had begun anew by a time, and its host had not set it up since."""
        began, ready = self._began.get(board, []), self._ready.get(host, [])
        last, there = bisect_right(began, t, key=lambda each: each[0]), bisect_right(ready, t)
        return last > 0 and there > 0 and began[last - 1][0] > ready[there - 1]

    def meets(self, board: str, begin: float, end: float) -> bool:
        """Whether a board was beginning anew at some moment of a time."""
        told = self._began.get(board, [])
        place = bisect_right(told, end, key=lambda each: each[0])
        return place > 0 and told[place - 1][1] >= begin


class Answering:
    """Which addresses were acknowledged on the I2C bus of each board, when they were called last."""

    def __init__(self) -> None:
        self._met: dict[str, set[int]] = {}

    def note(self, event: Event) -> None:
        """Take in an event: a transaction is told with its marks, `S 4C A …`, or with what was wrong."""
        if event.kind is not Kind.BUS or event.subject != I2C or not isinstance(event.value, bytes) or not event.value:
            return
        met, address = self._met.setdefault(event.board, set()), event.value[0] >> 1
        if event.note[:2] == "S " and event.note[4:6] == " A":
            met.add(address)
        else:
            met.discard(address)

    def of(self, board: str, devices: Mapping[str, DeviceSettings]) -> tuple[str, ...]:
        """Those of the devices that a host knows there, each with its address, in their order."""
        met = self._met.get(board, set())
        there = sorted((each.address, name) for name, each in devices.items() if each.kind not in ON_SPI)
        return tuple(f"0x{address:02X} ({name})" for address, name in there if address in met)
