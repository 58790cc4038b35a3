"""From the bench to the pictures of its boards: plain values, made anew at each look."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from math import nan
from typing import Any

import msgspec

from cavet import units
from cavet.benchfile import OWN, Setup, line_names
from cavet.boards import Board, Pin, PinMode
from cavet.boards.buses import BusDevice, Expander, Matrix, MatrixChain, OneWireDevice, Panel, SpiChip
from cavet.boards.parts import ColourLamp, Part, Sign
from cavet.hosts import Asked, Point, SessionState
from cavet.units import show_duration
from cavet.wording import plain
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.devices import DeviceView
from cavet.workbench.drawing.parts import PartView
from cavet.workbench.drawing.rig import BasinView, flow_from
from cavet.workbench.drawing.spine import HEAD_ROWS, BeliefView, BoardView, PinView
from cavet.workbench.presence import presence_words
from cavet.workbench.rail_views import rounded, share_of
from cavet.workbench.roster import Roster


def boards_view(
    setup: Setup, roster: Roster, point: Point, rows: int, board_at: Callable[[Point], BoardView]
) -> tuple[BoardView, ...]:
    """The board that a point is on; where all of a bench might have room in so many rows, the others with it, each
    once."""
    if len(roster) + len(roster.boards) * HEAD_ROWS > rows:
        return (board_at(point),)
    hosts = {setup.board_of(host): host for host in (*reversed(roster.boards), point.board)}
    order = dict.fromkeys(setup.board_of(host) for host in roster.boards)
    return tuple(
        board_at(point)
        if hosts[board] == point.board
        else msgspec.structs.replace(board_at(roster.points_of(hosts[board])[0]), cursor="")
        for board in order
    )


def board_view(desk: Desk, point: Point) -> BoardView:
    """The board that a point is on."""
    head = _head_of_board(desk, point.board)
    board = desk.standings.board_of(point)
    if board is None:
        return BoardView(
            **head,
            profile=desk.bench.link_of(point).session.name or "board",
            cursor=point.name,
            **believed(
                [each for each in desk.points if each.board == point.board], lambda each: desk.standing(each).got
            ),
        )
    now = desk.now
    return BoardView(
        **head,
        profile=board.profile.name,
        pins=tuple(pin_view(board, pin, now) for pin in board.circuit.pins.values()),
        parts=tuple(_parts(desk, board, now)),
        devices=_devices(desk, board, point),
        bus=_bus_pins(board),
        spare=tuple(d.wires["interrupt"] for d in board.circuit.devices if "interrupt" in d.wires),
        current=1000 * board.circuit.current(now),
        current_limit=1000 * board.profile.board_current,
        basins=_basins(desk),
        cursor=point.part or point.name,
    )


def _parts(desk: Desk, board: Board, now: float) -> list[PartView]:
    """What hangs at the board's pins."""
    shown = shown_parts(board.circuit.parts.values())
    return [msgspec.structs.replace(_part(desk, board, part, now), name=name) for name, part in shown.items()]


def shown_parts(parts: Iterable[Part]) -> dict[str, Part]:
    """The parts that are drawn at a board's pins, by what they are called there: of the devices on a OneWire line the
    first stands for all."""
    found, lines = dict[str, Part](), dict[int, list[Part]]()
    for part in parts:
        if isinstance(part, OneWireDevice):
            lines.setdefault(part.wires["pin"], []).append(part)
        elif not part.hangs_on and not isinstance(part, BusDevice | SpiChip):
            found[part.name] = part
    for first, *others in lines.values():
        found[f"{first.name} +{len(others)}" if others else first.name] = first
    return found


def _head_of_board(desk: Desk, name: str) -> dict[str, Any]:
    """What is spoken with a board and over what, how the link stands, and how fast it answers."""
    link = desk.bench.host_links[name]
    session = link.session
    settings = link.link.settings
    carrier = "our own broker" if link.link.broker == OWN else "broker" if link.link.broker else link.link.kind
    line = f"{session.title} · {carrier}"
    line += f" {units.show(settings.rate)} {settings.form}" if link.link.kind == "serial" else ""
    bad = bool(link.problem) or session.state is SessionState.SILENT or not link.held
    words = link.stands
    presence = desk.standings.presence_of(name)
    if fault := desk.bench.fault_of(name):
        words, bad = f"stopped by a fault, F2 starts it again: {fault}", True
    elif presence is not None and link.ready:
        words, is_gone = presence_words(presence, desk.now)
        bad = bad or is_gone
    says = f" · says: {session.texts[-1]}" if session.texts and link.ready else ""
    fast = session.round_trip if link.ready else None
    answers = f"answers in {show_duration(fast)}" if fast is not None else ""
    return {
        "name": name, "line": line, "state": f"{link.address}  {words}{says}", "state_is_bad": bad, "answers": answers
    }  # fmt: skip


def believed(points: Sequence[Point], got_of: Callable[[Point], Asked | None]) -> dict[str, Any]:
    """A real board as its host believes it to be: the pins that its points are on, what hangs there with what was read
    back last, and the points that are on no pins."""
    got = {point.name: got_of(point) for point in points}
    modes = {pin: mode for point in points for pin, mode in point.modes().items()}
    return {
        "pins": tuple(PinView(number=number, mode=modes[number]) for number in sorted(modes)),
        "parts": tuple(_believed_part(point, got[point.name]) for point in points),
        "beliefs": tuple(
            BeliefView(
                name=point.name, where=plain(point.where), read=rounded(point, got[point.name]),
                senses=not point.kind.is_output,
            )
            for point in points if not point.modes()
        ),
    }  # fmt: skip


def _believed_part(point: Point, got: Asked | None) -> PartView:
    return PartView(
        name=point.name,
        kind="",
        tells=f"read {rounded(point, got)}" if got is not None else "unseen",
        fraction=share_of(point, got) or 0.0,
        senses=not point.kind.is_output,
        pins=tuple(point.modes()),
    )


def pin_view(board: Board, pin: Pin, now: float) -> PinView:
    """One pin of a simulated board, as it stands."""
    profile = board.profile.pins[pin.number]
    if profile.reserved:
        return PinView(number=pin.number, label=profile.label, mode="link")
    kind, level = "rests", 0.0
    if pin.mode in (PinMode.OUTPUT, PinMode.PWM, PinMode.DAC, PinMode.TONE):
        kind, level = "drives", pin.line
    elif pin.mode is PinMode.SERVO:
        kind, level = "pulses", float(pin.pulse > 0)
    elif pin.mode is PinMode.STEPPER:
        kind, level = "pulses", float(pin.stepping is not None and now < pin.stepping.travel.arrives)
    elif pin.mode is PinMode.ANALOG:
        wired = board.circuit.wired_to(pin.number)
        kind, level = "reads", voltage_level(wired[0].kind, wired[0].fraction(now)) if wired else 0.0
    elif pin.mode is not PinMode.BUS and board.circuit.wired_to(pin.number):
        kind, level = "reads", float(pin.level)
    return PinView(number=pin.number, label=profile.label, mode=pin.mode.value, level=level, kind=kind)


def fine(share: float) -> float:
    """As fine as pictures show it, so that what hardly moves is not drawn anew; and what is not 0 does not become 0."""
    return round(share, 4) or share


def voltage_level(kind: str, fraction: float) -> float:
    """How much of a voltage is drawn for a part of a kind that stands so; without the noise, which a look must not use
    up."""
    return fine(0.02 + 0.96 * ((fraction + 1) / 2 if kind == "lever" else fraction))


def _part(desk: Desk, board: Board, part: Part, now: float) -> PartView:
    return PartView(
        name=part.name,
        kind=part.kind,
        tells=plain(part.tells(now).replace("\n", " / ")),
        fraction=fine(part.fraction(now)),
        columns=part.columns if isinstance(part, Sign) else 0,
        colour=part.colour if isinstance(part, ColourLamp) else "",
        senses=part.senses,
        pins=tuple(sorted(part.wires.values())),
        turn=desk.following.turns.get(f"{board.name}.{part.name}", 0.0),
        fault=getattr(part, "stalled", False),
    )


def _bus_pins(board: Board) -> tuple[int, ...]:
    """The pins of the bus, where something hangs on it, and of interrupt lines."""
    return tuple(sorted({pin for device in board.circuit.devices for pin in device.wires.values()}))


def _devices(desk: Desk, board: Board, point: Point) -> tuple[DeviceView, ...]:
    """What hangs on the board's buses, I2C and SPI."""
    parts = board.circuit.parts.values()
    return tuple(_device(desk, board, part, point) for part in parts if isinstance(part, BusDevice | SpiChip))


def _device(desk: Desk, board: Board, device: BusDevice | SpiChip, point: Point) -> DeviceView:
    now = desk.now
    wanted = point.part or point.name
    hanging = {
        line: part
        for part in board.circuit.parts.values()
        if part.hangs_on == device.name
        for line in part.wires.values()
    }
    more: dict[str, Any] = {"tells": plain(device.tells(now).replace("\n", " / "))}
    if isinstance(device, Panel):
        text = device.shows(now).split("\n")
        more["text"] = tuple(plain(row) for row in [*text, *[""] * device.rows][: device.rows])
        more |= {"columns": device.columns, "cursor": device.controller.cursor(), "lit": device.light}
    elif isinstance(device, Matrix):
        more |= {"dots": (device.rows(now),), "glow": device.brightness}
    elif isinstance(device, MatrixChain):
        more |= {"dots": device.rows(now), "glow": device.brightness}
    elif device.lines is not None:
        names = line_names(device.kind)
        more["lines"] = tuple(
            (names[line], _part(desk, board, hanging[line], now) if line in hanging else None)
            for line in range(len(device.lines.pins))
        )
        more["tells"] = "interrupt" if isinstance(device, Expander) and device.interrupts else ""
    on_it = [part.name for part in hanging.values()]
    return DeviceView(
        name=device.name,
        kind=device.kind,
        where=f"0x{device.address:02X}" if isinstance(device, BusDevice) else "SPI",
        marked=wanted == device.name or wanted in on_it,
        marked_part=wanted,
        **more,
    )


def _basins(desk: Desk) -> tuple[BasinView, ...]:
    rig = desk.bench.world.rig
    basins = desk.bench.setup.basins
    views = []
    for place, basin in enumerate(basins):
        quantity = desk.bench.setup.rig[basin.quantity]
        value = rig.value(basin.quantity)
        after = rig.value(basins[place + 1].quantity) if place + 1 < len(basins) else nan
        views.append(
            BasinView(
                name=basin.quantity,
                share=fine((value - quantity.low) / (quantity.high - quantity.low)),
                tells=quantity.show(value),
                marked=abs(rig.rate(basin.quantity)) > 1.0,
                wall=place + 1 < len(basins),
                opening=_opening(desk, basin.opening),
                gate=rig.value(basin.gate) / 100 if basin.gate else 0.0,
                flow=flow_from(value, after),
            )
        )
    return tuple(views)


def _opening(desk: Desk, path: str) -> float:
    if not path or path.partition(".")[0] not in desk.bench.world.boards:
        return 0.0
    return desk.bench.world.part(path).fraction(desk.now)


# the top line
