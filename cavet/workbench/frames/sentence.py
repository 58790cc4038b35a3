"""A message as a sentence with blanks: what can be said, what stands in the blanks, what is wrong with it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec

from cavet.bench import Meanings, Spoken
from cavet.hosts import HeaderPoint, PinPoint, Point, RegisterPoint, TopicPoint
from cavet.protocols import FieldError, Frame, Message, Side, fields_of, kind_of, read_whole, words_of
from cavet.units import whole_number
from cavet.wording import WrongError, plain

SENTENCES = {
    "read-coils": "At unit {unit} read {quantity} coils from {address} on",
    "read-discrete-inputs": "At unit {unit} read {quantity} discrete inputs from {address} on",
    "read-holding-registers": "At unit {unit} read {quantity} holding registers from {address} on",
    "read-input-registers": "At unit {unit} read {quantity} input registers from {address} on",
    "write-single-coil": "At unit {unit} write coil {address} to {value}",
    "write-single-register": "At unit {unit} write holding register {address} to {value}",
    "write-multiple-coils": "At unit {unit} write coils from {address} on to {values}",
    "write-multiple-registers": "At unit {unit} write holding registers from {address} on to {values}",
    "mask-write-register": "At unit {unit} keep the bits {and_mask} of holding register {address} and set {or_mask}",
    "read-write-multiple-registers": (
        "At unit {unit} write {values} from {write_address} on, then read {read_quantity} from {read_address} on"
    ),
    "set-pin-mode": "Put pin {pin} into mode {mode}",
    "set-digital-pin-value": "Set pin {pin} to {value}",
    "analog-message": "Give pin {pin} the value {value}",
    "digital-message": "Set the pins of port {port} to {value}",
    "pin-state-query": "Ask how pin {pin} stands",
    "report-analog-pin": "Report channel {pin}: {value}",
    "report-digital-port": "Report port {port}: {value}",
    "sampling-interval": "Tell inputs every {interval} ms",
    "i2c-request": "On the bus call {address} in mode {mode} with {data}",
    "publish": "Publish {payload} under {topic} at QoS {qos}, kept: {retain}",
    "subscribe": "Subscribe to {filters}",
    "unsubscribe": "Unsubscribe from {filters}",
    "query": "Ask {header}",
    "command": "Tell {header} {values}",
    "write": "At address {address} write {data} from register {register} on",
    "read": "At address {address} read {count} bytes",
    "write-read": "At address {address} read {count} bytes from register {register} on",
    "transfer": "While selected send {data} in mode {mode}",
}
"""Messages of which a person has a sentence in mind; all others are said by their names and fields. A field that is not
in its sentence follows behind it, where it has no value of its own."""
CODES, NO_CODE = "FUNCTION", 256


class Blank(msgspec.Struct, frozen=True):
    """A blank: its field, what stands in it, what it can be, its words, what is wrong."""

    field: str
    text: str
    can: str
    words: tuple[str, ...]
    required: bool
    is_text: bool
    is_switch: bool


class Sentence:
    """What is about to be said on a link."""

    def __init__(self, tongue: Spoken, meanings: Meanings | None, board: str = "") -> None:
        self.tongue = tongue
        self._meanings = meanings
        self._board = board
        self._setup = tongue.setup if board else None
        self.forms = dict(tongue.forms(Side.HOST))
        self.messages = sorted(self.forms, key=lambda name: getattr(self.forms[name], CODES, NO_CODE))
        self.chosen = 0
        self.cursor = 0
        """The blank under the cursor; -1 while a message is chosen."""
        self._texts: dict[str, dict[str, str]] = {}
        self.choosing = True

    @property
    def name(self) -> str:
        return self.messages[self.chosen] if self.messages else ""

    @property
    def form(self) -> type[Message]:
        """How its message is laid out."""
        return self.forms[self.name]

    def code_of(self, name: str) -> str:
        """The number that a message has on the wire, where one tells it from the others."""
        code: Any = getattr(self.forms[name], CODES, getattr(self.forms[name], "COMMAND", ""))
        return f"{code}" if isinstance(code, int) and hasattr(self.forms[name], CODES) else (
            f"{code:02X}" if isinstance(code, int) else ""
        )  # fmt: skip

    def choose(self, by: int) -> None:
        """Another message."""
        self.chosen = (self.chosen + by) % max(1, len(self.messages))
        self.cursor = 0

    def begin_with(self, name: str, fields: dict[str, str]) -> None:
        """Take a message with what stands in it."""
        if name in self.messages:
            self.chosen, self.cursor, self.choosing = self.messages.index(name), 0, False
            self._texts[name] = {key: text for key, text in fields.items() if key in self.form.__struct_fields__}

    @property
    def texts(self) -> dict[str, str]:
        """What was put into the blanks."""
        return self._texts.setdefault(self.name, {})

    @property
    def fields(self) -> list[msgspec.structs.FieldInfo]:
        """Its fields, in their order on the wire."""
        unused = self.tongue.unused(self.name)
        return [field for field in fields_of(self.form) if field.name not in (*unused, "transaction")]

    @property
    def blanks(self) -> list[Blank]:
        """The blanks in the order in which the sentence has them."""
        given = self.tongue.given({}, 0)
        made = {field.name: self._blank(field, given) for field in self.fields}
        order = _fields_in(SENTENCES.get(self.name, ""))
        return [made[name] for name in order if name in made] + [
            blank for name, blank in made.items() if name not in order
        ]

    def _blank(self, field: msgspec.structs.FieldInfo, given: dict[str, str]) -> Blank:
        text = self.texts.get(field.name, given.get(field.name, "" if field.required else _default(field.default)))
        can, bare = kind_of(self.form, field.name)
        words = tuple(words_of(self.form, field.name).values())
        return Blank(field.name, text, can, words, field.required, bare in (str, bytes), bare is bool)

    @property
    def unfilled(self) -> list[str]:
        """The blanks in which something must stand, and nothing does."""
        return [blank.field for blank in self.blanks if blank.required and blank.text == ""]

    @property
    def blank(self) -> Blank | None:
        """The blank under the cursor."""
        blanks = self.blanks
        return blanks[min(self.cursor, len(blanks) - 1)] if blanks else None

    def move(self, by: int) -> None:
        """To another blank."""
        self.cursor = min(max(0, len(self.blanks) - 1), max(0, self.cursor + by))

    def put(self, text: str) -> None:
        """Put something into the blank under the cursor: also the name of a point, for where that is."""
        blank = self.blank
        if blank is not None:
            self.texts[blank.field] = text

    def settle(self) -> None:
        """What was put in is whole: a point's name becomes where it is, a value with its unit what is on the wire."""
        blank = self.blank
        if blank is None or self._setup is None:
            return
        text = blank.text.strip()
        point = self._setup.points.get(text)
        if point is not None and (where := _place_of(point, blank.field)) is not None:
            self.texts[blank.field] = where
        elif blank.field == "value" and text and (wire := self._on_wire(text)) is not None:
            self.texts[blank.field] = wire

    def _on_wire(self, text: str) -> str | None:
        """What a value with a unit is on the wire, for the point that the other blanks name; `None` where none is."""
        try:
            whole_number(text)
        except ValueError:
            pass
        else:
            return None
        for point in self._setup.points_on(self._board) if self._setup is not None else ():
            fields = ((name, _place_of(point, name)) for name in ("address", "pin"))
            if any(where and self.texts.get(name) == where for name, where in fields):
                try:
                    return f"{point.to_wire(point.parse(text)):.0f}"
                except WrongError:
                    continue  # another point at the same address, in another table
        return None

    def names(self) -> str:
        """The points that may be named in the blank under the cursor."""
        blank, setup = self.blank, self._setup
        if blank is None or setup is None:
            return ""
        return ", ".join(
            point.name for point in setup.points_on(self._board) if _place_of(point, blank.field) is not None
        )

    def turn(self, by: int) -> None:
        """The next word, the other side of a switch, or a number one greater or less."""
        blank = self.blank
        if blank is None:
            return
        if blank.words:
            words = [word.replace(" ", "-") for word in blank.words]
            here = words.index(blank.text) if blank.text in words else -1 if by > 0 else 0
            self.put(words[(here + by) % len(words)])
        elif blank.is_switch:
            self.put("off" if blank.text in ("on", "1", "true") else "on")
        else:
            try:
                self.put(str(int(blank.text or "0", 0) + by))
            except ValueError:
                return

    def wrong(self) -> tuple[str, str]:
        """Which blank is wrong, and what with it; two empty texts where all is well."""
        try:
            self.message()
        except FieldError as error:
            return error.place.rpartition(".")[2], plain(_told(error))
        except WrongError as error:
            return "", plain(_told(error))
        return "", ""

    def given(self) -> dict[str, str]:
        """What stands in the blanks, as a person writes it."""
        return {name: text for name, text in self.texts.items() if text != ""}

    def message(self) -> Message:
        """The message. Raises `WrongError`."""
        return self.tongue.made(self.name, self.given())

    def frame(self) -> Frame | None:
        """The frame that it makes; `None` while something is wrong with it."""
        try:
            message = self.message()
            data = self.tongue.encode(message)
        except WrongError:
            return None
        frames = read_whole(self.tongue.codec_of(self.name), data, Side.HOST)
        return frames[0] if len(frames) == 1 else Frame(message, data, 0)

    def means(self) -> dict[str, str]:
        """What the blanks mean on the bench."""
        frame = self.frame()
        if frame is None or self._meanings is None:
            return {}
        fields = self._meanings.tell(frame, self.tongue.explained(frame, Side.HOST), Side.HOST)
        return {field.name: field.meaning for field in fields if field.meaning}

    @property
    def pieces(self) -> list[tuple[str, str]]:
        """The sentence: texts, and blanks by their fields, by turns."""
        template = SENTENCES.get(self.name)
        blanks = [blank.field for blank in self.blanks]
        if template is None:
            words = self.name.replace("-", " ")
            pieces = [(words[:1].upper() + words[1:], "")]
            for place, field in enumerate(blanks):
                joint = " with " if place == 0 else " and " if place == len(blanks) - 1 else ", "
                pieces += [(f"{joint}{field} ", ""), ("", field)]
            return pieces
        pieces = []
        for text, field in _split(template):
            pieces += [(text, "")] if text else []
            pieces += [("", field)] if field in blanks else []
        for field in blanks:
            if field not in _fields_in(template):
                pieces += [(f" · {field} ", ""), ("", field)]
        return pieces


def _place_of(point: Point, field: str) -> str | None:
    """Where a point is, as a blank has it; `None` where that blank is about something else."""
    if isinstance(point, RegisterPoint) and field in ("address", "read_address", "write_address"):
        return str(point.address)
    if isinstance(point, PinPoint) and field == "pin":
        return str(point.pin)
    if isinstance(point, TopicPoint) and field in ("topic", "filters"):
        return point.command or point.state or None
    if isinstance(point, HeaderPoint) and field == "header":
        return (point.query or point.set).partition(" ")[0].rstrip("?") or None
    return None


def _told(error: WrongError) -> str:
    return f"{error.found}: expected {error.expected}"


def _default(value: object) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if value is None or value in (b"", "", ()):
        return ""
    return str(value)


def _fields_in(template: str) -> list[str]:
    return [field for _, field in _split(template) if field]


def _split(template: str) -> Sequence[tuple[str, str]]:
    """A template as texts, each with the field behind it."""
    found = []
    for piece in template.split("{"):
        field, brace, text = piece.partition("}")
        if not brace:
            found.append((piece, ""))
        else:
            found += [("", field), (text, "")]
    return found
