"""Every output of every board of the demo: what is wished for is never told broken where it is, or can be, so."""

import asyncio
import unittest

from cavet.hosts import PointKind
from cavet.record import Kind
from tests.bench.benches import demo, in_fast_time

SLOW_SECONDS = 13.0
"""Longer than any part of the demo takes to arrive."""
QUICK_SECONDS = 1.0
HELD = {"gate"}
"""The gate is held, as it should be, while the levels differ."""


def outputs(bench):
    return [point for point in bench.setup.points.values() if point.kind.is_output]


def present(bench, point):
    """A wish for what is there already, as far as the host can know."""
    reading = bench.host_links[point.board].session.readings[point.name]
    known = reading.got if reading.got is not None else point.start
    if known is not None:
        return known
    return "" if point.kind is PointKind.TEXT else "clear" if point.kind.is_text else point.rest


def another(bench, point):
    if point.kind.is_text:
        return "A"
    there = present(bench, point)
    return not there if point.kind.is_switch else point.high if there != point.high else point.low


def broken(standings, asked):
    """Of some trails those that are not over, and well."""
    standings.follow()
    found = []
    for number in asked:
        trail = standings.trails.all[number]
        diagnosis = standings.diagnose(trail)
        if trail.point not in HELD and (diagnosis.broken or not diagnosis.is_over):
            found.append((trail.point, trail.root.value, diagnosis.broken, diagnosis.reason))
    return found


async def each(bench, standings, value_of, seconds=QUICK_SECONDS):
    """Ask all outputs, one after the other; then wait until the slowest has arrived."""
    asked = []
    for point in outputs(bench):
        asked.append(bench.ask(point, value_of(bench, point), by="test"))
        await asyncio.sleep(seconds)
    await asyncio.sleep(SLOW_SECONDS)
    return broken(standings, asked)


async def interrupted(bench):
    """Every link is lost, and can be opened again at once; that resets the gatehouse."""
    for name in bench._memory:
        bench.memory_link(name).cut()
    await asyncio.sleep(0.1)
    for name in bench._memory:
        bench.memory_link(name).mend()


def on_the_demo(story):
    return in_fast_time(story, demo())


class EveryOutput(unittest.TestCase):
    def test_the_record_tells_how_each_stood_at_the_beginning(self):
        async def story(bench, standings):
            told = {event.subject: event.value for event in bench.record.since(0) if event.kind is Kind.HEARD}
            known = {
                point.name: got
                for point in outputs(bench)
                if (got := bench.host_links[point.board].session.readings[point.name].got) is not None
            }
            gate = bench.ask(bench.setup.points["gate"], 0.0, by="test")
            return {name: told.get(name) for name in known}, known, bench.record.effects(gate)

        told, known, (left,) = on_the_demo(story)
        self.assertEqual(told, known)
        self.assertGreater(len(known), 50)
        self.assertEqual((left.kind, left.note), (Kind.UNCHANGED, "the board stands there already"))

    def test_a_wish_for_what_is_there_is_done_on_a_fresh_bench_and_again(self):
        async def story(bench, standings):
            return [await each(bench, standings, present) for _ in range(2)]

        self.assertEqual(on_the_demo(story), [[], []])

    def test_another_value_is_reached_as_the_first_command_and_is_there_then(self):
        async def story(bench, standings):
            return [await each(bench, standings, wish) for wish in (another, present)]

        self.assertEqual(on_the_demo(story), [[], []])

    def test_all_of_them_asked_at_once_before_a_board_is_ready(self):
        async def story(bench, standings):
            await interrupted(bench)
            asked = [bench.ask(point, another(bench, point), by="test") for point in outputs(bench)]
            await asyncio.sleep(2 * SLOW_SECONDS)
            return broken(standings, asked)

        self.assertEqual(on_the_demo(story), [])

    def test_after_a_link_was_lost_and_a_board_reset(self):
        async def story(bench, standings):
            await each(bench, standings, another, 0.1)
            await interrupted(bench)
            await asyncio.sleep(SLOW_SECONDS)
            standings.follow()
            again = [trail.number for trail in standings.trails.all.values() if trail.root.note.startswith("again")]
            return broken(standings, again), await each(bench, standings, present)

        self.assertEqual(on_the_demo(story), ([], []))

    def test_the_rest_key_on_a_fresh_bench_and_after_all_was_on(self):
        async def story(bench, standings):
            told = []
            for wishes in (None, another):
                if wishes is not None:
                    await each(bench, standings, wishes, 0.1)
                asked = bench.rest(by="test")
                await asyncio.sleep(SLOW_SECONDS)
                told.append(broken(standings, asked))
            lamps = [part for part in bench.world._parts if part.kind == "lamp"]
            return told, [part.name for part in lamps if part.fraction(bench.clock.now())]

        self.assertEqual(on_the_demo(story), ([[], []], []))


if __name__ == "__main__":
    unittest.main()
