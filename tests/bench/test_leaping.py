"""Fast time leaps over what a board tells by itself: the record must be what it is without that."""

import asyncio
import unittest
from unittest import mock

from cavet.boards import DEFECTS, Board
from tests.bench.benches import demo, gatehouse, in_fast_time


def record_of(setup, story):
    async def told(bench, standings):
        await story(bench)
        return list(bench.record.since(0)), list(bench.record.transfers.since(0))

    return in_fast_time(told, setup)


async def busy(bench):
    """Wishes, a part that takes its time, the rig by hand, a cut line, a defect switched on and off."""
    link = bench.host_links["gatehouse"]
    for wishes in ({"beacon": 30.0}, {"upper_paddle": 60.0, "gate": 50.0}, {"beacon": 0.0}):
        for name, value in wishes.items():
            link.ask(name, value, "test")
        await asyncio.sleep(0.7)
    bench.world.place("upper", 2000.0)
    bench.board_side.turn()
    await asyncio.sleep(1.1)
    link.cut()
    await asyncio.sleep(0.5)
    link.mend()
    await asyncio.sleep(3.0)


async def spoiled(bench):
    """The same beside defects of the link and of the board."""
    for name in bench.world.defects:
        bench.world.switch_defect(name, True)
        bench.board_side.spoil_links()
        bench.board_side.turn()
        await busy(bench)
        bench.world.switch_defect(name, False)
        bench.board_side.spoil_links()
        bench.board_side.turn()


def with_defects(*defects):
    setup = gatehouse()
    made = {kind: DEFECTS[kind](name=kind, board="gatehouse", on=False, **keys) for kind, keys in defects}
    setup.defects.clear()
    setup.defects.update(made)
    return setup


class Leaps(unittest.TestCase):
    maxDiff = 2000

    def same(self, make, story):
        """Compare the records; give how many reports were leapt to, and how many events there were."""
        leapt = []
        report = Board.report

        def counted(board, now):
            leapt.append(now)
            return report(board, now)

        with mock.patch.object(Board, "report", counted):
            events, transfers = record_of(make(), story)
        with mock.patch.object(Board, "reports_at", float("inf")):
            plain_events, plain_transfers = record_of(make(), story)
        for one, other in ((events, plain_events), (transfers, plain_transfers)):
            self.assertEqual([], [pair for pair in zip(one, other, strict=False) if pair[0] != pair[1]][:3])
            self.assertEqual(len(other), len(one))
        return len(leapt), len(events)

    def test_one_board_alone(self):
        leapt, _ = self.same(gatehouse, busy)
        self.assertGreater(leapt, 200)

    def test_beside_five_others(self):
        leapt, _ = self.same(demo, busy)
        self.assertGreater(leapt, 30)

    def test_beside_defects(self):
        defects = (
            ("lossy", {"share": 0.05}), ("late", {"delay": 0.05}), ("doubled-reply", {"share": 0.3}),
            ("drifting-clock", {"by": 0.1}), ("floating", {"pin": 14}), ("sagging", {"current": 0.5}),
            ("stale-reply", {"share": 0.3}),
            ("mute", {}), ("dead-pin", {"pin": 14}), ("swapped", {"pins": (9, 10)}), ("full-queue", {"takes": 2000}),
        )  # fmt: skip
        self.same(lambda: with_defects(*defects), spoiled)
