"""The text of a bench's routines, checked as it is typed, and the run that is under way.

The run lives in the bench's thread and only appends to what is read here; so the screen never waits for it.
"""

from __future__ import annotations

import asyncio
import itertools
import re
from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec

from cavet.bench import RunningBench
from cavet.benchfile import Setup, stem_of
from cavet.demo import demo_path, find_routines
from cavet.files import newline_of, write_whole
from cavet.routines import (
    HEADS,
    CheckedRoutine,
    Looking,
    Program,
    Runner,
    Step,
    Value,
    read_source,
    routine_text,
    tune_value,
    written_value,
    written_word,
)
from cavet.units import show
from cavet.wording import WrongError

ENDING = ".routine"
MOST_LINES = 2000
"""So many told lines of a run are kept."""
MOST_RUNS = 20
HEAD = re.compile(r"routine +(\w+)")


class LineState(msgspec.Struct):
    """What a line of the text did last: when it began, in s since the run began; how long it took, `None` while it is
    under way; how it ended."""

    began: float
    took: float | None = None
    result: str = ""


class Past(msgspec.Struct, frozen=True):
    """A run that is over: when it began on the bench's clock, how it ended, how long it took."""

    at: float
    routine: str
    result: str
    why: str
    line: int
    took: float


class Run:
    """A run under way, or the last one."""

    def __init__(self, routine: str, began: float, runner: Runner) -> None:
        self.routine = routine
        self.began = began
        self.runner = runner
        self.lines: deque[dict[str, Any]] = deque(maxlen=MOST_LINES)
        self.states: dict[int, LineState] = {}
        self.at: dict[str, list[tuple[int, float]]] = {}
        """Where each track is: the lines that are under way, the outermost first, each since when."""
        self.end: dict[str, Any] | None = None
        self.version = 0

    def begun(self, track: str, line: int, t: float) -> None:
        """A step has begun; called in the bench's thread."""
        self.states[line] = LineState(t - self.began)
        self.at[track] = [*self.at.get(track, ()), (line, t)]
        self.lines.append({"event": "begun", "t": t, "track": track, "line": line})
        self.version += 1

    def tell(self, line: dict[str, Any]) -> None:
        """Something is told; called in the bench's thread."""
        if line["event"] == "step":
            state = self.states.setdefault(line["line"], LineState(line["began"] - self.began))
            state.took, state.result = line["took"], line["result"]
            self.at[line["track"]] = self.at.get(line["track"], [])[:-1]
        elif line["event"] == "end":
            self.at.clear()
            self.end = line
        self.lines.append(line)
        self.version += 1


class Work:
    """The text, what is wrong in it, and its run."""

    def __init__(self, bench: RunningBench, post: Callable[[Callable[[], object]], object]) -> None:
        self._bench = bench
        self._post = post
        self.path = routine_path(Path(bench.setup.path)) if bench.setup.path else Path("mine.routine")
        self.unreadable: WrongError | None = None
        """Why the file that is there can't be read; it is not written over then."""
        try:
            self._saved = self._read()
        except WrongError as error:
            self._saved, self.unreadable = "", error
        self.text = self._saved or beginning(bench)
        self._program: Program | None = None
        self._steps: dict[int, Step] = {}
        self._mistakes: list[WrongError] = []
        self._checked_on: Setup | None = None
        """The bench, as it was when the text was read against it; `None` where that is still to be done."""
        self.tunes: dict[str, float] = {}
        """Where tunes begin next time, where a person has turned them."""
        self.run: Run | None = None
        self.before: list[Past] = []
        self.version = 0
        self._tasks: set[asyncio.Task[None]] = set()

    # the text

    def _read(self) -> str:
        """What is in the file; nothing where there is none yet. Raises `WrongError` where it can't be read."""
        text = read_source(self.path) if self.path.exists() else ""
        self._newline = newline_of(text)
        return text.replace(self._newline, "\n")

    @property
    def is_saved(self) -> bool:
        """Whether the file says what the text says."""
        return self.text == self._saved

    def set_text(self, text: str) -> None:
        """The text is another one now; it is checked when somebody asks what is in it."""
        if text != self.text:
            self.text = text
            self.version += 1
            self._checked_on = None

    @property
    def program(self) -> Program | None:
        """What the text says; where something is wrong in it, what it said before."""
        self._check()
        return self._program

    @property
    def mistakes(self) -> list[WrongError]:
        """What is wrong in the text."""
        self._check()
        return self._mistakes

    def _check(self) -> None:
        """Read the text against the bench: once, and again when that is changed."""
        if self._checked_on is self._bench.setup:
            return
        self._checked_on = self._bench.setup
        try:
            self._program, self._mistakes = routine_text(self.text, self.path.name, self._bench.setup), []
            self._steps = {step.line: step for step in self._program.steps()}
        except ExceptionGroup as group:
            self._mistakes = [each for each in group.exceptions if isinstance(each, WrongError)]

    def save(self) -> str:
        """Write the file in one go. Raises `WrongError`: also where somebody else has changed it meanwhile."""
        there = self._read()
        if there != self._saved:
            expected = "the one that was read: ctrl+r takes it in, ctrl+s once more writes over it"
            self._saved = there
            raise WrongError(self.path.name, found="a file that was changed meanwhile", expected=expected)
        write_whole(self.path, [self.text.replace("\n", self._newline).encode()], lasting=True)
        self._saved = self.text
        return f"saved in {self.path.name}"

    def begun_anew(self) -> str:
        """A routine with a name that is free, made of what the bench has."""
        return beginning(self._bench, self._free_name("first", "another"))

    def fitted_in(self, steps: list[str], row: int) -> str:
        """Steps as they can be put in front of a row: as a routine of their own, where that is in none."""
        above = [line for line in self.text.split("\n")[:row] if line.startswith(HEADS)]
        if above and not above[-1].startswith("reflex"):
            return "\n".join([*steps, ""])
        return "\n".join([f"routine {self._free_name('by_hand', 'by_hand')}", *steps, "", ""])

    def _free_name(self, first: str, others: str) -> str:
        """A name that no routine has yet, nor anything of the bench: the first, or one with a number."""
        names = {name for _, name in self.heads()} | {*self._bench.setup.points, *self._bench.setup.boards}
        names_on = itertools.chain([first], (f"{others}_{count}" for count in itertools.count(1)))
        return next(name for name in names_on if name not in names)

    def taken_in(self) -> str:
        """What the file says now, taken in as the text. Raises `WrongError` where it can't be read."""
        self._saved = self._read()
        return self._saved

    # running

    @property
    def is_running(self) -> bool:
        """Whether a run is under way."""
        return self.run is not None and self.run.end is None

    def routine_at(self, line: int) -> CheckedRoutine | None:
        """The routine in which a line is, by the last text that was right."""
        return self.program.routines.get(self.name_at(line)) if self.program is not None else None

    def waits_at(self, line: int, waited: float) -> tuple[str, ...]:
        """What a step that is under way waits for: how it stands now, how long it will go on waiting."""
        self._check()
        step = self._steps.get(line)
        if step is None:
            return ()
        words = []
        about = step.of.get("found")
        if step.kind in ("wait", "expect") and isinstance(about, Value):
            words.append(f"now {about.shown(about.run(Looking(self._bench, self.tunes, self._bench.clock.now())))}")
        limit = step.of.get("time") or step.of.get("at_most") or step.of.get("within")
        if isinstance(limit, Value) and limit.constant:
            left = max(0.0, limit.run(None) - waited)
            seconds = show(left, "s", 0 if left >= 10 else 1)
            words.append(f"{seconds} left" if step.of.get("time") else f"gives up in {seconds}")
        return tuple(words)

    def heads(self) -> list[tuple[int, str]]:
        """The routines of the text as it is typed: the line of each, and its name."""
        lines = enumerate(self.text.split("\n"), 1)
        return [(at, found.group(1)) for at, each in lines if (found := HEAD.match(each))]

    def names_in(self, routine: CheckedRoutine | None) -> list[str]:
        """What a routine calls its values: its tunes, and what `let` and `for` name."""
        if routine is None:
            return []
        let = [str(step.of["name"]) for step in routine.steps() if step.kind in ("let", "for")]
        return list(dict.fromkeys([*routine.tunes, *let]))

    def name_at(self, line: int) -> str:
        """The name of the routine in which a line is; that of the first, above it."""
        heads = self.heads()
        return next((name for at, name in reversed(heads) if at <= line), heads[0][1] if heads else "")

    def begin(self, routine: str) -> None:
        """Run a routine. Raises `WrongError` where that can't be."""
        if self.mistakes:
            raise self.mistakes[0]
        if self.program is None or routine not in self.program.routines:
            raise WrongError("routine", found=routine, expected="a routine of this text")
        tunes = {name: value for name, value in self.tunes.items() if name in self.program.routines[routine].tunes}
        self._start(self.program, routine, tunes)

    def begin_line(self, text: str) -> None:
        """Run a line by itself. Raises `WrongError` where it can't be."""
        try:
            program = routine_text(f"routine by_hand\n    {text.strip()}\n", "this line", self._bench.setup)
        except ExceptionGroup as group:
            first = group.exceptions[0]
            found = getattr(first, "found", ""), getattr(first, "expected", str(first))
            raise WrongError("this line", found=found[0], expected=f"{found[1]}, to be run by itself") from group
        self._start(program, "by_hand", {})

    def _start(self, program: Program, routine: str, tunes: dict[str, float]) -> None:
        if self.is_running:
            raise WrongError("run", found="one under way", expected="it to end: F8 stops it")
        run: Run
        runner = Runner(self._bench, program, lambda line: run.tell(line), lambda *step: run.begun(*step))
        run = self.run = Run(routine, self._bench.clock.now(), runner)
        self.version += 1

        def begin() -> None:
            task = asyncio.get_running_loop().create_task(self._carry_out(run, routine, tunes))
            self._tasks.add(task)
            task.add_done_callback(self._tasks.discard)

        self._post(begin)

    async def _carry_out(self, run: Run, routine: str, tunes: dict[str, float]) -> None:
        end = await run.runner.run(routine, tunes)
        took = self._bench.clock.now() - run.began
        self.before = [Past(run.began, routine, end.result, end.why, end.line, took), *self.before][:MOST_RUNS]
        self.version += 1

    def stop(self) -> None:
        """Stop the run: `finally` runs, and all goes to rest."""
        run = self.run
        if run is not None and run.end is None:
            self._post(lambda: run.runner.stop("by hand"))

    def hold(self) -> None:
        """Hold the run before its next steps, or let it go on."""
        run = self.run
        if run is not None and run.end is None:
            self._post(run.runner.go_on if run.runner.is_held else run.runner.hold)

    def one_step(self) -> None:
        """Let one step of a run that is held go on."""
        run = self.run
        if run is not None and run.end is None:
            self._post(run.runner.one_step)

    def turn(self, routine: CheckedRoutine, name: str, value: float) -> None:
        """Turn a tune: of the run under way, and of the next. Raises `WrongError`."""
        self.tunes[name] = tune_value(routine, name, value, f"tune {name}")
        self.version += 1
        run = self.run
        if run is not None and run.end is None and run.routine == routine.name:
            self._post(lambda: run.runner.tune(name, value))

    def value_of(self, routine: CheckedRoutine, name: str) -> float:
        """Where a tune stands."""
        return self.tunes.get(name, routine.tunes[name].value)


def routine_path(bench: Path) -> Path:
    """The file of routines that belongs to a bench: beside it, with its name."""
    if bench == demo_path():
        return find_routines("demo")
    return bench.with_name(f"{stem_of(bench.name)}{ENDING}")


def beginning(bench: RunningBench, name: str = "first") -> str:
    """A routine to begin with, of what the bench has."""
    setup = bench.setup
    outputs = [point for point in setup.points.values() if point.kind.is_output and not point.kind.is_text]
    if not outputs:
        return f'routine {name}\n    say "nothing can be driven here yet"\n'
    point = outputs[0]
    far = written_value(point, True if point.kind.is_switch else point.high)
    lines = [f"routine {name}", f"    set {point.name} to {far}", "    wait 500 ms"]
    contact = next((each for each in setup.points.values() if each.kind.value == "contact"), None)
    if contact is not None:
        lines += [
            "",
            f"when {contact.name} is {written_word(contact.words[1])} for 30 ms",
            f'    stop "{contact.name}"',
        ]
    return "\n".join([*lines, ""])
