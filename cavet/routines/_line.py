"""Reading one line: a step, without what is indented below it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from cavet.routines import _tree as tree
from cavet.routines._mistakes import MistakeError
from cavet.routines._values import ValueParser
from cavet.routines._words import STEPS
from cavet.wording import listed

MOST_BRACKETS = 40


class LineParser(ValueParser):
    """Reads the words of a line from left to right."""

    # steps

    def step(self, line: int, text: str) -> tree.Step:
        """A step, without what is indented below it."""
        at = self.next.at
        kind = self.one_of(STEPS, f"a step: {listed(STEPS)}")
        read: Callable[[], dict[str, Any]] = getattr(self, f"_{kind}", dict)
        of = read()
        self.end()
        return tree.Step(kind=kind, line=line, text=bare(text), at=at, of=of)

    def _set(self) -> dict[str, Any]:
        of: dict[str, Any] = {"point": self.point(), "over": None, "waits": True}
        self.expect("to")
        of["value"] = self.value()
        if self.accept("over"):
            of["over"] = self.time()
        elif self.accept("without", "waiting"):
            of["waits"] = False
        return of

    def _toggle(self) -> dict[str, Any]:
        return {"point": self.point()}

    _ask = _clear = _toggle

    def _pulse(self) -> dict[str, Any]:
        point = self.point()
        self.expect("for")
        return {"point": point, "lasts": self.time()}

    def _show(self) -> dict[str, Any]:
        of: dict[str, Any] = {"value": self.text(), "row": None, "column": None}
        self.expect("on")
        of["point"] = self.point()
        if self.accept("at"):
            self.expect("row")
            of["row"] = self.value()
            if self.accept(","):
                self.expect("column")
                of["column"] = self.value()
        return of

    def _send(self) -> dict[str, Any]:
        of: dict[str, Any] = {"answer": None, "within": None}
        of["board"], of["board_at"] = self.dotted("a board")
        of["message"], of["message_at"] = self._dashed("a message, as `cavet encode` names it")
        of["fields"], of["fields_at"] = self._fields()
        if self.accept("answered", "by"):
            of["answer"], of["answer_at"] = self._dashed("a message")
            of["answer_fields"], of["answer_fields_at"] = self._fields()
            self.expect("within")
            of["within"] = self.time()
        return of

    def _dashed(self, what: str) -> tuple[str, int]:
        """A name of a message or a field, which may be a word of the language, and have signs in it; and its column."""
        name = self.name(what, any_word=True)
        at = self.last.at
        while self.next.kind in ("name", "number", "sign") and self.next.at == self.last.end and self.next.text != ",":
            name += self._take().text
        return name, at

    def _fields(self) -> tuple[dict[str, Any], dict[str, int]]:
        """The fields of a message, and the columns where they are."""
        fields: dict[str, Any] = {}
        places: dict[str, int] = {}
        behind = None
        while behind or (self.next.kind == "name" and self.next.text not in ("answered", "within")):
            name, at = (behind, self.last.end - len(behind)) if behind else self._dashed("a field")
            if name in fields:
                raise MistakeError(at, found=name, expected="each field once")
            places[name] = at
            fields[name], behind = self._field_value()
        return fields, places

    def _field_value(self) -> tuple[Any, str | None]:
        """A field's value; and the name of the next one where that was taken for the number's unit: `register 0 count
        4`."""
        if self.next.kind == "text":
            return self.text(), None
        if self.next.kind == "name":
            return self._dashed("its value")[0], None
        value = self.value()
        if isinstance(value, tree.Number) and value.unit and self.next.kind in ("number", "text"):
            written = value.written.removesuffix(value.unit).rstrip()
            return msgspec.structs.replace(value, unit=None, written=written), value.unit
        return value, None

    def _wait(self) -> dict[str, Any]:
        if not self.accept("until"):
            return {"time": self.time()}
        of: dict[str, Any] = {"condition": self.condition(), "lasts": None, "at_most": None, "instead": None}
        if self.accept("for"):
            of["lasts"] = self.time()
        if self.accept("at", "most"):
            of["at_most"] = self.time()
            if self.accept("else"):
                of["instead"] = self._inner_step()
        return of

    def _inner_step(self) -> tree.Step:
        """A step that stands behind `else`."""
        at = self.next.at
        kind = self.one_of(STEPS, "a step")
        if kind in ("repeat", "while", "every", "for", "if", "otherwise"):
            raise MistakeError(at, found=kind, expected="a step without others below it")
        read: Callable[[], dict[str, Any]] = getattr(self, f"_{kind}", dict)
        return tree.Step(kind=kind, line=0, text=bare(self._text[at - 1 :]), at=at, of=read())

    def _expect(self) -> dict[str, Any]:
        if self.accept("never"):
            of: dict[str, Any] = {"never": True, "condition": self.condition(), "within": None}
            self.expect("for")
            of["lasts"] = self.time()
            return of
        of = {"never": False, "condition": self.condition(), "lasts": None, "within": None}
        if self.accept("for"):
            of["lasts"] = self.time()
        if self.accept("within"):
            of["within"] = self.time()
        return of

    def _repeat(self) -> dict[str, Any]:
        if self.next.kind == "end":
            return {"times": None}
        times = self.value()
        self.expect("times")
        return {"times": times}

    def _while(self) -> dict[str, Any]:
        return {"condition": self.condition()}

    _if = _while

    def _otherwise(self) -> dict[str, Any]:
        return {"condition": self.condition()} if self.accept("if") else {}

    def _every(self) -> dict[str, Any]:
        return {"period": self.time()}

    def _for(self) -> dict[str, Any]:
        of: dict[str, Any] = {"name": self.name("a name for the value"), "name_at": self.last.at}
        if self.accept("in"):
            of["each"] = [self.value()]
            while self.accept(","):
                of["each"].append(self.value())
            return of
        self.expect("from")
        of["first"] = self.value()
        self.expect("to")
        of["last"] = self.value()
        of["by"] = self.value() if self.accept("step") else None
        return of

    def _let(self) -> dict[str, Any]:
        of: dict[str, Any] = {"name": self.name("a name for the value"), "name_at": self.last.at}
        self.expect("=")
        of["value"] = self.value()
        return of

    def _do(self) -> dict[str, Any]:
        of: dict[str, Any] = {"routine": self.name("a routine of this file"), "routine_at": self.last.at, "tunes": {}}
        if self.accept("with"):
            while True:
                name, at = self.name("a tune of it"), self.last.at
                self.expect("=")
                of["tunes"][name] = (self.value(), at)
                if not self.accept(","):
                    break
        return of

    def _say(self) -> dict[str, Any]:
        return {"value": self.text()}

    _mark = _fail = _stop = _say

    def _keep(self) -> dict[str, Any]:
        points = [self.point()]
        while self.accept(","):
            points.append(self.point())
        return {"points": points}

    def _press(self) -> dict[str, Any]:
        name, at = self.dotted("a part, as board.part")
        of: dict[str, Any] = {"part": name, "part_at": at, "lasts": None, "waits": True}
        if self.accept("for"):
            of["lasts"] = self.time()
            of["waits"] = not self.accept("without", "waiting")
        return of

    def _release(self) -> dict[str, Any]:
        name, at = self.dotted("a part, as board.part")
        return {"part": name, "part_at": at}

    def _work(self) -> dict[str, Any]:
        of = self._release()
        of |= {"action": self.name("what to do to it", any_word=True), "action_at": self.last.at}
        of |= {"value": None, "lasts": None, "waits": True}
        if self.next.kind != "end" and self.next.text != "for":
            of["value"] = self.value()
        if self.accept("for"):
            of["lasts"] = self.time()
            of["waits"] = not self.accept("without", "waiting")
        return of

    def _place(self) -> dict[str, Any]:
        of: dict[str, Any] = {"quantity": self.name("a quantity of the rig"), "quantity_at": self.last.at}
        self.expect("at")
        of["value"] = self.value()
        return of

    def _break(self) -> dict[str, Any]:
        name, at = self.dotted("a board, or board.link")
        self.expect("for")
        of: dict[str, Any] = {"link": name, "link_at": at, "lasts": self.time(), "waits": True}
        of["waits"] = not self.accept("without", "waiting")
        return of

    def _fault(self) -> dict[str, Any]:
        fault, at = self._dashed("a kind of fault")
        of: dict[str, Any] = {"fault": fault, "fault_at": at, "next": None, "lasts": None}
        self.expect("on")
        of["link"], of["link_at"] = self.dotted("a board, or board.link")
        if self.accept("next"):
            of["next"] = self.value()
        elif self.accept("for"):
            of["lasts"] = self.time()
        return of

    def _make(self) -> dict[str, Any]:
        return {"defect": self.name("a defect of the bench"), "defect_at": self.last.at}

    _mend = _make

    def _reset(self) -> dict[str, Any]:
        return {"board": self.name("a board"), "board_at": self.last.at}


def bare(text: str) -> str:
    """The text of a step without its comment."""
    inside = False
    for place, character in enumerate(text):
        if character == '"' and text[place - 1 : place] != "\\":
            inside = not inside
        elif character == "#" and not inside:
            return text[:place].rstrip()
    return text
