"""Expressions of quantities, in words: `2.1 * gatehouse.upper_paddle * root(upper - chamber) - leak`.

Names (with dots), numbers, `+ - * /`, comparisons, `and or not`, and a few functions. Nothing else: no powers, no
indexing, no attributes of objects. Python's own parser reads the text; only what is named here is taken from it.
"""

from __future__ import annotations

import ast
import copy
import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from cavet.wording import WrongError, counted, digits, listed, nearest, unknown

MAX_CHARACTERS = 1000
MAX_DEPTH = 40
MOST_DIGITS = 15
MOST_NUMBER = 1e15


def root(x: float) -> float:
    """The square root, keeping the sign: what a flow does with a head of water."""
    return math.sqrt(x) if x >= 0 else -math.sqrt(-x)


def divided(one: float, other: float) -> float:
    """A quotient. What is divided by 0 is as much as can be: a flow without resistance fills what it flows into."""
    if other:
        return one / other
    return math.copysign(MOST_NUMBER, one) if one else 0.0


def rounded(x: float, digits: float = 0) -> float:
    """The nearest number with so many places behind the point."""
    return round(x, int(max(-MOST_DIGITS, min(MOST_DIGITS, digits))))


FUNCTIONS: dict[str, Callable[..., float]] = {"min": min, "max": max, "abs": abs, "round": rounded, "root": root}
KNOWN: dict[str, Any] = {"__builtins__": {}, **FUNCTIONS, "divided": divided}
"""What the code of an expression is run with."""
VALUES = {"min": (2, 99), "max": (2, 99), "abs": (1, 1), "round": (1, 2), "root": (1, 1)}
"""How many values each takes, at least and at most."""

_OPERATORS = (
    ast.Add, ast.Sub, ast.Mult, ast.Div, ast.USub, ast.UAdd, ast.And, ast.Or, ast.Not,
    ast.Lt, ast.LtE, ast.Gt, ast.GtE, ast.Eq, ast.NotEq,
)  # fmt: skip


class Expression:
    """A checked expression. `names` are the quantities that it reads, in the order in which they stand."""

    def __init__(self, text: str, place: str = "") -> None:
        self.text = " ".join(text.split())
        self._place = place
        self.names: tuple[str, ...] = ()
        if len(text) > MAX_CHARACTERS:
            raise WrongError(place, found=f"{len(text)} characters", expected=f"at most {MAX_CHARACTERS}")
        try:
            self._tree = ast.parse(self.text, mode="eval").body
        except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
            at = getattr(error, "offset", None)
            where = f" at character {at}" if at else ""
            raise WrongError(place, found=self.text, expected=f"an expression that can be read{where}") from error
        self._check(self._tree, 0)

    def in_slots(self, slots: Mapping[str, int]) -> ast.expr:
        """Give it as code, with `row[slot]` for each name."""
        for name in self.names:
            if name not in slots:
                raise unknown(self._place, name, sorted(slots))
        slotted: ast.expr = _Slotted(slots).visit(copy.deepcopy(self._tree))
        return slotted

    def bind(self, slots: Mapping[str, int]) -> Callable[[Sequence[float]], float]:
        """Make the function of a row of numbers, in which each name's number stands at its slot."""
        code = compile(ast.fix_missing_locations(_as_lambda(self.in_slots(slots))), "<expression>", "eval")
        # safe: every node of the tree was checked when the expression was made
        function: Callable[[Sequence[float]], float] = eval(code, dict(KNOWN))
        return function

    def _check(self, node: ast.expr, depth: int) -> None:
        if depth > MAX_DEPTH:
            raise WrongError(self._place, found=self.text, expected="an expression less deeply nested")
        if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
            if node.value > MOST_NUMBER:
                raise WrongError(self._place, found="a larger number", expected=f"at most {digits(MOST_NUMBER)}")
            return
        name = _dotted(node)
        if name is not None:
            self.names += (name,) if name not in self.names else ()
            return
        for child in self._parts(node):
            self._check(child, depth + 1)

    def _parts(self, node: ast.expr) -> list[ast.expr]:
        operators: list[Any] = []
        parts: list[ast.expr] | None = None
        if isinstance(node, ast.BinOp):
            operators, parts = [node.op], [node.left, node.right]
            if isinstance(node.op, ast.Div) and isinstance(node.right, ast.Constant) and not node.right.value:
                raise WrongError(self._place, found=f"{self.text}, which divides by 0", expected="another divisor")
        elif isinstance(node, ast.UnaryOp):
            operators, parts = [node.op], [node.operand]
        elif isinstance(node, ast.BoolOp):
            operators, parts = [node.op], node.values
        elif isinstance(node, ast.Compare):
            operators, parts = list(node.ops), [node.left, *node.comparators]
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and not node.keywords:
            if node.func.id not in FUNCTIONS:
                raise WrongError(
                    self._place,
                    found=node.func.id,
                    expected=f"one of the functions {listed(FUNCTIONS)}",
                    nearest=nearest(node.func.id, FUNCTIONS),
                )
            parts = node.args
            least, most = VALUES[node.func.id]
            if not least <= len(parts) <= most:
                found = f"{node.func.id} of {counted(len(parts), 'value')}"
                expected = str(least) if least == most else f"{least} to {most}"
                raise WrongError(self._place, found=found, expected=expected)
        if parts is None or not all(isinstance(operator, _OPERATORS) for operator in operators):
            found = ast.get_source_segment(self.text, node) or self.text
            raise WrongError(self._place, found=found, expected="names, numbers, + - * /, comparisons, and, or, not")
        return parts


def _dotted(node: ast.expr) -> str | None:
    if isinstance(node, ast.Name):
        return node.id
    if isinstance(node, ast.Attribute):
        before = _dotted(node.value)
        return f"{before}.{node.attr}" if before else None
    return None


class _Slotted(ast.NodeTransformer):
    """Puts `row[slot]` in the place of each name."""

    def __init__(self, slots: Mapping[str, int]) -> None:
        self._slots = slots

    def visit_Constant(self, node: ast.Constant) -> ast.expr:
        return ast.Constant(value=float(node.value))  # type: ignore[arg-type]  # it is a number: that was checked

    def visit_BinOp(self, node: ast.BinOp) -> ast.expr:
        left, right = self.visit(node.left), self.visit(node.right)
        if not isinstance(node.op, ast.Div) or isinstance(right, ast.Constant):
            return ast.BinOp(left=left, op=node.op, right=right)
        return ast.Call(func=ast.Name(id="divided", ctx=ast.Load()), args=[left, right], keywords=[])

    def visit_Call(self, node: ast.Call) -> ast.expr:
        return ast.Call(func=node.func, args=[self.visit(part) for part in node.args], keywords=[])

    def visit_Name(self, node: ast.Name) -> ast.expr:
        return self._slot(node)

    def visit_Attribute(self, node: ast.Attribute) -> ast.expr:
        return self._slot(node)

    def _slot(self, node: ast.expr) -> ast.expr:
        name = _dotted(node)
        assert name is not None  # checked when the expression was made
        index = ast.Constant(value=self._slots[name])
        return ast.Subscript(value=ast.Name(id="row", ctx=ast.Load()), slice=index, ctx=ast.Load())


def _as_lambda(body: ast.expr) -> ast.Expression:
    arguments = ast.arguments(posonlyargs=[], args=[ast.arg(arg="row")], kwonlyargs=[], kw_defaults=[], defaults=[])
    return ast.Expression(ast.Lambda(args=arguments, body=body))
