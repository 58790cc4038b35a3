"""A run of a check to be looked at, as it stood where it broke: done once more with its record kept, or by the record
that was kept when it was done."""

from __future__ import annotations

import asyncio
import contextlib
import tempfile
from collections.abc import Callable
from pathlib import Path

from cavet.bench import PastBench
from cavet.benchfile import Setup
from cavet.checks import Case, carry_out
from cavet.record import Kind, RecordFile
from cavet.wording import WrongError
from cavet.workbench.past import PastDesk
from cavet.workbench.record.looking import Looking
from cavet.workbench.screens.frame import Frame
from cavet.workbench.screens.moment import MomentScreen

DONE = (Kind.TAKEN, Kind.DRIVEN, Kind.MOVED, Kind.PASSED)
BROKE = (Kind.UNCONFIRMED, Kind.REFUSED, Kind.LOST, Kind.FAULT)


async def do_again(screen: Frame, setup: Setup, case: Case, trail: int | None = None) -> None:
    """Do a run once more, beside everything else; then show it where it broke, or where a trail ended."""
    folder = tempfile.TemporaryDirectory(prefix="cavet-")
    path = Path(folder.name) / "run.record"
    try:
        await asyncio.to_thread(lambda: carry_out(setup, case, record=path, whole=True))
    except (WrongError, ExceptionGroup) as error:
        screen.say(str(error))
        folder.cleanup()
        return
    await look_at(screen, setup, path, trail, folder.cleanup)


async def look_at(
    screen: Frame, setup: Setup, record: Path, trail: int | None = None, left: Callable[[], None] = lambda: None
) -> None:  # fmt: skip
    """Show the record of a run where it broke, or where a trail ended; `left` is called behind that."""
    with contextlib.ExitStack() as behind:
        behind.callback(left)
        try:
            file = behind.enter_context(contextlib.closing(RecordFile(record)))
            past = PastDesk(PastBench(setup, file))
            looking = Looking(past.bench)
            while not (past.stirs() is False and looking.is_read):
                looking.follow()
                await asyncio.sleep(0)  # keys are heard meanwhile
        except WrongError as error:
            screen.say(str(error))
            return
        name, t = _where_it_broke(past) if trail is None else _end_of(past, trail)
        looking.choose_point(name)
        looking.go_to(t)
        leave = behind.pop_all()  # from here on it stays open for as long as it is looked at
    screen.app.push_screen(MomentScreen(past, looking, lambda: None), lambda _: leave.close())


def _end_of(past: PastDesk, trail: int) -> tuple[str, float]:
    """The point of a wish, and when the last thing happened that followed from it."""
    record = past.bench.record
    return record[trail].subject, max((event.t for event in record.trail(trail)), default=record[trail].t)


def _where_it_broke(past: PastDesk) -> tuple[str, float]:
    """Where and when the last thing went wrong; else the last thing was done that somebody has said; else the end."""
    events = past.bench.record.since(0)
    wrong = (event for event in reversed(events) if event.kind in BROKE)
    done = (event for event in reversed(events) if event.kind in DONE and event.cause is not None)
    found = next(wrong, next(done, events[-1] if events else None))
    return (found.subject, found.t) if found is not None else ("", 0.0)
