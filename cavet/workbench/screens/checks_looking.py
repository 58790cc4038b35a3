"""A run of a check to be looked at: done once more with its record kept, and shown as it stood where it broke."""

from __future__ import annotations

import asyncio
import tempfile
from pathlib import Path

from cavet.bench import PastBench
from cavet.benchfile import Setup
from cavet.checks import Came, Case, carry_out
from cavet.record import Kind, RecordFile
from cavet.wording import WrongError
from cavet.workbench.desk import Desk
from cavet.workbench.past import PastDesk
from cavet.workbench.record.looking import Looking
from cavet.workbench.screens.frame import Frame
from cavet.workbench.screens.moment import MomentScreen

BROKE = (Kind.UNCONFIRMED, Kind.REFUSED, Kind.LOST, Kind.FAULT)


async def look_at(screen: Frame, desk: Desk, setup: Setup, case: Case, trail: int | None = None) -> None:
    """Do a run once more, beside everything else; then show it where it broke, or where a trail ended."""
    folder = tempfile.TemporaryDirectory(prefix="cavet-")
    path = Path(folder.name) / "run.record"

    def run() -> Came:
        return carry_out(setup, case, record=path, whole=True)

    try:
        await asyncio.to_thread(run)
        file = RecordFile(path)
    except (WrongError, ExceptionGroup) as error:
        screen.say(str(error))
        folder.cleanup()
        return
    past = PastDesk(PastBench(setup, file))
    looking = Looking(past.bench)
    while not (past.stirs() is False and looking.is_read):
        looking.follow()
    looking.go_to(_where_it_broke(past) if trail is None else _end_of(past, trail))

    def left(to: str | None) -> None:
        file.close()
        folder.cleanup()

    screen.app.push_screen(MomentScreen(past, looking, lambda: None), left)


def _end_of(past: PastDesk, trail: int) -> float:
    """When the last thing happened that followed from a wish."""
    return max((event.t for event in past.bench.record.trail(trail)), default=_where_it_broke(past))


def _where_it_broke(past: PastDesk) -> float:
    """When the last thing went wrong; the end, where nothing did."""
    events = past.bench.record.since(0)
    return next((event.t for event in reversed(events) if event.kind in BROKE), events[-1].t if events else 0.0)
