"""What is asked before checks are run: how many seeds, which defects, how many faults; and whether a program may be."""

from __future__ import annotations

from pathlib import Path

from cavet.benchfile import CheckSettings
from cavet.checks import Wanted, defect_sets
from cavet.wording import WrongError, listed, plain
from cavet.workbench.screens.asking import AskScreen

MOST_SEEDS, MOST_FAULTS = 100_000, 1000
NO, YES, WALK = "no", "yes, run it", "yes, walk"


class CampaignScreen(AskScreen[Wanted]):
    """Asks for a campaign."""

    def __init__(self, check: CheckSettings, defects: list[str]) -> None:
        super().__init__(f"a campaign of {check.name}: the same under many seeds, defects and faults")
        self._defects = defects
        self._answers: list[object] = []
        self._check = check
        self.ask("how many seeds?", entry=str(check.seeds if check.seeds > 1 else 12), hint="a run each, for each set")

    def take(self, answer: str) -> None:
        if not self._answers:
            self._answers.append(_whole(answer, 1, MOST_SEEDS))
            known = ", ".join(["-", *self._defects])
            entry = ", ".join("+".join(each) or "-" for each in self._check.defects) or known
            self.ask(
                "under which defects?", entry=entry, hint="sets with a comma between, A+B both at once, - as it is"
            )
        elif len(self._answers) == 1:
            self._answers.append(defect_sets(answer, self._defects, "defects"))
            entry = str(self._check.faults)
            self.ask(
                "how many faults in each?", entry=entry, hint="links broken, messages lost or late, resets, presses"
            )
        else:
            faults = _whole(answer, 0, MOST_FAULTS)
            seeds, sets = self._answers
            self.leave(Wanted(seeds=seeds, defects=sets, faults=faults))  # type: ignore[arg-type]


def _whole(text: str, low: int, high: int) -> int:
    if not text.strip().isdecimal() or len(text.strip()) > 9 or not low <= int(text) <= high:
        raise WrongError("number", found=text, expected=f"a whole number, {low} to {high}")
    return int(text)


class AllowScreen(AskScreen[bool]):
    """Asks whether a program of the bench file may be run."""

    def __init__(self, check: CheckSettings) -> None:
        super().__init__(f"{check.name} runs a program of your own")
        self.ask(
            plain(" ".join(check.program), 100),
            [NO, YES],
            hint="it is named by the bench file, and may do all that you may",
        )

    def take(self, answer: str) -> None:
        self.leave(answer == YES)


class WalkHereScreen(AskScreen[bool]):
    """Asks whether the boards that are looked at may be moved, one output after the other."""

    def __init__(self, real: list[str]) -> None:
        super().__init__("a walk of the boards that you look at")
        what = f"{listed(real, 'and')}: real, what hangs there will move" if real else "all of them are simulated"
        self.ask("each output in turn, to its far end and back?", [NO, WALK], hint=f"{what}; F12 stops it at once")

    def take(self, answer: str) -> None:
        self.leave(answer == WALK)


class FileScreen(AskScreen[Path]):
    """Asks into which new file something is written."""

    def __init__(self, title: str, entry: str) -> None:
        super().__init__(title)
        self.ask("into which file?", entry=entry, hint=f"in {Path.cwd()}")

    def take(self, answer: str) -> None:
        path = Path(answer.strip()).expanduser()
        if not answer.strip() or path.exists():
            found = f"{path}, which is there already" if answer.strip() else "nothing"
            raise WrongError("file", found=found, expected="a new name")
        if not path.parent.is_dir():
            raise WrongError("file", found=f"no folder {path.parent}", expected="a folder that is there")
        self.leave(path)
