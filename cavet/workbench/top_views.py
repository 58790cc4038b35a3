"""From the bench that runs to what the top line says."""

from __future__ import annotations

from cavet.units import show_clock
from cavet.wording import plain
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.lines import TopView


def _is_ready(desk: Desk, host: str) -> bool:
    """Whether a host's board can be asked, and nothing says that it is gone."""
    presence = desk.standings.presence_of(host)
    return desk.bench.is_ready(host) and (presence is None or presence.here is not False)


def top_view(desk: Desk, screen: str, screens: tuple[str, ...]) -> TopView:
    """What the top line says."""
    setup, hosts = desk.bench.setup, list(desk.bench.host_links)
    there = {setup.board_of(host) for host in hosts}
    ready = len(there - {setup.board_of(host) for host in hosts if not _is_ready(desk, host)})
    boards = desk.past or (
        f"{ready} of {len(there)} boards ready"
        if len(there) > 1
        else ("board ready" if ready else "board not ready")
        if there
        else "no board yet"
    )
    return TopView(
        bench=plain(setup.name, 40),
        screen=screen,
        screens=screens,
        clock=show_clock(desk.now),
        speed="",
        boards=boards,
        boards_are_here=ready == len(there),
        defects=sum(defect.on for defect in desk.bench.world.defects.values()),
        broken=len(desk.unseen()),
        not_recorded=bool(desk.record_problem()),
    )
