"""Records that are cut, have bits turned, are of a newer format, or no records at all: one line, never more."""

import random
import sqlite3
import tempfile
import unittest
from pathlib import Path

import cavet
from cavet.bench import PastBench
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.exports import TEXTS, Cut, compare, pcapng
from cavet.lanes import Lanes
from cavet.library.past import past_trails
from cavet.record import RecordFile
from cavet.wording import WrongError

SETUP = load_bench(demo_path()).setup
TURNED = 120


class Broken(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        place = tempfile.TemporaryDirectory()
        cls.addClassCleanup(place.cleanup)
        cls.folder = Path(place.name)
        with cavet.open("demo", seed="a") as bench:
            bench["beacon"].set("50 %")
            bench.wait(0.3)
            path = cls.folder / "whole.record"
            bench.record.save(path)
        with sqlite3.connect(path) as database:  # into one file
            database.execute("PRAGMA journal_mode=DELETE")
        cls.whole = path.read_bytes()

    def all_of_it(self, data):
        """Everything that reads a record; gives what was wrong, if anything."""
        path = self.folder / "broken.record"
        path.write_bytes(data)
        try:
            file = RecordFile(path)
        except WrongError as error:
            return error
        found = None
        for act in (
            *(lambda form=form: list(TEXTS[form](file, SETUP, Cut(begin=0.2, end=2.0))) for form in TEXTS),
            lambda: list(pcapng(file, SETUP, Cut())), lambda: past_trails(file.since(0), SETUP),
            lambda: compare(file.since(0), file.since(0)),
            lambda: Lanes(SETUP).read(file.since(0), file.transfers()).all(),
            lambda: file.state_at(1.0), file.ended, file.boards, lambda: PastBench(SETUP, file).read_on(),
        ):  # fmt: skip
            try:
                act()
            except WrongError as error:
                found = error
        file.close()
        return found

    def test_cut_anywhere_it_is_one_line(self):
        for end in range(0, len(self.whole), max(1, len(self.whole) // 60)):
            error = self.all_of_it(self.whole[:end])
            self.assertNotIn("\n", str(error))
        self.assertIsNone(self.all_of_it(self.whole))

    def test_turned_bits_are_one_line_at_most(self):
        chance = random.Random(4)
        for _ in range(TURNED):
            data = bytearray(self.whole)
            for _ in range(chance.choice([1, 5, 60])):
                data[chance.randrange(100, len(data))] ^= 1 << chance.randrange(8)
            self.assertNotIn("\n", str(self.all_of_it(bytes(data))))

    def test_what_is_no_record_of_ours_says_what_it_is(self):
        for change, words in (
            ("UPDATE about SET value = '3' WHERE name = 'format'", "format 3"), ("DROP TABLE about", "no such table"),
            ("DROP TABLE transfers", "no such table"), ("UPDATE events SET kind = 'x'", "x"),
            ("UPDATE events SET t = 'x'", ""), ("UPDATE events SET value = '{'", ""),
            ("UPDATE transfers SET seat = 'x'", "x"), ("UPDATE transfers SET data = 7", ""),
            ("UPDATE events SET cause = number", ""), ("UPDATE events SET t = 1e999", ""),
            ("UPDATE events SET board = NULL", ""),
        ):  # fmt: skip
            with self.subTest(change):
                path = self.folder / "other.record"
                path.write_bytes(self.whole)
                with sqlite3.connect(path) as database:
                    try:
                        database.execute(change)
                        database.commit()
                    except sqlite3.IntegrityError:
                        continue
                database.close()
                self.assertIn(words, str(self.all_of_it(path.read_bytes())))
