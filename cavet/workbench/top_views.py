"""From the bench that runs to what the top line says."""

from __future__ import annotations

from cavet.units import show_clock
from cavet.wording import plain
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.lines import TopView


def _may_be_there(desk: Desk, host: str) -> bool:
    """Whether nothing says that a board is gone."""
    presence = desk.standings.presence_of(host)
    return presence is None or presence.here is not False


def top_view(desk: Desk, screen: str, screens: tuple[str, ...]) -> TopView:
    """What the top line says."""
    links = list(desk.bench.host_links.values())
    ready = sum(desk.bench.is_ready(name) and _may_be_there(desk, name) for name in desk.bench.host_links)
    boards = desk.past or (
        f"{ready} of {len(links)} boards ready"
        if len(links) > 1
        else ("board ready" if ready else "board not ready")
        if links
        else "no board yet"
    )
    return TopView(
        bench=plain(desk.bench.setup.name, 40),
        screen=screen,
        screens=screens,
        clock=show_clock(desk.now),
        speed="",
        boards=boards,
        boards_are_here=ready == len(links),
        defects=sum(defect.on for defect in desk.bench.world.defects.values()),
        broken=len(desk.unseen()),
        not_recorded=bool(desk.record_problem()),
    )
