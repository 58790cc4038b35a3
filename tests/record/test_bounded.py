"""A record that is bounded keeps the latest, and says so."""

import contextlib
import tempfile
import time
import unittest
from pathlib import Path

from cavet.record import Direction, Kind, Record, RecordFile, RecordWriter, Seat, Topic
from tests.patience import PATIENCE


class Bounded(unittest.TestCase):
    def test_the_oldest_are_taken_out_and_what_is_left_can_be_searched(self):
        with tempfile.TemporaryDirectory() as folder:
            path, told, now = Path(folder) / "a.record", [], [0.0]
            record = Record(lambda: now[0])
            writer = RecordWriter(record, path, tell=told.append, keep=400_000)
            total = 0
            until = time.monotonic() + PATIENCE
            while writer.dropped < 20_000 and time.monotonic() < until:
                for _ in range(500):
                    now[0] += 0.01
                    root = record.append(Kind.ASKED, "hut", Topic.POINT, "beacon", float(total))
                    record.append(Kind.FRAMED, "hut", Topic.POINT, "beacon", b"abc", root)
                    record.carry("hut", "", Seat.HOST, Direction.TO_BOARD, 3 * total, now[0], now[0], b"abc")
                    total += 1
                time.sleep(0.01)
            writer.close()
            self.assertGreaterEqual(writer.dropped, 20_000)
            self.assertLess(path.stat().st_size, 3_000_000)
            self.assertEqual(1, len(told))
            self.assertIn("keeps about 400000 bytes", told[0])
            with contextlib.closing(RecordFile(path)) as file:
                events = list(file.since(0))
                self.assertEqual(str(writer.dropped), file.about["dropped"])
                self.assertEqual(writer.dropped, events[0].number)
                self.assertEqual(len(record) - 1, events[-1].number)
                self.assertEqual(
                    events[100].number + 1, file.number_at(events[100].t) - (events[101].t == events[100].t)
                )
                first = next(file.transfers())
                self.assertGreaterEqual(first.event, writer.dropped)
                again = Record(lambda: 0.0)
                for event in events:
                    again.restore(event)
                self.assertEqual((writer.dropped, events[7]), (again.first, again[events[7].number]))
