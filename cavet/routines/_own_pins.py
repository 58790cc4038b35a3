"""What a rule of a board can look at: its own pins, by the names of its parts.

Contacts have levels, and each bounce of theirs counts; outputs are on or off, or driven to a share; gauges and levers
are read by the board's converter: in volts, as a share of its range, or as the quantity that a gauge is for.
"""

from __future__ import annotations

import operator
from collections.abc import Callable

from cavet import units
from cavet.benchfile import BoardSetup, Setup
from cavet.boards import KINDS, Hands, PinMode
from cavet.boards.parts import Gauge, PartSettings
from cavet.routines import _tree as tree
from cavet.routines._mistakes import MistakeError
from cavet.wording import WrongError, listed, with_article

LOW_WORDS, HIGH_WORDS = ("off", "pressed", "closed", "low"), ("on", "released", "open", "high")
TO_GROUND = ("button",)
"""Kinds of parts that pull their pin low when they are worked."""
SIGNS = {"<": operator.lt, ">": operator.gt, "<=": operator.le, ">=": operator.ge}
TURNED = {"<": ">", ">": "<", "<=": ">=", ">=": "<="}
DUTY_STEP = 1 / 255
BY_A_LEVEL = "one that goes by a level at its pin, such as a lamp"
Holds = Callable[[Hands], bool]


class OwnPins:
    """The pins of one rule."""

    def __init__(self, board: BoardSetup, setup: Setup) -> None:
        self._board = board
        self._setup = setup
        self.inputs: dict[int, PinMode] = {}
        """The pins that it reads, and how."""
        self.outputs: set[int] = set()
        """The pins that it drives."""
        self.watched: set[int] = set()
        """What its conditions look at and no level tells of: outputs, and what the converter reads."""

    def driven(self, part: tree.Name) -> int:
        """The pin of a part that is to be driven. Raises `MistakeError`."""
        table, pin = self._part(part)
        if not _is_switched(table) or not self._board.profile.pins[pin].can(PinMode.OUTPUT):
            what = f"{part.name}, {with_article(table.kind)}"
            raise MistakeError(part.at, found=what, expected=f"a part that the board drives: {BY_A_LEVEL}")
        self.outputs.add(pin)
        return pin

    def begins(self, condition: tree.Expr) -> Holds:
        """What a rule begins with: an edge, or a condition. Raises `MistakeError`."""
        return self._edge(condition) if isinstance(condition, tree.Edge) else self.holds(condition)

    def holds(self, expr: tree.Expr) -> Holds:
        """A condition of the board's own pins. Raises `MistakeError`."""
        if isinstance(expr, tree.Joined):
            parts = [self.holds(each) for each in expr.of]
            join = all if expr.how == "and" else any
            return lambda hands: join([part(hands) for part in parts])
        if isinstance(expr, tree.Not):
            inner = self.holds(expr.of)
            return lambda hands: not inner(hands)
        if isinstance(expr, tree.Compare):
            return self._compared(expr)
        if isinstance(expr, tree.Edge):
            raise MistakeError(expr.at, found=expr.how, expected="an edge alone behind `when`")
        raise MistakeError(
            expr.at, found="another condition", expected="a part of the board, compared: `PART is on`, `PART > 50 %`"
        )

    def _part(self, name: tree.Expr) -> tuple[PartSettings, int]:
        """A part of the board with one pin: its table, and the pin."""
        parts, name = self._board.parts, self._named(name)
        if not isinstance(name, tree.Name) or name.name not in parts:
            found = name.name if isinstance(name, tree.Name) else "a value"
            raise MistakeError(name.at, found=found, expected=f"a part of the {self._board.name}", words=list(parts))
        table = parts[name.name]
        if len(table.wires) != 1 or table.hangs_on:
            raise MistakeError(name.at, found=name.name, expected="a part that hangs on one pin of the board itself")
        return table, next(iter(table.wires.values()))

    def _named(self, expr: tree.Expr) -> tree.Expr:
        """A part by its own name, where it is written with its board's, or by the pin that it hangs on."""
        if isinstance(expr, tree.Name):
            return tree.Name(expr.at, expr.name.removeprefix(f"{self._board.name}."))
        if not isinstance(expr, tree.Truth) or expr.board != self._board.name:
            return expr
        try:
            number = self._board.profile.pin(expr.pin)
        except WrongError as error:
            raise MistakeError(expr.at, found=expr.pin, expected=error.expected) from error
        names = [name for name, table in self._board.parts.items() if number in table.wires.values()]
        if not names:
            raise MistakeError(expr.at, found=f"pin {expr.pin}", expected="a pin that something hangs on")
        return tree.Name(expr.at, names[0])

    def _read_pin(self, name: tree.Expr) -> tuple[str, int]:
        table, pin = self._part(name)
        if KINDS[table.kind].by_voltage:
            expected = "a number that it is compared with, such as `> 2 V`: it has no level"
            raise MistakeError(name.at, found=with_article(table.kind), expected=expected)
        if KINDS[table.kind].senses:
            able = self._board.profile.pins[pin]
            mode = PinMode.PULL_UP if table.kind in TO_GROUND and able.can(PinMode.PULL_UP) else PinMode.INPUT
            self.inputs[pin] = mode
        elif _is_switched(table):
            self.watched.add(pin)
        else:
            raise MistakeError(name.at, found=with_article(table.kind), expected=f"a contact, or {BY_A_LEVEL}")
        return table.kind, pin

    def _edge(self, edge: tree.Edge) -> Holds:
        kind, pin = self._read_pin(edge.of)
        if not KINDS[kind].senses:
            raise MistakeError(edge.of.at, found=with_article(kind), expected="something that the board senses")
        if edge.how == "falls":
            return lambda hands: not hands.is_high(pin)
        return lambda hands: hands.is_high(pin)

    def _compared(self, expr: tree.Compare) -> Holds:
        if (number := _number(expr.right)) is not None:
            return self._measured(expr.sign, expr.left, number)
        if (number := _number(expr.left)) is not None:
            return self._measured(TURNED.get(expr.sign, expr.sign), expr.right, number)
        if expr.sign not in ("is", "=", "!="):
            raise MistakeError(expr.right.at, found="another value", expected="a number, such as 50 %")
        holds = self._stands(expr.left, expr.right)
        return (lambda hands: not holds(hands)) if expr.sign == "!=" else holds

    def _stands(self, part: tree.Expr, word: tree.Expr) -> Holds:
        kind, pin = self._read_pin(part)
        name = word.name if isinstance(word, tree.Name) else "another value"
        if name not in (*HIGH_WORDS, *LOW_WORDS):
            expected = f"one of {listed((*HIGH_WORDS, *LOW_WORDS))}"
            raise MistakeError(word.at, found=name, expected=expected, words=[*HIGH_WORDS, *LOW_WORDS])
        if not KINDS[kind].senses:
            return (lambda hands: hands.is_on(pin)) if name in HIGH_WORDS else (lambda hands: not hands.is_on(pin))
        if kind not in TO_GROUND and name in ("closed", "open"):  # a contact to the supply: closed is high
            name = "high" if name == "closed" else "low"
        return (lambda hands: hands.is_high(pin)) if name in HIGH_WORDS else (lambda hands: not hands.is_high(pin))

    def _measured(self, sign: str, part: tree.Expr, number: tree.Number) -> Holds:
        """A number that a part is compared with."""
        table, pin = self._part(part)
        able = self._board.profile.pins[pin]
        if sign == "is":
            raise MistakeError(number.at, found="is", expected="=, < or > beside a number")
        self.watched.add(pin)
        if KINDS[table.kind].by_voltage and able.can(PinMode.ANALOG):
            self.inputs[pin] = PinMode.ANALOG
            wanted, low, high = self._of_converter(table, number)
            step = abs(high - low) / ((1 << able.modes[PinMode.ANALOG]) - 1)
            return _as_sign(sign, lambda hands: low + hands.reading(pin) * (high - low), wanted, step)
        if not _is_switched(table) or not able.can(PinMode.OUTPUT):
            expected = "an output, a gauge or a lever beside a number"
            raise MistakeError(part.at, found=with_article(table.kind), expected=expected)
        share = _in(number, "%", "a share in %") / 100
        return _as_sign(sign, lambda hands: hands.share(pin), share, DUTY_STEP / 2)

    def _of_converter(self, table: PartSettings, number: tree.Number) -> tuple[float, float, float]:
        """What a converter's reading is compared with, and what its least and its greatest count mean in the same unit:
        volts, or as the part itself stands."""
        if units.are_alike(number.unit or "", "V"):
            return units.convert(number.value, number.unit or "", "V"), 0.0, self._board.profile.supply
        if isinstance(table, Gauge.SETTINGS):
            unit = self._setup.rig[table.of].unit
            return _in(number, unit, f"a number in {unit} or V" if unit else "a bare number, or volts"), *table.range
        return _in(number, "%", "−100 % to 100 %, or volts"), -100.0, 100.0


def _is_switched(table: PartSettings) -> bool:
    kind = KINDS[table.kind]
    return kind.by_level and not kind.senses


def _number(expr: tree.Expr) -> tree.Number | None:
    """A number as it is written, also a negative one; `None` for anything else."""
    if isinstance(expr, tree.Number):
        return expr
    if isinstance(expr, tree.Negative) and isinstance(expr.of, tree.Number):
        return tree.Number(expr.at, -expr.of.value, expr.of.unit)
    return None


def _in(number: tree.Number, unit: str, expected: str) -> float:
    """A number in a unit. Raises `MistakeError` for one of another dimension."""
    if number.unit is None or number.unit == unit:
        return number.value
    if not units.are_alike(number.unit, unit):
        raise MistakeError(number.at, found=units.show(number.value, number.unit), expected=expected)
    return units.convert(number.value, number.unit, unit)


def _as_sign(sign: str, read: Callable[[Hands], float], wanted: float, near: float) -> Holds:
    """What holds between what is read and a number; equal is what can't be told apart."""
    if sign in ("=", "!="):
        return lambda hands: (abs(read(hands) - wanted) <= near) is (sign == "=")
    compare = SIGNS[sign]
    return lambda hands: compare(read(hands), wanted)
