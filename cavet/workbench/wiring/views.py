"""From the bench that runs to what the Bench screen shows: boards in cross-section, live; remarks; what is around."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import msgspec

from cavet.benchfile import LinkSetup
from cavet.boards import Board, PinMode
from cavet.finding import Found
from cavet.remarks import Remark, Weight
from cavet.units import show, show_duration, show_share
from cavet.wiring import Place, PlaceKind, Section, Told, Wiring, section_of, title_of
from cavet.wording import counted, listed, plain
from cavet.workbench.desk import Desk

TOLD = 40
"""Characters of what a part tells of itself."""


def wiring_of(desk: Desk, board: str) -> Wiring:
    """A board's wiring as it is just now, its defects included."""
    there = desk.bench.world.boards.get(board)
    swapped = dict(there.spoiled.swapped) if there is not None else {}
    known = desk.wirings.get(board)
    if known is None or known.swapped != swapped:
        known = desk.wirings[board] = Wiring(desk.bench.setup, board, swapped)
    return known


def section_view(desk: Desk, board: str, device: str = "") -> Section:
    """A board in cross-section, or the lines of one of its devices."""
    wiring = wiring_of(desk, board)
    there = desk.bench.world.boards.get(board)
    now = desk.now

    def level(place: Place) -> Told:
        return _level(there, place) if there is not None else Told()

    def state(name: str) -> Told:
        return _state(there, name, now) if there is not None else Told()

    title = f"{title_of(wiring)}{f' · {device}' if device else ''}"
    return section_of(wiring, title, _link_words(desk, wiring), device=device, level=level, state=state)


def _level(board: Board, place: Place) -> Told:
    """How a place stands: the mode and the level of a pin."""
    if place.kind not in (PlaceKind.PIN, PlaceKind.CELL) or len(place.pins) != 1:
        return Told()
    number = place.pins[0]
    if number in board.spoiled.dead:
        return Told("dead", is_wrong=True)
    if board.profile.pins[number].reserved:
        return Told()
    pin, mode = board.circuit.pins[number], board.circuit.pins[number].mode
    if mode is PinMode.BUS:
        return Told("bus, stuck low", is_wrong=True) if board.spoiled.stuck else Told("bus")
    if place.kind is PlaceKind.CELL:
        return Told("on" if pin.line else "off", is_lit=pin.line > 0) if mode is PinMode.OUTPUT else Told()
    if mode is PinMode.SERVO:
        return Told(f"servo {pin.pulse_us} µs" if pin.pulse_us else "servo, no pulses", is_lit=pin.pulse_us > 0)
    if mode in (PinMode.PWM, PinMode.DAC):
        return Told(f"{mode.value} {show_share(pin.line)}", is_lit=pin.line > 0)
    if mode is PinMode.OUTPUT:
        return Told(f"output {'high' if pin.line else 'low'}", is_lit=pin.line > 0)
    if board.circuit.wired_to(number) is None:
        return Told()
    rest = mode is PinMode.PULL_UP
    if mode is PinMode.ANALOG:
        return Told(mode.value)
    return Told(f"{mode.value} {'high' if pin.level else 'low'}", is_lit=pin.level != rest)


def _state(board: Board, name: str, now: float) -> Told:
    """How a part stands; a device, whether it answers."""
    if name in board.spoiled.silent:
        return Told("does not acknowledge", is_wrong=True)
    part = board.circuit.parts.get(name)
    if part is None or part in board.circuit.devices:
        return Told()
    told = plain(part.tells(now).replace("\n", " / "), TOLD)
    return Told(told, bool(getattr(part, "stalled", False)), bool(part.fraction(now)) and not part.senses)


def _link_words(desk: Desk, wiring: Wiring) -> tuple[tuple[str, str], ...]:
    """What is to be said of a board's links: what they are, where, how they stand."""
    found: list[tuple[str, str]] = []
    at = {endpoint.link: endpoint.address for endpoint in desk.bench.endpoints}
    hosts = {host.link: host.name for host in wiring.hosts}
    for link in wiring.links:
        settings = f" {link.settings.rate} {link.settings.form}" if link.kind == "serial" else ""
        found.append((f"{link.kind}{settings}", "paper"))
        address = at.get(link.name, "" if link.address == "simulated" else link.address)
        if address:
            found.append((plain(address), "quiet"))
        beside = [each.board for each in desk.bench.setup.on_line(link.line) if each.name != link.name]
        if beside:
            found.append((f"with {listed(beside, 'and')}", "quiet"))
        host = desk.bench.host_links.get(hosts.get(link.name, ""))
        if host is not None:
            words = plain(host.stands)
            found.append((words, "got" if host.ready else "coral"))
        elif link.name not in hosts:
            found.append(("for others" if address or link.simulated else "not known where", "quiet"))
    board = desk.bench.world.boards.get(wiring.name)
    if board is not None:
        found += [(words, "coral") for words in _spoiled_words(board)]
    return tuple(found)


def _spoiled_words(board: Board) -> list[str]:
    spoiled = board.spoiled
    return [
        words
        for words, is_so in (
            (f"loses {show(100 * spoiled.lost, '%')} of the bytes", spoiled.lost),
            (f"the board is {show_duration(spoiled.delay)} late", spoiled.delay),
            ("the board is away", spoiled.away),
            ("it reports nothing", spoiled.mute),
            (f"bus: {spoiled.stuck} stays low", spoiled.stuck),
        )
        if is_so
    ]


class FoldView(msgspec.Struct, frozen=True):
    """A board that is folded: one line of it."""

    name: str
    words: str
    count: str
    is_bad: bool = False


def fold_view(desk: Desk, board: str) -> FoldView:
    """A board in one line: what it is, how its link stands, how much of it has a point."""
    wiring = wiring_of(desk, board)
    missing = sum(wire.place is None for wire in wiring.wires)
    hosts = [desk.bench.host_links[host.name] for host in wiring.hosts if host.name in desk.bench.host_links]
    bad = next((host for host in hosts if not host.ready), None)
    links = ", ".join(_link_word(desk, link) for link in wiring.links)
    kind = wiring.board.profile.name if wiring.board is not None else "a real one"
    words = plain(bad.stands) if bad is not None else f"{kind} · {links}"
    spoiled = _spoiled_words(desk.bench.world.boards[board]) if board in desk.bench.world.boards else []
    if spoiled:
        words = spoiled[0]
    points = len(wiring.points)
    count = counted(points, "point") + (f", {missing} at nothing" if missing else "")
    return FoldView(board, words, count, is_bad=bad is not None or bool(spoiled) or missing > 0)


def _link_word(desk: Desk, link: LinkSetup) -> str:
    """A link in a few words: what is spoken, and where."""
    at = {endpoint.link: endpoint.address for endpoint in desk.bench.endpoints}
    where = plain(at.get(link.name, "" if link.simulated else link.address))
    rate = f" {link.settings.rate}" if link.kind == "serial" else ""
    spoken = "I2C and SPI" if link.kind == "buses" else link.protocol
    return f"{spoken}{rate} {where}".rstrip()


class RemarkView(msgspec.Struct, frozen=True, kw_only=True):
    """A remark as it is shown."""

    weight: str
    what: str
    why: str
    mend: str = ""


class RemarksView(msgspec.Struct, frozen=True, kw_only=True):
    """All remarks, and what is well; `cursor` is -1 where none is chosen."""

    remarks: tuple[RemarkView, ...]
    well: tuple[str, ...]
    cursor: int = -1
    changed: str = ""
    """What was changed and is not saved yet, in words."""


def remarks_view(remarks: Sequence[Remark], well: Sequence[str], cursor: int, changed: str) -> RemarksView:
    """What there is to say of the bench."""
    shown = tuple(
        RemarkView(
            weight=remark.weight.value, what=plain(remark.what), why=plain(remark.why),
            mend=plain(remark.mend.words) if remark.mend is not None else "",
        )
        for remark in remarks
    )  # fmt: skip
    return RemarksView(remarks=shown, well=tuple(well), cursor=cursor, changed=changed)


def remarks_note(remarks: Sequence[Remark]) -> str:
    """How many remarks there are, and the key that shows them; "" where there is none that matters."""
    wrong = sum(remark.weight is Weight.WRONG for remark in remarks)
    if not remarks:
        return ""
    count = counted(len(remarks), "remark")
    return f"r: {count}, {wrong} wrong" if wrong else f"r: {count}"


class AroundRow(msgspec.Struct, frozen=True, kw_only=True):
    """Something that is around: where, what it says it is, and whose it is."""

    kind: str
    address: str
    told: str = ""
    whose: str = ""
    """The board of the bench that it is, "" for none."""
    news: str = ""
    """That it came, or has gone."""
    is_gone: bool = False


class AroundView(msgspec.Struct, frozen=True, kw_only=True):
    """What is around this machine."""

    rows: tuple[AroundRow, ...]
    looked: str
    cursor: int = -1


def _boards_at(places: Iterable[tuple[str, str]]) -> dict[str, str]:
    """The boards at each address; several hang on a line that is shared, and are at one broker."""
    found: dict[str, list[str]] = {}
    for address, board in places:
        found.setdefault(address, []).append(board)
    return {address: ", ".join(boards) for address, boards in found.items()}


def around_rows(desk: Desk, found: Sequence[Found], told: dict[str, str], news: dict[str, str]) -> list[AroundRow]:
    """The endpoints of this bench, and what the machine has besides."""
    endpoints, links = desk.bench.endpoints, desk.bench.setup.links.values()
    served = _boards_at((endpoint.address, endpoint.board) for endpoint in endpoints)
    rows = [
        AroundRow(
            kind=endpoint.kind, address=plain(endpoint.address), whose=served[endpoint.address],
            told=told.get(endpoint.address, f"simulated, {endpoint.setup.protocol}"),
        )
        for endpoint in {endpoint.address: endpoint for endpoint in reversed(endpoints)}.values()
    ][::-1]  # fmt: skip
    real = _boards_at((link.address, link.board) for link in links if not link.simulated and link.address)
    for each in found:
        busy = f"in use by {each.by}" if each.busy else ""
        words = ", ".join(word for word in (each.description, each.vendor, busy) if word)
        rows.append(
            AroundRow(
                kind=each.kind, address=plain(each.address), told=plain(told.get(each.address, words)),
                whose=real.get(each.address, ""), news=news.get(each.address, ""),
            )
        )  # fmt: skip
    here = {row.address for row in rows}
    rows += [
        AroundRow(kind="", address=plain(address), news=words, is_gone=True)
        for address, words in news.items() if plain(address) not in here
    ]  # fmt: skip
    missing = [(address, board) for address, board in real.items() if address not in here]
    rows += [
        AroundRow(kind="link", address=plain(address), whose=board, told=told.get(address, "named in the bench"))
        for address, board in missing
    ]
    return rows
