"""Running checks beside the workbench: in processes of their own, so that nothing that is looked at waits for them."""

from __future__ import annotations

import os
import threading
from collections.abc import Sequence
from pathlib import Path

from cavet.bench import CheckPlan, Plan
from cavet.checks import Done, Order, Processes, Wanted, orders_of, run_all, with_checks
from cavet.faults import FORESEEN, note_fault
from cavet.wording import WrongError

MOST_JOBS = 4
LEAVE_SECONDS = 5.0
"""How long the workbench waits, when it is left, for checks to end."""


class Going:
    """Some checks that are being run, or were: what is to be done, and what came of it so far, in its order."""

    def __init__(self, bench: Path, plan: Plan, checks: Sequence[CheckPlan], wanted: Wanted) -> None:
        self.checks = list(checks)
        self.wanted = wanted
        self.orders: list[Order] = []
        self.done: list[Done] = []
        self.problem = ""
        self.is_over = False
        self.is_stopped = False
        self._bench, self._plan = bench, plan
        self._workers: Processes | None = None
        self._thread = threading.Thread(target=self._run, name="checks", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        try:
            self.orders = orders_of(self._bench, self._plan, self.checks, self.wanted)
            count = min(MOST_JOBS, max(1, (os.cpu_count() or 2) - 1), len(self.orders) or 1)
            self._workers = Processes(count)
            if self.is_stopped:
                return
            for done in run_all(self.orders, self._workers):
                self.done.append(done)
        except ExceptionGroup as group:
            self.problem = "; ".join(str(error) for error in group.exceptions)
        except FORESEEN as error:
            self.problem = str(error)
        except OSError as error:
            self.problem = f"checks can't be run here: {error.strerror or error}"
        except Exception as error:  # noqa: BLE001
            self.problem = note_fault("checks", error)
        finally:
            if self._workers is not None:
                self._workers.close()
            self.is_over = True

    def stop(self) -> None:
        """End it; what is not done is left."""
        self.is_stopped = True
        if self._workers is not None:
            self._workers.stop()

    def wait(self, seconds: float) -> None:
        """Wait until it is over, so long at most."""
        self._thread.join(seconds)

    def of(self, check: str) -> list[Done]:
        """What came of a check so far."""
        return [done for done in list(self.done) if done.came.case.check == check]


class Checking:
    """The checks of a bench, and what came of each when it was run last."""

    def __init__(self, plan: Plan) -> None:
        self.plan = with_checks(plan)
        self.going: Going | None = None
        self._before: dict[str, Going] = {}
        """By each check's name what it was run in last."""

    @property
    def checks(self) -> list[CheckPlan]:
        """All of them, in the order of the file."""
        return list(self.plan.checks.values())

    @property
    def is_going(self) -> bool:
        """Whether any is run now."""
        return self.going is not None and not self.going.is_over

    def start(self, checks: Sequence[CheckPlan], wanted: Wanted) -> Going:
        """Run some. Raises `WrongError` where that can't be."""
        if self.is_going:
            raise WrongError(
                "checks", found="checks that are run already", expected="one after the other; x stops them"
            )
        if not self.plan.path:
            raise WrongError("checks", found="a bench that is in no file", expected="a file: save it first")
        going = self.going = Going(Path(self.plan.path), self.plan, checks, wanted)
        self._before |= {check.name: going for check in checks}
        return going

    def last(self, check: str) -> Going | None:
        """What a check was run in last; `None` before that."""
        return self._before.get(check)

    def stop(self) -> None:
        """Stop what is run."""
        if self.going is not None:
            self.going.stop()

    def leave(self) -> None:
        """Stop what is run, and wait until it has ended."""
        self.stop()
        if self.going is not None:
            self.going.wait(LEAVE_SECONDS)
