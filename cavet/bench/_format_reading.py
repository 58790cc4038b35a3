"""From a board's tables to a board that speaks frames of a plan, on a stream or as a USB device."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath
from typing import Any

import msgspec

from cavet.bench import _schema as schema
from cavet.bench._check import Checker
from cavet.bench._devices import numbers
from cavet.bench._places import Path
from cavet.bench._plan_file import PlanFile, find_plan
from cavet.boards import PinMode, Profile
from cavet.boards.firmware.plans import Answer, Given, PlanBoard, Taken
from cavet.boards.firmware.usb import Identity
from cavet.expressions import Expression
from cavet.protocols.plans import FramePlan, PlanCodec
from cavet.wording import WrongError, listed, nearest


class FormatPlan(msgspec.Struct, frozen=True, kw_only=True):
    """A board's frames and what they do; with an identity, it is a USB device."""

    board: PlanBoard
    sums: dict[str, Expression]
    identity: Identity | None = None


class FormatReader:
    """Reads one board; what is wrong stands in the checker's errors."""

    def __init__(
        self, checker: Checker, board: str, table: dict[str, Any], profile: Profile, folder: FilePath | None,
        find_pin: Callable[[Path, Any], int | None],
    ) -> None:  # fmt: skip
        self._checker = checker
        self._path: Path = ("boards", board)
        self._table = table
        self._profile = profile
        self._folder = folder
        self._find_pin = find_pin
        self._sums: dict[str, Expression] = {}

    def read(self) -> FormatPlan | None:
        """Read it; `None` where nothing can be made of it."""
        before = len(self._checker.errors)
        plan = load_frames(self._checker, (*self._path, "plan"), self._table["plan"], self._folder)
        if plan is None:
            return None
        takes = {}
        for name, fields in self._frames(plan, "takes").items():
            takes[name] = tuple(self._taken(plan.frames[name], name, fields))
        gives = tuple(self._given_frames(plan))
        identity = self._identity()
        if not takes:
            self._checker.wrong((*self._path, "takes"), found="nothing", expected=f"frames: {listed(plan.frames)}")
        elif identity is not None and len(takes) > 1:
            self._checker.wrong((*self._path, "takes"), found=f"{len(takes)} frames", expected="one for a USB device")
        if len(self._checker.errors) > before:
            return None
        codecs = {name: PlanCodec(frame) for name, frame in plan.frames.items()}
        board = PlanBoard(codecs=codecs, takes=takes, gives=gives)
        return FormatPlan(board=board, sums=self._sums, identity=identity)

    def _frames(self, plan: PlanFile, key: str) -> dict[str, Any]:
        found = {}
        for name, fields in self._table[key].items():
            if name not in plan.frames:
                expected = f"a frame of {plan.file}: {listed(plan.frames) or 'it has none'}"
                near = nearest(name, plan.frames)
                self._checker.wrong((*self._path, key, name), found=name, expected=expected, nearest=near)
            elif not isinstance(fields, dict):
                self._checker.wrong((*self._path, key, name), found="no table", expected="a table of its fields")
            else:
                found[name] = fields
        return found

    def _field_is_there(self, path: Path, frame: FramePlan, name: str) -> bool:
        names = [field.name for field in frame.fields if field.is_number and not frame.repeats(field)]
        if name in names:
            return True
        self._checker.wrong(
            path, found=name, expected=f"one number of {frame.name}: {listed(names)}", nearest=nearest(name, names)
        )
        return False

    def _taken(self, frame: FramePlan, name: str, fields: dict[str, Any]) -> list[Taken]:
        found = []
        for field, raw in fields.items():
            path: Path = (*self._path, "takes", name, field)
            table = self._checker.table(raw, schema.TAKES, path)
            if table is None or not self._field_is_there(path, frame, field):
                continue
            does, key = ("blink", "blinks") if table["blinks"] else ("set", "pins")
            if bool(table["pins"]) == bool(table["blinks"]):
                self._checker.wrong(path, found="both or none", expected="either `pins` or `blinks`")
                continue
            mode = PinMode(table["mode"])
            pins = self._pins((*path, key), table[key], mode)
            if table["mask"]:
                self._field_is_there((*path, "mask"), frame, table["mask"])
            bits = frame.field(field).bits or 0
            if len(pins) > 1 and (mode is PinMode.TONE or (mode is PinMode.PWM and bits != 8 * len(pins))):
                expected = "one for a tone" if mode is PinMode.TONE else f"one, or one for each byte of its {bits} bits"
                self._checker.wrong((*path, key), found=f"{len(pins)} pins", expected=expected)
            if len(pins) > 1 and mode is PinMode.PWM and table["full"] != 1.0:
                self._checker.wrong((*path, "full"), found=table["full"], expected="none: a byte of 255 is full")
            found.append(
                Taken(field=field, does=does, pins=pins, mask=table["mask"], mode=mode, full=table["full"] or 1.0)
            )
        return found

    def _pins(self, path: Path, text: str, mode: PinMode | None) -> tuple[int, ...]:
        pins = []
        for number in numbers(self._checker, path, text):
            pin = self._find_pin(path, number)
            if pin is None:
                continue
            if mode is not None and not self._profile.pins[pin].can(mode):
                able = listed(self._profile.able(mode), "and") or "no pin"
                self._checker.wrong(path, found=pin, expected=f"a pin with {mode.value}: {able}")
            pins.append(pin)
        return tuple(pins)

    def _given_frames(self, plan: PlanFile) -> list[Answer]:
        answers: list[Answer] = []
        for name, raw in self._frames(plan, "gives").items():
            path: Path = (*self._path, "gives", name)
            table = self._checker.table(raw, schema.GIVES, path)
            if table is None:
                continue
            firmware = self._table["firmware"]
            if firmware != "plan" and table["when"] != "taken":
                self._checker.wrong((*path, "when"), found=table["when"], expected=f'"taken", with firmware {firmware}')
            if firmware == "target" and answers:
                self._checker.wrong(path, found=name, expected=f"one frame for a target: {answers[0].frame} is one")
            frame = plan.frames[name]
            fields = [
                given for field, each in table["fields"].items() if (given := self._given(path, frame, field, each))
            ]
            names = {given.field for given in fields}
            for field in frame.fields:
                if not field.fills_itself and field.name not in names and field.name not in table["fields"]:
                    self._checker.wrong((*path, "fields"), found=f"no {field.name}", expected="where it comes from")
            answers.append(Answer(frame=name, when=table["when"], seconds=table["every"], fields=tuple(fields)))
        return answers

    def _given(self, path: Path, frame: FramePlan, field: str, raw: object) -> Given | None:
        path = (*path, "fields", field)
        table = self._checker.table(raw, schema.GIVEN, path)
        if table is None or not self._field_is_there(path, frame, field):
            return None
        ways = [key for key in ("pins", "blinks", "faults", "of") if table[key]]
        if len(ways) != 1:
            expected = "one of `pins`, `blinks`, `faults` and `of`"
            self._checker.wrong(path, found=listed(ways, "and") or "nothing", expected=expected)
            return None
        if ways == ["of"]:
            self._sums[f"{frame.name}.{field}"] = table["of"]
            return Given(field=field, of="sum")
        if ways == ["faults"]:
            return Given(field=field, of="faults")
        pins = self._pins((*path, ways[0]), table[ways[0]], None)
        of = "levels" if ways == ["pins"] else "blinks"
        return Given(field=field, of=of, pins=pins, full=table["full"]) if pins else None

    def _identity(self) -> Identity | None:
        if self._table["firmware"] != "usb":
            return None
        table = self._checker.table(self._table["usb"], schema.USB, (*self._path, "usb"))
        if table is None:
            return None
        return Identity(
            vendor=table["vendor"], product=table["product"], version=table["version"], maker=table["maker"],
            title=table["title"] or str(self._path[-1]).capitalize(), serial=table["serial"],
            out_endpoint=table["out"], in_endpoint=table["in"], transfer=table["endpoints"],
        )  # fmt: skip


def load_frames(checker: Checker, path: Path, name: str, folder: FilePath | None) -> PlanFile | None:
    """The plan file of a name; what is wrong with it stands in the checker's errors."""
    if not name:
        checker.wrong(path, found="nothing", expected="the plan file whose frames it speaks; it must be there")
        return None
    try:
        return find_plan(name, folder)
    except WrongError as error:
        checker.wrong(path, found=error.found, expected=error.expected, nearest=error.nearest)
    except ExceptionGroup as group:
        checker.errors += [each for each in group.exceptions if isinstance(each, WrongError)]
    return None
