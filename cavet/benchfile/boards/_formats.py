"""Boards that speak frames of a plan: on a stream, as a USB device, or as what another board finds on its bus."""

from collections.abc import Iterator, Sequence
from typing import Annotated, Any, ClassVar, Self

from cavet.benchfile._numbers import numbers
from cavet.benchfile._places import Path
from cavet.benchfile._plan_file import PlanFile, load_frames
from cavet.benchfile.boards._device import (
    BoardTables,
    Device,
    Making,
    PartsAt,
    Place,
    PlaceKey,
    PlaceKind,
    Row,
)
from cavet.boards import Firmware, PinMode, Profile
from cavet.boards.firmware.plans import Answer, Engine, Given, PlanBoard, PlanFirmware, Taken, TargetFirmware
from cavet.boards.firmware.usb import Identity, UsbFirmware
from cavet.expressions import Expression
from cavet.hosts import FieldPoint, Point
from cavet.protocols import Side
from cavet.protocols.plans import FramePlan, PlanCodec
from cavet.settings import Meaning, Table, made
from cavet.wording import listed, nearest


class TakesTable(Table, kw_only=True):
    """What a field of a frame that the board takes does."""

    TITLE = "[boards.NAME.takes.FRAME.FIELD]"
    pins: Annotated[
        str,
        Meaning(
            "the pins that it drives: each with a bit of the field, the lowest first, or with a byte, the highest "
            "first, in mode pwm; one alone with its value"
        ),
    ] = ""
    blinks: Annotated[str, Meaning("the pins that blink where it has a 1, in place of `pins`")] = ""
    mask: Annotated[str, Meaning("the field that has a 1 for each pin that is meant")] = ""
    mode: Annotated[str, Meaning("how the pins are driven", ("output", "pwm", "tone"))] = "output"
    full: Annotated[float, Meaning("for pwm: the value that means full duty; for a tone: how many hertz one is")] = 1.0


class GivesTable(Table, kw_only=True):
    """A frame that the board gives."""

    TITLE = "[boards.NAME.gives.FRAME]"
    when: Annotated[
        str,
        Meaning(
            "after each frame that it takes; to each program that comes, and on a change of its fields (what is "
            "measured is looked at ten times a second); or at every interval; usb, target: `taken`",
            ("taken", "changed", "every"),
        ),
    ] = "taken"
    every: Annotated[float, Meaning("the interval", unit="s", low=0.001, beside=("when", ("every",)))] = 1.0
    fields: Annotated[dict[str, Any], Meaning("where its fields come from, see below")]


class GivenTable(Table, kw_only=True):
    """Where a field of a frame that the board gives comes from: one of these."""

    TITLE = "[boards.NAME.gives.FRAME.fields.FIELD]"
    pins: Annotated[str, Meaning("levels of pins, a bit each, or of PWM a byte; one as its number")] = ""
    blinks: Annotated[str, Meaning("the pins that may blink: a 1 for each that does")] = ""
    faults: Annotated[bool, Meaning("what was wrong with the last frame, once: 1 length, 2 check, 4 value")] = False
    of: Annotated[Expression | None, Meaning("an expression of the rig and the parts")] = None
    full: Annotated[float, Meaning("of one with PWM the value at full duty", beside=("pins", ()))] = 1.0
    mode: Annotated[
        str,
        Meaning(
            "how those are read that no frame drives: their levels, or with `analog` what a converter counts",
            ("input", "pull-up", "analog"),
            beside=("pins", ()),
        ),
    ] = "input"


class UsbTable(Table, kw_only=True):
    """Who a USB device says it is. It has a bulk endpoint each way."""

    TITLE = "[boards.NAME.usb]"
    vendor: Annotated[int, Meaning("its vendor's number", low=0, high=0xFFFF)] = 0x1209
    product: Annotated[int, Meaning("its product's number", low=0, high=0xFFFF)]
    version: Annotated[int, Meaning("its version, in binary-coded decimals", low=0, high=0xFFFF)] = 0x0100
    maker: Annotated[str, Meaning("who made it")] = "Cavet"
    title: Annotated[str, Meaning("what it is called; else the board's name with a capital")] = ""
    serial: Annotated[str, Meaning("its serial number")] = "0001"
    endpoints: Annotated[str, Meaning("what its two endpoints are", ("bulk", "interrupt"))] = "bulk"
    out: Annotated[int, Meaning("the endpoint that hears", low=1, high=15)] = 0x02
    in_: Annotated[int, Meaning("the endpoint that says, with its direction bit", low=0x81, high=0x8F)] = 0x81


class FormatKeys(Table, kw_only=True):
    """What a board with frames has of its own."""

    ABOUT = "plan, usb, target"
    plan: Annotated[
        str,
        Meaning("the plan file beside the bench whose frames it speaks, or the name of one that ships"),
    ] = ""
    takes: Annotated[dict[str, Any], Meaning("the frames that it takes, see below")] = {}
    gives: Annotated[dict[str, Any], Meaning("the frames that it gives, see below")] = {}


class UsbKeys(FormatKeys, kw_only=True):
    """What a USB device has of its own."""

    usb: Annotated[dict[str, Any], Meaning("usb: who the device says it is, see below", concerns=("usb",))] = {}


class FormatDevice(Device, frozen=True, kw_only=True):
    """A board's frames, and what they do."""

    KEYS: ClassVar[type[Table]] = FormatKeys
    TABLES: ClassVar[tuple[type[Table], ...]] = (TakesTable, GivesTable, GivenTable)
    WHENS: ClassVar[tuple[str, ...]] = ("taken", "changed", "every")
    """When it can give a frame."""
    MOST_TAKEN: ClassVar[int | None] = None
    MOST_GIVEN: ClassVar[int | None] = None
    """How many frames it can take and give; `None` for any number."""

    board: PlanBoard
    measured: dict[str, Expression]
    """What its fields measure, by `FRAME.FIELD`."""

    @classmethod
    def read(cls, tables: BoardTables) -> Self | None:
        before = len(tables.checker.errors)
        keys = tables.own(cls.KEYS)
        if not isinstance(keys, FormatKeys):
            return None
        reader = _FormatReader(tables, keys, cls)
        board = reader.read()
        more = cls._more(tables, keys)
        if board is None or len(tables.checker.errors) > before:
            return None
        return cls(board=board, measured=reader.expressions, **more)

    @classmethod
    def _more(cls, tables: BoardTables, keys: FormatKeys) -> dict[str, Any]:
        """What it has besides its frames."""
        return {}

    @property
    def expressions(self) -> dict[str, Expression]:
        return self.measured

    def path_of_expression(self, name: str) -> Path:
        frame, _, field = name.partition(".")
        return ("gives", frame, "fields", field, "of")

    @property
    def frames(self) -> dict[Side, list[str]]:
        """Which frames its host says to it, and which it says itself."""
        gives = list(dict.fromkeys(answer.frame for answer in self.board.gives))
        return {Side.HOST: list(self.board.takes), Side.BOARD: gives}

    def _engine(self, making: Making) -> Engine:
        return Engine(self.board, making.circuit, making.tell, making.read(self.expressions))

    def firmware(self, making: Making) -> Firmware:
        return PlanFirmware(self.board, self._engine(making), making.tell)

    def places(self, profile: Profile, parts_at: PartsAt) -> Iterator[Place]:
        for frame, fields in self.board.takes.items():
            for taken in fields:
                for bit, pin in enumerate(taken.pins):
                    several = len(taken.pins) > 1
                    yield Place(
                        kind=PlaceKind.FIELD, key=("field", frame, taken.field, bit if several else -1),
                        name=f"{frame}.{taken.field}" + (f" bit {bit}" if several else ""), note=taken.does,
                        pins=(pin,), parts=parts_at(pin), table=("takes", frame),
                    )  # fmt: skip
        modes = self.board.modes
        for answer in self.board.gives:
            for given in answer.fields:
                several = len(given.pins) > 1
                for bit, pin in enumerate(given.pins):
                    yield Place(
                        kind=PlaceKind.FIELD, key=("told", answer.frame, given.field, bit if several else -1),
                        name=f"{answer.frame}.{given.field}" + (f" bit {bit}" if several else ""), note="told",
                        pins=(pin,), parts=parts_at(pin), table=("gives", answer.frame),
                        mode=modes[pin], mode_at=("gives", answer.frame, "fields", given.field, "mode"),
                    )  # fmt: skip
                if not given.pins:
                    yield Place(
                        kind=PlaceKind.FIELD, key=("told", answer.frame, given.field, -1),
                        name=f"{answer.frame}.{given.field}", note="told", table=("gives", answer.frame),
                    )  # fmt: skip

    def places_named(self, point: Point) -> list[PlaceKey]:
        if not isinstance(point, FieldPoint):
            return []
        if point.frame:
            taken = self.board.takes.get(point.frame, ())
            pins = next((each.pins for each in taken if each.field == point.field), ())
            return [("field", point.frame, point.field, bit) for bit in _bits_of(point, pins)]
        given = next((each.fields for each in self.board.gives if each.frame == point.state_frame), ())
        pins = next((each.pins for each in given if each.field == point.state_field), ())
        return [("told", point.state_frame, point.state_field, bit) for bit in _bits_of(point, pins)]

    def rows(self, points: Sequence[Point]) -> dict[str, list[Row]]:
        rows = [
            {
                "frame": name, "from": "host" if name in self.board.takes else "board", "field": field.name,
                "type": field.kind, "bits": field.bits, "unit": field.unit,
            }
            for name, codec in self.board.codecs.items()
            for field in codec.plan.fields
        ]  # fmt: skip
        return {"frames": rows}


def _bits_of(point: FieldPoint, pins: Sequence[int]) -> Sequence[int]:
    """The places of a field that a point names: a bit, or all of them where it means the whole field; −1 for a field of
    one pin."""
    if point.bit is not None:
        return point.bit, -1
    return range(len(pins)) if len(pins) > 1 else (-1,)


class UsbDevice(FormatDevice, frozen=True, kw_only=True):
    """A USB device: its reports are frames, and it says who it is."""

    KEYS: ClassVar[type[Table]] = UsbKeys
    TABLES: ClassVar[tuple[type[Table], ...]] = (*FormatDevice.TABLES, UsbTable)
    LINK: ClassVar[str] = "usb"
    IS_THERE_AT_ONCE: ClassVar[bool] = True
    WHENS: ClassVar[tuple[str, ...]] = ("taken",)
    MOST_TAKEN: ClassVar[int | None] = 1

    identity: Identity

    @classmethod
    def _more(cls, tables: BoardTables, keys: FormatKeys) -> dict[str, Any]:
        table = tables.one("usb", UsbTable, keys.usb) if isinstance(keys, UsbKeys) else None
        if table is None:
            return {}
        identity = made(
            Identity, table, title=table.title or tables.board.capitalize(), out_endpoint=table.out,
            in_endpoint=table.in_, transfer=table.endpoints,
        )  # fmt: skip
        return {"identity": identity}

    def firmware(self, making: Making) -> Firmware:
        return UsbFirmware(self.identity, self.board, self._engine(making), making.tell)


class TargetDevice(FormatDevice, frozen=True, kw_only=True):
    """A board that stands on another board's bus, as its target."""

    WHENS: ClassVar[tuple[str, ...]] = ("taken",)
    MOST_GIVEN: ClassVar[int | None] = 1

    def firmware(self, making: Making) -> Firmware:
        return TargetFirmware(self.board, self._engine(making), making.tell, making.target)


class _FormatReader:
    """Reads one board; what is wrong stands in the checker's errors."""

    def __init__(self, tables: BoardTables, keys: FormatKeys, device: type[FormatDevice]) -> None:
        self._tables = tables
        self._keys = keys
        self._device = device
        self.expressions: dict[str, Expression] = {}

    def read(self) -> PlanBoard | None:
        """Read its frames; `None` where nothing can be made of them."""
        tables = self._tables
        plan = load_frames(tables.checker, (*tables.path, "plan"), self._keys.plan, tables.folder)
        if plan is None:
            return None
        takes = {
            name: tuple(self._taken(plan.frames[name], name, fields))
            for name, fields in self._frames(plan, "takes", self._keys.takes).items()
        }
        gives = tuple(self._given_frames(plan))
        most = self._device.MOST_TAKEN
        if not takes and (not gives or most is not None):
            tables.checker.wrong((*tables.path, "takes"), found="nothing", expected=f"frames: {listed(plan.frames)}")
        elif most is not None and len(takes) > most:
            tables.checker.wrong((*tables.path, "takes"), found=f"{len(takes)} frames", expected="one for a USB device")
        codecs = {name: PlanCodec(frame) for name, frame in plan.frames.items()}
        return PlanBoard(codecs=codecs, takes=takes, gives=gives)

    def _frames(self, plan: PlanFile, key: str, frames: dict[str, Any]) -> dict[str, Any]:
        found = {}
        for name, fields in frames.items():
            if name not in plan.frames:
                expected = f"a frame of {plan.file}: {listed(plan.frames) or 'it has none'}"
                near = nearest(name, plan.frames)
                self._tables.checker.wrong((*self._tables.path, key, name), found=name, expected=expected, nearest=near)
            elif not isinstance(fields, dict):
                path: Path = (*self._tables.path, key, name)
                self._tables.checker.wrong(path, found="no table", expected="a table of its fields")
            else:
                found[name] = fields
        return found

    def _field_is_there(self, path: Path, frame: FramePlan, name: str) -> bool:
        names = [field.name for field in frame.fields if field.is_number and not frame.repeats(field)]
        if name in names:
            return True
        self._tables.checker.wrong(
            path, found=name, expected=f"one number of {frame.name}: {listed(names)}", nearest=nearest(name, names)
        )
        return False

    def _taken(self, frame: FramePlan, name: str, fields: dict[str, Any]) -> list[Taken]:
        found = []
        for field, raw in fields.items():
            path: Path = (*self._tables.path, "takes", name, field)
            table = self._tables.checker.read(raw, TakesTable, path)
            if table is None or not self._field_is_there(path, frame, field):
                continue
            does, key = ("blink", "blinks") if table.blinks else ("set", "pins")
            if bool(table.pins) == bool(table.blinks):
                self._tables.checker.wrong(path, found="both or none", expected="either `pins` or `blinks`")
                continue
            mode = PinMode(table.mode)
            pins = self._pins((*path, key), table.blinks or table.pins, mode, f"{name}.{field}")
            if table.mask:
                self._field_is_there((*path, "mask"), frame, table.mask)
            bits = frame.field(field).bits or 0
            if len(pins) > 1 and (mode is PinMode.TONE or (mode is PinMode.PWM and bits != 8 * len(pins))):
                expected = "one for a tone" if mode is PinMode.TONE else f"one, or one for each byte of its {bits} bits"
                self._tables.checker.wrong((*path, key), found=f"{len(pins)} pins", expected=expected)
            if len(pins) > 1 and mode is PinMode.PWM and table.full != 1.0:
                self._tables.checker.wrong((*path, "full"), found=table.full, expected="none: a byte of 255 is full")
            found.append(Taken(field=field, does=does, pins=pins, mask=table.mask, mode=mode, full=table.full or 1.0))
        return found

    def _pins(self, path: Path, text: str, mode: PinMode | None, driver: str = "") -> tuple[int, ...]:
        """The pins that are named, each of which must have the mode; for a `driver`, none in another one."""
        pins = []
        for number in numbers(self._tables.checker, path, text):
            pin = self._tables.find_pin(path, number)
            if pin is None:
                continue
            if mode is not None and driver:
                self._tables.drives(path, driver, pin, mode)
            elif mode is not None:
                self._tables.can(path, pin, mode)
            pins.append(pin)
        return tuple(pins)

    def _given_frames(self, plan: PlanFile) -> list[Answer]:
        answers: list[Answer] = []
        for name, raw in self._frames(plan, "gives", self._keys.gives).items():
            path: Path = (*self._tables.path, "gives", name)
            table = self._tables.checker.read(raw, GivesTable, path)
            if table is None:
                continue
            firmware = self._tables.firmware
            if table.when not in self._device.WHENS:
                expected = f'"taken", with firmware {firmware}'
                self._tables.checker.wrong((*path, "when"), found=table.when, expected=expected)
            if len(answers) == self._device.MOST_GIVEN:
                expected = f"one frame for a {firmware}: {answers[0].frame} is one"
                self._tables.checker.wrong(path, found=name, expected=expected)
            frame = plan.frames[name]
            fields = [given for field, each in table.fields.items() if (given := self._given(path, frame, field, each))]
            names = {given.field for given in fields}
            for field in frame.fields:
                if not field.fills_itself and field.name not in names and field.name not in table.fields:
                    expected = "where it comes from"
                    self._tables.checker.wrong((*path, "fields"), found=f"no {field.name}", expected=expected)
            answers.append(Answer(frame=name, when=table.when, seconds=table.every, fields=tuple(fields)))
        return answers

    def _given(self, path: Path, frame: FramePlan, field: str, raw: object) -> Given | None:
        path = (*path, "fields", field)
        table = self._tables.checker.read(raw, GivenTable, path)
        if table is None or not self._field_is_there(path, frame, field):
            return None
        ways = [key for key in ("pins", "blinks", "faults", "of") if getattr(table, key)]
        if len(ways) != 1:
            expected = "one of `pins`, `blinks`, `faults` and `of`"
            self._tables.checker.wrong(path, found=listed(ways, "and") or "nothing", expected=expected)
            return None
        if table.of is not None:
            self.expressions[f"{frame.name}.{field}"] = table.of
            return Given(field=field, of="expression")
        if ways == ["faults"]:
            return Given(field=field, of="faults")
        mode = PinMode(table.mode)
        pins = self._pins((*path, ways[0]), table.pins or table.blinks, None if mode is PinMode.INPUT else mode)
        if len(pins) > 1 and mode is PinMode.ANALOG:
            self._tables.checker.wrong((*path, "pins"), found=f"{len(pins)} pins", expected="one with a converter")
        of = "levels" if ways == ["pins"] else "blinks"
        return Given(field=field, of=of, pins=pins, full=table.full, mode=mode) if pins else None
