"""Run all tests, a module a process, as many at once as there are processors.

    python -m tests [PART ...]      only the modules whose names hold one of PART

Ends with the line `N passed, N failed, N skipped`.
"""

import os
import sys
import time
import unittest
from concurrent.futures import ProcessPoolExecutor, as_completed
from io import StringIO
from pathlib import Path
from typing import NamedTuple

HERE = Path(__file__).parent


class Outcome(NamedTuple):
    module: str
    passed: int
    failed: int
    skipped: list[str]
    report: str
    seconds: float


def path_of(name: str) -> Path:
    return HERE.parent.joinpath(*name.split(".")).with_suffix(".py")


def modules(parts: list[str]) -> list[str]:
    names = [
        ".".join(("tests", *path.relative_to(HERE).with_suffix("").parts)) for path in sorted(HERE.rglob("test_*.py"))
    ]
    chosen = [name for name in names if not parts or any(part in name for part in parts)]
    return sorted(chosen, key=lambda name: ("console" not in name, -path_of(name).stat().st_size))  # slow ones first


def run(module: str) -> Outcome:
    stream = StringIO()
    began = time.perf_counter()
    suite = unittest.defaultTestLoader.loadTestsFromName(module)
    result = unittest.TextTestRunner(stream=stream, verbosity=1).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = [f"{test}: {reason}" for test, reason in result.skipped]
    passed = max(0, result.testsRun - len({test.id().split(" ")[0] for test, _ in result.failures + result.errors}))
    passed -= len(skipped) + len(result.unexpectedSuccesses)
    return Outcome(module, passed, failed, skipped, stream.getvalue(), time.perf_counter() - began)


def main() -> int:
    chosen = modules(sys.argv[1:])
    outcomes = []
    with ProcessPoolExecutor(max_workers=max(2, os.cpu_count() or 2)) as pool:
        for done in as_completed([pool.submit(run, module) for module in chosen]):
            outcome = done.result()
            outcomes.append(outcome)
            word = "FAILED" if outcome.failed else "ok    "
            print(f"{word} {outcome.module}  {outcome.passed} in {outcome.seconds:.1f} s")
            if outcome.failed:
                print(outcome.report)
            for line in outcome.skipped:
                print(f"skipped {line}")
    passed = sum(outcome.passed for outcome in outcomes)
    failed = sum(outcome.failed for outcome in outcomes)
    print(f"{passed} passed, {failed} failed, {sum(len(outcome.skipped) for outcome in outcomes)} skipped")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main())
