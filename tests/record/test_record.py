"""The record: in memory, on disk, and after a killed process."""

import itertools
import json
import os
import signal
import sqlite3
import subprocess
import sys
import tempfile
import textwrap
import time
import unittest
from pathlib import Path

from cavet.record import CHUNK_ITEMS as CHUNK_EVENTS
from cavet.record import Event, Kind, Record, RecordWriter, Topic, as_line, read_record, words_of
from cavet.wording import WrongError
from tests.patience import PATIENCE, quickest


def filled(count, kept=1_000_000):
    """A record of `count` events, a second apart."""
    ticks = itertools.count()
    record = Record(lambda: float(next(ticks)), kept)
    for number in range(count):
        record.append(Kind.TOLD, "gatehouse", "message", "analog-message", number, number - 1 if number else None)
    return record


class InMemory(unittest.TestCase):
    def test_events_are_numbered_and_bear_time_and_cause(self):
        record = filled(3)
        event = record[2]
        self.assertEqual((event.number, event.t, event.cause, event.value), (2, 2.0, 1, 2))
        self.assertEqual(len(record), 3)

    def test_a_reader_goes_on_from_where_it_was(self):
        record = filled(2 * CHUNK_EVENTS + 10)
        for number in (0, 1, CHUNK_EVENTS - 1, CHUNK_EVENTS, 2 * CHUNK_EVENTS + 9, 2 * CHUNK_EVENTS + 10):
            with self.subTest(number):
                numbers = [event.number for event in record.since(number)]
                self.assertEqual(numbers, list(range(number, 2 * CHUNK_EVENTS + 10)))
        self.assertEqual(record.since(10**9), [])

    def test_the_oldest_leave_memory_and_what_is_kept_is_enough(self):
        record = filled(5 * CHUNK_EVENTS, kept=2 * CHUNK_EVENTS)
        self.assertGreaterEqual(len(record) - record.first, 2 * CHUNK_EVENTS)
        self.assertEqual(record.since(0)[0].number, record.first)
        self.assertEqual(record[len(record) - 1].number, len(record) - 1)
        with self.assertRaises(IndexError):
            record[record.first - 1]


class Lines(unittest.TestCase):
    def line(self, *words, **more):
        record = Record(lambda: 1.23456789)
        record.append(*words, **more)
        return as_line(record[0])

    def test_a_line_names_what_changed_by_its_topic(self):
        self.assertEqual(
            self.line(Kind.DRIVEN, "gatehouse", "pin", "9", 92, 7, "1493 µs"),
            {
                "event": "record",
                "number": 0,
                "t": 1.234568,
                "board": "gatehouse",
                "kind": "driven",
                "cause": 7,
                "pin": 9,
                "value": 92,
                "note": "1493 µs",
            },
        )

    def test_parts_bear_their_boards_name_as_in_what_is_asked_of_them(self):
        self.assertEqual(self.line(Kind.MOVED, "gatehouse", "part", "beacon", 50.0)["part"], "gatehouse.beacon")

    def test_bytes_are_hex_and_notes_can_not_steer_a_terminal(self):
        line = self.line(Kind.TAKEN, "gatehouse", "message", "sysex", b"\xf0\x01\xf7", None, "\x1b[2J")
        self.assertEqual((line["value"], line["note"]), ("F0 01 F7", "‹ESC›[2J"))


class Words(unittest.TestCase):
    def test_an_event_is_said_in_a_line_with_its_bytes_as_a_person_reads_them(self):
        for value, told in (
            (b"1.5\n", "1.5↵"), (b"\x00\x01", "00 01"), (0.1234567891, "0.123457"), (True, "on"), (7, "7"),
            ("a\x1b[0m", "a‹ESC›[0m"),
        ):  # fmt: skip
            event = Event(1, 0.0, Kind.TOLD, "hut", None, Topic.MESSAGE, "response", value, "late")
            self.assertEqual(f"hut told response {told} · late", words_of(event))
        self.assertEqual("hut board hut", words_of(Event(1, 0.0, Kind.BOARD, "hut", None, Topic.BOARD, "hut", None)))


class OnDisk(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.record"

    def test_it_reads_back_the_same_events_of_every_kind_of_value(self):
        record = Record(lambda: 0.125)
        writer = RecordWriter(record, self.path, {"bench": "Ottersluice"})
        for value in (None, True, False, 0, 1, -7, 1.0, 0.1, "text", "‹ESC› é", b"", b"\x00\xff"):
            record.append(Kind.HEARD, "gatehouse", "point", "level", value, None, "note")
        writer.close()
        found = list(read_record(self.path))
        self.assertEqual(found, record.since(0))
        self.assertEqual([type(event.value) for event in found], [type(event.value) for event in record.since(0)])

    def test_a_second_record_takes_the_place_of_the_first(self):
        for count in (5, 2):
            record = filled(0)
            writer = RecordWriter(record, self.path)
            for _ in range(count):
                record.append(Kind.TOLD, "a", "message", "b")
            writer.close()
        self.assertEqual(len(list(read_record(self.path))), 2)

    def test_it_can_be_read_while_it_is_written(self):
        record = filled(1)
        writer = RecordWriter(record, self.path)
        self.addCleanup(writer.close)
        deadline = time.monotonic() + PATIENCE
        while time.monotonic() < deadline and not list(read_record(self.path)):
            time.sleep(0.01)
        self.assertEqual(len(list(read_record(self.path))), 1)

    def test_what_is_no_record_is_told_in_one_line(self):
        self.path.write_bytes(b"not a database at all, but long enough to be looked at as one" * 20)
        with self.assertRaises(WrongError):
            list(read_record(self.path))
        with self.assertRaises(WrongError) as caught:
            list(read_record(self.path.with_name("none.record")))
        self.assertIn("no such file", str(caught.exception))

    def test_a_newer_format_is_refused(self):
        record = filled(1)
        RecordWriter(record, self.path).close()
        with sqlite3.connect(self.path) as database:
            database.execute("UPDATE about SET value = '99' WHERE name = 'format'")
        with self.assertRaises(WrongError) as caught:
            list(read_record(self.path))
        self.assertIn("format 99", str(caught.exception))

    def test_a_killed_process_loses_at_most_the_last_quarter_of_a_second(self):
        self.assertLess(quickest(self.seconds_lost_by_a_killed_process, 0.25), 0.25)

    def seconds_lost_by_a_killed_process(self):
        self.path.unlink(missing_ok=True)
        program = textwrap.dedent("""
            import sys, time
            from pathlib import Path
            from cavet.record import Record, RecordWriter
            record = Record(time.monotonic)
            writer = RecordWriter(record, Path(sys.argv[1]))
            while True:
                record.append("told", "a", "message", "b")
                print(record[len(record) - 1].t, len(record), flush=True)
                time.sleep(0.002)
        """)
        child = subprocess.Popen([sys.executable, "-c", program, str(self.path)], stdout=subprocess.PIPE, text=True)
        appended = [
            json.loads(f"[{line.replace(' ', ',')}]") for line, _ in zip(child.stdout, range(400), strict=False)
        ]
        os.kill(child.pid, signal.SIGKILL)
        child.wait()
        child.stdout.close()
        killed_at, _ = appended[-1]
        kept = len(list(read_record(self.path)))
        self.assertGreater(kept, 10)
        return max((killed_at - t for t, count in appended if count > kept), default=0.0)


if __name__ == "__main__":
    unittest.main()
