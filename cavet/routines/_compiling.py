"""Values and conditions, checked against the bench and made into functions of how it stands.

Every value has a kind and a unit that are known before anything runs. What nobody has told yet is `None`: a sum with
it is `None`, and no comparison with it holds.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from typing import Any, Protocol

import msgspec

from cavet import units
from cavet.benchfile import Setup
from cavet.boards import KINDS
from cavet.boards.parts import ColourLamp, Gauge
from cavet.colours import NAMES as COLOUR_NAMES
from cavet.colours import parse_colour
from cavet.expressions import VALUES as FUNCTIONS
from cavet.hosts import Point, PointKind
from cavet.routines import _code as code
from cavet.routines import _tree as tree
from cavet.routines._mistakes import MistakeError
from cavet.routines._spelling import written_word
from cavet.routines._sums import ACTS, FUNCTION_CODES, converted, divided, lifted, shown_number
from cavet.wording import WrongError, digits, listed, plain

MAX_TEXT = 1000
GAUGE_STEPS = 1023
"""How many steps of its range a gauge tells apart: those of a converter of ten bits."""
FINEST = {"%": 0.4, "deg": 1.0, "°": 1.0}
"""How near parts stand to what was asked: duty cycles have eight bits, servos whole degrees."""


class Look(Protocol):
    """How the bench stands, for a track that runs."""

    scope: dict[str, Any]
    """The values of its tunes and its own names."""
    before: dict[int, Any]
    """What edges saw when they were looked at last."""
    seen: dict[int, Any]
    """What they see now."""

    @property
    def elapsed(self) -> float:
        """How long the routine runs, in s."""

    def got(self, point: Point) -> Any: ...
    def asked(self, point: Point) -> Any: ...
    def part(self, path: str) -> Any: ...
    def pin(self, board: str, pin: int) -> Any: ...
    def stands(self, name: str, how: str) -> bool: ...


Run = Callable[[Any], Any]


class Value(msgspec.Struct, frozen=True, kw_only=True):
    """Something with a value: `number` in `unit` (`None` for a bare one), `switch` with its words, or `text`."""

    kind: str
    run: Run
    unit: str | None = None
    words: tuple[str, str] = ("off", "on")
    resolution: float = 0.0
    """How near two numbers are the same, in `unit`."""
    is_colour: bool = False
    """Whether a text is a colour, `#rrggbb`: then what is compared with it is read as one."""
    constant: bool = False
    code: str = ""
    """The same in Python."""

    @property
    def python(self) -> str:
        """How a program says it: what is known beforehand is said outright."""
        return code.literal(self.run(None)) if self.constant else self.code

    @property
    def told(self) -> str:
        """In Python: how it is told to a person."""
        words = ", ".join(code.quoted(word) for word in self.words)
        of = [f'"{self.unit}"'] if self.unit else [f"words=({words})"] if self.kind == "switch" else []
        fine = [f"places={units.places(self.resolution)}"] if self.resolution else []
        return code.called("told", self.python, *of, *fine)

    def shown(self, value: Any) -> str:
        """A value of it, for a person."""
        if value is None:
            return "—"
        if self.kind == "switch":
            return self.words[bool(value)]
        if self.kind == "text":
            return plain(str(value), MAX_TEXT)
        if not math.isfinite(value):
            return "no number"
        return shown_number(float(value), self.unit or "", self.resolution)


class Names(msgspec.Struct):
    """What names mean at a place: tunes and values of the track."""

    setup: Setup
    known: dict[str, Value]
    used: set[str]
    """The hosts that are spoken of so far."""

    def use_board(self, board: str) -> None:
        """A board is spoken of, by its parts or its pins: whoever talks to it is to be ready."""
        links = self.setup.links
        self.used.update(host.name for host in self.setup.hosts.values() if links[host.link].board == board)

    def within(self) -> Names:
        """The same, to which a block may add names of its own."""
        return Names(self.setup, dict(self.known), self.used)


def dimension(unit: str) -> str:
    """What a unit measures; the unit itself where nobody knows it."""
    return next((name for name, known in units.DIMENSIONS.items() if unit in known), unit)


def as_text(kind: Value) -> str:
    """What a value is, in words."""
    if kind.kind == "number":
        return f"a number in {kind.unit}" if kind.unit else "a number"
    if kind.kind == "switch":
        return f"one of {listed([written_word(word) for word in kind.words])}"
    return "a colour, #rrggbb or a name of CSS" if kind.is_colour else "a text"


class ValueCompiler:
    """Makes functions of values and conditions at one place. `watched` allows edges: something looks again."""

    def __init__(self, names: Names, *, watched: bool = False) -> None:
        self._names = names
        self._setup = names.setup
        self._watched = watched
        self.points: set[str] = set()
        """The points that are looked at."""

    # values

    def value(self, expr: tree.Expr, want: Value | None = None) -> Value:
        """A value; `want` says what it is to be, for bare numbers and words. Raises `MistakeError`."""
        read: Callable[[Any, Value | None], Value] = getattr(self, f"_{type(expr).__name__.lower()}")
        return read(expr, want)

    def fitting(self, expr: tree.Expr, want: Value) -> Value:
        """A value of the same kind, in the same unit. Raises `MistakeError`."""
        found = self.value(expr, want)
        if found.kind != want.kind:
            raise MistakeError(expr.at, found=self._words(found, expr), expected=as_text(want))
        if want.kind != "number":
            return found
        return self._in_unit(found, want.unit, expr)

    def _words(self, found: Value, expr: tree.Expr) -> str:
        if found.constant:
            return found.shown(found.run(None))
        if isinstance(expr, tree.CONDITIONS):
            return "a condition"
        return expr.name if isinstance(expr, tree.Name) else as_text(found)

    def _in_unit(self, found: Value, unit: str | None, expr: tree.Expr) -> Value:
        if found.unit is None or found.unit == unit:
            return msgspec.structs.replace(found, unit=unit)
        if unit is None or dimension(found.unit) != dimension(unit):
            expected = f"a number in {unit}" if unit else "a number without a unit"
            raise MistakeError(expr.at, found=self._words(found, expr), expected=expected)
        return _scaled(found, unit, _factor(found.unit, unit))

    def of_a_hand(self, expr: tree.Expr) -> Value:
        """What a hand is to do to a part: a number as the part has it; a share in % is a part of one."""
        found = self.value(expr)
        return _scaled(found, None, 0.01) if found.unit == "%" else found

    def time(self, expr: tree.Expr) -> Value:
        """A time, in seconds. Raises `MistakeError`."""
        found = self.value(expr)
        if found.kind != "number" or found.unit is None:
            shown = self._words(found, expr)
            near = f", such as {shown} s" if found.kind == "number" and found.constant else ", such as 2 s"
            raise MistakeError(expr.at, found=shown, expected=f"a time{near}")
        made = self._in_unit(found, "s", expr)
        if made.constant and made.run(None) < 0:
            raise MistakeError(expr.at, found=self._words(found, expr), expected="a time of 0 s or more")
        return made

    def _number(self, expr: tree.Number, want: Value | None) -> Value:
        if expr.unit is not None and not units.known(expr.unit):
            raise MistakeError(expr.at, found=expr.unit, expected="a unit")
        number = expr.value
        word = self._word(digits(number), want) if expr.unit is None and want is not None else None
        if word is not None:
            return word
        return Value(kind="number", unit=expr.unit, run=lambda look: number, constant=True)

    def _text(self, expr: tree.Text, want: Value | None) -> Value:
        parts = [part if isinstance(part, str) else self.value(part) for part in expr.parts]

        def run(look: Any) -> str:
            return "".join(part if isinstance(part, str) else part.shown(part.run(look)) for part in parts)[:MAX_TEXT]

        pieces = [code.quoted(part) if isinstance(part, str) else part.told for part in parts]
        is_constant = all(isinstance(part, str) for part in parts)
        if is_constant and want is not None and want.is_colour:
            return self._colour(run(None), expr)
        word = self._word(run(None), want) if is_constant and want is not None and want.kind == "switch" else None
        if word is not None:
            return word
        return Value(kind="text", run=run, constant=is_constant, code=code.text_of(pieces))

    @staticmethod
    def _colour(text: str, expr: tree.Expr) -> Value:
        try:
            colour = parse_colour(text, "")
        except WrongError as error:
            raise MistakeError(
                expr.at, found=str(error.found), expected=error.expected, words=list(COLOUR_NAMES)
            ) from error
        return Value(kind="text", run=lambda look: colour, constant=True, is_colour=True)

    def _name(self, expr: tree.Name, want: Value | None) -> Value:
        name = expr.name
        known = self._names.known.get(name)
        if known is not None:
            return known
        word = self._word(name, want)
        if word is not None:
            return word
        if name in self._setup.points:
            return of_point(self.point(expr))
        board, dot, part = name.partition(".")
        if dot and board in self._setup.boards:
            return self._part(expr, board, part)
        is_word = want is not None and want.kind == "switch"
        words = [*self._names.known, *self._setup.points, *(want.words if want is not None and is_word else ())]
        expected = "a point, a tune or a value"
        if want is not None and (want.kind != "text" or want.is_colour):
            expected = f"{as_text(want)}, {expected}"
        raise MistakeError(expr.at, found=name, expected=expected, words=words)

    def _word(self, name: str, want: Value | None) -> Value | None:
        """A word of a point, where one is expected."""
        if want is None or want.kind == "number":
            return None
        if want.kind == "text":
            colour = COLOUR_NAMES.get(name) if want.is_colour else None
            return Value(kind="text", run=lambda look: colour, constant=True) if colour is not None else None
        on = units.switched(name, want.words)
        if on is None:
            return None
        return Value(kind="switch", words=want.words, run=lambda look: on, constant=True)

    def _part(self, expr: tree.Name, board: str, part: str) -> Value:
        """How a part of a simulated board stands."""
        parts = self._setup.boards[board].parts
        if part not in parts:
            raise MistakeError(
                expr.at, found=expr.name, expected=f"a part of the {board}", words=[f"{board}.{each}" for each in parts]
            )
        self._names.use_board(board)
        table, path = parts[part], expr.name
        unit: str | None = KINDS[table.kind].unit
        python = code.called("run.part", f'"{path}"')
        near = FINEST.get(unit, 0.0) if unit else 0.0
        if isinstance(table, Gauge.SETTINGS):  # it stands as what it measures
            unit, near = self._setup.rig[table.of].unit or None, abs(table.range[1] - table.range[0]) / GAUGE_STEPS
        if unit != "":
            return Value(kind="number", unit=unit, run=lambda look: look.part(path), resolution=near, code=python)
        is_colour = table.kind == ColourLamp.kind
        return Value(kind="text", run=lambda look: look.part(path), code=python, is_colour=is_colour)

    def _truth(self, expr: tree.Truth, want: Value | None) -> Value:
        board = self._setup.boards.get(expr.board)
        if board is None:
            raise MistakeError(expr.at, found=expr.board, expected="a simulated board", words=list(self._setup.boards))
        try:
            number = board.profile.pin(expr.pin)
        except WrongError as error:
            raise MistakeError(
                expr.at, found=expr.pin, expected=f"a pin of the {expr.board}: {error.expected}"
            ) from error
        name = expr.board
        self._names.use_board(name)
        python = code.called("run.pin", f'"{name}"', str(number))
        return Value(kind="number", run=lambda look: look.pin(name, number), code=python)

    def _askedfor(self, expr: tree.AskedFor, want: Value | None) -> Value:
        point = self.point(expr.point)
        if not point.kind.is_output:
            raise MistakeError(expr.point.at, found=f"{point.name}, an input", expected="an output")
        python = code.called("run.asked", f'"{point.name}"')
        return msgspec.structs.replace(of_point(point), run=lambda look: look.asked(point), code=python)

    def _elapsed(self, expr: tree.Elapsed, want: Value | None) -> Value:
        return Value(kind="number", unit="s", run=lambda look: look.elapsed, code="run.elapsed")

    def _negative(self, expr: tree.Negative, want: Value | None) -> Value:
        found = self._numeric(expr.of, want)
        run = found.run
        turned = lifted(lambda value: -value)
        python = code.Code(f"-{code.within(found.python, code.ATOM)}", code.PRODUCT)
        return msgspec.structs.replace(found, run=lambda look: turned(run(look)), code=python)

    def _numeric(self, expr: tree.Expr, want: Value | None = None) -> Value:
        found = self.value(expr, want)
        if found.kind != "number":
            raise MistakeError(expr.at, found=self._words(found, expr), expected="a number")
        return found

    def _sum(self, expr: tree.Sum, want: Value | None) -> Value:
        left, right = self._numeric(expr.left, want), self._numeric(expr.right, want)
        constant = left.constant and right.constant
        factor = 1.0
        if expr.sign in "+-":
            left, right = self._alike(left, right, expr.left, expr.right)
            act: Callable[[Any, Any], Any] = (lambda a, b: a + b) if expr.sign == "+" else (lambda a, b: a - b)
            unit = left.unit
        else:
            unit, factor = self._product_unit(expr, left, right)
            act = (lambda a, b: a * b * factor) if expr.sign == "*" else (lambda a, b: divided(a, b * factor))
        join, first, second = lifted(act), left.run, right.run
        return Value(
            kind="number", unit=unit, run=lambda look: join(first(look), second(look)), constant=constant,
            code=_sum_code(expr.sign, left, right, factor),
        )  # fmt: skip

    def _alike(self, left: Value, right: Value, one: tree.Expr, other: tree.Expr) -> tuple[Value, Value]:
        """Two numbers in one unit: a bare one takes the other's."""
        if left.unit is None and right.unit is not None:
            return self._in_unit(left, right.unit, one), right
        return left, self._in_unit(right, left.unit, other)

    def _product_unit(self, expr: tree.Sum, left: Value, right: Value) -> tuple[str | None, float]:
        """The unit of a product or a quotient, and what its right side is to be multiplied with."""
        bare = (None, "", "%")
        if right.unit in bare:
            return left.unit, 0.01 if right.unit == "%" else 1.0
        if expr.sign == "*" and left.unit in bare:
            return right.unit, 0.01 if left.unit == "%" else 1.0
        known = left.unit is not None and right.unit is not None
        if expr.sign == "/" and known and dimension(str(left.unit)) == dimension(str(right.unit)):
            return None, _factor(str(right.unit), str(left.unit))
        words = f"{left.unit or 'a number'} {expr.sign} {right.unit}"
        raise MistakeError(expr.at, found=words, expected="a number without a unit on one side")

    def _call(self, expr: tree.Call, want: Value | None) -> Value:
        least, most = FUNCTIONS[expr.name]
        if not least <= len(expr.of) <= most:
            count = (
                f"{least} to {most}"
                if most < 99 and most > least
                else f"{least} or more"
                if most > least
                else str(least)
            )
            raise MistakeError(expr.at, found=f"{len(expr.of)} values", expected=f"{count} in {expr.name}()")
        found = [self._numeric(each, want) for each in expr.of]
        unit = next((each.unit for each in found if each.unit is not None), None)
        if expr.name != "round":
            found = [self._in_unit(each, unit, of) for each, of in zip(found, expr.of, strict=True)]
        runs = [each.run for each in found]
        act = lifted(ACTS[expr.name])
        unit = None if expr.name == "root" else found[0].unit
        return Value(
            kind="number", unit=unit, run=lambda look: act(*[run(look) for run in runs]),
            constant=all(each.constant for each in found),
            code=code.called(FUNCTION_CODES[expr.name], *(each.python for each in found)),
        )  # fmt: skip

    def point(self, name: tree.Name) -> Point:
        """A point by its name. Raises `MistakeError`."""
        point = self._setup.points.get(name.name)
        if point is not None:
            self._names.used.add(point.board)
            self.points.add(point.name)
            return point
        raise MistakeError(name.at, found=name.name, expected="a point of the bench", words=list(self._setup.points))


def of_point(point: Point) -> Value:
    """What is known of a point, as a value."""
    kind = "text" if point.kind.is_text else "switch" if point.kind.is_switch else "number"
    return Value(
        kind=kind, unit=point.unit if kind == "number" else None, words=point.words, run=lambda look: look.got(point),
        resolution=max(point.resolution, point.tolerance) if kind == "number" else 0.0,
        is_colour=point.kind is PointKind.COLOUR,
        code=code.called("run.got", f'"{point.name}"'),
    )  # fmt: skip


def _sum_code(sign: str, left: Value, right: Value, factor: float) -> str:
    by = right.python if factor == 1.0 else code.joined("*", right.python, code.literal(factor))
    if sign == "/" and not (right.constant and right.run(None)):
        return code.called("divided", left.python, by)
    if sign == "*" and factor != 1.0:
        return code.joined("*", code.joined("*", left.python, right.python), code.literal(factor))
    return code.joined(sign, left.python, by)


def _scaled(found: Value, unit: str | None, factor: float) -> Value:
    """A number in another unit, which is so many times smaller."""
    run, scale = found.run, lifted(partial(converted, factor=factor))
    return msgspec.structs.replace(
        found, unit=unit, run=lambda look: scale(run(look)), resolution=found.resolution * factor,
        code=code.called("converted", found.python, code.literal(factor)),
    )  # fmt: skip


def _factor(unit: str, wanted: str) -> float:
    factors = units.DIMENSIONS[dimension(unit)]
    return factors[unit] / factors[wanted]
