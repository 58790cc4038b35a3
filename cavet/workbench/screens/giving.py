"""What a record is asked for: a flag's text; in which format it is to be given to another program, and where."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from pathlib import Path

from cavet.drawings.lanes_drawn import lanes_drawing
from cavet.drawings.vector import save
from cavet.exports import TEXTS, Cut, InMemory, blocks, pcapng, points_csv
from cavet.files import check_target, write_whole
from cavet.lanes import Lane
from cavet.record import RecordFile
from cavet.wording import WrongError, from_to
from cavet.workbench.desk import Desk
from cavet.workbench.screens.asking import AskScreen

POINTS, CAPTURE, DRAWINGS = "points.csv", "pcapng", ("svg", "pdf")
FORMATS = ("vcd", "csv", POINTS, "jsonl", CAPTURE, *DRAWINGS)
TELLS = {
    "vcd": "waveforms: pins, parts, points, rig", "csv": "a row for each event",
    POINTS: "what each point was asked and got",
    "jsonl": "an object for each event", CAPTURE: "every byte that passed, for a reader of captures",
    "svg": "the lanes, as a drawing", "pdf": "the lanes, as a drawing",
}  # fmt: skip


class FlagScreen(AskScreen[str]):
    """Asks what a flag says."""

    def __init__(self) -> None:
        super().__init__("a flag, here and now")
        self.ask("what does it say?", hint="it stands in the record with the time at which it was put there")

    def take(self, answer: str) -> None:
        if not answer.strip():
            raise WrongError("flag", found="nothing", expected="a few words")
        self.leave(answer.strip())


class OverScreen(AskScreen[Path]):
    """Asks which record is to be laid over this one."""

    def __init__(self) -> None:
        super().__init__("another record, laid over this one")
        self.ask("which file?", hint=f"from {Path.cwd()}, or a whole path")

    def take(self, answer: str) -> None:
        path = Path(answer.strip()).expanduser()
        RecordFile(path).close()
        self.leave(path)


class GiveScreen(AskScreen[tuple[str, Path]]):
    """Asks in which format, and into which file."""

    def __init__(self, desk: Desk, what: str) -> None:
        super().__init__(f"{what}, for another program")
        self._name = "".join(c if c.isalnum() else "-" for c in desk.bench.setup.name.lower()) or "bench"
        self._form = ""
        self._ask_form()

    def _ask_form(self) -> None:
        self.ask("in which format?", [f"{form:11} {TELLS[form]}" for form in FORMATS])

    def take(self, answer: str) -> None:
        if not self._form:
            self._form = answer.split()[0]
            self._told.append(("in which format?", self._form))
            self.ask("into which file?", entry=f"{self._name}.{self._form}", hint=f"in {Path.cwd()}")
            return
        path = Path(answer.strip()).expanduser()
        if path.suffix == "" or not answer.strip():
            raise WrongError("file", found=answer, expected=f"a name that ends with .{self._form.rpartition('.')[2]}")
        if path.exists():
            raise WrongError(str(path), found="a file that is there already", expected="another name")
        self.leave((self._form, path))


async def give(
    desk: Desk, lanes: list[Lane], form: str, path: Path, begin: float, end: float, done: Callable[[str, bool], None]
) -> None:
    """Write what was wanted, beside everything else; tell when it is there, or why it is not."""
    setup = desk.bench.setup
    source, cut = InMemory(desk.bench.record, setup.about), Cut(begin=begin, end=end)

    def write() -> None:
        check_target(path)
        if form in DRAWINGS:
            save(lanes_drawing(setup.name, lanes, begin, end), path, "light")
        elif form == CAPTURE:
            write_whole(path, pcapng(source, setup, cut))
        elif form == POINTS:
            write_whole(path, blocks(points_csv(source, setup, cut)))
        else:
            write_whole(path, blocks(TEXTS[form](source, setup, cut)))

    try:
        await asyncio.to_thread(write)
    except WrongError as error:
        done(str(error), False)
    else:
        done(f"{path.name} is written: {from_to(begin, end, 8)} s", True)
