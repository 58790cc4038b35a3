"""A lamp of three: red, green and blue, each on a pin of its own."""

from __future__ import annotations

from cavet.boards._pins import Pin
from cavet.boards.parts._part import Part, Wires
from cavet.colours import BLACK, CHANNELS, FULL, channels_of, colour_of, name_of
from cavet.settings import Key


class ColourLamp(Part):
    """It has no afterglow: it shows at once what its three pins give it, also while only one of them has changed."""

    kind = "colour-lamp"
    SETTINGS = (
        *(Key(name, "pin", f"the pin of its {name}, PWM", required=True) for name in CHANNELS),
        Key("current", "quantity", "what each of them draws at full", unit="A", default=0.015, low=0),
    )

    def __init__(self, name: str, wires: Wires, *, current: float = 0.015) -> None:
        super().__init__(name, wires)
        self._full_current = current
        self._glow = dict.fromkeys(CHANNELS, 0)

    @property
    def colour(self) -> str:
        """What it shows, as `#rrggbb`."""
        return colour_of(*(self._glow[name] for name in CHANNELS))

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        self._glow[wire] = round(FULL * pin.duty)
        self.moved(self.colour, pin.cause, self.tells(now))

    def fraction(self, now: float) -> float:
        return max(self._glow.values()) / FULL

    def stands_as(self, now: float) -> float:
        red, green, blue = channels_of(self.colour)
        return red << 16 | green << 8 | blue

    def current(self, now: float) -> float:
        return self._full_current * sum(self._glow.values()) / FULL

    @property
    def greatest_current(self) -> float:
        return len(CHANNELS) * self._full_current

    def greatest_at(self, wire: str) -> float:
        return self._full_current

    def state(self, now: float) -> str:
        return self.colour

    def tells(self, now: float) -> str:
        if self.colour == BLACK:
            return "off"
        name = name_of(self.colour)
        return f"{self.colour} {name}".rstrip()
