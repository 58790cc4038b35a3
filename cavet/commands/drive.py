"""`cavet drive BENCH POINT=VALUE … | POINT?`: set or read points from the shell."""

from __future__ import annotations

from typing import Any

import click
import msgspec

from cavet import clock
from cavet.bench import (
    Carrier,
    Diagnosis,
    Heard,
    HostLink,
    RunningBench,
    Standings,
    ask_and_follow,
    read_afresh,
    until_ready,
)
from cavet.benchfile import Setup
from cavet.commands._bench import at_addresses, broker_option, on_broker, open_bench
from cavet.commands._completing import complete_benches, complete_points
from cavet.commands._recording import NOWHERE, Kept, record_options, recorded, seed_option, with_seed
from cavet.hosts import Asked, Point
from cavet.record import Kind, Trail
from cavet.units import show_duration
from cavet.wording import WrongError, plain

SENT = (Kind.CARRIED, Kind.TAKEN, Kind.DRIVEN)
TOLD = {"unchanged", "moved", "stopped_before", "reason"}
"""Keys of a line that say what became of a wish that was not read back."""


class Order(msgspec.Struct, frozen=True):
    """One word of the command line: a value to set, or `None` to read."""

    point: Point
    value: Asked | None


@click.command("drive")
@click.argument("bench", shell_complete=complete_benches)
@click.argument("words", nargs=-1, required=True, metavar="POINT=VALUE | POINT? ...", shell_complete=complete_points)
@click.option(
    "--at", multiple=True, metavar="BOARD=ADDRESS", help="Drive the board that is at this device or HOST:PORT."
)
@broker_option
@click.option("--json", "as_json", is_flag=True, help="JSON lines.")
@seed_option
@record_options
def command(
    bench: str, words: tuple[str, ...], at: tuple[str, ...], broker: str | None, as_json: bool, seed: str | None,
    kept: Kept,
) -> int:  # fmt: skip
    """Set or read points, confirm, print. A simulated board is started for the purpose, and ends with it."""
    setup = with_seed(at_addresses(on_broker(open_bench(bench).setup, broker), at), seed)
    orders = [read_order(setup, word) for word in words]
    simulated = all(setup.links[setup.hosts[order.point.board].link].is_within for order in orders)
    return clock.run(drive(setup, orders, as_json=as_json, kept=kept), fast=simulated)


def read_order(setup: Setup, word: str) -> Order:
    """Read `POINT=VALUE` or `POINT?`."""
    name, equals, text = word.partition("=")
    if not equals and not word.endswith("?"):
        raise WrongError("drive", found=word, expected="POINT=VALUE or POINT?")
    name = name.removesuffix("?") if not equals else name
    point = setup.point(name)
    if not equals:
        return Order(point, None)
    if not point.kind.is_output:
        raise WrongError(f"{point.board}.{point.name}", found="an input", expected="an output, or POINT? to read it")
    return Order(point, point.parse(text))


async def drive(setup: Setup, orders: list[Order], *, as_json: bool, kept: Kept = NOWHERE) -> int:
    """Carry the orders out, one after the other; give the exit code."""
    hosts = list(dict.fromkeys(order.point.board for order in orders))  # in their order: chance has no part in a record
    talking = [setup.hosts[host] for host in hosts]
    needed = setup.narrowed([setup.links[host.link] for host in talking], talking)
    simulated = all(link.is_within for link in needed.links.values())
    bench = RunningBench(needed, carrier=Carrier.MEMORY if simulated else Carrier.REAL)
    with recorded(bench, kept):
        return await carry_all_out(bench, orders, hosts, as_json=as_json)


async def carry_all_out(bench: RunningBench, orders: list[Order], hosts: list[str], *, as_json: bool) -> int:
    """Start a bench, carry the orders out, end it."""
    try:
        await bench.start()
        for host in sorted(hosts):
            await until_ready(bench.host_links[host])
        code, standings = 0, Standings(bench)
        for order in orders:
            line = await carry_out(bench, standings, order)
            code = max(code, 0 if line["holds"] else 1)
            click.echo(msgspec.json.encode(line).decode() if as_json else readable(order.point, line))
        return code
    finally:
        await bench.stop()


async def carry_out(bench: RunningBench, standings: Standings, order: Order) -> dict[str, Any]:
    """Carry one order out, and tell how it went."""
    point = order.point
    if order.value is None:
        return told(point, await read_afresh(bench, point))
    trail, diagnosis = await ask_and_follow(bench, standings, point, order.value, "drive")
    return outcome(bench.link_of(point), point, trail, diagnosis)


def outcome(link: HostLink, point: Point, trail: Trail, diagnosis: Diagnosis) -> dict[str, Any]:
    """Tell how an order went."""
    confirmed = trail.reached(Kind.CONFIRMED) is not None
    stopped = trail.stopped
    unchanged = stopped.note if stopped is not None and stopped.kind == Kind.UNCHANGED else ""
    line = {
        "point": point.name,
        "board": point.board,
        "asked": trail.root.value,
        "confirmed": link.session.readings[point.name].got if confirmed else None,
        "unit": point.unit,
        "stage": trail.furthest,
        "holds": diagnosis.broken is None and (confirmed or bool(unchanged) or not point.confirm),
    }
    if unchanged:
        line["unchanged"] = unchanged
    if trail.limited is not None:
        line |= {"wanted": trail.limited.value, "limited": trail.limited.note}
    moved = trail.reached(Kind.MOVED)
    if moved is not None:
        line["moved"] = moved.note
    if diagnosis.broken is not None:
        line |= {"stopped_before": diagnosis.broken, "reason": diagnosis.reason, "mend": diagnosis.mend}
    return line


def told(point: Point, heard: Heard) -> dict[str, Any]:
    """Tell how a point stands."""
    line: dict[str, Any] = {"point": point.name, "board": point.board, "got": heard.got, "unit": point.unit}
    line["holds"] = not heard.refusal
    if heard.refusal:
        line["reason"] = heard.refusal
    elif not heard.afresh:
        line["afresh"] = False
        line |= {"age": round(heard.age, 3)} if heard.age is not None else {}
    return line


def readable(point: Point, line: dict[str, Any]) -> str:
    """One line for a person."""
    parts = [f"{point.name:14}"]
    for key in ("asked", "got", "confirmed"):
        if line.get(key) is not None:
            parts.append(f"{key} {(point.show_asked if key == 'asked' else point.show)(line[key])}")
    if line.get("got", ...) is None:
        parts.append(f"got {point.show(None)}")
    if "limited" in line:
        parts.append(f"limited: {line['limited']}")
    if "afresh" in line:
        age = f"; {show_duration(line['age'])} old" if "age" in line else ""
        parts.append(f"it can't be asked how it stands{age}")
    if "unchanged" in line:
        parts.append(f"unchanged: {line['unchanged']}")
    if "moved" in line:
        parts.append(f"moved: {line['moved']}")
    if line.get("stage") in SENT and line["confirmed"] is None and not TOLD & set(line):
        parts.append("sent, and nobody tells what became of it")
    if "stopped_before" in line:
        mend = f" → {line['mend']}" if line["mend"] else ""
        parts.append(f"stopped before {line['stopped_before']}: {line['reason']}{mend}")
    elif "reason" in line:
        parts.append(line["reason"])
    return plain("  ".join(parts))
