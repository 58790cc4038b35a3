"""What the parts of a bench draw, from which supply."""

from __future__ import annotations

from typing import Any

from cavet.bench import build_world
from cavet.benchfile import Setup
from cavet.reckoning._sum import Reckoned
from cavet.record import Record
from cavet.units import show


def reckon_supply(setup: Setup) -> Reckoned:
    """What the parts of each board draw at most, all at once, from which supply."""
    world = build_world(setup, list(setup.boards), Record(now=lambda: 0.0))
    boards: list[dict[str, Any]] = []
    ways = []
    for name, board in world.boards.items():
        parts = {part.name: part.greatest_current for part in board.circuit.parts.values()}
        own = [part.name for part in board.circuit.parts.values() if part.supply != "board"]
        drawn = sum(amps for part, amps in parts.items() if part not in own)
        most = board.profile.board_current
        boards.append({
            "board": name, "supply": board.profile.supply, "current": round(drawn, 6), "limit": most,
            "over": drawn > most,
            "parts": {part: amps for part, amps in parts.items() if amps and part not in own},
            "own_supply": {part: parts[part] or None for part in own},
        })  # fmt: skip
        over = ", more than it can give: not all at once" if drawn > most else ""
        ways.append(f"{name}: {_amps(drawn)} of {_amps(most)} at {show(board.profile.supply, 'V')}{over}")
    return Reckoned({"boards": boards}, "; ".join(ways))


def _amps(amps: float) -> str:
    return show(round(1000 * amps, 3), "mA")
