"""Reading one line: steps, values, conditions."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from cavet.routines import _tree as tree
from cavet.routines._lexing import Token, tokens
from cavet.routines._mistakes import MistakeError
from cavet.routines._words import COMPARED, FUNCTIONS, KEYWORDS, STEPS
from cavet.wording import listed

MOST_BRACKETS = 40


class LineParser:
    """Reads the words of a line from left to right."""

    def __init__(self, words: list[Token], text: str = "") -> None:
        self._words = words
        self._text = text
        self._at = 0
        self._depth = 0
        self.last = words[0]
        """The word that was read last."""

    @property
    def next(self) -> Token:
        """The word that comes next."""
        return self._words[self._at]

    def _take(self) -> Token:
        self.last = self._words[self._at]
        if self.last.kind != "end":
            self._at += 1
        return self.last

    def accept(self, *wanted: str) -> bool:
        """Read on where these words come next; tell whether they did."""
        ahead = self._words[self._at : self._at + len(wanted)]
        if [word.text for word in ahead] != list(wanted) or any(word.kind == "text" for word in ahead):
            return False
        for _ in wanted:
            self._take()
        return True

    def expect(self, *wanted: str) -> None:
        """Read these words. Raises `MistakeError` where others come."""
        for word in wanted:
            if not self.accept(word):
                raise self.wrong(word)

    def wrong(self, expected: str, words: Iterable[str] = ()) -> MistakeError:
        """That something else was expected than what comes next."""
        found = self.next
        return MistakeError(found.at, found=found.text, expected=expected, words=list(words))

    def end(self) -> None:
        """There must be nothing more."""
        if self.next.kind != "end":
            raise self.wrong("the end of the line")

    def one_of(self, words: Iterable[str], expected: str) -> str:
        """One of some words."""
        if self.next.kind != "name" or self.next.text not in words:
            raise self.wrong(expected, words)
        return self._take().text

    def name(self, what: str, *, any_word: bool = False) -> str:
        """A name, which may have points in it. `any_word` takes a word of the language, too."""
        if self.next.kind != "name" or (self.next.text in KEYWORDS and not any_word):
            raise self.wrong(what)
        return self._take().text

    def dotted(self, what: str) -> tuple[str, int]:
        """A name with points in it, `board.part`, and where it begins."""
        name, at = self.name(what), self.last.at
        while self.next.text == "." and self.next.at == self.last.end:
            self._take()
            name += "." + self.name(what, any_word=True)
        return name, at

    # steps

    def step(self, line: int, text: str) -> tree.Step:
        """A step, without what is indented below it."""
        at = self.next.at
        kind = self.one_of(STEPS, f"a step: {listed(STEPS)}")
        read: Callable[[], dict[str, Any]] = getattr(self, f"_{kind}", dict)
        of = read()
        self.end()
        return tree.Step(kind=kind, line=line, text=_bare(text), at=at, of=of)

    def point(self) -> tree.Name:
        """A point."""
        name, at = self.dotted("a point")
        return tree.Name(at, name)

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
        of: dict[str, Any] = {"board": self.dotted("a board")[0], "answer": None, "within": None}
        of["board_at"] = self.last.at
        of["message"] = self._dashed("a message, as `cavet encode` names it")
        of["message_at"] = self.last.at
        of["fields"] = self._fields()
        if self.accept("answered", "by"):
            of["answer"] = self._dashed("a message")
            of["answer_fields"] = self._fields()
            self.expect("within")
            of["within"] = self.time()
        return of

    def _dashed(self, what: str) -> str:
        """A name of a message or a field, which may be a word of the language, and have signs in it."""
        name = self.name(what, any_word=True)
        while self.next.kind in ("name", "number", "sign") and self.next.at == self.last.end and self.next.text != ",":
            name += self._take().text
        return name

    def _fields(self) -> dict[str, Any]:
        fields: dict[str, Any] = {}
        while self.next.kind == "name" and self.next.text not in ("answered", "within"):
            name, at = self._dashed("a field"), self.last.at
            if name in fields:
                raise MistakeError(at, found=name, expected="each field once")
            if self.next.kind == "text":
                fields[name] = self.text()
            elif self.next.kind == "name":
                fields[name] = self._dashed("its value")
            else:
                fields[name] = self.value()
        return fields

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
        return tree.Step(kind=kind, line=0, text=_bare(self._text[at - 1 :]), at=at, of=read())

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
        of: dict[str, Any] = {
            "fault": self._dashed("a kind of fault"),
            "fault_at": self.last.at,
            "next": None,
            "lasts": None,
        }
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

    # values and conditions

    def text(self) -> tree.Text:
        """A text, with values in braces."""
        if self.next.kind != "text":
            raise self.wrong('a text in "quotes"')
        token = self._take()
        parts: list[str | tree.Expr] = []
        rest, at = token.text, token.at + 1
        piece = ""
        place = 0
        while place < len(rest):
            if rest[place] == "\\" and rest[place + 1 : place + 2] in ("{", "}"):
                piece += rest[place + 1]
                place += 2
            elif rest[place] == "{":
                end = rest.find("}", place)
                if end < 0:
                    raise MistakeError(
                        at + place, found="a brace without an end", expected="a } behind the value, or \\{"
                    )
                inner = LineParser(tokens(rest[place + 1 : end]))
                try:
                    value = inner.value()
                    inner.end()
                except MistakeError as mistake:
                    mistake.column += at + place
                    raise
                _shift(value, at + place)
                parts += [piece, value]
                piece, place = "", end + 1
            else:
                piece += rest[place]
                place += 1
        return tree.Text(token.at, [*parts, piece])

    def time(self) -> tree.Expr:
        """A time; that it is one is known when its units are."""
        return self.value()

    def condition(self) -> tree.Expr:
        """A condition."""
        return self._joined("or", lambda: self._joined("and", self._not))

    def _joined(self, how: str, read: Callable[[], tree.Expr]) -> tree.Expr:
        at = self.next.at
        found = [read()]
        while self.accept(how):
            found.append(read())
        return found[0] if len(found) == 1 else tree.Joined(at, how, found)

    def _not(self) -> tree.Expr:
        at = self.next.at
        if self.accept("not"):
            return tree.Not(at, self._deeper(self._not))
        return self._comparison()

    def _deeper(self, read: Callable[[], tree.Expr]) -> tree.Expr:
        self._depth += 1
        if self._depth > MOST_BRACKETS:
            raise self.wrong(f"at most {MOST_BRACKETS} brackets in one another")
        try:
            return read()
        finally:
            self._depth -= 1

    def _comparison(self) -> tree.Expr:
        left, at = self.value(), self.next.at
        if self.next.kind == "sign" and self.next.text in COMPARED:
            sign = self._take().text
            return tree.Compare(at, sign, left, self.value())
        for how in ("rises", "falls", "changes"):
            if self.accept(how):
                return tree.Edge(at, left, how)
        if self.accept("reads"):
            if not isinstance(left, tree.Name):
                raise MistakeError(left.at, found="a value", expected="a point, that is asked")
            return tree.Reads(at, left, self.value())
        if self.accept("is"):
            return self._is(left)
        return left

    def _is(self, left: tree.Expr) -> tree.Expr:
        turned = self.accept("not")
        word = self.next
        found: tree.Expr
        if word.text in ("ready", "lost") or (word.text == "open" and isinstance(left, tree.Name) and "." in left.name):
            self._take()
            name = left.name if isinstance(left, tree.Name) else _path(left)
            found = tree.BoardIs(left.at, name, word.text)
        else:
            right = self.text() if word.kind == "text" else tree.Name(word.at, self.name("a word", any_word=True))
            found = tree.Compare(word.at, "is", left, right)
        return tree.Not(left.at, found) if turned else found

    def value(self) -> tree.Expr:
        """A sum of values."""
        left = self._product()
        while self.next.kind == "sign" and self.next.text in ("+", "-"):
            sign, at = self._take().text, self.last.at
            left = tree.Sum(at, sign, left, self._product())
        return left

    def _product(self) -> tree.Expr:
        left = self._signed()
        while self.next.kind == "sign" and self.next.text in ("*", "/"):
            sign, at = self._take().text, self.last.at
            left = tree.Sum(at, sign, left, self._signed())
        return left

    def _signed(self) -> tree.Expr:
        at = self.next.at
        if self.accept("-"):
            return tree.Negative(at, self._deeper(self._signed))
        return self._atom()

    def _atom(self) -> tree.Expr:
        token = self.next
        if token.kind == "number":
            self._take()
            return tree.Number(token.at, token.value, token.unit)
        if token.kind == "text":
            return self.text()
        if self.accept("("):
            inner = self._deeper(self.condition)
            self.expect(")")
            return inner
        if token.kind == "name":
            return self._named(token)
        raise self.wrong("a value: a number, a name, a text")

    def _named(self, token: Token) -> tree.Expr:
        if token.text in FUNCTIONS:
            self._take()
            self.expect("(")
            found = [self._deeper(self.value)]
            while self.accept(","):
                found.append(self._deeper(self.value))
            self.expect(")")
            return tree.Call(token.at, token.text, found)
        if self.accept("elapsed"):
            return tree.Elapsed(token.at)
        if self.accept("asked"):
            return tree.AskedFor(token.at, self.point())
        if token.text in ("on", "off", "open"):
            self._take()
            return tree.Name(token.at, token.text)
        name, at = self.dotted("a value: a number, a name, a text")
        board, dot, part = name.partition(".")
        if dot and part == "pin":
            if self.next.kind not in ("number", "name"):
                raise self.wrong("the number or the label of a pin")
            return tree.Truth(at, board, "", self._take().text)
        return tree.Name(at, name)


def _shift(expr: tree.Expr, by: int) -> None:
    """Move a value that stands within a text to its column."""
    expr.at += by
    for name in expr.__struct_fields__:
        inner = getattr(expr, name)
        for each in inner if isinstance(inner, list) else [inner]:
            if isinstance(each, tree.Expr):
                _shift(each, by)


def _path(left: tree.Expr) -> str:
    raise MistakeError(left.at, found="a value", expected="a board, or board.link")


def _bare(text: str) -> str:
    """The text of a step without its comment."""
    inside = False
    for place, character in enumerate(text):
        if character == '"' and text[place - 1 : place] != "\\":
            inside = not inside
        elif character == "#" and not inside:
            return text[:place].rstrip()
    return text
