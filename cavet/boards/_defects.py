"""Things made wrong on purpose."""

from __future__ import annotations

import msgspec


class Defect(msgspec.Struct, kw_only=True):
    """One defect. Which fields it uses follows from its kind; it can be switched while the bench runs.

    Kinds: `dead-pin` (`pin`), `swapped` (`pins`, two of them), `lossy` (`share` of bytes, 0 to 1), `late`
    (`delay` in seconds), `mute` (it reports nothing of what it has done), `away` (it is off its link), `stuck-bus`
    (`line` of its I2C bus, `data` or `clock`), `silent-device` (`part` on its bus does not acknowledge).
    """

    name: str
    kind: str
    board: str
    on: bool = True
    pin: int | None = None
    pins: tuple[int, ...] = ()
    share: float = 0.0
    delay: float = 0.0
    line: str = ""
    part: str = ""

    @property
    def tells(self) -> str:
        """What it does, for a person."""
        if self.kind == "dead-pin":
            return f"pin {self.pin} is dead"
        if self.kind == "swapped":
            return f"the wires of pins {self.pins[0]} and {self.pins[1]} are swapped"
        if self.kind == "lossy":
            return f"the link loses {self.share:.1%} of the bytes"
        if self.kind == "stuck-bus":
            return f"the {self.line} line of the bus stays low"
        if self.kind == "silent-device":
            return f"{self.part} does not acknowledge its address"
        if self.kind == "mute":
            return "the board does what it is told, and reports nothing of it"
        if self.kind == "away":
            return "the board is off its link"
        return f"the board answers {self.delay * 1000:.0f} ms late"
