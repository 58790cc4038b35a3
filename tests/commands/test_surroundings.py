"""Terminals, pipes, words and file names as they may be elsewhere."""

import contextlib
import json
import os
import shlex
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.commands.run import cavet, cavet_here
from tests.patience import PATIENCE

NO_TEXT = os.fsdecode(b"\xff")
"""A byte that is no UTF-8, as it comes in the call."""


class Encodings(unittest.TestCase):
    def test_a_drawing_can_be_read_where_there_is_only_ascii(self):
        words = ("explain", "modbus-rtu", "07 06 00 00 02 58 89 36", "--bench", "demo", "pumphouse")
        ran = cavet(*words, environment={"PYTHONIOENCODING": "ascii"})
        self.assertEqual((ran.code, ran.err), (0, ""))
        self.assertIn("+------+  +------+  +----------------+", ran.out)
        self.assertTrue(ran.out.isascii())

    def test_what_is_spelled_out_is_json_as_before(self):
        latin = {"PYTHONIOENCODING": "latin-1"}
        ran = cavet("drive", "demo", "sign=€😀→─", "--json", environment=latin)
        self.assertTrue(ran.out.isascii())
        self.assertEqual(json.loads(ran.out)["asked"], "€😀→─")
        ran = cavet("decode", "mqtt", "30 06 00 01 61 E2 86 92", environment={"PYTHONIOENCODING": "ascii"})
        self.assertEqual(json.loads(ran.out)["fields"]["payload_text"], "→")

    def test_words_that_are_no_text_are_told_in_a_line(self):
        for words in (
            ("encode", "mqtt", "publish", "topic=a", f"payload=@{NO_TEXT}"),
            ("reckon", "check", f"data=@{NO_TEXT}", "kind=sum8"),
            ("find", "broker", f"{NO_TEXT}:1"),
            ("drive", "demo", "beacon=20%", "--seed", NO_TEXT),
            ("drive", "demo", f"panel={NO_TEXT}"),
            ("drive", "demo", f"sign={NO_TEXT}"),
        ):
            with self.subTest(words):
                ran = cavet_here(*words)
                self.assertEqual((ran.code, ran.out, ran.err.count("\n")), (2, "", 1), ran)
                self.assertIn("‹U+DCFF›", ran.err)
                self.assertNotIn("fault", ran.err)


class Streams(unittest.TestCase):
    def test_shut_ones(self):
        for words, shut in (
            (("decode", "firmata", "-"), "<&-"),
            (("encode", "firmata", "set-pin-mode", "pin=9", "mode=pwm", "--binary"), ">&-"),
            (("reckon",), "<&- >&- 2>&-"),
        ):
            line = f"{shlex.join([sys.executable, '-m', 'cavet', *words])} {shut}"
            done = subprocess.run(["sh", "-c", line], capture_output=True, timeout=PATIENCE, check=False)
            self.assertEqual((done.returncode, done.stdout, done.stderr), (0, b"", b""), line)

    def test_too_few_files_are_told_in_a_line(self):
        words = shlex.join([sys.executable, "-m", "cavet", "serve", "demo"])
        told = set()
        for files in range(10, 18, 2):
            line = f"ulimit -n {files}; exec {words} < /dev/null"
            with contextlib.suppress(subprocess.TimeoutExpired):
                done = subprocess.run(["sh", "-c", line], capture_output=True, text=True, timeout=10, check=False)
                told.add((done.returncode in (2, 3), done.stderr.count("\n"), "fault" in done.stderr))
        self.assertEqual(told, {(True, 1, False)})

    def test_no_control_code_of_a_text_reaches_them(self):
        ran = cavet_here("drive", "demo", "sign=a\x1b[31m\tb")
        self.assertEqual(ran.code, 0)
        self.assertIn("moved: a‹ESC›[31m‹HT›b", ran.out)
        self.assertTrue(all(character.isprintable() for character in ran.out.strip()))


class Names(unittest.TestCase):
    def test_a_new_bench_may_be_called_anything(self):
        for name in ("a b", "x\ny", NO_TEXT, 'q"', "-x", "ä"):
            with tempfile.TemporaryDirectory() as folder, self.subTest(name):
                path = f"{folder}/{name}.bench.toml"
                ran = cavet_here("new", path, "--modbus")
                self.assertEqual((ran.code, ran.err, ran.out.count("\n")), (0, "", 1), ran)
                self.assertEqual(cavet_here("show", path).code, 0)

    def test_it_is_told_as_the_shell_takes_it(self):
        with tempfile.TemporaryDirectory() as folder:
            ran = cavet_here("new", f"{folder}/a b.bench.toml")
            said = ran.out.partition("`")[2].partition("`")[0]
            self.assertEqual(shlex.split(said), ["cavet", "open", f"{folder}/a b.bench.toml"])
            self.assertIn("`cavet open 'a b.bench.toml'` opens it", Path(folder, "a b.bench.toml").read_text("utf-8"))


if __name__ == "__main__":
    unittest.main()
