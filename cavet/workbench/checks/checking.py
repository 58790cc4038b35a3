"""The checks of a bench, and what came of each when it was run last."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from cavet.bench import RunningBench
from cavet.benchfile import CheckSettings
from cavet.checks import Wanted, with_checks
from cavet.wording import WrongError
from cavet.workbench.checks.running import Hosting, Post, Run, Spread, Walking

LEAVE_SECONDS = 5.0
"""How long the workbench waits, when it is left, for checks to end."""


class Checking:
    """The checks of a bench, and what came of each when it was run last."""

    def __init__(
        self, bench: RunningBench, post: Post, unsaved: Callable[[], Mapping[Path, str]] = dict
    ) -> None:  # fmt: skip
        """`unsaved` gives what is not saved of the bench and its routines: checks are of these as they stand."""
        self._unsaved = unsaved
        self.setup = with_checks(bench.setup)
        self.going: Run | None = None
        self._bench, self._post = bench, post
        self._before: dict[str, Run] = {}
        """By each check's name what it was run in last."""

    @property
    def checks(self) -> list[CheckSettings]:
        """All of them, in the order of the file."""
        return list(self.setup.checks.values())

    @property
    def is_going(self) -> bool:
        """Whether any is run now."""
        return self.going is not None and not self.going.is_over

    def start(self, checks: Sequence[CheckSettings], wanted: Wanted) -> None:
        """Run some; a program alone. Raises `WrongError` where that can't be."""
        self._look_whether_free()
        if not self.setup.path:
            raise WrongError("checks", found="a bench that is in no file", expected="a file: save it first")
        if any(check.program for check in checks):
            self._note(Hosting(self.setup, checks, wanted))
        else:
            self._note(Spread(self.setup, checks, wanted, self._unsaved()))

    def walk_here(self, check: CheckSettings) -> None:
        """Walk the boards that are looked at. Raises `WrongError`."""
        self._look_whether_free()
        self._note(Walking(self._bench, self._post, check))

    def _look_whether_free(self) -> None:
        if self.is_going:
            raise WrongError(
                "checks", found="checks that are run already", expected="one after the other; x stops them"
            )

    def _note(self, going: Run) -> None:
        self.going = going
        self._before |= {check.name: going for check in going.checks}

    def last(self, check: str) -> Run | None:
        """What a check was run in last; `None` before that."""
        return self._before.get(check)

    def stop(self) -> None:
        """Stop what is run."""
        if self.going is not None:
            self.going.stop()

    def rest(self) -> None:
        """Stop what moves the boards that are looked at."""
        if self.going is not None and self.going.is_live:
            self.going.stop()

    def leave(self) -> None:
        """Stop what is run, and wait until it has ended."""
        self.stop()
        if self.going is not None:
            self.going.wait(LEAVE_SECONDS)
