"""Files that are written whole or not at all."""

import os
import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

from cavet.files import check_target, file_errors, write_whole
from cavet.wording import WrongError


class Whole(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "told.csv"

    def left(self):
        return sorted(path.name for path in self.folder.iterdir())

    def test_a_new_file_is_there_as_any_other(self):
        write_whole(self.path, [b"one ", b"two"])
        other = self.folder / "other"
        other.write_bytes(b"")
        self.assertEqual(self.path.read_bytes(), b"one two")
        self.assertEqual(self.path.stat().st_mode, other.stat().st_mode)

    def test_what_is_there_stays_until_all_is_written(self):
        self.path.write_bytes(b"old")
        self.path.chmod(0o640)

        def pieces():
            yield b"new"
            self.assertEqual(self.path.read_bytes(), b"old")

        write_whole(self.path, pieces(), lasting=True)
        self.assertEqual((self.path.read_bytes(), self.path.stat().st_mode & 0o777), (b"new", 0o640))

    def test_what_breaks_it_off_leaves_nothing_behind(self):
        self.path.write_bytes(b"old")

        def pieces():
            yield b"new"
            raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            write_whole(self.path, pieces())
        self.assertEqual((self.left(), self.path.read_bytes()), (["told.csv"], b"old"))

    def test_a_link_stays_one_and_its_file_is_written(self):
        kept = self.folder / "kept"
        kept.mkdir()
        (kept / "told.csv").write_bytes(b"old")
        self.path.symlink_to("kept/told.csv")
        write_whole(self.path, [b"new"])
        self.assertTrue(self.path.is_symlink())
        self.assertEqual((kept / "told.csv").read_bytes(), b"new")

    def test_a_pipe_is_written_into(self):
        os.mkfifo(self.path)
        heard = []
        reader = threading.Thread(target=lambda: heard.append(self.path.read_bytes()))
        reader.start()
        check_target(self.path)
        write_whole(self.path, [b"one ", b"two"])
        reader.join()
        self.assertEqual((heard, self.path.is_fifo()), ([b"one two"], True))

    def test_where_none_can_be_it_is_said_in_one_line(self):
        for path, found in (
            (self.folder, "Is a directory"),
            (self.folder / "none" / "told.csv", "No such file or directory"),
        ):
            with self.assertRaises(WrongError) as caught:
                write_whole(path, [b"new"])
            self.assertEqual(str(caught.exception), f'{path}: found "{found}", expected a file that can be written')
        self.assertEqual(self.left(), [])

    def test_a_file_for_reading_only_is_not_replaced(self):
        self.path.write_bytes(b"old")
        with mock.patch.object(os, "access", return_value=False):
            with self.assertRaisesRegex(WrongError, "Permission denied"):
                write_whole(self.path, [b"new"])
        self.assertEqual((self.left(), self.path.read_bytes()), (["told.csv"], b"old"))

    def test_what_is_there_is_replaced_by_force_only(self):
        self.path.write_bytes(b"old")
        check_target(self.path, force=True)
        for path in (self.path, self.folder):
            with self.assertRaisesRegex(WrongError, "--force"):
                check_target(path)

    def test_what_is_raised_for_other_reasons_goes_on(self):
        with self.assertRaises(ZeroDivisionError), file_errors(self.path, "a number"):
            raise ZeroDivisionError


if __name__ == "__main__":
    unittest.main()
