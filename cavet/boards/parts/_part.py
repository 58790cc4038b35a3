"""What every part has in common: a name, wires to pins, and time that is handed in."""

from collections.abc import Callable, Mapping
from math import inf
from typing import Annotated, ClassVar

import msgspec

from cavet.boards._pins import Pin, PinMode
from cavet.boards._profile import Profile
from cavet.boards._rig import Rig
from cavet.expressions import Expression
from cavet.record import Kind, Reason, Tell, Topic
from cavet.settings import Meaning, Table, keys_of
from cavet.units import show_share
from cavet.wording import unknown

Wires = dict[str, int]
"""The part's own name for each of its wires, and the pin at which it ends; most parts have only `pin`."""


PRESS_SECONDS = 0.1


OWN_SUPPLY, BOARD_SUPPLY = "own", "board"
SUPPLIED = (OWN_SUPPLY, BOARD_SUPPLY)
FROM_SUPPLY = Meaning("what it draws its current from: `own`, `board`, or the name of one of the board's `supplies`")


class PartSettings(Table, kw_only=True):
    """Something wired to a board's pins."""

    TITLE = "[boards.NAME.parts.NAME]"
    kind: Annotated[str, Meaning("what it is", kind="word")]
    hangs_on: str = ""
    """The device at whose lines its wires end; "" for the board's own pins."""

    @property
    def at_first(self) -> float:
        """Where it stands before anything is done, in the unit of its kind."""
        return 0.0

    @property
    def wires(self) -> Wires:
        """Where its wires end; those that are left out are not there."""
        pins = {key.name: getattr(self, key.name) for key in keys_of(type(self)) if key.kind == "pin"}
        return {wire: pin for wire, pin in pins.items() if pin is not None}

    @property
    def expressions(self) -> dict[tuple[str, ...], Expression]:
        """What it reads of the rig, by the keys where that stands."""
        found = {(key.name,): getattr(self, key.name) for key in keys_of(type(self)) if key.kind == "expression"}
        return {keys: expression for keys, expression in found.items() if expression is not None}


class AtPin(PartSettings, kw_only=True):
    """The keys of a part that hangs on one pin."""

    pin: Annotated[int, Meaning('the pin that it hangs on, or the line of an expander as `"NAME.LINE"`', kind="pin")]


class Around(msgspec.Struct, frozen=True):
    """What a part finds where it is put: the seed of its board's chance, and what kind of board that is."""

    seed: str
    profile: Profile

    @property
    def bus(self) -> dict[str, int]:
        """The pins of the bus's two wires."""
        return dict(zip(("data", "clock"), self.profile.able(PinMode.BUS), strict=False))


class Hand(msgspec.Struct, frozen=True):
    """Something that a hand can do to a part, as it stands in a list to choose from."""

    name: str
    does: str
    do: str
    value: float | None = None
    seconds: float | None = None


class Part:
    """A part on a board. Its kind says what else it does.

    The world calls `follow` when a pin that it hangs on was driven, and `advance` when it wanted to be called, or
    something has happened to it; both leave it as it stands at `now`. `advance` gives back when it wants to be called
    next, `inf` for not at all.
    """

    kind = "part"
    supply = "board"
    """Where its current comes from: the board, a supply of its own, or one of the board's `supplies`."""
    SETTINGS: ClassVar[type[PartSettings]] = AtPin
    """Its table of the file; its keys of kind `pin` are its wires."""
    on_bus = False
    """Whether it hangs on a bus, instead of on pins."""
    senses = False
    """Whether it gives something to its pin, instead of taking from it."""
    by_voltage = False
    """Whether what it gives to its pin is a voltage, which a converter reads."""
    by_level = True
    """Whether a level at its pin, or a share of one, is all that it goes by: what a rule of the board can switch."""
    watches_rig = False
    """Whether it wants to be called when a quantity of the rig begins to change, or is set."""
    turns = False
    """Whether it is something that is seen to turn."""
    glides = False
    """Whether it is on or off in the end, and a share of both on its way, which is told in percent."""
    unit = ""
    """The unit of its state, where that is a number."""
    action_unit = ""
    """The unit of the value that an action of a hand takes."""
    actions: tuple[str, ...] = ()
    """What a person can do to it by hand."""

    def __init__(self, name: str, settings: PartSettings, around: Around) -> None:
        self.name = name
        self.wires = settings.wires
        self.hangs_on = settings.hangs_on
        """The device at whose lines its wires end; "" for the board's own pins."""
        self.wake = 0.0
        """When it wants to be called next."""
        self.stirs_rig = False
        """Whether the rig reads where it stands."""
        self._full = around.profile.supply
        """What it gives at full, in V: its board's supply."""
        self.measures = ""
        """The quantity of the rig that it senses, where it is one."""
        self.cause: int | None = None
        """The event that what it gives to its pin follows from."""
        self._cause: int | None = None
        """The event by which it was driven last: what it does follows from that."""
        self._rig: Rig
        self._tell: Tell
        self._stir: Callable[[], None]

    def meet(self, others: "Mapping[str, Part]") -> None:
        """The other parts of its board are there, by their names."""

    def join(self, rig: Rig, tell: Tell, stir: Callable[[], None]) -> None:
        """Put it into its world; it calls `stir` when it gives another level to a wire."""
        self._rig = rig
        self._tell = tell
        self._stir = stir

    def touch(self, now: float) -> None:
        """Something has happened to it: it wants to be called, and the rig looks at it again."""
        self.wake = now
        rig = self._rig
        rig.awake.add(self)
        if self.stirs_rig:
            rig.touched = True
        if now < rig.calls_at:
            rig.calls_at = now

    def call_by(self, at: float) -> None:
        """It wants to be called at a time, or before."""
        self.wake = min(self.wake, at)
        self._rig.awake.add(self)
        self._rig.calls_at = min(self._rig.calls_at, at)

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        """A pin that it hangs on was driven."""

    def follow_anew(self, wire: str, pin: Pin, now: float, cause: int | None) -> None:
        """Its wires are others from now on, by the event `cause`: it follows the pin as that is driven, and what it
        does by that follows from that event. A command by which it was on its way has got no further."""
        before = self._cause if self.busy(now) else None
        driven, pin.cause = pin.cause, cause
        self.follow(wire, pin, now)
        pin.cause = driven
        if before is not None and self._cause != before:
            note = f"a defect was switched while {self.name} was on its way: it goes where its wires lead it now"
            self._tell(Kind.LOST, Topic.PART, self.name, self.tells(now), before, note, reason=Reason.REWIRED)

    def advance(self, now: float) -> float:
        return inf

    def level(self, wire: str) -> bool | None:
        """The level that it puts on a wire; `None` when it leaves the wire open."""
        return None

    def voltage(self, wire: str, now: float) -> float:
        """The voltage that it puts on a wire."""
        level = self.level(wire)
        return self._full if level else 0.0

    def fraction(self, now: float) -> float:
        """How far it stands, 0 to 1 (−1 to 1 where it has two directions)."""
        return 0.0

    def stands_as(self, now: float) -> float | bool:
        """Where it stands, in what the host would have to send to bring it there: duty, degrees, on or off."""
        return 0.0

    def stands_by(self, pin: int) -> bool:
        """Whether that is what this pin of it is driven with: of several wires it is one alone."""
        return True

    def current(self, now: float) -> float:
        """What it draws from the board, in A."""
        return 0.0

    @property
    def greatest_current(self) -> float:
        """What it draws at most, in A, from where its `supply` is."""
        return 0.0

    def greatest_at(self, wire: str) -> float:
        """What of that goes through one of its wires, in A."""
        return self.greatest_current

    def busy(self, now: float) -> bool:
        """Whether it is still on its way to where it was sent: by the time, since what waits for it may be looked at
        before it is called."""
        return False

    def tells(self, now: float) -> str:
        """How it stands, in words."""
        return ""

    def tells_of(self, share: float) -> str:
        """How one that glides stands, so far along its way, in words."""
        return show_share(share)

    def state(self, now: float) -> float | str:
        """How it stands: a number in `unit`, or a word."""
        return self.tells(now)

    def hands(self) -> list[Hand]:
        """What a hand can do to it, beyond what the input that senses it offers."""
        return (
            [Hand(f"press {self.name}", "by hand", "press", seconds=PRESS_SECONDS)] if "press" in self.actions else []
        )

    def act(self, do: str, now: float, *, seconds: float | None = None, value: float | None = None) -> None:
        """Do something to it by hand. Raises `WrongError` for what can't be done to it."""
        if do not in self.actions:
            raise unknown(self.name, do, self.actions, none="nothing: it can't be worked by hand")
        self.worked(do, now, seconds, value)

    def worked(self, do: str, now: float, seconds: float | None, value: float | None) -> None:
        """A hand does one of its `actions`."""

    # what it tells

    def sets_out(self, takes: float, note: str) -> None:
        """Tell that it is on its way, and for how long, in s."""
        self._tell(Kind.MOVING, Topic.PART, self.name, round(takes, 6), self._cause, note)

    def moved(self, value: float | bool | str, note: str) -> None:
        """Tell that it has arrived."""
        self._tell(Kind.MOVED, Topic.PART, self.name, value, self._cause, note)

    def overtaken(self, value: float | bool | str) -> None:
        """Tell where it was when it was driven anew on its way."""
        self._tell(Kind.OVERTAKEN, Topic.PART, self.name, value, self._cause)

    def refuses(self, value: float | None, why: str, reason: Reason = Reason.NONE) -> None:
        """Tell that it does not do what it is driven to."""
        self._tell(Kind.REFUSED, Topic.PART, self.name, value, self._cause, why, reason=reason)

    def sensed(self, value: float | bool, note: str = "", cause: int | None = None) -> int:
        """Tell what was done to it otherwise than by its pins; give that event."""
        return self._tell(Kind.SENSED, Topic.PART, self.name, value, cause, note)
