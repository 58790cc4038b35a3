"""From the set-up of a bench to its boards, parts and sessions."""

from __future__ import annotations

from collections.abc import Callable, Collection
from copy import copy
from math import inf
from typing import Any

from cavet.benchfile._setup import BoardSetup, HostSetup, Setup
from cavet.benchfile.boards import Making
from cavet.benchfile.hosts import PROTOCOLS
from cavet.boards import KINDS, Board, Cable, Circuit, Profile, Rig, World
from cavet.boards.buses import TargetBoard
from cavet.boards.firmware import Broker
from cavet.boards.parts import Around
from cavet.expressions import Expression
from cavet.hosts import Session
from cavet.record import Record, Tell

BROKER = "broker"
"""The name of our own broker, which is a board like others, but for its pins: it has none."""


class RigNow:
    """The rig as it is now: another one, when the bench was changed while it ran."""

    rig: Rig


def build_world(
    setup: Setup, names: list[str], record: Record, *, broker: bool = False, before: World | None = None,
    same: Collection[str] = (), rig_now: RigNow | None = None,
) -> World:  # fmt: skip
    """Make the simulated boards of these names, with the rig and the defects; and our own broker, if it is needed.

    Where a bench is changed while it runs, the boards that stay the `same` are taken over from the world `before`.
    """
    kept = {name: before.boards[name] for name in same if name in before.boards} if before is not None else {}
    circuits = {
        name: kept[name].circuit if name in kept else _build_circuit(board, setup.seed, record)
        for name, board in setup.boards.items()
    }
    movers = {f"{name}.{part.name}": part for name, circuit in circuits.items() for part in circuit.parts.values()}
    read = [expression for board in setup.boards.values() for expression in board.device.expressions.values()]
    settings = [each for board in setup.boards.values() for each in board.parts.values()]
    read += [expression for each in settings for expression in each.expressions.values()]
    rig = Rig(list(setup.rig.values()), dict(movers), read)
    now = rig_now or RigNow()
    now.rig = rig
    for name, circuit in circuits.items():
        for part in circuit.parts.values():
            part.join(rig, Tell(record, name), circuit.stir)
            if name not in names:
                part.wake = inf  # it stays as it is: nobody brings it through time
    targets = {
        part.board: part
        for circuit in circuits.values()
        for part in circuit.parts.values()
        if isinstance(part, TargetBoard)
    }
    boards = [
        kept[name]
        if name in kept
        else _build_board(setup.boards[name], circuits[name], now, record, targets.get(name), setup.seed)
        for name in names
    ]
    running = {board.name: board for board in boards}
    for name in names:
        for part in circuits[name].parts.values():
            if isinstance(part, Cable):
                part.plug(running.get(part.board))
    if broker:
        old = before.boards.get(BROKER) if before is not None else None
        boards.append(old or _build_broker(setup, record))
    defects = [copy(defect) for defect in setup.defects.values() if defect.board in names]
    return World(boards, rig, defects, record, frozenset(circuits).difference(names))


def _build_circuit(setup: BoardSetup, seed: str, record: Record) -> Circuit:
    around = Around(f"{seed}/{setup.name}", setup.profile)
    parts = {name: KINDS[settings.kind](name, settings, around) for name, settings in setup.parts.items()}
    for part in parts.values():
        part.meet(parts)
    return Circuit(setup.profile, list(parts.values()), Tell(record, setup.name))


def _build_board(
    setup: BoardSetup, circuit: Circuit, rig: RigNow, record: Record, target: TargetBoard | None, seed: str
) -> Board:
    tell = Tell(record, setup.name)

    def read(expressions: dict[str, Expression]) -> dict[str, Callable[[], float]]:
        return {name: _reading(rig, expression) for name, expression in expressions.items()}

    making = Making(circuit=circuit, tell=tell, name=setup.firmware_name, read=read, target=target)
    firmware = setup.device.firmware(making)
    return Board(setup.name, circuit, firmware, tell, failsafe=setup.failsafe, reflexes=list(setup.reflexes), seed=seed)


def _build_broker(setup: Setup, record: Record) -> Board:
    tell = Tell(record, BROKER)
    circuit = Circuit(Profile(name=BROKER, pins={}), [], tell)
    return Board(BROKER, circuit, Broker(setup.broker.limits, tell), tell)


def _reading(now: RigNow, expression: Expression) -> Callable[[], float]:
    """Reads an expression off the rig, whichever it is."""
    bound = (now.rig, now.rig.bind(expression))

    def read() -> float:
        nonlocal bound
        rig = now.rig
        if bound[0] is not rig:
            bound = (rig, rig.bind(expression))
        return float(bound[1](rig.row))

    return read


def build_session(setup: Setup, host: HostSetup, record: Record) -> Session[Any]:
    """Make the session for one of the set-up's hosts."""
    points = [point for point in setup.points.values() if point.board == host.name]
    link = setup.links[host.link]
    return PROTOCOLS[host.protocol].session(host, link, points, Tell(record, link.board))
