"""Small worlds to try boards in: a profile of a few pins, parts, a rig, and a record that can be asked."""

from cavet.boards import Around, Board, Circuit, Client, PinMode, PinProfile, Profile, Quantity, Rig, World
from cavet.boards.firmware import FirmataFirmware
from cavet.expressions import Expression
from cavet.record import Record, Tell

ALL = {
    PinMode.INPUT: 1,
    PinMode.PULL_UP: 1,
    PinMode.OUTPUT: 1,
    PinMode.PWM: 8,
    PinMode.SERVO: 14,
}
DIGITAL = {PinMode.INPUT: 1, PinMode.OUTPUT: 1}


def profile(boot=0.0):
    """Pins 0 and 1 kept, 2 to 5 for everything, 6 only digital, 8 and 9 analog, 10 and 11 the bus."""
    pins = {
        0: PinProfile(number=0, modes={}, reserved="the link"),
        1: PinProfile(number=1, modes={}, reserved="the link"),
        **{number: PinProfile(number=number, modes=ALL) for number in (2, 3, 4, 5)},
        6: PinProfile(number=6, modes=DIGITAL),
        7: PinProfile(number=7, modes=DIGITAL),
        8: PinProfile(number=8, label="A0", modes={**DIGITAL, PinMode.ANALOG: 10}, channel=0),
        9: PinProfile(number=9, label="A1", modes={**DIGITAL, PinMode.ANALOG: 10}, channel=1),
        10: PinProfile(number=10, modes={PinMode.BUS: 1}),
        11: PinProfile(number=11, modes={PinMode.BUS: 1}),
    }
    return Profile(name="test", pins=pins, boot=boot, resets=True)


def wired(kind, name, pins=None, **settings):
    """A part as its table would make it."""
    if "register_map" in settings:
        settings["map"] = ""
    return kind(name, kind.SETTINGS(kind=kind.kind, **settings), Around("s", pins or profile()))


class Small:
    """One board in a world. Time is set by hand; `events` gives what the record holds."""

    def __init__(self, parts=(), quantities=(), boot=0.0, failsafe=0.0, defects=(), pins=None):
        self.time = 0.0
        self.record = Record(lambda: self.time)
        tell = Tell(self.record, "board")
        self.circuit = Circuit(profile(boot) if pins is None else pins, list(parts), tell)
        self.firmware = FirmataFirmware(self.circuit, tell, "small")
        self.board = Board("board", self.circuit, self.firmware, tell, failsafe=failsafe)
        rig = Rig(list(quantities), {f"board.{part.name}": part for part in parts})
        for part in parts:
            part.join(rig, tell, self.circuit.stir)
        self.world = World([self.board], rig, list(defects), self.record)
        self.rig = rig
        self.client = Client("firmata")
        self._sent = 0

    def go(self, until):
        """Bring the world to a time, waking it whenever it wants."""
        due = self.world.advance(self.time)
        while due <= until:
            self.time = max(self.time, due)
            due = self.world.advance(self.time)
        self.time = until
        return self.world.advance(until)

    def open(self):
        self.board.opened(self.client, self.time)
        self.go(self.time + self.circuit.profile.boot)
        self.hear()

    def say(self, text):
        """Send hex to the board, as a program would; give what it answers, as hex."""
        data = bytes.fromhex(text)
        self._sent += len(data)
        self.board.feed(self.client, data, self._sent - len(data), self.time, self._carried)
        self.world.advance(self.time)
        return self.hear()

    def _carried(self, end, data):
        return self.record.append("carried", "board", "link", "test", data)

    def hear(self):
        return b"".join(outgoing.data for outgoing in self.board.take_out()).hex(" ").upper()

    def events(self, *kinds):
        return [event for event in self.record.since(0) if not kinds or event.kind in kinds]

    def told(self, *kinds):
        return [(event.kind, event.subject, event.value) for event in self.events(*kinds)]


def quantity(name, **more):
    """A quantity whose expressions are given as text."""
    for key in ("rate", "free"):
        if key in more:
            more[key] = Expression(more[key])
    return Quantity(name=name, **more)
