"""Each step of a routine, as a program takes it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from cavet.routines import _tree as tree
from cavet.routines._code import local, looks, quoted
from cavet.routines._compiling import Value

MOST_WIDE = 100


def given(value: Value) -> str:
    """A value as it is handed to a step: what looks at the world is looked at when the step begins."""
    return later(value.python) if looks(value.python) else value.python


def later(code: str) -> str:
    """A piece that is looked at when its step wants to know."""
    return f"lambda: {code}"


class StepCode:
    """Writes steps. `functions` says what routines are called; values of the names in `kept` outlast a turn."""

    def __init__(self, functions: Mapping[str, str], kept: frozenset[str]) -> None:
        self._functions = functions
        self._kept = kept

    def lines(self, step: tree.Step, word: str = "if") -> list[str]:
        """The lines of a step, without those of the steps below it; `word` is what a branch begins with."""
        if step.kind in ("set", "toggle", "ask", "clear", "pulse", "show", "keep"):
            return self._outputs(step)
        write: Callable[[tree.Step], list[str]] = getattr(self, f"_{step.kind}", self._plain)
        if step.kind == "if":
            return self._if(step, word)
        return write(step)

    def _call(
        self, step: tree.Step, name: str, *of: str, before: str = "await ", behind: str = "", **more: Any
    ) -> list[str]:  # fmt: skip
        """A call of a step: in one line, or where it is long with a line for each of what it is given."""
        pieces = [*of]
        for key, value in more.items():
            if value is not None:
                pieces.append(f"{key}={given(value) if isinstance(value, Value) else value}")
        pieces.append(f"line={step.line}")
        return wrapped(f"{before}run.{name}(", pieces, f"){behind}")

    # outputs

    def _outputs(self, step: tree.Step) -> list[str]:
        if step.kind == "keep":
            return self._call(step, "keep", *(quoted(point.name) for point in step.points))
        point = quoted(step.point.name)
        if step.kind == "set":
            waits = None if step.waits else "False"
            return self._call(step, "set", point, given(step.value), over=step.over, waits=waits)
        if step.kind == "pulse":
            return self._call(step, "pulse", point, given(step.lasts))
        if step.kind == "show":
            return self._call(step, "show", given(step.value), point, row=step.row, column=step.column)
        return self._call(step, step.kind, point)

    def _send(self, step: tree.Step) -> list[str]:
        fields = [_fields(step.fields)] if step.fields else []
        answer = _fields(step.answer_fields) if step.answer and step.answer_fields else None
        answered = quoted(step.answer) if step.answer else None
        of = [quoted(step.board), quoted(step.message), *fields]
        return self._call(step, "send", *of, answered_by=answered, answer=answer, within=step.within)

    # waiting

    def _wait(self, step: tree.Step) -> list[str]:
        if "time" in step.of:
            return self._call(step, "wait", given(step.time))
        condition = later(step.condition.code)
        if step.instead is None:
            return self._call(step, "wait_until", condition, lasts=step.lasts, at_most=step.at_most)
        return self._call(
            step, "comes", condition, before="if not await ", behind=":", lasts=step.lasts, at_most=step.at_most
        )

    def _expect(self, step: tree.Step) -> list[str]:
        if "reads" in step.of:
            return self._call(step, "expect_reads", quoted(step.reads.name), given(step.value), within=step.within)
        what = step.text.removeprefix("expect ")
        condition = later(step.condition.code)
        if step.never:
            what = quoted(what.removeprefix("never "))
            return self._call(step, "expect_never", what, condition, given(step.lasts))
        return self._call(step, "expect", quoted(what), condition, lasts=step.lasts, within=step.within)

    # loops and branches

    def _for_each(self, step: tree.Step, name: str, call: str, *of: str) -> list[str]:
        return self._call(step, call, *of, before=f"async for {name} in ", behind=":")

    def _repeat(self, step: tree.Step) -> list[str]:
        if step.times is None:
            return self._for_each(step, "_", "forever")
        return self._for_each(step, "_", "repeat", given(step.times))

    def _while(self, step: tree.Step) -> list[str]:
        return self._for_each(step, "_", "as_long", later(step.condition.code))

    def _every(self, step: tree.Step) -> list[str]:
        return self._for_each(step, "_", "every", given(step.period))

    def _for(self, step: tree.Step) -> list[str]:
        name = local(step.name)
        if "each" in step.of:
            return self._for_each(step, name, "each", *(given(value) for value in step.each))
        by = [given(step.by)] if step.by is not None else []
        return self._for_each(step, name, "count", given(step.first), given(step.last), *by)

    def _leave(self, step: tree.Step) -> list[str]:
        return [*self._call(step, "leave"), "break"]

    def _if(self, step: tree.Step, word: str) -> list[str]:
        condition = step.condition.code
        of = later(condition) if looks(condition) else condition
        return self._call(step, "holds", of, before=f"{word} await ", behind=":")

    def _let(self, step: tree.Step) -> list[str]:
        name = local(step.name)
        kept = f'run.kept["{step.name}"] = ' if step.name in self._kept else ""
        return self._call(step, "let", given(step.value), before=f"{kept}{name} = await ")

    def _do(self, step: tree.Step) -> list[str]:
        tunes = [_fields(step.tunes)] if step.tunes else []
        return self._call(step, "do", self._functions[step.routine], *tunes)

    # telling, and the world around

    def _plain(self, step: tree.Step) -> list[str]:
        """Steps that say a text, and such as have nothing but a name."""
        for key in ("value", "defect", "board"):
            if key in step.of:
                found = step.of[key]
                return self._call(step, step.kind, given(found) if isinstance(found, Value) else quoted(found))
        return self._call(step, step.kind)

    def _press(self, step: tree.Step) -> list[str]:
        lasts = [given(step.lasts)] if step.lasts is not None else []
        return self._call(step, "press", quoted(step.part), *lasts, waits=None if step.waits else "False")

    def _release(self, step: tree.Step) -> list[str]:
        return self._call(step, "release", quoted(step.part))

    def _work(self, step: tree.Step) -> list[str]:
        value = [given(step.value)] if step.value is not None else []
        of = [quoted(step.part), quoted(step.action), *value]
        return self._call(step, "work", *of, seconds=step.lasts, waits=None if step.waits else "False")

    def _place(self, step: tree.Step) -> list[str]:
        return self._call(step, "place", quoted(step.quantity), given(step.value))

    def _break(self, step: tree.Step) -> list[str]:
        waits = None if step.waits else "False"
        return self._call(step, "break_link", quoted(step.link), given(step.lasts), waits=waits)

    def _fault(self, step: tree.Step) -> list[str]:
        of = [quoted(step.fault), quoted(step.link)]
        return self._call(step, "fault", *of, messages=step.next, seconds=step.lasts)


def wrapped(begin: str, pieces: list[str], end: str, indent: int = 0) -> list[str]:
    """A call in one line; where that is too long, what it is given in another, or each in one of its own."""
    room, inner = " " * indent, ", ".join(pieces)
    if len(begin + inner + end) <= MOST_WIDE:
        return [f"{room}{begin}{inner}{end}"]
    lines = [inner] if len(inner) <= MOST_WIDE else [f"{piece}," for piece in pieces]
    return [room + begin, *(f"{room}    {line}" for line in lines), room + end]


def _fields(fields: Mapping[str, Any]) -> str:
    values = {name: given(value) if isinstance(value, Value) else quoted(value) for name, value in fields.items()}
    pieces = [f"{quoted(name)}: {value}" for name, value in values.items()]
    return f"{{{', '.join(pieces)}}}"
