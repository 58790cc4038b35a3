"""Taking a changed bench file over, on a line of input."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from cavet.bench import RunningBench
from cavet.benchfile import BenchFile, Setup, changes_between, load_bench


class Reloading:
    """The file that runs, and how its set-up is made of it."""

    def __init__(self, file: BenchFile, as_setup: Callable[[BenchFile], Setup]) -> None:
        self._file = file
        self._as_plan = as_setup

    async def reload(self, bench: RunningBench) -> None:
        """Read the file again, and go on as it says. Raises `WrongError` for what is wrong in it: nothing has changed
        then."""
        try:
            after = load_bench(self._file.path)
        except ExceptionGroup as group:
            raise group.exceptions[0] from group
        changes = changes_between(self._file, after)
        await bench.take_over(self._as_plan(after), changes)
        self._file = after


def asks_to_reload(line: bytes) -> bool:
    """Whether a line of input wants that."""
    try:
        wish = msgspec.json.decode(line)
    except msgspec.DecodeError:
        return False
    return isinstance(wish, dict) and wish.get("reload") is True
