"""How the host comes to know a Firmata board: who it is, what its pins can do, how they stand.

A board answers in the order in which it is asked. So who it is, said before the answer to what it can do, is an answer,
or what it says when it starts; said after that and unasked, it has started anew.
Source: Firmata protocol 2.7, "query firmware name and version", "capability query", "pin state query".
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from math import inf

from cavet.hosts._firmata_bus import VERSION, FirmataBuses
from cavet.hosts._firmata_learned import Learned
from cavet.hosts._points import DevicePoint, PinPoint
from cavet.hosts._session import SessionSettings, SessionState
from cavet.hosts.buses import DeviceSettings
from cavet.protocols import firmata
from cavet.record import Purpose, Tell
from cavet.wording import plain

LEARNING = "learning"
"""What a pin's state is asked for before it is set up."""


class FirmataLearning(FirmataBuses):
    """Asks who the board is, what it can do and how its pins stand, until all that is known."""

    def __init__(
        self, board: str, points: Iterable[PinPoint | DevicePoint], settings: SessionSettings, tell: Tell,
        devices: Mapping[str, DeviceSettings],
    ) -> None:  # fmt: skip
        super().__init__(board, points, settings, tell, devices)
        self._pin_points = {point.name: point for point in self.points.values() if isinstance(point, PinPoint)}
        self.learned = Learned()
        self._is_met = False
        """Whether it has told what it can do since it was asked who it is."""

    @property
    def title(self) -> str:
        version = self.learned.version
        return f"firmata {version[0]}.{version[1]}" if version else "firmata"

    @property
    def name(self) -> str:
        return self.learned.name

    def _begin_to_learn(self, deadline: float) -> None:
        """It speaks first, or is asked at the deadline: nothing that was said to it before will be answered."""
        self._is_met = False
        self._owed.clear()
        self._enter(SessionState.BOOTING, deadline)

    def _started_anew(self, cause: int | None) -> None:
        """It has said unasked who it is, as a board does when it starts: what it was told before, it knows no more."""
        raise NotImplementedError

    def _set_up_points(self, now: float) -> None:
        """All is known: bring its pins into their modes."""
        raise NotImplementedError

    def _overdue(self, now: float) -> None:
        if self.state is SessionState.BOOTING:
            self._enter(SessionState.ASKING, inf)
            self._ask(now)
            return
        self._tries += 1
        if self.state is SessionState.SILENT:
            self._deadline = now + self._settings.boot_wait
            self._ask_who(now)
        elif self._tries > self._settings.retries:
            self._enter(SessionState.SILENT, now + self._settings.boot_wait)
        else:
            self._ask(now)

    def _ask(self, now: float) -> None:
        (self._ask_who if self.state is SessionState.ASKING else self._ask_what)(now)
        self._deadline = self.answer_by(now)

    def _ask_who(self, now: float) -> None:
        self._is_met = False
        self._ask_version(Purpose.SET_UP, now)
        self._set_up(firmata.FirmwareQuery())

    def _hear_version(self, message: firmata.ProtocolVersion, now: float, cause: int | None) -> None:
        self.learned.version = (message.major, message.minor)
        self._owed.take(VERSION, now)

    def _hear_firmware(self, message: firmata.FirmwareReport, now: float, cause: int | None) -> None:
        if self._is_met and not self.hears_others:
            self._started_anew(cause)
        self.learned.name = plain(message.name, 60)
        if self.state in (SessionState.BOOTING, SessionState.ASKING, SessionState.SILENT):
            self._enter(SessionState.LEARNING, inf)
            self._ask(now)

    def _ask_what(self, now: float) -> None:
        if self.learned.abilities is None:
            self._set_up(firmata.CapabilityQuery())
        if self.learned.channels is None:
            self._set_up(firmata.AnalogMappingQuery())
        for pin in self._pins():
            if pin not in self.learned.states:
                self._note_question(pin, LEARNING, now)
                self._set_up(firmata.PinStateQuery(pin=pin))

    def _pins(self) -> list[int]:
        return sorted({pin for point in self.points.values() for pin in point.modes()} | set(self._interrupts()))

    def _interrupts(self) -> list[int]:
        """The pins at which devices tell that they want to be read."""
        every = (driver.settings for driver in self._fleet.drivers.values())
        return [device.interrupt for device in every if device.interrupt is not None and device.reads == "interrupt"]

    def _hear_capabilities(self, message: firmata.CapabilityResponse, now: float, cause: int | None) -> None:
        self._is_met = self.state is SessionState.LEARNING
        self.learned.take_abilities(message, self._pins())
        self._learned_more(now)

    def _hear_mapping(self, message: firmata.AnalogMappingResponse, now: float, cause: int | None) -> None:
        self.learned.channels = message.channels
        self._learned_more(now)

    def _hear_state(self, message: firmata.PinStateResponse, now: float, cause: int | None) -> None:
        self.learned.states[message.pin] = (message.mode, message.state)
        self.learned.told[message.pin] = cause
        self._learned_more(now)

    def _learned_more(self, now: float) -> None:
        learned = self.learned
        if self.state is not SessionState.LEARNING:
            return
        self._tries = 0
        self._deadline = self.answer_by(now)
        if learned.abilities is None or learned.channels is None or len(learned.states) < len(self._pins()):
            return
        if not learned.is_sure(self._pin_points.values(), self._settings.retries):
            self._ask_what(now)
            return
        self._set_up_points(now)
