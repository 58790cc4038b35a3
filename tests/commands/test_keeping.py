"""Keeping a record: the same seed gives the same one; an old file is not replaced unasked; a full disk is told."""

import json
import os
import resource
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from cavet.record import RecordFile
from tests.commands.run import cavet
from tests.patience import PATIENCE

WISHES = ("beacon=50%", "horn=on", "upper_paddle=60%", "pump_a=on", "lamp=on", "relay_101=on", "mast_1=on", "level?")
BARE = {"PATH": "/usr/bin:/bin", "PYTHONDONTWRITEBYTECODE": "1"}
"""A module that is compiled where the disk is full would be left behind in pieces."""
SMALL = 120_000
"""Bytes that a file may have, where the disk is as good as full."""


def drive(*words, hash_seed="0", file_size=None):
    limit = None if file_size is None else lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (file_size, file_size))
    return subprocess.run(
        [sys.executable, "-m", "cavet", "drive", "demo", *words], capture_output=True, text=True, timeout=PATIENCE,
        env={**BARE, "PYTHONHASHSEED": hash_seed}, preexec_fn=limit, check=False,
    )  # fmt: skip


class Keeping(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def kept(self, name):
        file = RecordFile(self.folder / name)
        self.addCleanup(file.close)
        return file.about, list(file.since(0)), list(file.transfers())

    def test_the_same_seed_gives_the_same_record_whatever_python_hashes(self):
        for hash_seed in ("0", "1", "4242"):
            ran = drive(*WISHES, "--record", str(self.folder / hash_seed), "--seed", "spring", hash_seed=hash_seed)
            self.assertIn("beacon", ran.stdout, ran.stderr)
        first = self.kept("0")
        self.assertGreater(len(first[1]), 200)
        self.assertGreater(len(first[2]), 50)
        self.assertEqual(first, self.kept("1"))
        self.assertEqual(first, self.kept("4242"))

    def test_another_seed_gives_another(self):
        for seed in ("spring", "autumn"):
            drive(*WISHES, "--record", str(self.folder / seed), "--seed", seed)
        self.assertNotEqual(self.kept("spring")[1], self.kept("autumn")[1])

    def test_an_old_file_is_replaced_only_when_told(self):
        path = self.folder / "a.record"
        path.write_text("mine")
        ran = cavet("drive", "demo", "lamp=on", "--record", str(path))
        self.assertEqual((ran.code, ran.out), (2, ""))
        self.assertEqual(ran.err.count("\n"), 1)
        self.assertIn('found "a file that is there already", expected a new one; --force replaces it', ran.err)
        self.assertEqual(path.read_text(), "mine")
        self.assertEqual(cavet("drive", "demo", "lamp=on", "--record", str(path), "--force").code, 0)
        self.assertEqual(self.kept("a.record")[0]["ended"], "done")

    def test_where_none_can_be_is_told_before_anything_runs(self):
        for path, words in (("none/a.record", 'found "no folder'), (".", 'found "a file that is there already"')):
            ran = cavet("drive", "demo", "lamp=on", "--record", str(self.folder / path))
            with self.subTest(path):
                self.assertEqual((ran.code, ran.out, ran.err.count("\n")), (2, "", 1))
                self.assertIn(words, ran.err)

    def test_what_is_no_file_is_not_taken_away_for_a_record(self):
        pipe = self.folder / "pipe"
        os.mkfifo(pipe)
        for path, found in ((pipe, "a device or a pipe"), (self.folder, "a folder")):
            ran = cavet("drive", "demo", "lamp=on", "--record", str(path), "--force")
            with self.subTest(found):
                self.assertEqual((ran.code, ran.out, ran.err.count("\n")), (2, "", 1))
                self.assertIn(f'found "{found}", expected a file', ran.err)
        self.assertTrue(pipe.is_fifo())

    def test_a_full_disk_is_told_and_the_work_goes_on(self):
        ran = drive(*WISHES, "--json", "--record", str(self.folder / "a.record"), file_size=SMALL)
        self.assertIn("the record is no longer written", ran.stderr)
        self.assertNotIn("Traceback", ran.stderr)
        self.assertEqual(json.loads(ran.stdout.splitlines()[0])["confirmed"], 50)


if __name__ == "__main__":
    unittest.main()
