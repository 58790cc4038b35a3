"""Each step held against the bench: names, units, ranges, modes, kinds."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import msgspec

from cavet.bench import FAULTS, needed_for, spoken
from cavet.benchfile import Setup
from cavet.boards import KINDS, PinMode
from cavet.hosts import PinPoint, Point, PointKind
from cavet.protocols import Side
from cavet.routines import _tree as tree
from cavet.routines._checked import CheckedTune, all_steps
from cavet.routines._code import local
from cavet.routines._compiling import Names, Value, of_point
from cavet.routines._conditions import Compiler
from cavet.routines._mistakes import MOST_MENDED, MistakeError, none_of
from cavet.routines._sending import as_written, check_answer, check_message
from cavet.routines._turns import MOST_TURNS
from cavet.routines._words import KEYWORDS, WAITING
from cavet.wording import WrongError, listed, with_article

TEXT = Value(kind="text", run=lambda look: "")
BARE = Value(kind="number", run=lambda look: 0.0)


class StepChecks:
    """Checks the steps of a file; a value in them is a function of how the bench stands then."""

    def __init__(self, sheet: tree.Sheet, setup: Setup) -> None:
        self._sheet = sheet
        self._setup = setup
        self.mistakes: list[WrongError] = []
        self._line = 0
        self._loops = 0
        self._does: dict[str, set[str]] = {name: set() for name in sheet.routines}
        self._routine = ""
        self._speak_anew()
        self._tunes: dict[str, dict[str, CheckedTune]] = {}
        """The tunes of each routine."""

    def _speak_anew(self) -> None:
        """From here on, no host has been spoken with."""
        self._used: set[str] = set()
        self._everywhere = Names(self._setup, {}, self._used)

    def _attempt(self, line: int, act: Callable[[], Any]) -> Any:
        """Check something of a line; what is wrong there is noted, and the rest goes on."""
        self._line = line
        try:
            return act()
        except MistakeError as mistake:
            if len(self.mistakes) >= MOST_MENDED:
                mistake.words = []
            self.mistakes.append(mistake.told(self._sheet.file, line))
            return None

    def _free(self, name: str, at: int, what: str) -> None:
        setup = self._setup
        parts = {part for board in setup.boards.values() for part in board.parts}
        boards = {*setup.linked_boards, *setup.hosts}
        for taken, owner in (
            (KEYWORDS, "a word of the language"),
            (setup.points, "a point"),
            (boards, "a board"),
            (parts, "a part"),
        ):
            if name in taken:
                raise MistakeError(at, found=name, expected=f"another name for {what}: it is {owner}")

    # steps

    def _steps(self, steps: list[tree.Step], names: Names) -> None:
        for step in steps:
            self._attempt(step.line, partial(self._step, step, names))

    def _step(self, step: tree.Step, names: Names) -> None:
        read: Callable[[tree.Step, Compiler, Names], None] | None = getattr(self, f"_{step.kind}", None)
        if read is not None:
            read(step, Compiler(names), names)

    def _set(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        point = self._output(step.point, compiler)
        step.of["value"] = self._value_for(point, step.of["value"], compiler)
        step.of["point"] = point
        if step.over is not None:
            if point.kind.is_text or point.kind.is_switch:
                raise MistakeError(
                    step.over.at, found="over", expected="a number to go to: there is nothing in between"
                )
            step.of["over"] = compiler.time(step.over)

    def _output(self, name: tree.Name, compiler: Compiler) -> Point:
        point = compiler.point(name)
        if not point.kind.is_output:
            raise MistakeError(name.at, found=f"{point.name}, an input", expected="an output")
        board = self._setup.boards.get(self._setup.board_of(point.board))
        if isinstance(point, PinPoint) and board is not None:
            for pin, mode in point.modes().items():
                there = board.profile.pins.get(pin)
                if there is None or not there.can(PinMode(mode)):
                    able = listed(board.profile.able(PinMode(mode)), "and") or "no pin"
                    raise MistakeError(
                        name.at, found=f"{point.name} at pin {pin}", expected=f"a pin with {mode}: {able}"
                    )
        return point

    def _value_for(self, point: Point, expr: tree.Expr, compiler: Compiler) -> Value:
        """A value that a point may be asked for."""
        value = compiler.fitting(expr, of_point(point))
        if value.constant and value.kind == "number":
            low, high = sorted((point.low, point.high))
            if not low - 1e-9 <= value.run(None) <= high + 1e-9:
                ends = f"{point.show(low)} to {point.show(high)}"
                raise MistakeError(expr.at, found=value.shown(value.run(None)), expected=ends)
        return value

    def _toggle(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        point = self._output(step.point, compiler)
        if point.kind.is_text or point.kind is PointKind.PULSE:
            raise _without_ends(step, point)
        step.of["point"] = point

    def _pulse(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        point = self._output(step.point, compiler)
        if point.kind.is_text:
            raise _without_ends(step, point)
        if point.kind is PointKind.PULSE:
            step.of["value"] = self._value_for(point, step.lasts, compiler)
        step.of["lasts"] = compiler.time(step.lasts)
        step.of["point"] = point

    def _ask(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        step.of["point"] = compiler.point(step.point)

    def _clear(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        point = self._output(step.point, compiler)
        if point.kind not in (PointKind.TEXT, PointKind.PIXELS):
            raise MistakeError(step.point.at, found=f"{point.name}, a {point.kind.value}", expected="a text or pixels")
        step.of["point"] = point

    def _show(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        step.of["value"] = compiler.fitting(step.of["value"], TEXT)
        self._clear(step, compiler, names)
        places = {key: step.of[key] for key in ("row", "column") if step.of[key] is not None}
        for key, place in places.items():
            step.of[key] = compiler.fitting(place, BARE)
        if places and all(step.of[key].constant for key in places):
            row, column = (step.of[key].run(None) if key in places else 1 for key in ("row", "column"))
            try:
                step.of["point"].written_at(row, column, "", "")
            except WrongError as error:
                where = places[str(error.found).split()[0]].at
                raise MistakeError(where, found=error.found, expected=error.expected) from error

    def _send(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        try:
            step.of["host"] = self._setup.host_meant(step.board)
        except WrongError as error:
            near, expected = [error.nearest] if error.nearest else [], "a board, or board.link"
            raise MistakeError(step.board_at, found=step.board, expected=expected, words=near) from error
        self._used.add(step.of["host"])
        tongue = spoken(self._setup, self._setup.links[self._setup.hosts[step.host].link])
        said = {"message": ("fields", tongue.forms(Side.HOST)), "answer": ("answer_fields", tongue.coming_back)}
        for key, (fields, forms) in said.items():
            if step.of[key] is None:
                continue
            step.of[key] = tongue.codec_of(step.of[key]).also_called.get(step.of[key], step.of[key])
            if step.of[key] not in forms:
                what = f"{'a message' if key == 'message' else 'an answer'} of {tongue.name}"
                raise MistakeError(step.of[f"{key}_at"], found=step.of[key], expected=what, words=list(forms))
            given = as_written(forms[step.of[key]], step.of[fields])
            step.of[fields] = {name: self._field(value, compiler, names) for name, value in given.items()}
        check_message(step, tongue)
        if step.answer is not None:
            check_answer(step, tongue)
        if step.within is not None:
            step.of["within"] = compiler.time(step.within)

    def _field(self, value: Any, compiler: Compiler, names: Names) -> Any:
        if isinstance(value, str):
            known = names.known.get(value)
            return known if known is not None else value
        return compiler.value(value)

    def _wait(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        if "time" in step.of:
            step.of["time"] = compiler.time(step.time)
            return
        watching = Compiler(names, watched=True)
        step.of["found"] = _what_is_compared(step.condition, compiler)
        step.of["condition"] = watching.condition(step.condition)
        for key in ("lasts", "at_most"):
            if step.of[key] is not None:
                step.of[key] = compiler.time(step.of[key])
        if step.instead is not None:
            step.instead.line = step.line
            self._step(step.instead, names)
            step.of["instead"] = [step.instead]

    def _expect(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        for key in ("lasts", "within"):
            if step.of.get(key) is not None:
                step.of[key] = compiler.time(step.of[key])
        condition = step.condition
        if isinstance(condition, tree.Reads) and not step.never:
            point = compiler.point(condition.point)
            step.of |= {"reads": point, "value": compiler.fitting(condition.value, of_point(point))}
            return
        watching = Compiler(names, watched=step.never or step.within is not None)
        step.of["condition"] = watching.condition(condition)
        step.of["found"] = _what_is_compared(condition, compiler)

    def _repeat(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        if step.times is None:
            self._must_wait(step)
        else:
            at = step.times.at
            step.of["times"] = times = compiler.fitting(step.times, BARE)
            if times.constant and not (0 <= times.run(None) <= MOST_TURNS and times.run(None) == int(times.run(None))):
                raise MistakeError(
                    at, found=times.shown(times.run(None)), expected=f"a whole number, 0 to {MOST_TURNS}"
                )
        self._loop(step, names)

    def _while(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        step.of["condition"] = compiler.condition(step.condition)
        self._must_wait(step)
        self._loop(step, names)

    def _every(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        at = step.period.at
        step.of["period"] = period = compiler.time(step.period)
        if period.constant and period.run(None) <= 0:
            raise MistakeError(at, found="0 s", expected="a time of more than 0 s")
        self._loop(step, names)

    def _for(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        self._free(step.name, step.name_at, "a value")
        inner = names.within()
        if "each" in step.of:
            values = [compiler.value(each) for each in step.each]
            for each, value in zip(step.each, values, strict=True):
                compiler.fitting(each, values[0]) if value.kind != values[0].kind else None
            step.of["each"] = [compiler.fitting(each, values[0]) for each in step.of["each"]]
            kind = values[0]
        else:
            kind = compiler.value(step.first)
            bound = compiler.value(step.last)
            kind = kind if kind.unit is not None or bound.unit is None else bound
            step.of["first"], step.of["last"] = (compiler.fitting(step.of[key], kind) for key in ("first", "last"))
            if step.by is not None:
                at = step.by.at
                step.of["by"] = by = compiler.fitting(step.by, kind)
                if by.constant and by.run(None) == 0:
                    raise MistakeError(at, found="0", expected="a step of more than 0")
        name = step.name
        inner.known[name] = msgspec.structs.replace(
            kind, run=lambda look: look.scope[name], constant=False, code=local(name)
        )
        self._loop(step, inner)

    def _loop(self, step: tree.Step, names: Names) -> None:
        self._loops += 1
        self._steps(step.body, names)
        self._loops -= 1

    def _must_wait(self, step: tree.Step) -> None:
        """An endless loop in which nothing waits would stand still for ever."""
        if not any(self._waits(each) for each in all_steps(step.body)):
            expected = "a step in it that waits, such as `wait 10 ms`"
            raise MistakeError(step.at, found=f"{step.kind} in which nothing waits", expected=expected)

    def _waits(self, step: tree.Step) -> bool:
        """Whether a step takes bench time."""
        if step.kind in ("press", "work"):
            return step.of.get("lasts") is not None and bool(step.of.get("waits"))
        if step.kind in ("set", "break"):
            return bool(step.of.get("waits"))
        if step.kind == "do" and step.of.get("routine") in self._sheet.routines:
            inner = self._sheet.routines[step.of["routine"]]
            return any(each.kind != "do" and self._waits(each) for each in all_steps(inner.body))
        return step.kind in WAITING

    def _leave(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        if not self._loops:
            raise MistakeError(step.at, found="leave", expected="it within repeat, while, every or for")

    def _if(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        step.of["condition"] = compiler.condition(step.condition)
        self._steps(step.body, names)
        self._steps(step.otherwise, names)

    def _let(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        name = step.name
        older = names.known.get(name)
        if older is None:
            self._free(name, step.name_at, "a value")
        if name in self._tunes[self._routine]:
            raise MistakeError(
                step.name_at, found=name, expected="another name: it is a tune, which is turned from outside"
            )
        step.of["value"] = value = (
            compiler.fitting(step.value, older) if older is not None else compiler.value(step.value)
        )
        names.known[name] = msgspec.structs.replace(
            value, run=lambda look: look.scope.get(name), constant=False, code=local(name)
        )

    def _do(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        if step.routine not in self._sheet.routines:
            words = list(self._sheet.routines)
            raise MistakeError(step.routine_at, found=step.routine, expected="a routine of this file", words=words)
        self._does[self._routine].add(step.routine)
        tunes = self._tunes[step.routine]
        made = {}
        for name, (value, at) in step.tunes.items():
            if name not in tunes:
                raise MistakeError(at, found=name, expected=f"a tune of {step.routine}", words=list(tunes))
            made[name] = compiler.fitting(value, Value(kind="number", unit=tunes[name].unit, run=lambda look: 0.0))
        step.of["tunes"] = made

    def _say(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        step.of["value"] = compiler.fitting(step.value, TEXT)

    _mark = _fail = _stop = _say

    def _keep(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        step.of["points"] = [self._output(point, compiler) for point in step.points]

    # the world around

    def _part(self, step: tree.Step, action: str) -> None:
        path = written = step.part
        at = step.part_at
        parts = {
            f"{board.name}.{part}": table
            for board in self._setup.boards.values()
            for part, table in board.parts.items()
        }
        if path not in parts:
            alone = [each for each in parts if each.partition(".")[2] == path]
            if len(alone) != 1:
                raise MistakeError(
                    at,
                    found=path,
                    expected="a part of a simulated board, as board.part",
                    words=[*parts, *(each.partition(".")[2] for each in parts)],
                )
            path = step.of["part"] = alone[0]
        self._everywhere.use_board(path.partition(".")[0])
        able = KINDS[parts[path].kind].actions
        if not able:
            found = f"{written}, {with_article(parts[path].kind)}"
            raise MistakeError(at, found=found, expected="a part that a hand can work")
        if action not in able:
            what = f"one of {listed(able)}"
            raise MistakeError(step.of.get("action_at", at), found=action, expected=what, words=list(able))

    def _press(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        self._part(step, "press")
        if step.lasts is not None:
            step.of["lasts"] = compiler.time(step.lasts)

    def _release(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        self._part(step, "release")

    def _work(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        self._part(step, step.action)
        if step.value is not None:
            step.of["value"] = compiler.of_a_hand(step.value)
        if step.lasts is not None:
            step.of["lasts"] = compiler.time(step.lasts)

    def _place(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        rig = self._setup.rig
        if step.quantity not in rig:
            raise none_of("a quantity of the rig", rig, step.quantity, step.quantity_at)
        unit = rig[step.quantity].unit or None
        step.of["value"] = compiler.fitting(step.value, Value(kind="number", unit=unit, run=lambda look: 0.0))

    def _links(self, step: tree.Step) -> list[str]:
        """The links that a word means."""
        try:
            return [link.name for link in self._setup.links_meant(step.link)]
        except WrongError as error:
            words = sorted({*self._setup.linked_boards, *self._setup.links})
            raise MistakeError(step.link_at, found=step.link, expected="a board, or board.link", words=words) from error

    def _break(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        step.of["links"] = self._links(step)
        step.of["lasts"] = compiler.time(step.lasts)

    def _fault(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        if step.fault not in FAULTS:
            raise MistakeError(step.fault_at, found=step.fault, expected=f"one of {listed(FAULTS)}", words=list(FAULTS))
        links = self._links(step)
        board, step.of["at_link"] = self._setup.link_meant(step.link)
        step.of["board"] = board
        if board not in self._setup.boards:
            raise MistakeError(step.link_at, found=step.link, expected="a simulated board")
        meant = [self._setup.links[name] for name in links]
        if needed := needed_for(step.fault, self._setup.boards[board], meant):
            raise MistakeError(step.link_at, found=step.link, expected=needed.expected)
        if step.next is not None:
            step.of["next"] = compiler.fitting(step.next, BARE)
        if step.lasts is not None:
            step.of["lasts"] = compiler.time(step.lasts)

    def _make(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        if step.defect not in self._setup.defects:
            raise none_of("a defect of the bench", self._setup.defects, step.defect, step.defect_at)

    _mend = _make

    def _reset(self, step: tree.Step, compiler: Compiler, names: Names) -> None:
        if step.board not in self._setup.boards:
            raise none_of("a simulated board", self._setup.boards, step.board, step.board_at)


def _what_is_compared(condition: tree.Expr, compiler: Compiler) -> Value | None:
    """What a condition is about: told where it does not hold."""
    while isinstance(condition, tree.Not):
        condition = condition.of
    if isinstance(condition, tree.Compare):
        condition = condition.left
    if isinstance(condition, tree.BoardIs):
        condition = tree.Name(condition.at, condition.name)  # a part, if it is one: `door is open`
    if isinstance(condition, tree.Joined | tree.Edge | tree.Reads):
        return None
    try:
        return compiler.value(condition)
    except MistakeError:
        return None


def _without_ends(step: tree.Step, point: Point) -> MistakeError:
    """A step that goes from one end to the other, for what has none."""
    found = f"{point.name}, a {point.kind.value}"
    return MistakeError(step.point.at, found=found, expected="something with two ends")
