"""Who opens and shuts the pseudo-terminals of a loop.

Where the system tells that (Linux), nothing is looked for: a program that shuts a device and another one that opens
it at once are told apart, and at rest nothing wakes. Elsewhere, and while a device is not read, all are looked at.
"""

from __future__ import annotations

import asyncio
import select
from collections.abc import Iterable, Mapping
from contextlib import suppress
from typing import Protocol
from weakref import WeakKeyDictionary

from cavet.links._inotify import Watcher

LOOK_SECONDS = 0.02
"""How often the devices are looked at, where that is needed."""
MOST_READS = 8
"""So often is read on what the system tells, before others have their turn."""


class Watched(Protocol):
    """The board's end of a device."""

    @property
    def is_open(self) -> bool:
        """Whether a program has it, as far as is known."""

    @property
    def is_held_up(self) -> bool:
        """Whether it is open and not read, since too much of it is still on the line."""

    def looked_at(self, state: int) -> None:
        """How the device stands, as `poll` tells it."""

    def was_opened(self) -> None:
        """A program has opened it."""

    def was_opened_anew(self) -> None:
        """The program that had it has shut it, and another one has opened it since."""


class _Place:
    """A device, and what is known of who has it."""

    def __init__(self, end: Watched, watch: int) -> None:
        self.end = end
        self.watch = watch
        self.openings = 0
        """How many have it open: at least as many, since the system may tell of two at once as of one."""
        self.was_left = False
        """Whether the last one has shut it."""


class Lookout:
    """Looks after all devices of one loop together, as long as there are any."""

    def __init__(self) -> None:
        self._poll = select.poll()
        self._places: dict[int, _Place] = {}
        self._watcher: Watcher | None = None
        self._unseen: dict[int, None] = {}
        """The devices with which something has happened since it was looked how they stand, in that order."""
        self._looks = False

    def add(self, master: int, path: str, end: Watched) -> None:
        """Look after a device from now on: the number of its master's side, the path of the other."""
        self._poll.register(master, select.POLLIN)
        self._places[master] = _Place(end, self._watch(path))
        self.look_on()

    def _watch(self, path: str) -> int:
        """The number of a watch; -1 where the system tells nothing."""
        with suppress(OSError):
            if self._watcher is None:
                self._watcher = Watcher()
                asyncio.get_running_loop().add_reader(self._watcher.number, self._told)
            return self._watcher.add(path)
        return -1

    def remove(self, master: int) -> None:
        """Look after it no more."""
        place = self._places.pop(master, None)
        if place is None:
            return
        self._poll.unregister(master)
        if self._watcher is not None and place.watch >= 0:
            self._watcher.remove(place.watch)
        if self._watcher is not None and not self._places:
            asyncio.get_running_loop().remove_reader(self._watcher.number)
            self._watcher.close()
            self._watcher = None

    def look_on(self) -> None:
        """Look at the devices, and go on with it as long as that is needed."""
        if not self._looks:
            self._look()

    def _look(self) -> None:
        self._see(list(self._places), dict(self._poll.poll(0)))
        self._looks = any(place.watch < 0 or place.end.is_held_up for place in self._places.values())
        if self._looks:
            asyncio.get_running_loop().call_later(LOOK_SECONDS, self._look)

    def _see(self, masters: Iterable[int], states: Mapping[int, int]) -> None:
        """Tell ends how their devices stand."""
        for master in masters:
            if (place := self._places.get(master)) is None:
                continue
            state = states.get(master, 0)
            if not state & select.POLLHUP:
                place.openings, place.was_left = max(1, place.openings), False
            place.end.looked_at(state)

    def _told(self) -> None:
        """The system has told who has opened and shut what; how the devices stand is looked at once no more is told."""
        by_watch = {place.watch: master for master, place in self._places.items()}
        for _ in range(MOST_READS):
            if self._watcher is None:
                return
            states = dict(self._poll.poll(0))
            events, is_all = self._watcher.read()
            if not is_all:
                self._unseen.update(dict.fromkeys(self._places))
            if not events:
                break
            for watch, is_opened in events:
                if (master := by_watch.get(watch)) is not None and (place := self._places.get(master)) is not None:
                    self._unseen[master] = None
                    self._happened(place, is_opened)
        else:
            asyncio.get_running_loop().call_soon(self._told)  # there is more of it; others have their turn first
            return
        unseen, self._unseen = self._unseen, {}
        self._see(unseen, states)
        if any(place.end.is_held_up for place in self._places.values()):
            self.look_on()

    def _happened(self, place: _Place, is_opened: bool) -> None:
        if not is_opened:
            place.openings = max(0, place.openings - 1)
            place.was_left = place.openings == 0
            return
        place.openings += 1
        if not place.end.is_open:
            place.end.was_opened()
        elif place.was_left:
            place.end.was_opened_anew()
        place.was_left = False


_lookouts: WeakKeyDictionary[asyncio.AbstractEventLoop, Lookout] = WeakKeyDictionary()


def lookout() -> Lookout:
    """The one of the running loop."""
    return _lookouts.setdefault(asyncio.get_running_loop(), Lookout())
