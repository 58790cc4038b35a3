"""Whether what a session takes for confirmed is so, whatever goes wrong on its link: wishes and faults at drawn times,
then peace, then a look at the parts. `python -m tests.checks.confirmed 1000` tries so many seeds for each host of the
demo."""

import asyncio
import random
import sys

import msgspec

from cavet import clock
from cavet.bench import Carrier, RunningBench, until_ready
from cavet.benchfile import load_bench
from cavet.checks import draw, routine_of
from cavet.demo import demo_path
from cavet.hosts import MqttSession, PinPoint, PointKind
from cavet.routines import Runner, routine_text
from cavet.wording import UnreachableError

SETUP = load_bench(demo_path()).setup
WISHES, FAULTS = 12, 5
SECONDS = 8.0
PEACE_SECONDS, MOST_SECONDS = 12.0, 240.0
"""So long it is waited in peace, and for all wishes to end: a message that is lost may cost an opening of the link."""


def outputs(setup, host):
    """The switches and levels of a host that name a part which shows how it stands."""
    board = setup.links[setup.hosts[host].link].board
    for point in setup.points.values():
        if point.board == host and (point.part or point.name) in setup.boards[board].parts:
            is_level = point.kind is PointKind.LEVEL and isinstance(point, PinPoint)
            if point.kind is PointKind.SWITCH or is_level:
                yield point, f"{board}.{point.part or point.name}"


async def story(setup, host, seed):
    """What a host takes for confirmed though it is not so; and wishes that have not ended."""
    chance = random.Random(f"{seed}/wishes")
    bench = RunningBench(setup, carrier=Carrier.MEMORY, boards=[setup.links[setup.hosts[host].link].board])
    try:
        await bench.start()
        await until_ready(bench.host_links[host])
        points = list(outputs(setup, host))
        drawn = [fault for fault in draw(setup, [host], seed, FAULTS, SECONDS) if not fault.step.startswith("press")]
        text = routine_of(drawn, ()) if drawn else "routine failing\n    wait 1 s\n"
        faults = routine_text(text, "faults", setup)  # without hands: what a lost message told of them stays unknown
        running = asyncio.ensure_future(Runner(bench, faults, lambda line: None).run("failing", {}))
        asked = []
        for _ in range(WISHES):
            await asyncio.sleep(chance.uniform(0, 2 * SECONDS / WISHES))
            point, _ = chance.choice(points)
            value = chance.random() < 0.5 if point.kind is PointKind.SWITCH else chance.choice((0.0, 50.0, 100.0))
            asked.append(bench.ask(point, value, by="test"))
        await running
        await asyncio.sleep(PEACE_SECONDS)
        while bench.clock.now() < MOST_SECONDS and list(unended(bench, asked)):
            await asyncio.sleep(1.0)
        await asyncio.sleep(PEACE_SECONDS)
        bench.board_side.turn()
        return [*wrong(bench, host, points), *unended(bench, asked)]
    except UnreachableError as error:
        return [str(error)]
    finally:
        await bench.stop()


def wrong(bench, host, points):
    """Where the host says asked and got agree, and the part stands elsewhere."""
    session, now = bench.host_links[host].session, bench.clock.now()
    if not bench.host_links[host].ready or (isinstance(session, MqttSession) and not session.presence.here):
        return  # it knows that the board is not there
    for point, path in points:
        reading = session.readings[point.name]
        known = reading.asked is not None and reading.got is not None and not reading.doubtful
        if not known or not point.same(reading.asked, reading.got):
            continue
        part = bench.world.part(path)
        stands = point.from_wire(part.stands_as(now))
        if not point.same(stands, reading.asked):
            yield f"{point.name}: asked and got {reading.asked}, but the part is {part.tells(now)}"


def unended(bench, asked):
    """Wishes that neither came nor failed."""
    ends = {"confirmed", "unconfirmed", "refused", "overtaken", "unchanged"}
    for number in asked:
        events = bench.record.trail(number)
        if not any(event.kind.value in ends for event in events):
            yield f"the wish {number} has not ended"


def look(host, seed):
    """One seed of one host."""
    setup = msgspec.structs.replace(SETUP, seed=seed)
    return clock.run(story(setup, host, seed), fast=True)


def main():
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    hosts = sys.argv[2:] or list(SETUP.hosts)
    failed = 0
    for host in hosts:
        found = {seed: problems for seed in map(str, range(count)) if (problems := look(host, seed))}
        failed += len(found)
        print(f"{host}: {len(found)} of {count} seeds", *[f"\n  {seed}: {text}" for seed, text in found.items()][:20])
    return failed > 0


if __name__ == "__main__":
    sys.exit(main())
