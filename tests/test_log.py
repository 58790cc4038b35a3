"""The state folder: where it is, and where none can be written."""

import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from cavet.commands.open import own_record
from cavet.log import state_path
from cavet.record import Record, RecordWriter
from cavet.wording import WrongError


class State(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def states(self, state, spare=""):
        """The state folder is to be in `state`, the system's temporary files in `spare`, below the test's folder."""
        change = mock.patch.dict(os.environ, {"XDG_STATE_HOME": str(self.folder / state)})
        change.start()
        self.addCleanup(change.stop)
        spared = mock.patch.object(tempfile, "gettempdir", return_value=str(self.folder / spare))
        spared.start()
        self.addCleanup(spared.stop)

    def test_it_is_made_when_it_is_wanted(self):
        self.states("new/state")
        self.assertEqual(state_path("a.record"), self.folder / "new/state/cavet/a.record")
        self.assertTrue((self.folder / "new/state/cavet").is_dir())

    def test_where_it_can_not_be_written_another_takes_its_place(self):
        (self.folder / "file").write_text("no folder")
        self.states("file")
        path = state_path("a.record")
        self.assertEqual(path, self.folder / f"cavet-{os.getuid()}" / "a.record")
        self.assertEqual(path.parent.stat().st_mode & 0o777, 0o700)

    def test_a_link_that_somebody_has_put_there_is_not_followed(self):
        (self.folder / "file").write_text("no folder")
        (self.folder / "mine").mkdir()
        (self.folder / f"cavet-{os.getuid()}").symlink_to("mine")
        self.states("file")
        with self.assertRaisesRegex(PermissionError, "another user"):
            state_path("a.record")

    def test_where_neither_can_be_it_is_said_in_one_line(self):
        (self.folder / "file").write_text("no folder")
        self.states("file", "file")
        with self.assertRaises(WrongError) as caught:
            own_record(Path("a.bench.toml"))
        expected = "one that can be written: XDG_STATE_HOME names another"
        self.assertEqual(str(caught.exception), f'the state folder: found "Not a directory", expected {expected}')

    def test_a_record_that_another_window_writes_is_left_alone(self):
        self.states("state")
        bench = Path("lock.bench.toml")
        first = own_record(bench)
        writer = RecordWriter(Record(lambda: 0.0), first)
        self.assertEqual((first.name, own_record(bench).name), ("lock.record", "lock-2.record"))
        writer.close()
        self.assertEqual(own_record(bench), first)

    def test_the_record_of_another_bench_of_the_same_name_is_left_alone(self):
        self.states("state")
        benches = [self.folder / name / "lock.bench.toml" for name in "ab"]
        for bench in benches:
            bench.parent.mkdir()
            bench.write_text("")
            RecordWriter(Record(lambda: 0.0), own_record(bench), {"file": str(bench)}).close()
        self.assertEqual(["lock.record", "lock-2.record"], [own_record(bench).name for bench in benches])
        benches[0].unlink()
        self.assertEqual("lock.record", own_record(benches[1]).name)


if __name__ == "__main__":
    unittest.main()
