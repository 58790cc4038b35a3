"""What nobody foresaw reaches the terminal as one line, and the log as a whole; nothing else."""

import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from cavet.serving.lines import answer
from tests.patience import PATIENCE

SPOILED = """
import sys
from unittest import mock
def raising(*a, **k):
    raise ZeroDivisionError("by \\x1b[31mzero\\n")
with mock.patch({target!r}, raising):
    from cavet.commands import run
    run(sys.argv[1:])
"""


class Unforeseen(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.home = Path(folder.name)

    def run_spoiled(self, target, *words, home=None):
        environment = {**os.environ, "XDG_STATE_HOME": str(home or self.home), "HOME": str(home or self.home)}
        environment["TMPDIR"] = str(self.home)
        return subprocess.run(
            [sys.executable, "-c", SPOILED.format(target=target), *words],
            capture_output=True, text=True, timeout=PATIENCE, env=environment, check=False,
        )  # fmt: skip

    def log(self):
        (file,) = self.home.glob("**/cavet.log")
        return file.read_text()

    def test_in_any_command(self):
        for target, words in (
            ("cavet.commands._bench.load_bench", ("drive", "demo", "lamp=on")),
            ("cavet.commands._bench.load_bench", ("serve", "demo")),
            ("cavet.bench.RunningBench.start", ("serve", "demo", "--json")),
            ("cavet.commands.decode.line_of", ("decode", "firmata", "F9 02 05")),
        ):
            with self.subTest(words):
                ran = self.run_spoiled(target, *words)
                self.assertEqual((ran.returncode, ran.stderr.count("\n")), (2, 1), ran.stderr)
                self.assertRegex(
                    ran.stderr,
                    r"^cavet: a fault of Cavet's own: ZeroDivisionError, by ‹ESC›\[31mzero, in cavet/\S+\.py line \d+; "
                    r"more in the log, .*cavet\.log\n$",
                )
                self.assertNotIn("Traceback", ran.stdout)
                self.assertIn("Traceback", self.log())

    def test_where_there_is_no_place_for_a_log_it_is_said(self):
        file = self.home / "file"
        for path in (file, self.home / f"cavet-{os.getuid()}"):
            path.write_text("")
        ran = self.run_spoiled("cavet.commands._bench.load_bench", "drive", "demo", "lamp=on", home=file / "below")
        self.assertEqual((ran.returncode, ran.stderr.count("\n")), (2, 1), ran.stderr)
        self.assertIn("more in the log, nowhere: File exists", ran.stderr)

    def test_a_line_of_input_that_fails_is_answered(self):
        bench = mock.Mock()
        bench.restart.side_effect = ZeroDivisionError("by zero")
        with self.assertLogs("cavet", "ERROR"):
            said = answer(bench, b'{"board": "gatehouse", "do": "restart"}')
        self.assertEqual(said["event"], "error")
        self.assertIn("input: a fault of Cavet's own: ZeroDivisionError, by zero", said["message"])


if __name__ == "__main__":
    unittest.main()
