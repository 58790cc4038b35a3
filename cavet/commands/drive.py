"""`cavet drive BENCH POINT=VALUE … | POINT?`: set or read points from the shell."""

from __future__ import annotations

import asyncio
from pathlib import Path
from typing import Any

import click
import msgspec

from cavet import clock
from cavet.bench import Carrier, Diagnosis, HostLink, Plan, RunningBench, Standings
from cavet.commands._bench import broker_option, on_broker, open_bench, with_addresses
from cavet.commands._completing import complete_benches, complete_points
from cavet.commands._recording import record_options, recorded, seed_option, with_seed
from cavet.hosts import Asked, Point
from cavet.record import Kind, Trail
from cavet.units import show_duration
from cavet.wording import UnreachableError, WrongError

LOOK_SECONDS = 0.005
READ_SECONDS = 11.0
"""How long an input that is told now and then may keep one waiting: twice the demo's health, and a little more."""
MOVE_SECONDS = 10.0
"""How long a part may take to arrive."""


class Order(msgspec.Struct, frozen=True):
    """One word of the command line: a value to set, or `None` to read."""

    point: Point
    value: Asked | None


@click.command("drive", context_settings={"ignore_unknown_options": True})
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
    record_path: Path | None, force: bool,
) -> int:  # fmt: skip
    """Set or read points, confirm, print. A simulated board is started for the purpose, and ends with it."""
    plan = with_seed(with_addresses(on_broker(open_bench(bench).plan, broker), at), seed)
    orders = [read_order(plan, word) for word in words]
    simulated = all(plan.links[plan.hosts[order.point.board].link].is_within for order in orders)
    return clock.run(drive(plan, orders, as_json=as_json, record_path=record_path, force=force), fast=simulated)


def read_order(plan: Plan, word: str) -> Order:
    """Read `POINT=VALUE` or `POINT?`."""
    name, equals, text = word.partition("=")
    if not equals and not word.endswith("?"):
        raise WrongError("drive", found=word, expected="POINT=VALUE or POINT?")
    name = name.removesuffix("?") if not equals else name
    point = plan.point(name)
    if not equals:
        return Order(point, None)
    if not point.kind.is_output:
        raise WrongError(f"{point.board}.{point.name}", found="an input", expected="an output, or POINT? to read it")
    return Order(point, point.parse(text))


async def drive(
    plan: Plan, orders: list[Order], *, as_json: bool, record_path: Path | None = None, force: bool = False
) -> int:
    """Carry the orders out, one after the other; give the exit code."""
    hosts = list(dict.fromkeys(order.point.board for order in orders))  # in their order: chance has no part in a record
    links = list(dict.fromkeys(plan.hosts[host].link for host in hosts))
    kept = msgspec.structs.replace(
        plan,
        hosts={host: plan.hosts[host] for host in hosts},
        links={name: plan.links[name] for name in links},
    )
    simulated = all(link.is_within for link in kept.links.values())
    bench = RunningBench(kept, carrier=Carrier.MEMORY if simulated else Carrier.REAL)
    with recorded(bench, record_path, force=force):
        return await carry_all_out(bench, orders, hosts, as_json=as_json)


async def carry_all_out(bench: RunningBench, orders: list[Order], hosts: list[str], *, as_json: bool) -> int:
    """Start a bench, carry the orders out, end it."""
    try:
        await bench.start()
        for host in sorted(hosts):
            await until_ready(bench.host_links[host])
        code = 0
        for order in orders:
            line = await carry_out(bench, order)
            code = max(code, 0 if line["holds"] else 1)
            click.echo(msgspec.json.encode(line).decode() if as_json else readable(order.point, line))
        return code
    finally:
        await bench.stop()


async def until_ready(link: HostLink) -> None:
    """Wait for a board; it has the time of its manners, twice over."""
    manners = link.plan.manners
    patience = manners.boot_wait + (manners.retries + 2) * manners.reply_within + 2.0
    try:
        async with asyncio.timeout(patience):
            while not link.ready:
                await asyncio.sleep(LOOK_SECONDS)
    except TimeoutError as error:
        problem = link.problem.removeprefix(f"{link.address}: ") or link.words
        raise UnreachableError(link.address, problem) from error


async def carry_out(bench: RunningBench, order: Order) -> dict[str, Any]:
    """Carry one order out, and tell how it went."""
    point = order.point
    link = bench.host_links[point.board]
    if order.value is None:
        return await read(bench, link, point)
    standings = Standings(bench)
    asked = bench.ask(point, order.value, by="drive")
    deadline = bench.clock.now() + MOVE_SECONDS
    while True:
        standings.follow()
        trail = standings.trails.all[asked]
        diagnosis = standings.diagnose(trail)
        if diagnosis.is_over or diagnosis.broken or bench.clock.now() > deadline:
            return outcome(link, point, trail, diagnosis)
        if link.problem:
            raise UnreachableError(link.address, link.problem.removeprefix(f"{link.address}: "))
        await asyncio.sleep(LOOK_SECONDS)


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


async def read(bench: RunningBench, link: HostLink, point: Point) -> dict[str, Any]:
    """Read a point afresh. Where it tells nothing anew in time, what was heard last is given, with its age."""
    reading = link.session.readings[point.name]
    heard = reading.heard
    asks = link.look(point.name)
    known_is_all = not asks and (point.kind.is_output or reading.heard > 0)
    deadline = bench.clock.now() + link.plan.manners.reply_within + READ_SECONDS
    while reading.heard == heard and not known_is_all and not reading.refusal:
        if link.problem:
            raise UnreachableError(link.address, link.problem.removeprefix(f"{link.address}: "))
        if bench.clock.now() > deadline:
            if not heard:
                raise UnreachableError(link.address, f"nothing was heard of {point.name}")
            break
        await asyncio.sleep(LOOK_SECONDS)
    line = {
        "point": point.name,
        "board": point.board,
        "got": reading.got,
        "unit": point.unit,
        "holds": not reading.refusal,
    }
    if reading.heard == heard and not reading.refusal:
        line["afresh"] = False
        line |= {"age": round(bench.clock.now() - reading.got_at, 3)} if heard else {}
    return {**line, "reason": reading.refusal} if reading.refusal else line


def readable(point: Point, line: dict[str, Any]) -> str:
    """One line for a person."""
    parts = [f"{point.name:14}"]
    for key in ("asked", "got", "confirmed"):
        if line.get(key) is not None:
            parts.append(f"{key} {point.show(line[key])}")
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
    if "stopped_before" in line:
        mend = f" → {line['mend']}" if line["mend"] else ""
        parts.append(f"stopped before {line['stopped_before']}: {line['reason']}{mend}")
    elif "reason" in line:
        parts.append(line["reason"])
    return "  ".join(parts)
