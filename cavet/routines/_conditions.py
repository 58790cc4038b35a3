"""Conditions, checked against the bench and made into functions of how it stands."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from cavet import units
from cavet.routines import _code as code
from cavet.routines import _tree as tree
from cavet.routines._compiling import Look, Run, Value, ValueCompiler, as_text
from cavet.routines._mistakes import MistakeError


class Condition(msgspec.Struct, frozen=True):
    """Whether something holds, as a function of how the bench stands, and in Python."""

    run: Run
    code: str

    def __call__(self, look: Any) -> bool:
        return bool(self.run(look))


class Compiler(ValueCompiler):
    """Makes functions of values and conditions."""

    def value(self, expr: tree.Expr, want: Value | None = None) -> Value:
        """A value; a condition in brackets is one that is on where it holds. Raises `MistakeError`."""
        if not isinstance(expr, tree.CONDITIONS):
            return super().value(expr, want)
        found = self.condition(expr)
        words = want.words if want is not None and want.kind == "switch" else units.OWN_WORDS
        return Value(kind="switch", words=words, run=found.run, code=code.truth(found.code))

    # conditions

    def condition(self, expr: tree.Expr) -> Condition:
        """A condition, as a function that tells whether it holds. Raises `MistakeError`."""
        if isinstance(expr, tree.Joined):
            parts = [self.condition(each) for each in expr.of]
            runs = [part.run for part in parts]
            python = code.either(expr.how, [part.code for part in parts])
            if expr.how == "and":
                return Condition(lambda look: False not in [run(look) for run in runs], python)  # all are looked at
            return Condition(lambda look: True in [run(look) for run in runs], python)
        if isinstance(expr, tree.Not):
            inner = self.condition(expr.of)
            turned = inner.run
            return Condition(lambda look: not turned(look), code.negated(inner.code))
        if isinstance(expr, tree.Compare):
            return self._compare(expr)
        if isinstance(expr, tree.Edge):
            return self._edge(expr)
        if isinstance(expr, tree.BoardIs):
            return self._board_is(expr)
        if isinstance(expr, tree.Reads):
            raise MistakeError(expr.at, found="reads", expected="`expect POINT reads VALUE`, and nothing beside it")
        found = self.value(expr)
        if found.kind != "switch":
            raise MistakeError(expr.at, found=self._words(found, expr), expected="a condition, such as `level > 1 m`")
        run = found.run
        return Condition(lambda look: bool(run(look)), found.python)

    def _compare(self, expr: tree.Compare) -> Condition:
        left = self._first_side(expr)
        right = self.value(expr.right, left)
        if left.kind == "number" and expr.sign == "is":
            raise MistakeError(expr.at, found="is", expected="=, < or > between numbers")
        if left.kind == "text" and isinstance(expr.right, tree.Name) and right.kind != "text":
            raise MistakeError(expr.right.at, found=self._words(right, expr.right), expected='a text in "quotes"')
        if left.kind != right.kind:
            raise MistakeError(expr.right.at, found=self._words(right, expr.right), expected=as_text(left))
        if left.kind == "number":
            left, right = self._alike(left, right, expr.left, expr.right)
        elif expr.sign not in ("=", "!=", "is"):
            raise MistakeError(expr.at, found=expr.sign, expected="=, != or is")
        return _comparison(expr.sign, left, right)

    def _first_side(self, expr: tree.Compare) -> Value:
        """The left side; where it is a word, what that means is said by the right side."""
        is_word = isinstance(expr.left, tree.Name) and not self._means_something(expr.left.name)
        if is_word and not isinstance(expr.right, tree.Number):
            return self.value(expr.left, self.value(expr.right))
        left = self.value(expr.left)
        if left.kind == "text" and isinstance(expr.right, tree.Name) and not self._means_something(expr.right.name):
            name = expr.right.name  # a word of a part: `tripped`, as it says of itself
            expr.right = tree.Text(expr.right.at, [name])
        return left

    def _means_something(self, name: str) -> bool:
        return name in self._names.known or name in self._setup.points or "." in name

    def _edge(self, expr: tree.Edge) -> Condition:
        if not self._watched:
            where = "`wait until`, `when`, or `expect … within`: it is not seen by looking once"
            raise MistakeError(expr.at, found=expr.how, expected=where)
        found = self.value(expr.of)
        if found.kind == "text" and expr.how != "changes":
            raise MistakeError(expr.at, found=f"{expr.how} of a text", expected="changes")
        run, key, happens = found.run, id(expr), EDGES[expr.how]

        def look_at(look: Look) -> bool:
            now = run(look)
            before = look.before.get(key, now)
            look.seen[key] = now
            return before is not None and now is not None and happens(before, now)

        return Condition(look_at, code.called(f"run.{expr.how}", found.python))

    def _board_is(self, expr: tree.BoardIs) -> Condition:
        name, how = expr.name, expr.how
        boards = self._setup.linked_boards
        links = {f"{link.board}.{each}" for link in self._setup.links.values() for each in (link.name, link.kind)}
        known = [*boards, *self._setup.hosts, *(links if how == "open" else ())]
        board, _, rest = name.partition(".")
        is_part = board in self._setup.boards and rest in self._setup.boards[board].parts
        is_value = is_part or name in self._names.known or (rest or name) in self._setup.points
        if is_value and name not in known:
            return self._compare(tree.Compare(expr.at, "is", tree.Name(expr.at, name), tree.Name(expr.at, how)))
        if name not in known:
            raise MistakeError(
                expr.at, found=name, expected="a board" if how != "open" else "board.link", words=sorted(known)
            )
        return Condition(lambda look: bool(look.stands(name, how)), code.called(f"run.is_{how}", f'"{name}"'))


EDGES: dict[str, Callable[[Any, Any], bool]] = {
    "rises": lambda before, now: now > before, "falls": lambda before, now: now < before,
    "changes": lambda before, now: bool(now != before),
}  # fmt: skip
SIGNS: dict[str, Callable[[Any, Any], bool]] = {
    "<": lambda a, b: a < b, "<=": lambda a, b: a <= b, ">": lambda a, b: a > b, ">=": lambda a, b: a >= b,
    "=": lambda a, b: bool(a == b), "is": lambda a, b: bool(a == b), "!=": lambda a, b: bool(a != b),
}  # fmt: skip


def _comparison(sign: str, left: Value, right: Value) -> Condition:
    one, other, near = left.run, right.run, max(left.resolution, right.resolution)
    holds = SIGNS[sign]
    if near and sign in ("=", "!="):
        holds = (lambda a, b: abs(a - b) <= near) if sign == "=" else (lambda a, b: abs(a - b) > near)

    def run(look: Any) -> bool:
        a, b = one(look), other(look)
        return a is not None and b is not None and holds(a, b)

    return Condition(run, _comparison_code(sign, left, right, near))


def _comparison_code(sign: str, left: Value, right: Value, near: float) -> str:
    """The same in Python: what nobody has told yet is neither like anything, nor unlike it."""
    one, other = left.python, right.python
    if sign not in ("=", "is", "!="):
        return code.compared(sign, one, other)
    if left.kind == "switch" and right.constant:
        return code.compared("is", one, code.literal(bool(right.run(None)) is (sign != "!=")))
    if not near and sign != "!=" and (right.constant or left.constant):
        return code.compared("==", one, other)
    return code.called("differ" if sign == "!=" else "agree", one, other, *([code.literal(near)] if near else []))
