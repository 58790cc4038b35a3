"""How a record ends: whole, cut by a kill, still being written."""

import contextlib
import os
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from cavet.record import Kind, Record, RecordFile, RecordWriter, Topic, check_new, writer_of
from cavet.wording import WrongError
from tests.patience import PATIENCE

WRITER = """
import sys, time
from pathlib import Path
from cavet.record import Kind, Record, RecordWriter, Topic
record = Record(lambda: 0.0)
writer = RecordWriter(record, Path(sys.argv[1]))
while True:
    record.append(Kind.MARK, "", Topic.TEXT, "", None, None, "on and on")
    time.sleep(0.001)
"""


class Endings(unittest.TestCase):
    def setUp(self):
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.path = Path(place.name) / "a.record"

    def ended(self):
        file = RecordFile(self.path)
        with contextlib.closing(file):
            return file.ended(), len(list(file.since(0)))

    def until_written(self):
        until = time.monotonic() + PATIENCE
        while time.monotonic() < until:
            with contextlib.suppress(Exception):
                if self.ended()[1] > 20:
                    return
            time.sleep(0.02)
        self.fail("nothing was written")

    def test_one_that_was_closed_is_done(self):
        record = Record(lambda: 0.0)
        writer = RecordWriter(record, self.path)
        record.append(Kind.MARK, "", Topic.TEXT, "")
        self.assertEqual("", self.ended()[0])
        writer.close()
        self.assertEqual(("done", 1), self.ended())

    def test_one_that_is_being_written_is_not_replaced_also_by_force(self):
        self.assertEqual(writer_of(self.path), "")
        with contextlib.closing(RecordWriter(Record(lambda: 0.0), self.path)):
            self.assertEqual(writer_of(self.path), str(os.getpid()))
            with self.assertRaisesRegex(WrongError, f"a record that process {os.getpid()} is writing"):
                check_new(self.path, force=True)
        self.assertEqual(writer_of(self.path), "")
        check_new(self.path, force=True)

    def test_a_name_may_have_the_characters_of_an_address(self):
        self.path = self.path.with_name("50% done?#%41.record")
        RecordWriter(Record(lambda: 0.0), self.path).close()
        self.assertEqual(("done", 0), self.ended())
        self.assertEqual([path.name for path in self.path.parent.iterdir()], [self.path.name])

    def test_what_is_written_goes_into_the_file_itself_while_it_is_written_and_no_batch_waits_for_it(self):
        record = Record(lambda: 0.0)
        with contextlib.closing(RecordWriter(record, self.path)):
            first = self.path.stat().st_size
            until = time.monotonic() + PATIENCE
            while self.path.stat().st_size < first + 1_000_000 and time.monotonic() < until:
                for _ in range(1000):
                    record.append(Kind.MARK, "", Topic.TEXT, "", None, None, "on and on" * 10)
                time.sleep(0.01)
            self.assertGreater(self.path.stat().st_size, first + 1_000_000)
        self.assertEqual("done", self.ended()[0])

    def test_a_log_that_grows_too_long_is_brought_in_by_who_writes_it(self):
        with mock.patch("cavet.record._store.MOST_LOG_PAGES", 0):
            record, count = Record(lambda: 0.0), 0
            with contextlib.closing(RecordWriter(record, self.path)) as writer:
                with mock.patch.object(writer, "_catch_up", wraps=writer._catch_up) as caught_up:
                    until = time.monotonic() + PATIENCE
                    while not caught_up.call_count and time.monotonic() < until:
                        for _ in range(1000):
                            record.append(Kind.MARK, "", Topic.TEXT, "", None, None, "on and on")
                            count += 1
                        time.sleep(0.01)
                    self.assertTrue(caught_up.call_count)
            self.assertEqual(("done", count), self.ended())

    def test_one_whose_writer_was_killed_is_cut_which_is_said_and_kept(self):
        writer = subprocess.Popen([sys.executable, "-c", WRITER, self.path])
        self.addCleanup(writer.wait)
        self.addCleanup(writer.kill)
        self.until_written()
        self.assertEqual("", self.ended()[0])
        os.kill(writer.pid, signal.SIGKILL)
        writer.wait()
        ran = subprocess.run(
            [sys.executable, "-m", "cavet", "trails", self.path], capture_output=True, text=True, timeout=PATIENCE
        )
        self.assertEqual((0, 1), (ran.returncode, ran.stderr.count("\n")))
        self.assertIn("its writer was killed", ran.stderr)
        self.assertEqual("cut", RecordFile(self.path).about["ended"])
        self.assertEqual("cut", self.ended()[0])

    def test_a_writer_that_has_ended_and_was_not_taken_notice_of_writes_no_more(self):
        writer = subprocess.Popen([sys.executable, "-c", WRITER, self.path])
        self.addCleanup(writer.wait)
        self.addCleanup(writer.kill)
        self.until_written()
        os.kill(writer.pid, signal.SIGKILL)
        os.waitid(os.P_PID, writer.pid, os.WEXITED | os.WNOWAIT)
        self.assertEqual("cut", self.ended()[0])

    def test_whoever_it_says_has_written_it_is_looked_for_and_nonsense_is_nobody(self):
        for words in ("999999999 1", "1", "", "x", "9" * 5000, f"{os.getpid()} 1", "-1"):
            writer = RecordWriter(Record(lambda: 0.0), self.path)
            writer.close()
            with contextlib.closing(sqlite3.connect(self.path)) as database:
                database.execute("DELETE FROM about WHERE name = 'ended'")
                database.execute("INSERT INTO about VALUES ('writer', ?)", (words,))
                database.commit()
            self.assertEqual("cut", self.ended()[0], words)
