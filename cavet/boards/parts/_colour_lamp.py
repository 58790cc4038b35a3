"""A lamp of three: red, green and blue, each on a pin of its own."""

from typing import Annotated

from cavet.boards._pins import Pin
from cavet.boards.parts._part import Around, Part, PartSettings
from cavet.colours import BLACK, CHANNELS, FULL, channels_of, colour_of, name_of
from cavet.settings import Meaning


class ColourLampSettings(PartSettings, kw_only=True):
    """The keys of a colour lamp."""

    red: Annotated[int, Meaning("the pin of its red, PWM", kind="pin")]
    green: Annotated[int, Meaning("the pin of its green, PWM", kind="pin")]
    blue: Annotated[int, Meaning("the pin of its blue, PWM", kind="pin")]
    current: Annotated[float, Meaning("what each of them draws at full", unit="A", low=0)] = 0.015


class ColourLamp(Part):
    """It has no afterglow: it shows at once what its three pins give it, also while only one of them has changed."""

    kind = "colour-lamp"
    SETTINGS = ColourLampSettings

    def __init__(self, name: str, settings: ColourLampSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._full_current = settings.current
        self._glow = dict.fromkeys(CHANNELS, 0)

    @property
    def colour(self) -> str:
        """What it shows, as `#rrggbb`."""
        return colour_of(*(self._glow[name] for name in CHANNELS))

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        self._glow[wire] = round(FULL * pin.duty)
        self._cause = pin.cause
        self.moved(self.colour, self.tells(now))

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
