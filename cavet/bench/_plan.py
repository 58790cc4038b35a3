"""What a bench file says, checked and in the core's own types."""

from __future__ import annotations

from typing import Any

import msgspec

from cavet.bench._devices import ModbusPlan, ScpiPlan
from cavet.boards import Defect, Profile, Quantity
from cavet.hosts import Manners, Point
from cavet.links import SerialSettings, Tls
from cavet.wording import WrongError, listed, nearest

SIMULATED = "simulated"


class BoardPlan(msgspec.Struct, frozen=True, kw_only=True):
    """A simulated board, its parts as their tables say."""

    name: str
    profile: Profile
    firmware: str
    firmware_name: str
    failsafe: float
    parts: dict[str, dict[str, Any]]
    device: ModbusPlan | ScpiPlan | None = None
    """What its firmware needs besides."""


class LinkPlan(msgspec.Struct, frozen=True, kw_only=True):
    """A link: `address` is `simulated`, a device, or HOST:PORT; `listen_port` is where a simulated one listens."""

    name: str
    kind: str
    board: str
    address: str
    settings: SerialSettings
    protocol: str = "firmata"
    """What is spoken on it."""
    listen_port: int = 0
    served: str = "device"
    """How a simulated serial line is offered: as a `device` file, or over TCP as `raw` bytes or by `rfc2217`."""
    tls: Tls | None = None

    @property
    def simulated(self) -> bool:
        return self.address == SIMULATED

    @property
    def byte_seconds(self) -> float:
        return self.settings.byte_seconds if self.kind == "serial" else 0.0


class HostPlan(msgspec.Struct, frozen=True, kw_only=True):
    """How the host talks to a board."""

    name: str
    link: str
    protocol: str
    manners: Manners


class BasinPlan(msgspec.Struct, frozen=True, kw_only=True):
    """A quantity of the rig that is drawn as a basin; `place` counts from the left."""

    quantity: str
    place: int
    opening: str = ""
    gate: str = ""


class Plan(msgspec.Struct, frozen=True, kw_only=True):
    """A whole bench, as its file has it."""

    name: str
    seed: str
    boards: dict[str, BoardPlan]
    links: dict[str, LinkPlan]
    rig: dict[str, Quantity]
    rig_steps: dict[str, float]
    basins: tuple[BasinPlan, ...]
    defects: dict[str, Defect]
    hosts: dict[str, HostPlan]
    points: dict[str, Point]

    def point(self, name: str) -> Point:
        """Find a point by its name, or by `board.name`. Raises `WrongError` with the nearest."""
        short = name.rpartition(".")[2]
        point = self.points.get(short)
        if point is None or name not in (short, f"{point.board}.{short}"):
            known = self.points
            raise WrongError("point", found=name, expected=f"one of {listed(known)}", nearest=nearest(short, known))
        return point
