"""Finding in the record, in memory and in the file: by cause, by subject, by time; and files of the older format."""

import itertools
import random
import sqlite3
import tempfile
import time
import tracemalloc
import unittest
from pathlib import Path

from cavet.record import Direction, Kind, Purpose, Reason, Record, RecordFile, RecordWriter, Seat, Topic, read_record
from cavet.wording import WrongError
from tests.patience import quickest

MANY = 1_000_000
OLD = """
CREATE TABLE about (name TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE events (
    number INTEGER PRIMARY KEY, t REAL NOT NULL, kind TEXT NOT NULL, board TEXT NOT NULL, cause INTEGER,
    topic TEXT NOT NULL, subject TEXT NOT NULL, value, note TEXT NOT NULL
);
INSERT INTO about VALUES ('format', '1'), ('bench', 'old');
INSERT INTO events VALUES (0, 0.5, 'asked', 'hut', NULL, 'point', 'lamp', '50.0', 'by hand');
INSERT INTO events VALUES (1, 0.6, 'framed', 'hut', 0, 'point', 'lamp', x'E35A01', '');
INSERT INTO events VALUES (2, 0.7, 'framed', 'hut', 0, 'point', 'lamp', x'F06D03F7', 'read back');
INSERT INTO events VALUES (3, 0.8, 'carried', 'hut', NULL, 'link', 'hut', x'01', 'from outside');
"""


def wandering(count):
    """A record of chains of causes among the subjects of two boards."""
    ticks = itertools.count()
    record = Record(lambda: next(ticks) / 1000)
    chance = random.Random("record")
    kinds = (Kind.FRAMED, Kind.DRIVEN, Kind.MOVED, Kind.HEARD)
    for number in range(count):
        cause = number - chance.choice((1, 2, 5)) if number > 5 and chance.random() < 0.9 else None
        subject = f"part_{chance.randrange(150)}"
        record.append(kinds[number % 4], ("hut", "barn")[number % 2], Topic.PART, subject, number, cause)
    return record


def trail_by_hand(record, root):
    members, found = {root}, []
    for event in record.since(root + 1):
        if event.cause in members:
            members.add(event.number)
            found.append(event)
    return found


class Memory(unittest.TestCase):
    def test_what_has_left_memory_has_left_the_indexes_though_nobody_looks(self):
        record = Record(lambda: 0.0, kept=10_000)

        def grow():
            for number in range(60_000):
                record.append(Kind.HEARD, "hut", Topic.POINT, "level", number, number - 1 if number else None)
                if not number % 1000:
                    record.prepare()
            return tracemalloc.get_traced_memory()[0]

        tracemalloc.start()
        self.addCleanup(tracemalloc.stop)
        first = grow()
        self.assertLess(grow(), 1.3 * first)


class Finding(unittest.TestCase):
    """What is found is what one would find by going through all of it."""

    @classmethod
    def setUpClass(cls):
        cls.record = wandering(20_000)
        cls.folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.folder.cleanup)
        path = Path(cls.folder.name) / "a.record"
        RecordWriter(cls.record, path).close()
        cls.file = RecordFile(path)
        cls.addClassCleanup(cls.file.close)

    def test_a_trail(self):
        for where in (self.record, self.file):
            for root in (0, 77, 4090, 4095, 19_990):
                self.assertEqual(where.trail(root), trail_by_hand(self.record, root))

    def test_effects(self):
        for where in (self.record, self.file):
            for number in (3, 4095, 12_000):
                expected = [event for event in self.record.since(0) if event.cause == number]
                self.assertEqual(where.effects(number), expected)

    def test_a_course(self):
        expected = [e for e in self.record.since(0) if (e.board, e.subject, e.kind) == ("barn", "part_7", Kind.DRIVEN)]
        for where in (self.record, self.file):
            self.assertEqual(list(where.course("barn", Topic.PART, "part_7", (Kind.DRIVEN,))), expected)
            self.assertEqual(list(where.course("barn", Topic.PIN, "part_7")), [])

    def test_the_state_at_a_time(self):
        for t in (-1.0, 0.0, 4.0951, 12.3456, 19.999, 99.0):
            expected = {}
            for event in self.record.since(0):
                if event.t <= t:
                    expected[event.board, event.topic, event.subject, event.kind] = event
            for where in (self.record, self.file):
                self.assertEqual(where.number_at(t), sum(event.t <= t for event in self.record.since(0)))
                self.assertEqual(where.state_at(t), expected)

    def test_it_goes_on_while_chunks_leave_memory(self):
        ticks = itertools.count()
        record = Record(lambda: float(next(ticks)), kept=10_000)
        record.append(Kind.MOVED, "hut", Topic.PART, "gate", 90.0)
        for number in range(1, 60_000):
            record.append(Kind.DRIVEN, "hut", Topic.PIN, str(number % 3), number, number - 1 if number % 10 else None)
            if number % 5000 == 4999:
                record.prepare()
                self.assertEqual(len(record.trail(number // 10 * 10)), 9)
                self.assertEqual(record.state_at(1e9)["hut", Topic.PIN, str(number % 3), Kind.DRIVEN].value, number)
        self.assertGreater(record.first, 0)
        state = record.state_at(1e9)
        self.assertEqual(90.0, state["hut", Topic.PART, "gate", Kind.MOVED].value)  # it still stands there
        self.assertEqual(4, len(state))
        self.assertNotIn(("hut", Topic.PART, "gate", Kind.MOVED), record.state_at(-1.0))

    def test_what_programs_say_is_not_kept_for_ever(self):
        record = Record(lambda: 0.0, kept=5000)
        for number in range(40_000):
            record.append(Kind.TAKEN, "hut", Topic.MESSAGE, f"WORD{number}")
        self.assertLess(len(record.state_at(1.0)), 20_000)


class Quickly(unittest.TestCase):
    """With a million events, in memory and in the file. The limits are wide: a busy machine must not fail a test."""

    def test_with_a_million_events(self):
        record = wandering(MANY)
        while record._index._prepared < MANY - 2 * 4096:
            record.prepare(50)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.record"
            RecordWriter(record, path).close()
            file = RecordFile(path)
            for name, where in (("memory", record), ("file", file)):
                for look in (
                    lambda where=where: where.trail(MANY // 2),
                    lambda where=where: next(iter(where.course("hut", Topic.PART, "part_8"))),
                    lambda where=where: where.number_at(MANY / 3000),
                ):
                    look()
                    self.assertLess(quickest(lambda look=look: timed(look), 0.05), 0.05, name)
                where.state_at(MANY / 3000)
                self.assertLess(
                    quickest(lambda where=where: timed(lambda: where.state_at(MANY / 3000)), 0.2), 0.2, name
                )
            file.close()


def timed(act):
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


class Files(unittest.TestCase):
    def path(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        return Path(folder.name) / "a.record"

    def test_every_field_comes_back(self):
        record = Record(lambda: 1.5)
        record.append(Kind.ASKED, "hut", Topic.POINT, "lamp", True, None, "by hand")
        record.append(Kind.FRAMED, "hut", Topic.POINT, "lamp", bytes(70_000), 0, "", Purpose.READ_BACK)
        record.append(Kind.REFUSED, "hut", Topic.POINT, "lamp", None, 0, "why", reason=Reason.HELD)
        record.carry("hut", "1:2", Seat.BOARD, Direction.TO_BOARD, 7, 0.5, 0.75, b"AC", b"ABC")
        record.carry("hut", "1:2", Seat.HOST, Direction.TO_HOST, 0, 1.0, 1.0, bytes(100_000))
        path = self.path()
        RecordWriter(record, path).close()
        self.assertEqual(list(read_record(path)), record.since(0))
        file = RecordFile(path)
        self.assertEqual(list(file.transfers()), record.transfers.since(0))
        self.assertEqual((file.about["format"], file.about["ended"]), ("2", "done"))
        file.close()

    def test_the_older_format_is_read_and_its_phrases_are_fields(self):
        path = self.path()
        database = sqlite3.connect(path)
        database.executescript(OLD)
        database.close()
        asked, framed, question, outside = read_record(path)
        self.assertEqual((asked.kind, asked.value, asked.note), (Kind.ASKED, 50.0, "by hand"))
        self.assertEqual((framed.purpose, question.purpose), (Purpose.NONE, Purpose.READ_BACK))
        self.assertEqual((outside.purpose, outside.note), (Purpose.OUTSIDE, ""))
        file = RecordFile(path)
        self.assertEqual([event.number for event in file.trail(0)], [1, 2])
        self.assertEqual(list(file.transfers()), [])
        file.close()

    def test_what_is_no_record_or_a_newer_one_is_told(self):
        path = self.path()
        with self.assertRaisesRegex(WrongError, "no such file"):
            RecordFile(path)
        path.write_bytes(b"no database at all, but a text that is long enough" * 40)
        with self.assertRaisesRegex(WrongError, "a record that can be read"):
            RecordFile(path)
        path.unlink()
        database = sqlite3.connect(path)
        database.executescript(OLD.replace("'format', '1'", "'format', '9'"))
        database.close()
        with self.assertRaisesRegex(WrongError, 'found format 9, expected format 2|found "format 9"'):
            RecordFile(path)

    def test_what_says_nothing_of_itself_that_can_be_read_is_passed_over(self):
        path = self.path()
        RecordWriter(Record(lambda: 0.0), path, {"bench": "hut"}).close()
        database = sqlite3.connect(path)
        with database:
            database.execute("INSERT INTO about VALUES ('at hut', 5), ('file', x'00FF'), (x'6174', 'x')")
        database.close()
        file = RecordFile(path)
        self.addCleanup(file.close)
        self.assertEqual({"format", "bench", "ended", "at hut"}, set(file.about))  # a column of text makes a text of 5

    def test_one_that_lagged_and_then_was_cut_is_not_called_whole(self):
        record = Record(lambda: 0.0)
        path, told = self.path(), []
        writer = RecordWriter(record, path, tell=told.append)
        writer._stop.set()
        writer._thread.join()
        writer._count_gap(3)
        record.append(Kind.HEARD, "hut", Topic.POINT, "lamp", 1)
        writer._database.execute("DROP TABLE events")  # as good as a disk that takes nothing
        self.assertFalse(writer._write_batch())
        writer.close()
        self.assertIn("no longer written", told[-1])
        database = sqlite3.connect(path)
        self.addCleanup(database.close)
        self.assertEqual(list(database.execute("SELECT * FROM about WHERE name = 'ended'")), [])

    def test_a_writer_that_lags_tells_what_it_has_missed(self):
        record = Record(lambda: 0.0, kept=4096)
        told = []
        writer = RecordWriter(record, self.path(), tell=told.append)
        writer._stop.set()
        writer._thread.join()
        for number in range(40_000):
            record.append(Kind.HEARD, "hut", Topic.POINT, "lamp", number)
        writer._write_batch()
        writer.close()
        self.assertIn("could not be written in time", told[0])
        self.assertEqual(writer.left_out, record.first)


if __name__ == "__main__":
    unittest.main()
