"""Faults at drawn times: what goes wrong by itself on a bench that is really used, as steps of a routine.

Each run draws its own from its seed; so the same seed draws the same ones, in any process.
"""

from __future__ import annotations

import random
from collections.abc import Iterable

import msgspec

from cavet.benchfile import Setup
from cavet.boards import KINDS
from cavet.wording import digits

BROKEN = (0.1, 3.0)
"""How long a link is broken, in s, least and most."""
LATE = (0.1, 2.0)
"""For how long what a link carries is late."""
PRESSED = (0.02, 1.0)
LOST = (1, 5)
"""How many messages are lost."""
FINEST = 3
"""Times are drawn to the millisecond."""


class Fault(msgspec.Struct, frozen=True, order=True):
    """A fault: when, in s after the check has begun, and the step that makes it."""

    t: float
    step: str

    def __str__(self) -> str:
        return f"{digits(self.t)} s: {self.step}"


def draw(setup: Setup, hosts: Iterable[str], seed: str, count: int, span: float) -> tuple[Fault, ...]:
    """Draw so many faults over `span` seconds, of what can happen to the boards of these hosts; in the order of their
    times. There are none where no board is simulated."""
    chance = random.Random(f"{seed}/faults")
    makers = _possible(setup, hosts)
    if not makers:
        return ()
    drawn = []
    for _ in range(count):
        kind, place = chance.choice(makers)
        drawn.append(Fault(round(chance.uniform(0, max(span, 0.001)), FINEST), _step(chance, kind, place)))
    return tuple(sorted(drawn))


def _possible(setup: Setup, hosts: Iterable[str]) -> list[tuple[str, str]]:
    """What can happen, and where."""
    found = []
    for host in hosts:
        link = setup.links[setup.hosts[host].link]
        board = setup.boards.get(link.board)
        if board is None or not link.simulated:
            continue
        place = f"{link.board}.{link.name}" if link.name != link.board else link.board
        found += [("break", place), ("lose", place), ("delay", place), ("reset", link.board)]
        found += [
            ("press", f"{link.board}.{name}")
            for name, table in board.parts.items()
            if "press" in KINDS[table.kind].actions
        ]
    return found


def _step(chance: random.Random, kind: str, place: str) -> str:
    if kind == "lose":
        return f"fault lose on {place} next {chance.randint(*LOST)}"
    if kind == "reset":
        return f"reset {place}"
    seconds = round(chance.uniform(*{"break": BROKEN, "delay": LATE, "press": PRESSED}[kind]), FINEST)
    if kind == "delay":
        return f"fault delay on {place} for {digits(seconds)} s"
    return f"{kind} {place} for {digits(seconds)} s without waiting"


def routine_of(faults: Iterable[Fault], defects: Iterable[str], body: str = "") -> str:
    """A routine `failing`: the defects are made, then the body is done, and the faults come at their times beside it;
    without a body they are all that it does."""
    lines = ["routine failing", *(f"    make {defect}" for defect in defects)]
    steps, t = [], 0.0
    for fault in sorted(faults):
        if fault.t > t:
            steps.append(f"    wait {digits(round(fault.t - t, FINEST))} s")
            t = fault.t
        steps.append(f"    {fault.step}")
    if not body:
        return "\n".join([*lines, *steps, ""])
    lines.append(f"    {body}")
    if steps:
        lines += ["", "alongside faults", *steps]
    return "\n".join([*lines, ""])
