"""The status structure: registers with transition filters, the status byte, the queue of errors.

Sources: IEEE 488.2-1992, section 11; SCPI 1999, volume 2, sections 20 and 21.8.
"""

from __future__ import annotations

from collections import deque

from cavet.protocols.scpi import TEXTS

ALL_15 = 0x7FFF
QUEUE_DEPTH = 30
OVERFLOW = -350
OPERATION_COMPLETE, QUERY_ERROR, DEVICE_ERROR, EXECUTION_ERROR, COMMAND_ERROR, POWER_ON = 1, 4, 8, 16, 32, 128
"""Bits of the standard event status register. Source: 488.2, section 11.5.1."""
ERRORS_WAIT, QUESTIONABLE, MESSAGE_AVAILABLE, EVENT, MASTER, OPERATION = 4, 8, 16, 32, 64, 128
"""Bits of the status byte."""
SETTLING = 2
"""Bit 1 of the operation register. Source: SCPI 1999, volume 2, section 20.2."""
VOLTAGE = 1
"""Bit 0 of the questionable register."""


class Register:
    """Condition, what of its changes is an event, what has happened, what of that is summed up. 15 bits each."""

    def __init__(self) -> None:
        self.condition = 0
        self.event = 0
        self.preset()

    def preset(self) -> None:
        """As STATus:PRESet leaves it. Source: SCPI 1999, volume 2, section 20.7."""
        self.enable = 0
        self.positive = ALL_15
        self.negative = 0

    def set(self, condition: int) -> None:
        """The condition as it is now; changes that the filters let through become events."""
        rose, fell = condition & ~self.condition, self.condition & ~condition
        self.event |= rose & self.positive | fell & self.negative
        self.condition = condition

    def take_event(self) -> int:
        """Read what has happened, and forget it."""
        event, self.event = self.event, 0
        return event

    @property
    def summary(self) -> bool:
        """Whether one of its enabled bits is set. Source: SCPI 1999.0, volume 1, section 9."""
        return bool(self.event & self.enable)


class Status:
    """All of an instrument's status; one for all who talk to it."""

    def __init__(self) -> None:
        self.operation = Register()
        self.questionable = Register()
        self.event = POWER_ON
        self.event_enable = 0
        self.service_enable = 0
        self._errors: deque[tuple[int, str]] = deque()

    def clear(self) -> None:
        """As *CLS does. Source: 488.2, section 10.3."""
        self.event = 0
        self._errors.clear()
        self.operation.event = self.questionable.event = 0

    def fault(self, number: int) -> None:
        """Queue an error, and set the event bit of its class. In the place of one too many stands −350."""
        self.event |= {1: COMMAND_ERROR, 2: EXECUTION_ERROR, 3: DEVICE_ERROR, 4: QUERY_ERROR}[-number // 100]
        if len(self._errors) < QUEUE_DEPTH:
            self._errors.append((number, TEXTS[number]))
        else:
            self._errors[-1] = (OVERFLOW, TEXTS[OVERFLOW])

    @property
    def errors(self) -> int:
        """How many errors wait."""
        return len(self._errors)

    def next_error(self) -> tuple[int, str]:
        """The oldest error, which is forgotten by that; 0 where there is none."""
        return self._errors.popleft() if self._errors else (0, TEXTS[0])

    def take_event(self) -> int:
        """Read the standard event status register, and clear it."""
        event, self.event = self.event, 0
        return event

    def byte(self, *, answers_wait: bool) -> int:
        """The status byte, for someone whose output queue holds something or not."""
        bits = (
            (ERRORS_WAIT if self._errors else 0)
            | (QUESTIONABLE if self.questionable.summary else 0)
            | (MESSAGE_AVAILABLE if answers_wait else 0)
            | (EVENT if self.event & self.event_enable else 0)
            | (OPERATION if self.operation.summary else 0)
        )
        return bits | (MASTER if bits & self.service_enable else 0)
