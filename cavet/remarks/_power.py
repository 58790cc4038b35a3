"""Rules about what moves: its supply, its turning, and what stops it."""

from __future__ import annotations

from collections.abc import Iterator
from math import inf

from cavet.benchfile import HostSetup
from cavet.boards import BOARD_SUPPLY, OWN_SUPPLY
from cavet.boards.parts import MotorSettings, ServoSettings
from cavet.hosts import DevicePoint, PinPoint, PointKind
from cavet.remarks._around import Around, part_key, point_key
from cavet.remarks._mending import Edit, Mend
from cavet.remarks._remark import Remark, Weight
from cavet.units import show, show_duration
from cavet.wiring import Wiring
from cavet.wording import digits, listed

HEAVY = ("motor", "pump", "servo", "stepper", "heater", "valve")
"""What does harm when nobody stops it."""
USUAL_PAUSE = "200 ms"
FAILSAFE_SECONDS = 2.0
USUAL_FAILSAFE = f"{digits(FAILSAFE_SECONDS)} s"
FAILSAFE_SHARE = 4
"""So often a host says something in that time, lest one that is lost counts as silence."""


def supplies_shared(around: Around) -> Iterator[Remark]:
    """A motor, or more than one servo, on the board's own supply; and more on another than that can give."""
    for board, _ in around.simulated():
        moving = {
            name: table for name, table in board.parts.items() if isinstance(table, MotorSettings | ServoSettings)
        }
        on_board = [name for name, table in moving.items() if table.supply == BOARD_SUPPLY]
        motors = [name for name in on_board if isinstance(moving[name], MotorSettings)]
        if motors or len(on_board) > 1:
            yield Remark(
                name="supply-shared", keys=part_key(board.name, (motors or on_board)[-1], "supply"),
                weight=Weight.WRONG,
                what=f"{listed(on_board, 'and')} on the {board.name}'s own supply of {show(board.profile.supply, 'V')}",
                why="at its start a motor draws many times its running current: the supply sags, the board resets, and "
                "that looks like a fault of the program",
                mend=Mend("a supply of their own", tuple(
                    Edit(part_key(board.name, name, "supply"), OWN_SUPPLY) for name in on_board
                )),
                subjects=tuple(f"{board.name}.{name}" for name in on_board),
            )  # fmt: skip
        parts = around.boards[board.name].circuit.parts
        for supply, setup in board.supplies.items():
            there = [name for name, table in moving.items() if table.supply == supply]
            drawn = sum(parts[name].greatest_current for name in there)
            if drawn > setup.amperes:
                yield Remark(
                    name="supply-current", keys=("boards", board.name, "supplies", supply, "amperes"),
                    weight=Weight.DOUBTFUL,
                    what=f"{listed(there, 'and')} draw up to {show(round(drawn, 3), 'A')} from {supply}, which gives "
                    f"{show(setup.amperes, 'A')}",
                    why="held back all at once they pull its voltage down, and none of them gets on",
                    subjects=tuple(f"{board.name}.{name}" for name in there),
                )  # fmt: skip


def reversals_without_pause(around: Around) -> Iterator[Remark]:
    """Bridges that are turned the other way at once."""
    for point in around.setup.points.values():
        if not isinstance(point, PinPoint) or point.kind is not PointKind.BRIDGE or point.pause:
            continue
        if min(point.low, point.high) < 0 < max(point.low, point.high):
            yield Remark(
                name="reversal-without-pause", keys=point_key(point, "pause"), weight=Weight.DOUBTFUL,
                what=f"{point.name} may be turned from full ahead to full astern at once",
                why="a motor that still runs feeds the bridge: reversed at once it draws twice its stall current, and "
                "gears take the blow",
                mend=Mend(f"a pause of {USUAL_PAUSE}", (Edit(point_key(point, "pause"), USUAL_PAUSE),)),
                subjects=(point.name,),
            )  # fmt: skip


def no_failsafe(around: Around) -> Iterator[Remark]:
    """Boards at which something heavy moves, and that go on when their host falls silent."""
    for board, wiring in around.simulated():
        heavy = [name for name, table in board.parts.items() if table.kind in HEAVY]
        if not heavy or board.failsafe or board.firmware in ("target", "buses"):
            continue
        alive = _kept_alive(wiring, FAILSAFE_SECONDS)
        driven = {name for point in wiring.points if point.kind.is_output for name in wiring.reached(point)}
        heavy = [name for name in heavy if name in driven] or heavy
        yield Remark(
            name="no-failsafe", keys=("boards", board.name, "failsafe"), weight=Weight.DOUBTFUL,
            what=f"nothing stops {listed(heavy, 'or')} when the link to the {board.name} is lost",
            why="a program that has ended, or a plug that was pulled, leaves them as they were told last",
            mend=Mend(
                f"outputs go low after {USUAL_FAILSAFE} of silence"
                + (f"; its host says something every {alive[0].value}" if alive else ""),
                (Edit(("boards", board.name, "failsafe"), USUAL_FAILSAFE), *alive),
            ),
            subjects=tuple(f"{board.name}.{name}" for name in heavy),
        )  # fmt: skip


def failsafes_trip(around: Around) -> Iterator[Remark]:
    """Boards that take their host for gone, though it is only silent."""
    for board, wiring in around.simulated():
        silences = [silence for host in wiring.hosts if (silence := _silence_of(host, wiring)) is not None]
        if not board.failsafe or not silences or min(silences) < board.failsafe:
            continue
        edits = _kept_alive(wiring, board.failsafe)
        yield Remark(
            name="failsafe-trips", keys=("boards", board.name, "failsafe"), weight=Weight.DOUBTFUL,
            what=f"outputs of the {board.name} go low though its host is there: that is silent for longer than "
            f"{show_duration(board.failsafe)}",
            why="what was set and confirmed is undone while nobody says anything, and the host does not hear of it",
            mend=Mend(f"it says something every {edits[0].value}", edits) if edits else None,
            subjects=(board.name,),
        )  # fmt: skip


def _silence_of(host: HostSetup, wiring: Wiring) -> float | None:
    """How long a host may say nothing, in seconds; `None` where others between them keep the line alive, or none is."""
    settings = host.settings
    if host.protocol in ("mqtt", "buses"):
        return None
    if host.protocol == "firmata":
        return min(settings.alive or inf, settings.poll if _is_polled(host, wiring) else inf)
    if host.format is not None and not host.format.asks:
        return inf
    return settings.poll


def _is_polled(host: HostSetup, wiring: Wiring) -> bool:
    """Whether something on the board's bus is read at every interval."""
    at_devices = [point for point in wiring.points if isinstance(point, DevicePoint) and point.board == host.name]
    inputs = {point.device for point in at_devices if not point.kind.is_output}
    devices = [host.devices[name] for name in sorted({point.device for point in at_devices})]
    expanders = any(device.kind == "expander" and device.reads == "poll" for device in devices)
    return expanders or any(device.kind == "registers" and device.name in inputs for device in devices)


def _kept_alive(wiring: Wiring, failsafe: float) -> tuple[Edit, ...]:
    """What makes hosts say something often enough; nothing for those that do, or have nothing to say."""
    wanted = f"{round(1000 * failsafe / FAILSAFE_SHARE):.0f} ms"
    return tuple(
        Edit(("hosts", host.name, "alive" if host.protocol == "firmata" else "poll"), wanted)
        for host in wiring.hosts
        if (silence := _silence_of(host, wiring)) is not None and silence >= failsafe
        and (host.format is None or host.format.asks)
    )  # fmt: skip
