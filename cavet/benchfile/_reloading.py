"""Taking a changed bench over while it runs: what stays the same goes on, keeps its state and its endpoints.

A board whose tables have changed begins anew, as after power-on, on the links that it had. A link that has changed is
shut and opened again, and so is a host whose tables or points have changed.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from typing import Any

import msgspec

from cavet.benchfile._file import BenchFile
from cavet.benchfile._setup import Setup
from cavet.boards import CableSettings
from cavet.boards.buses import TargetBoardSettings

"""Parts that are other boards."""


class Changes(msgspec.Struct, frozen=True, kw_only=True):
    """What is another one in the changed bench, by names: boards, links, hosts."""

    boards: frozenset[str]
    links: frozenset[str]
    hosts: frozenset[str]


def changes_between(before: BenchFile, after: BenchFile) -> Changes:
    """What has changed, table by table."""
    old, new = tomllib.loads(before.text), tomllib.loads(after.text)
    every = {*before.setup.boards, *after.setup.boards}
    boards = _differing(old.get("boards", {}), new.get("boards", {}))
    if old.get("profiles") != new.get("profiles") or old.get("seed") != new.get("seed"):
        boards = set(every)
    boards |= _partners(before.setup, boards) | _partners(after.setup, boards)
    links = _differing(old.get("links", {}), new.get("links", {}))
    for setup in (before.setup, after.setup):
        links |= {name for name, link in setup.links.items() if link.line in links}
    if old.get("broker") != new.get("broker"):
        links |= {link.name for setup in (before.setup, after.setup) for link in setup.links.values() if link.broker}
    hosts = _differing(old.get("hosts", {}), new.get("hosts", {}))
    points = _differing(old.get("points", {}), new.get("points", {}))
    for setup in (before.setup, after.setup):
        hosts |= {setup.points[name].board for name in points if name in setup.points}
        hosts |= {
            host.name for host in setup.hosts.values() if host.link in links or setup.links[host.link].board in boards
        }
    hosts |= _newly_beside(before.setup, after.setup)
    return Changes(boards=frozenset(boards), links=frozenset(links), hosts=frozenset(hosts))


def _differing(old: Mapping[str, Any], new: Mapping[str, Any]) -> set[str]:
    """The names whose tables differ, or that only one has."""
    return {name for name in {*old, *new} if old.get(name) != new.get(name)}


def _newly_beside(old: Setup, new: Setup) -> set[str]:
    """The hosts that share their line with others than before: how they open it may be another way."""
    found = set()
    for name in {*old.hosts} & {*new.hosts}:
        beside = [{host.name for host in setup.hosts_on(setup.links[setup.hosts[name].link])} for setup in (old, new)]
        if beside[0] != beside[1]:
            found.add(name)
    return found


def _partners(setup: Setup, boards: set[str]) -> set[str]:
    """The boards at the other ends of the buses and cables of these."""
    found = set()
    for name, board in setup.boards.items():
        for table in board.parts.values():
            if isinstance(table, TargetBoardSettings | CableSettings) and (name in boards or table.board in boards):
                found |= {name, table.board}
    return found
