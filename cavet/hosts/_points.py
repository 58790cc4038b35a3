"""The points of each protocol: where they are on their board, and what their values are on the wire."""

from __future__ import annotations

import math
from math import inf

from cavet.hosts._lettering import decode_panel, encode_panel, panel_lines
from cavet.hosts._picture import Picture, fitted_words, read_picture, written_into
from cavet.hosts._point import MAX_SHOWN, Asked, Point, PointKind
from cavet.messaging import PayloadError, PayloadForm
from cavet.protocols import FieldError
from cavet.protocols.modbus import BITS, ValueForm
from cavet.protocols.plans import FieldPlan
from cavet.wording import digits, listed, plain

MOST_DIGITS = 15
"""So many digits of a number are sent in a text: all that it can be told apart by, and no noise."""


class PinPoint(Point, frozen=True, kw_only=True):
    """A point on a pin, in a mode; a bridge has a line for each direction besides, a colour three pins: `pin` is its
    red."""

    pin: int
    mode: str
    ahead: int | None = None
    astern: int | None = None
    green: int | None = None
    blue: int | None = None
    second: int | None = None
    """An encoder's other contact."""
    pause: float = 0.0
    """How long a bridge stands before it turns the other way, in s."""

    def from_wire(self, raw: float) -> Asked:
        """As it is reckoned: what a converter counts comes a hundred times a second, and its last digits are noise."""
        return self._scaled(raw) if self.kind is PointKind.READING and self._is_scaled else super().from_wire(raw)

    @property
    def where(self) -> str:
        if self.kind is PointKind.BRIDGE:
            return f"power pin {self.pin}, ahead pin {self.ahead}, astern pin {self.astern}"
        if self.kind is PointKind.COLOUR:
            return f"red pin {self.pin}, green pin {self.green}, blue pin {self.blue}"
        if self.second is not None:
            return f"pins {self.pin} and {self.second}, mode {self.mode}"
        return f"pin {self.pin}, mode {self.mode}"

    def modes(self) -> dict[int, str]:
        modes = {self.pin: self.mode}
        for line in (self.ahead, self.astern):
            if line is not None:
                modes[line] = "output"
        for other in (self.second, self.green, self.blue):
            if other is not None:
                modes[other] = self.mode
        return modes


class StepperPoint(PinPoint, frozen=True, kw_only=True):
    """A stepper on pins: `pin` gives the steps of a driver, `direction` says which way; or they are its wires.

    On the wire stand steps. `fastest` is in steps a second, `acceleration` in steps a second, each second.
    """

    direction: int | None = None
    coils: tuple[int, ...] = ()
    """Its other wires, where it has no driver."""
    fastest: float = 200.0
    acceleration: float = 0.0

    @property
    def wires(self) -> list[int]:
        """All its pins, in their order."""
        return [self.pin, self.direction] if self.direction is not None else [self.pin, *self.coils]

    @property
    def where(self) -> str:
        return f"pins {listed(self.wires, 'and')}, mode {self.mode}"

    def modes(self) -> dict[int, str]:
        return dict.fromkeys(self.wires, self.mode)


class RegisterPoint(Point, frozen=True, kw_only=True):
    """A point at an address of one of Modbus's four tables."""

    table: str
    address: int
    form: ValueForm = ValueForm()

    @property
    def is_bit(self) -> bool:
        """Whether its table is one of single bits."""
        return self.table in BITS

    @property
    def is_whole(self) -> bool:
        return self.is_bit or self.form.is_whole

    @property
    def size(self) -> int:
        """How many addresses it takes."""
        return 1 if self.is_bit else self.form.size

    @property
    def where(self) -> str:
        table = self.table.removesuffix("s").replace("-", " ")
        last = f" to {self.address + self.size - 1}" if self.size > 1 else ""
        if self.is_bit:
            return f"{table} {self.address}"
        bit = f", bit {self.form.bit}" if self.form.kind == "bit" else f", {self.form.kind}"
        return f"{table} {self.address}{last}{bit}"

    def pack(self, value: Asked) -> tuple[int, ...]:
        """The words (or the one bit) that a value is written as. Raises `FieldError` for what they can't hold."""
        raw = str(value) if self.kind.is_text else self.to_wire(value)
        return (int(raw),) if self.is_bit else self.form.pack(raw)

    def fitted(self, text: str) -> str:
        return self.form.fitted(text)

    def unpack(self, words: tuple[int, ...]) -> Asked | None:
        """The value that words stand for; `None` where that is no number, as a float may be."""
        raw = words[0] if self.is_bit else self.form.unpack(words)
        if self.kind.is_text:
            return str(raw)
        return self.from_wire(float(raw)) if math.isfinite(float(raw)) else None

    def holds(self, value: Asked | None, words: tuple[int, ...]) -> bool:
        """Whether a value, as it was read, stands for these words."""
        try:
            return value is not None and self.pack(value) == words
        except FieldError:  # of 64 bits a point keeps 53: the greatest numbers come out too great to go back
            return False

    def agree(self, one: tuple[int, ...], other: tuple[int, ...]) -> bool:
        """Whether two contents are the same, as far as this point goes."""
        if not self.is_bit and self.form.kind == "bit":
            return not (one[0] ^ other[0]) >> self.form.bit & 1
        return one == other


class HeaderPoint(Point, frozen=True, kw_only=True):
    """A point behind SCPI headers. `set` has `{}` in the place of the value; a switch may have `turn_on` and
    `turn_off` in its place. `query` is asked for the value."""

    set: str = ""
    turn_on: str = ""
    turn_off: str = ""
    query: str = ""

    @property
    def is_whole(self) -> bool:
        return False

    @property
    def where(self) -> str:
        return self.set.replace("{}", "…") or self.turn_on or self.query

    def fitted(self, text: str) -> str:
        """A string is ASCII, and a line feed ends its message. Source: IEEE 488.2, 7.7.5 and 7.5."""
        return text.replace("\n", " ").encode("ascii", "replace").decode("ascii")

    def command(self, value: Asked) -> str:
        """The message unit that asks for a value."""
        if self.kind.is_text:
            quoted = str(value).replace('"', '""')
            return self.set.replace("{}", f'"{quoted}"')
        if self.kind.is_switch:
            on = bool(self.to_wire(value))
            if self.turn_on:
                return self.turn_on if on else self.turn_off
            return self.set.replace("{}", "ON" if on else "OFF")
        return self.set.replace("{}", digits(self.to_wire(value), MOST_DIGITS))


class TopicPoint(Point, frozen=True, kw_only=True):
    """A point behind MQTT topics: `command` is where it is set, `state` says how it stands; "" for neither."""

    command: str = ""
    state: str = ""
    form: PayloadForm = PayloadForm()
    qos: int = 1
    retain: bool = False

    @property
    def is_whole(self) -> bool:
        return self.form.kind == "raw"

    @property
    def where(self) -> str:
        path = f" {self.form.path}" if self.form.path else ""
        return " → ".join(topic for topic in (self.command, f"{self.state}{path}") if topic)

    def pack(self, value: Asked) -> bytes:
        """The payload that asks for a value. Raises `PayloadError` for what it can't hold."""
        if self.kind.is_text:
            return self.form.encode(str(value))
        raw = self.to_wire(value)
        return self.form.encode(bool(raw) if self.kind.is_switch and self.form.kind != "number" else raw)

    def unpack(self, payload: bytes) -> Asked:
        """The value that a payload stands for. Raises `PayloadError`."""
        raw = self.form.decode(payload)
        if self.kind.is_text:
            return str(raw)
        if isinstance(raw, str):
            if not self.kind.is_switch or raw not in self.form.words:
                raise PayloadError(f'found "{plain(raw, MAX_SHOWN)}", expected a number')
            raw = raw == self.form.words[1]
        return self.from_wire(float(raw))

    def told_step(self, payload: bytes) -> float:
        """The last place of the number in a payload, in the wire's numbers."""
        return self.form.last_place(payload)


class FieldPoint(Point, frozen=True, kw_only=True):
    """A point in a frame of a plan: a field, or one bit of it. `mask` is the field beside it that has a 1 for what is
    meant; `state_frame` and `state_field` tell how it stands, "" for nothing does."""

    frame: str = ""
    field: str = ""
    bit: int | None = None
    mask: str = ""
    state_frame: str = ""
    state_field: str = ""
    steps: float = 0.0
    """The least difference that its fields can carry; 0 for any."""
    room: int | None = None
    """How many bytes of a text its fields can hold; `None` for any number."""

    @property
    def is_whole(self) -> bool:
        return False

    @property
    def wire_step(self) -> float:
        return self.steps

    @property
    def where(self) -> str:
        bit = "" if self.bit is None else f" bit {self.bit}"
        places = [f"{self.frame}.{self.field}{bit}"] if self.frame else []
        places += [f"{self.state_frame}.{self.state_field}{bit}"] if self.state_frame else []
        return " → ".join(places)

    def fitted(self, text: str) -> str:
        """As UTF-8, in the bytes that there are; NULs at the end fill a field up, and are no part of its text."""
        return text.encode()[: self.room].decode("utf-8", "ignore").rstrip("\0")

    def put(self, there: object, value: Asked, plan: FieldPlan) -> object:
        """The field's value with this point's value in it, where it held `there`."""
        if self.kind.is_text and self.kind is not PointKind.COLOUR:
            return str(value).encode().ljust((plan.bits or 0) // 8, b"\0") if plan.kind == "bytes" else str(value)
        raw = self.to_wire(value)
        if self.bit is not None:
            number = there if isinstance(there, int) else 0
            return number & ~(1 << self.bit) | int(raw) << self.bit
        if plan.values:
            return next((word for word, number in plan.values.items() if number == round(raw)), round(raw))
        return raw if plan.kind == "float" or plan.is_scaled else round(raw)

    def get(self, found: object, plan: FieldPlan) -> Asked:
        """The value that a field's value stands for."""
        if self.kind.is_text and self.kind is not PointKind.COLOUR:
            data = found if isinstance(found, bytes) else str(found).encode("utf-8", "surrogateescape")
            return data.rstrip(b"\0").decode("utf-8", "replace")
        number = plan.values.get(found, 0) if isinstance(found, str) else found
        assert isinstance(number, int | float)
        return self.from_wire(number if self.bit is None else int(number) >> self.bit & 1)


class DevicePoint(Point, frozen=True, kw_only=True):
    """A point at a device on a bus: a line of an expander, the text of a panel, the dots of matrices."""

    device: str
    line: int = 0
    line_name: str = ""
    pull_up: bool = False
    """Whether the expander is to hold an input high that nothing drives."""
    width: int = 0
    height: int = 0
    """What a panel or matrices have room for: letters and lines, or dots."""
    runs: bool = False
    """Whether what is too wide runs through."""
    register: str = ""
    """The register that it is in, at a device of any map; `bit` is its lowest bit there, of `bits`."""
    bit: int = 0
    bits: int = 1

    @property
    def where(self) -> str:
        return f"{self.device}.{self.line_name}" if self.line_name else self.device

    def take_from(self, register: int) -> Asked:
        """The value that stands in a register. Below 0 it is in two's complement, where the wire's ends go there."""
        raw = register >> self.bit & (1 << self.bits) - 1
        if min(self.wire_low, self.wire_high) < 0 and raw >> self.bits - 1:
            raw -= 1 << self.bits
        return self.from_wire(raw)

    def put_into(self, register: int, value: Asked) -> int:
        """A register with a value in it."""
        mask = (1 << self.bits) - 1
        return register & ~(mask << self.bit) | (int(self.to_wire(value)) & mask) << self.bit

    def fitted(self, text: str) -> str:
        if self.kind is PointKind.PIXELS:
            return fitted_words(text, inf if self.runs else self.width)
        lines = (line if self.runs else line[: self.width] for line in panel_lines(text)[: self.height])
        return "\n".join(decode_panel(encode_panel(line)) for line in lines)

    def written_at(self, row: float, column: float, text: str, there: str) -> str:
        self._check_place("row", row, self.height)
        if not self.runs or self.kind is PointKind.PIXELS:
            self._check_place("column", column, self.width)
        if self.kind is not PointKind.PIXELS:
            return super().written_at(row, column, text, there)
        return written_into(self.picture(there), text, round(row) - 1, round(column) - 1, self.width, self.height)

    def parse(self, text: str) -> Asked:
        if self.kind is not PointKind.PIXELS:
            return super().parse(text)
        asked = text.strip().removeprefix('"').removesuffix('"')
        self.picture(asked)
        return asked

    def picture(self, value: Asked) -> Picture:
        """The dots that a value asks for. Raises `WrongError`."""
        return read_picture(str(value), self.width, self.height, f"{self.board}.{self.name}")

    def same(self, one: Asked, other: Asked, wire_step: float = 0.0) -> bool:
        if self.kind is not PointKind.PIXELS:
            return super().same(one, other, wire_step)
        return self.picture(one) == self.picture(other)
