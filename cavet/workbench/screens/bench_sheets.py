"""The sheets of the Bench screen: the pin map, and what there is to say of a row."""

from __future__ import annotations

from collections.abc import Iterator

from cavet.benchfile import BenchFile, board_rows
from cavet.drawings.canvas import ASKED, CORAL, GOT, PAPER, QUIET
from cavet.remarks import Remark
from cavet.settings import keys_of
from cavet.wiring import SectionRow, range_of
from cavet.wording import listed, plain
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.sheet import Line, Sheet
from cavet.workbench.wiring.keys import raw_table, shown_value
from cavet.workbench.wiring.views import AroundRow, wiring_of

Thing = tuple[str, ...]
"""Something in the file that can be changed: the table it is."""
SINGLE = ("bus", "identity", "station", "usb")
"""Tables that a board has one of."""
BOARD_TABLES = (*SINGLE, "supplies", "reflexes")

GONE = "it is not on this bench any more"


def pin_sheet(desk: Desk, board: str) -> Sheet:
    """Every pin with all its numbers, what it can do, what hangs there, who believes in it."""
    if board not in desk.bench.setup.boards:
        return Sheet(f"the pins of {board}", [[("it is a real one: its pins are not known here", QUIET)]])
    rows = board_rows(desk.bench.setup, board)["pins"]
    lines: list[Line] = [
        [(f"{'pin':>4}  {'also':<5} {'channel':<8} {'hangs there':<18} {'believed':<18} it can", QUIET)]
    ]
    for row in rows:
        parts, points = ", ".join(row["parts"]), ", ".join(row["points"])
        channel = "" if row["channel"] is None else str(row["channel"])
        can = listed(list(row["modes"]), "and") if row["modes"] else plain(row["kept_for"])
        lines.append([
            (f"{row['pin']:>4}  ", PAPER._replace(bold=bool(parts))), (f"{row['label']:<5} {channel:<8} ", PAPER),
            (f"{parts:<18.18} ", GOT), (f"{points:<18.18} ", ASKED), (can, QUIET),
        ])  # fmt: skip
    if not rows:
        lines = [[("it has no pins of its own: what hangs there hangs on buses", QUIET)]]
    return Sheet(f"the pins of {board}, a {desk.bench.setup.boards[board].profile.name}", lines)


def row_sheet(desk: Desk, board: str, row: SectionRow | None, remarks: list[Remark]) -> Sheet:
    """What is believed, what is there, and what is to be said of it."""
    lines = [*_believed(desk, board, row), *_hanging(desk, board, row)] if row is not None else []
    names = {name for name in row.believed.names if name in desk.bench.setup.points} if row and row.believed else set()
    if row is not None and row.hanging is not None and row.hanging.name:
        names.add(f"{board}.{row.hanging.name}")
    if row is not None and not lines:
        lines.append([(_nothing_at(row), QUIET)])
    for remark in remarks:
        if names & set(remark.subjects) or not row:
            lines += [
                [],
                [(f"{remark.name}  ", CORAL), (plain(remark.what), PAPER)],
                [("  ", QUIET), (plain(remark.why), QUIET)],
            ]
    is_pin = row is not None and row.key[0] == "pin"
    title = f"{'pin ' * is_pin}{plain(row.place)}" if row is not None else board
    return Sheet(f"{board}: {title}", lines or [[("nothing to say", QUIET)]])


def _nothing_at(row: SectionRow) -> str:
    """What there is to say of a place where nothing is."""
    if row.level.startswith("bus"):
        return "a wire of the bus: what hangs on that has rows of its own, by its addresses"
    what = f"{plain(row.note)}; " if row.note else ""
    return f"{what}no point is at it, and nothing hangs there"


def _believed(desk: Desk, board: str, row: SectionRow) -> Iterator[Line]:
    """The points at a place, and where each leads."""
    for name in row.believed.names if row.believed is not None else ():
        point = desk.bench.setup.points.get(name)
        if point is None:
            yield [("believed  ", QUIET), (f"{name}  ", ASKED), (GONE, QUIET)]
            continue
        said = f"{point.kind.value} at {plain(point.where)}, {range_of(point)}"
        yield [("believed  ", QUIET), (f"{name}  ", ASKED), (said, PAPER)]
        named, reached = point.part or name, wiring_of(desk, board).reached(point)
        if reached:
            leads = f"leads to {listed(reached, 'and')}" + ("" if named in reached else f", and means {named}")
            yield [("          ", QUIET), (leads, GOT if named in reached else CORAL)]


def _hanging(desk: Desk, board: str, row: SectionRow) -> Iterator[Line]:
    """What hangs at a place, with its keys; of one that hangs at several, by which of its wires."""
    there = desk.bench.setup.boards.get(board)
    if row.hanging is None or there is None:
        return
    name, *wire = (row.hanging.name,) if row.hanging.name else row.hanging.note.split(", ", 1)
    table = there.parts.get(name)
    keys = GONE
    if table is not None:
        values = [(key, getattr(table, key.field)) for key in keys_of(type(table))]
        keys = ", ".join(
            f"{key.name} {shown_value(key, value)}" for key, value in values if value not in (None, "", ())
        )
    said = f"its {wire[0]}" if wire else keys
    yield [("there     ", QUIET), (f"{plain(name)}  ", GOT), (plain(said), PAPER)]


def around_sheet(row: AroundRow) -> Sheet:
    """All that is known of something around this machine."""
    lines: list[Line] = [
        [("what    ", QUIET), (row.kind, PAPER)], [("told    ", QUIET), (row.told or "nothing yet: i asks it", PAPER)],
        [("whose   ", QUIET), (row.whose or "not in this bench: t takes it in", GOT if row.whose else QUIET)],
    ]  # fmt: skip
    if row.news:
        lines.append([("news    ", QUIET), (row.news, PAPER)])
    return Sheet(row.address, lines)


def things_in(desk: Desk, board: str, row: SectionRow) -> list[Thing]:
    """What of a row can be changed in the file: its points, its part, its entry in the board's map, the link."""
    things: list[Thing] = []
    if row.believed is not None:
        things += [("points", name) for name in row.believed.names]
    if row.hanging is not None and row.hanging.name:
        things.append(("boards", board, "parts", row.hanging.name))
    wiring = wiring_of(desk, board)
    place = wiring.by_key.get(row.key)
    if place is not None and place.table and place.table[0] != "parts":
        things.append(("boards", board, *place.table))
    things += [("links", link.name) for link in wiring.links]
    return things


def things_of(file: BenchFile, board: str) -> list[Thing]:
    """What of a board as a whole can be changed in the file: the board, its links and hosts, what belongs to it."""
    setup = file.setup
    links = [name for name, link in setup.links.items() if link.board == board]
    things: list[Thing] = [("boards", board)] if board in setup.boards else []
    things += [("links", name) for name in links]
    things += [("hosts", name) for name, host in setup.hosts.items() if host.link in links]
    table = raw_table(file, ("boards", board))
    for section in BOARD_TABLES:
        within = table.get(section, {})
        if section in SINGLE:
            things += [("boards", board, section)] if within else []
        else:
            things += [("boards", board, section, name) for name in within]
    return [*things, *(("defects", name) for name, defect in setup.defects.items() if defect.board == board)]
