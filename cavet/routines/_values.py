"""Reading the words of a line: values and conditions."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence

from cavet.expressions import VALUES as FUNCTIONS
from cavet.routines import _tree as tree
from cavet.routines._lexing import Token, tokens
from cavet.routines._mistakes import MistakeError
from cavet.routines._words import COMPARED, KEYWORDS

MOST_BRACKETS = 40


class ValueParser:
    """Reads the words of a line from left to right."""

    def __init__(self, words: Sequence[Token], text: str = "", spoken: Collection[str] = ()) -> None:
        """`spoken` are the words of the language by which the bench calls something of its own: they are names where
        nothing else can be meant."""
        self._words = words
        self._text = text
        self._spoken = spoken
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
        is_word = self.next.text in KEYWORDS and self.next.text not in self._spoken
        if self.next.kind != "name" or (is_word and not any_word):
            raise self.wrong(what)
        return self._take().text

    def dotted(self, what: str) -> tuple[str, int]:
        """A name with points in it, `board.part`, and where it begins."""
        name, at = self.name(what), self.last.at
        while self.next.text == "." and self.next.at == self.last.end:
            self._take()
            name += "." + self.name(what, any_word=True)
        return name, at

    def point(self) -> tree.Name:
        """A point."""
        name, at = self.dotted("a point")
        return tree.Name(at, name)

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
                inner = ValueParser(tokens(rest[place + 1 : end]), spoken=self._spoken)
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
        if isinstance(left, tree.Name) and (
            word.text in ("ready", "lost") or (word.text == "open" and "." in left.name)
        ):
            self._take()
            found = tree.BoardIs(left.at, left.name, word.text)
        else:
            right = self.value() if word.kind in ("text", "number") else self._word()
            found = tree.Compare(word.at, "is", left, right)
        return tree.Not(left.at, found) if turned else found

    def _word(self) -> tree.Name:
        return tree.Name(self.next.at, self.name("a word", any_word=True))

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
            return tree.Number(token.at, token.value, token.unit, token.text)
        if token.kind == "text":
            return self.text()
        if self.accept("("):
            inner = self._deeper(self.condition)
            self.expect(")")
            return inner
        if token.kind == "name":
            return self._named(token)
        raise self.wrong("a value: a number, a name, a text")

    def _is_spoken(self, token: Token) -> bool:
        """Whether a word of the language is one of the bench's here."""
        return token.text in self._spoken and self._words[self._at + 1].text != "("

    def _named(self, token: Token) -> tree.Expr:
        if token.text in FUNCTIONS and not self._is_spoken(token):
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
        if token.text in ("on", "off", "open") or self._is_spoken(token):
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
