"""From the text of a file to its tree. All mistakes of the text are found at once: a line that can't be read costs no
other line."""

from __future__ import annotations

import re
from collections.abc import Collection

from cavet.routines import _tree as tree
from cavet.routines._lexing import tokens
from cavet.routines._line import LineParser
from cavet.routines._mistakes import MOST_MENDED, MistakeError
from cavet.routines._words import BLOCKS, HEADS, KEYWORDS, STEPS
from cavet.wording import WrongError

MOST_LINES = 100_000
MOST_DEPTH = 64
NAME = re.compile(r"[a-z][a-z0-9_]*")


class Line:
    """A line with something on it: its number, how far it is indented, its text."""

    def __init__(self, number: int, text: str) -> None:
        bare = text.lstrip(" ")
        self.number = number
        self.indent = len(text) - len(bare)
        self.text = text.rstrip()


def parse(text: str, file: str, spoken: Collection[str] = ()) -> tuple[tree.Sheet, list[WrongError]]:
    """Read a file; give its tree, as far as it can be read, and all that is wrong in its text."""
    return _Parser(text, file, spoken).parse()


class _Parser:
    def __init__(self, text: str, file: str, spoken: Collection[str]) -> None:
        self._file = file
        self._spoken = spoken
        self.mistakes: list[WrongError] = []
        lines = text.split("\n")
        self._lines = [
            Line(number, line.rstrip("\r"))
            for number, line in enumerate(lines[:MOST_LINES], 1)
            if line.strip() and not line.strip().startswith("#")
        ]
        self._at = 0
        if len(lines) > MOST_LINES:
            self._tell(MOST_LINES, MistakeError(1, found="more lines", expected=f"at most {MOST_LINES}"))

    def _words_of(self, line: Line) -> LineParser:
        return LineParser(tokens(line.text), line.text, self._spoken)

    def _tell(self, line: int, mistake: MistakeError) -> None:
        if len(self.mistakes) >= MOST_MENDED:
            mistake.words = []
        self.mistakes.append(mistake.told(self._file, line))

    def parse(self) -> tuple[tree.Sheet, list[WrongError]]:
        sheet = tree.Sheet(file=self._file, routines={}, reflexes=[])
        routine: tree.Routine | None = None
        while self._at < len(self._lines):
            line = self._lines[self._at]
            self._at += 1
            try:
                if line.indent:
                    raise MistakeError(
                        1, found="an indented line", expected="routine, alongside, when, finally or reflex"
                    )
                routine = self._head(line, sheet, routine)
            except MistakeError as mistake:
                self._tell(line.number, mistake)
                self._skip_block(line.indent)
        if not sheet.routines and not sheet.reflexes and not self.mistakes:
            self._tell(
                1, MistakeError(1, found="nothing", expected="a routine: `routine NAME`, its steps indented below")
            )
        return sheet, self.mistakes

    def _skip_block(self, indent: int) -> None:
        while self._at < len(self._lines) and self._lines[self._at].indent > indent:
            self._at += 1

    def _head(self, line: Line, sheet: tree.Sheet, routine: tree.Routine | None) -> tree.Routine | None:
        """One of the lines that stand at the left."""
        words = self._words_of(line)
        first = line.text.split(maxsplit=1)[0]
        if first in STEPS or first == "tune":
            raise MistakeError(1, found=first, expected=f"{first} indented by four spaces, below its routine")
        head = words.one_of(HEADS, "routine, alongside, when, finally or reflex")
        if head == "reflex":
            self._reflex(line, words, sheet)
            return routine
        if head == "routine":
            name = self._new_name(words, "what the routine is called")
            words.end()
            if name in sheet.routines:
                raise MistakeError(words.last.at, found=name, expected="another name: there is a routine of that one")
            routine = sheet.routines[name] = tree.Routine(name=name, line=line.number)
            routine.body, routine.tunes = self._body(line, tunes=True)
            return routine
        if routine is None:
            raise MistakeError(1, found=head, expected="a routine before it, that it belongs to")
        if head == "alongside":
            name = self._new_name(words, "what the track is called")
            words.end()
            if any(track.name == name for track in routine.alongside):
                raise MistakeError(words.last.at, found=name, expected="another name: there is a track of that one")
            routine.alongside.append(tree.Track(name=name, line=line.number, body=self._body(line)[0]))
        elif head == "when":
            routine.whens.append(self._when(line, words))
        else:
            words.end()
            if routine.lastly:
                raise MistakeError(1, found="finally", expected="one of it: there is one already")
            routine.lastly = self._body(line)[0]
        return routine

    def _when(self, line: Line, words: LineParser) -> tree.Track:
        condition = words.condition()
        lasts = words.time() if words.accept("for") else None
        words.end()
        body = self._body(line)[0]
        return tree.Track(
            name=f"when, line {line.number}", line=line.number, body=body, condition=condition, lasts=lasts
        )

    def _reflex(self, line: Line, words: LineParser, sheet: tree.Sheet) -> None:
        name = self._new_name(words, "what the reflex is called")
        words.expect("on")
        board = words.name("the board that follows it")
        words.end()
        reflex = tree.Reflex(name=name, board=board, line=line.number)
        inner = self._lines[self._at].indent if self._at < len(self._lines) else 0
        while inner > line.indent and self._at < len(self._lines) and self._lines[self._at].indent == inner:
            below = self._lines[self._at]
            self._at += 1
            try:
                words = self._words_of(below)
                words.expect("when")
                reflex.whens.append(self._when(below, words))
            except MistakeError as mistake:
                self._tell(below.number, mistake)
                self._skip_block(below.indent)
        if not reflex.whens:
            raise MistakeError(1, found="no rule", expected="`when CONDITION`, indented below")
        sheet.reflexes.append(reflex)

    def _new_name(self, words: LineParser, what: str) -> str:
        name = words.name(what, any_word=True)
        if name in KEYWORDS:
            raise MistakeError(words.last.at, found=name, expected="another name: this is a word of the language")
        if not NAME.fullmatch(name):
            raise MistakeError(words.last.at, found=name, expected="small letters, digits and _")
        return name

    def _body(self, head: Line, *, tunes: bool = False) -> tuple[list[tree.Step], list[tree.Tune]]:
        """The lines that are indented below a head."""
        found: list[tree.Tune] = []
        steps = self._block(head, found if tunes else None, 1)
        return steps, found

    def _block(self, head: Line, tunes: list[tree.Tune] | None, depth: int) -> list[tree.Step]:
        lines = self._lines
        if self._at >= len(lines) or lines[self._at].indent <= head.indent:
            self._tell(
                head.number, MistakeError(len(head.text) + 1, found="nothing below it", expected="steps, indented")
            )
            return []
        indent = lines[self._at].indent
        steps: list[tree.Step] = []
        while self._at < len(lines) and lines[self._at].indent > head.indent:
            line = lines[self._at]
            self._at += 1
            try:
                if line.indent != indent:
                    expected = f"{indent} spaces, as the line above it"
                    raise MistakeError(1, found=f"{line.indent} spaces", expected=expected)
                if depth > MOST_DEPTH:
                    raise MistakeError(1, found="blocks in one another", expected=f"at most {MOST_DEPTH} deep")
                self._step(line, steps, tunes, depth)
            except MistakeError as mistake:
                self._tell(line.number, mistake)
                self._skip_block(line.indent)
        return steps

    def _step(self, line: Line, steps: list[tree.Step], tunes: list[tree.Tune] | None, depth: int) -> None:
        words = self._words_of(line)
        if words.accept("tune"):
            self._tune(line, words, tunes, steps)
            return
        step = words.step(line.number, line.text.strip())
        if step.kind == "otherwise":
            last = steps[-1] if steps else None
            while last is not None and last.otherwise and last.otherwise[0].kind == "if" and "chained" in last.of:
                last = last.otherwise[0]
            if last is None or last.kind != "if" or last.otherwise:
                self._skip_block(line.indent)
                raise MistakeError(step.at, found="otherwise", expected="an `if` before it, at the same indentation")
            body = self._block(line, None, depth + 1)
            if "condition" in step.of:
                last.of["chained"] = True
                chained = tree.Step(kind="if", line=step.line, text=step.text, at=step.at, of=step.of, body=body)
                last.otherwise = [chained]
            else:
                last.otherwise = body
            return
        steps.append(step)
        if step.kind in BLOCKS:
            step.body = self._block(line, None, depth + 1)
        elif self._at < len(self._lines) and self._lines[self._at].indent > line.indent:
            wrong = self._lines[self._at]
            self._skip_block(line.indent)
            expected = f"{line.indent} spaces: {step.kind} has no steps below it"
            self._tell(wrong.number, MistakeError(1, found=f"{wrong.indent} spaces", expected=expected))

    def _tune(self, line: Line, words: LineParser, tunes: list[tree.Tune] | None, steps: list[tree.Step]) -> None:
        if tunes is None or steps:
            raise MistakeError(1, found="tune", expected="tunes at the beginning of a routine, before its steps")
        name = self._new_name(words, "what the tune is called")
        at = words.last.at
        words.expect("=")
        value = words.value()
        low = high = None
        if words.accept("from"):
            low = words.value()
            words.expect("to")
            high = words.value()
        words.end()
        if any(tune.name == name for tune in tunes):
            raise MistakeError(at, found=name, expected="another name: there is a tune of that one")
        tunes.append(tree.Tune(name=name, line=line.number, at=at, value=value, low=low, high=high))
