"""The counters and the log that a device on a serial line keeps.

Source: application protocol 1.1b3, sections 6.8 to 6.10.
"""

from __future__ import annotations

from collections import deque

EVENTS = 64
RECEIVED, RECEIVED_ERROR, RECEIVED_OVERRUN, RECEIVED_LISTENING, RECEIVED_BROADCAST = 0x80, 0x02, 0x10, 0x20, 0x40
SENT, SENT_READ_EXCEPTION, SENT_ABORT, SENT_BUSY, SENT_NAK, SENT_LISTENING = 0x40, 0x01, 0x02, 0x04, 0x08, 0x20
ENTERED_LISTENING, RESTARTED = 0x04, 0x00


class Counters:
    """What has passed since the start, or since it was cleared. All counts are of 16 bits, and begin again at 0."""

    def __init__(self) -> None:
        self.listening = False
        """Force listen only mode: everything is heard and nothing answered but the restart."""
        self.events: deque[int] = deque(maxlen=EVENTS)
        self.diagnostic = 0
        self.clear()

    def clear(self) -> None:
        """All counters to 0, and the diagnostic register."""
        self.diagnostic = 0
        self.completed = self.messages = self.errors = self.exceptions = self.mine = 0
        self.unanswered = self.naks = self.busy = self.overruns = 0

    def heard(self, *, mine: bool, broadcast: bool) -> None:
        """A message with a right check came by."""
        self.messages += 1
        if mine or broadcast:
            self.mine += 1
            bits = RECEIVED | (RECEIVED_BROADCAST if broadcast else 0)
            self.events.appendleft(bits | (RECEIVED_LISTENING if self.listening else 0))

    def spoiled(self) -> None:
        """One with a wrong check, or cut by silence."""
        self.errors += 1
        self.events.appendleft(RECEIVED | RECEIVED_ERROR | (RECEIVED_LISTENING if self.listening else 0))

    def answered(self, exception: int, *, counts: bool) -> None:
        """It was answered, with an exception code or with 0. `counts` is whether this function counts as an event."""
        bits = SENT | (SENT_LISTENING if self.listening else 0)
        if exception:
            self.exceptions += 1
            bits |= SENT_READ_EXCEPTION if exception <= 3 else SENT_ABORT if exception == 4 else SENT_BUSY
        elif counts:
            self.completed += 1
        self.events.appendleft(bits)

    def silent(self) -> None:
        """Nothing was answered: a broadcast, or the device only listens."""
        self.unanswered += 1
        self.events.appendleft(SENT | (SENT_LISTENING if self.listening else 0))

    def listen_only(self) -> None:
        """Begin to listen only."""
        self.listening = True
        self.events.appendleft(ENTERED_LISTENING)

    def restart(self, *, clear_log: bool) -> None:
        """Begin anew: counters at 0, answering again."""
        self.clear()
        self.listening = False
        if clear_log:
            self.events.clear()
        self.events.appendleft(RESTARTED)

    def by_sub_function(self, number: int) -> int | None:
        """The count that a diagnostic sub-function asks for; `None` where it asks for none."""
        counts = {
            0x02: self.diagnostic, 0x0B: self.messages, 0x0C: self.errors, 0x0D: self.exceptions, 0x0E: self.mine,
            0x0F: self.unanswered, 0x10: self.naks, 0x11: self.busy, 0x12: self.overruns,
        }  # fmt: skip
        return counts[number] & 0xFFFF if number in counts else None
