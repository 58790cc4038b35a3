"""A checked file of routines, written out as a program: one function a routine, one for each of its tracks.

Comments and names are kept, and each step is given the line that it comes from.
"""

from __future__ import annotations

import re

from cavet.routines import _tree as tree
from cavet.routines._checked import CheckedRoutine, CheckedTrack, Program, all_steps
from cavet.routines._code import HELPERS, RESERVED, literal, local, quoted
from cavet.routines._line import bare
from cavet.routines._step_code import StepCode, wrapped
from cavet.routines._words import HEADS
from cavet.wording import plain

MOST_TEXT = 1000


def python_of(text: str, program: Program, bench: str, first: str) -> str:
    """The program that does what a checked text does on a bench; `first` is the routine that it runs by itself."""
    return _Writer(text, program, bench, first).write()


class _Writer:
    def __init__(self, text: str, program: Program, bench: str, first: str) -> None:
        self._source = [plain(line.rstrip("\r")) for line in text.split("\n")]
        self._program = program
        self._bench = bench
        self._first = first
        self._out: list[str] = []
        self._is_begun = False
        """Whether a function has begun, and nothing stands in it yet."""
        self._at = 0
        """So many lines of the source have been gone over."""
        steps = list(program.steps())
        self._taken = set(RESERVED) | {local(step.name) for step in steps if step.kind in ("let", "for")}
        self._functions = {name: self._free(name) for name in program.routines}

    def _free(self, name: str) -> str:
        """A name that nothing else has."""
        while name in self._taken:
            name += "_"
        self._taken.add(name)
        return name

    def write(self) -> str:
        for number, line in enumerate(self._source, 1):
            head = line.split(maxsplit=1)[0] if line[:1].strip() else ""
            if head in HEADS:
                self._section(head, number)
        self._over(len(self._source) + 1, 4, of_body=True)
        self._apart()
        self._over(len(self._source) + 1, 0)
        ordered = sorted(self._functions, key=lambda name: name != self._first)
        reflexes = ["reflexes=REFLEXES"] if self._program.reflexes else []
        self._out += ['if __name__ == "__main__":']
        self._out += wrapped("main(", ["BENCH", *(self._functions[name] for name in ordered), *reflexes], ")", 4)
        return "\n".join([*self._opening(), *self._out]) + "\n"

    def _opening(self) -> list[str]:
        body = "\n".join(self._out)
        used = {name for name in (*HELPERS, "Tune") if re.search(rf"\b{name}\b", body)}
        names = sorted({"Run", "main", "routine"} | used, key=str.lower)
        more = len(self._functions) - 1
        what = self._first + (f" and {more} more" if more else "")
        file = self._program.file
        return [
            *_doc(
                f"{what}, as in {file}, for the bench {self._bench}.",
                "",
                "It takes the options of `cavet run`: [ROUTINE] --tune NAME=VALUE --seed TEXT --record FILE …",
                f"`line` is the line of {file}, which trails and the record tell; without it they tell the program's.",
            ),
            "",
            f"from cavet.script import {', '.join(names)}",
            "",
            f"BENCH = {quoted(self._bench)}",
        ]

    # what is not a step: comments, empty lines

    def _over(self, line: int, indent: int, *, of_body: bool = False) -> None:
        """Go on to a line of the source: comments before it are kept; with `of_body` only those that are indented."""
        while self._at < line - 1:
            text = self._source[self._at].strip()
            if of_body and text and not self._source[self._at][0].isspace():
                return
            if text.startswith("#"):
                self._is_begun = False
                self._out.append(" " * indent + text)
            elif not text and not of_body and self._out and self._out[-1] and not self._is_begun:
                self._out.append("")
            self._at += 1

    def _beside(self, line: int) -> str:
        """The comment at the end of a line of the source."""
        text = self._source[line - 1].strip()
        comment = text[len(bare(text)) :].strip()
        return f"  {comment}" if comment else ""

    def _apart(self) -> None:
        while self._out and not self._out[-1]:
            self._out.pop()
        self._out += ["", ""]

    # routines, and what runs beside them

    def _section(self, head: str, line: int) -> None:
        self._over(line, 4, of_body=True)
        self._apart()
        self._over(line, 0)
        beside, self._at = self._beside(line), line
        if head == "reflex":
            self._reflex(line)
            return
        if head == "routine":
            self._routine = next(each for each in self._program.routines.values() if each.line == line)
            self._head(self._routine)
            self._function(self._functions[self._routine.name], self._routine.body, beside, lasts=False)
            return
        name, owner = self._routine.name, self._functions[self._routine.name]
        if head == "finally":
            self._out.append(f"@{owner}.lastly")
            self._function(self._free(f"{name}_finally"), self._routine.lastly, beside, lasts=False)
            return
        track = next(each for each in (*self._routine.tracks, *self._routine.whens) if each.line == line)
        if head == "alongside":
            self._out.append(f"@{owner}.alongside({quoted(track.name)})")
            clear = track.name if track.name not in self._taken else f"{name}_{track.name}"
            self._function(self._free(clear), track.body, beside, lasts=False)
        else:
            self._out.append(f"@{owner}.when({self._listening(track)})")
            self._function(self._free(f"{name}_when_{line}"), track.body, beside, lasts=True)

    def _listening(self, track: CheckedTrack) -> str:
        condition = getattr(track.condition, "code", "")
        lasts = [f"lasts={_told_by_run(track.lasts.python, is_known=track.lasts.constant)}"] if track.lasts else []
        return ", ".join([f"lambda run: {condition}", *lasts, f"line={track.line}"])

    def _head(self, routine: CheckedRoutine) -> None:
        name = [f"name={quoted(routine.name)}"] if self._functions[routine.name] != routine.name else []
        boards = f"boards=[{', '.join(quoted(host) for host in sorted(routine.hosts))}]"
        if not routine.tunes:
            self._out.append(f"@routine({', '.join([*name, boards])})")
            return
        self._out.append("@routine(")
        for tune in routine.tunes.values():
            of = [quoted(tune.name), literal(tune.value), *([quoted(tune.unit)] if tune.unit else [])]
            ends = zip(("low", "high"), (tune.low, tune.high), strict=True)
            of += [f"{end}={literal(value)}" for end, value in ends if abs(value) != float("inf")]
            self._over(tune.line, 4)
            self._out.append(f"    Tune({', '.join(of)}),{self._beside(tune.line)}")
            self._at = tune.line
        self._out += [*(f"    {each}," for each in (*name, boards)), ")"]

    def _function(self, name: str, body: object, beside: str, *, lasts: bool) -> None:
        self._out.append(f"async def {name}(run: Run) -> None:{beside}")
        self._is_begun = True
        assert isinstance(body, list)  # of a text
        early = _needed_before(body)
        for value, unknown in early.items():
            known = f"run.kept.get({quoted(value)}, {unknown})" if lasts else unknown
            self._out.append(f"    {local(value)} = {known}")
        self._code = StepCode(self._functions, frozenset(early if lasts else ()))
        self._steps(body, 1)
        if not body:
            self._out.append("    pass")

    def _steps(self, steps: list[tree.Step], depth: int) -> None:
        for step in steps:
            self._step(step, depth)

    def _step(self, step: tree.Step, depth: int, word: str = "if") -> None:
        indent = " " * 4 * depth
        self._over(step.line, 4 * depth)
        self._is_begun = False
        before = self._at < step.line
        lines = self._code.lines(step, word)
        beside = self._beside(step.line) if before else ""
        self._out += [indent + line for line in lines]
        self._out[-len(lines)] += beside
        self._at = max(self._at, step.line)
        if step.kind == "if":
            self._branches(step, depth)
        elif step.kind == "wait" and step.of.get("instead"):
            self._steps(step.instead, depth + 1)
        else:
            self._steps(step.body, depth + 1)

    def _branches(self, step: tree.Step, depth: int) -> None:
        self._steps(step.body, depth + 1)
        if "chained" in step.of:
            self._step(step.otherwise[0], depth, "elif")
        elif step.otherwise:
            line = next(
                number for number in range(step.otherwise[0].line, 0, -1)
                if bare(self._source[number - 1]).strip() == "otherwise"
            )  # fmt: skip
            self._over(line, 4 * depth + 4)
            self._out.append(f"{' ' * 4 * depth}else:{self._beside(line)}")
            self._at = line
            self._steps(step.otherwise, depth + 1)

    def _reflex(self, line: int) -> None:
        """A rule that a board follows stays as it is: boards are told it in the language of routines."""
        end = next(
            (
                number for number in range(line, len(self._source))
                if self._source[number].strip() and not self._source[number][0].isspace()
            ),
            len(self._source),
        )  # fmt: skip
        text = "\n".join(self._source[line - 1 : end]).rstrip()
        sign = "+=" if any(each.startswith("REFLEXES ") for each in self._out) else "="
        quote = '"""'
        safe = text.replace("\\", "\\\\").replace(quote, '\\"\\"\\"')
        self._out += [*f"REFLEXES {sign} {quote}\\\n{safe}\n{quote}".split("\n")]
        self._at = end


def _told_by_run(python: str, *, is_known: bool) -> str:
    return python if is_known else f"lambda run: {python}"


def _doc(*lines: str) -> list[str]:
    safe = [plain(line, MOST_TEXT).replace("\\", "\\\\").replace('"""', "'''") for line in lines]
    return [f'"""{safe[0]}', *safe[1:], '"""']


def _needed_before(body: list[tree.Step]) -> dict[str, str]:
    """Names that get their value within a block and are looked at outside of it: until then, nothing is known."""
    found: dict[str, str] = {}
    top = {step.name: step.line for step in reversed(body) if step.kind == "let"}
    for step in all_steps(body):
        for inner in (step.body, step.otherwise):
            for let in inner:
                if let.kind != "let" or top.get(let.name, let.line) < let.line:
                    continue
                inside = {id(each) for each in all_steps(inner)}
                others = [each.text for each in all_steps(body) if id(each) not in inside]
                if any(re.search(rf"\b{let.name}\b", text) for text in others):
                    found[let.name] = "nan" if let.value.kind == "number" else "None"
    return found
