"""Where inputs were of late, to be drawn as courses."""

from __future__ import annotations

from collections import deque

COURSE_SECONDS = 10.0
COURSE_SLOTS = 100
Slot = tuple[float, float] | None


class Course:
    """Where an input was of late: slots of a tenth of a second, each with the least and the most in it."""

    def __init__(self) -> None:
        self._slots: deque[Slot] = deque([None] * COURSE_SLOTS, maxlen=COURSE_SLOTS)
        self._now = 0
        self._last: float | None = None
        self.changed_at: float | None = None

    def note(self, value: float, t: float) -> None:
        """The input was at `value` from `t` on."""
        self.pass_to(t)
        span = self._slots[-1]
        self._slots[-1] = (min(span[0], value), max(span[1], value)) if span else (value, value)
        if self._last is not None and value != self._last:
            self.changed_at = t
        self._last = value

    def pass_to(self, t: float, *, tells: bool = True) -> None:
        """Time has passed; where nothing tells any more how it stands, the course has a gap."""
        slot = int(t * COURSE_SLOTS / COURSE_SECONDS)
        for _ in range(min(COURSE_SLOTS, slot - self._now)):
            self._slots.append((self._last, self._last) if tells and self._last is not None else None)
        self._now = max(self._now, slot)

    def slots(self) -> tuple[Slot, ...]:
        """The last seconds, oldest first: in each slot the least and the most that was told."""
        return tuple(self._slots)

    def rate(self) -> float | None:
        """How fast it changes, in units a second, over the last two seconds."""
        known = [(place, slot) for place, slot in enumerate(self._slots) if slot is not None][-20:]
        if len(known) < 10:
            return None
        half = len(known) // 2
        early = sum(sum(slot) / 2 for _, slot in known[:half]) / half
        late = sum(sum(slot) / 2 for _, slot in known[-half:]) / half
        return (late - early) / (half * COURSE_SECONDS / COURSE_SLOTS)
