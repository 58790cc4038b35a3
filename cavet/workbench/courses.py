"""Where inputs were of late, to be drawn as courses."""

from __future__ import annotations

from collections import deque
from statistics import fmean

COURSE_SECONDS = 10.0
COURSE_SLOTS = 100
SLOT_SECONDS = COURSE_SECONDS / COURSE_SLOTS
RATE_SLOTS = 22
"""So many slots tell how fast it changes."""
JUMP_SHARE = 0.6
"""What has done so much of its way at once, has jumped. Where it is asked once a second, it does half of it."""
STANDS_SHARE = 0.3
"""What has gone on at less of its rate in the last second, stands, or turns round."""
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
        """How fast it changes, in units a second, over the last two seconds; `None` while that is not known, and where
        it has jumped, or stands again."""
        known = [sum(slot) / 2 for slot in self._slots if slot is not None][-RATE_SLOTS:]
        half = len(known) // 2
        if half < RATE_SLOTS // 4:
            return None
        rate = (fmean(known[-half:]) - fmean(known[:half])) / (half * SLOT_SECONDS)
        of_late = (known[-1] - known[-half]) / (half * SLOT_SECONDS)
        longest = max(abs(later - earlier) for earlier, later in zip(known, known[2:], strict=False))
        has_jumped = longest > JUMP_SHARE * abs(known[-1] - known[0])
        return None if has_jumped or of_late * rate < STANDS_SHARE * rate**2 else rate
