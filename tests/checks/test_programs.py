"""The user's own program as the host: by word only, watched, and ended with all that it has started."""

import asyncio
import json
import signal
import subprocess
import sys
import time
import unittest
from pathlib import Path
from unittest import mock
from xml.etree import ElementTree

from cavet.benchfile import load_bench
from cavet.checks import Wanted, chosen_checks, orders_of, run_all, run_program, with_checks
from cavet.wording import WrongError
from tests.checks import test_campaigns
from tests.checks.huts import Folder, hut
from tests.patience import PATIENCE

BLINK = """
import os, sys, time, tty
file = os.open(sys.argv[1], os.O_RDWR | os.O_NOCTTY)
tty.setraw(file)
assert sys.argv[1] == os.environ["CAVET_HUT_SERIAL"]
heard = b""
while bytes([0xF0, 0x79]) not in heard:
    heard += os.read(file, 1000)
os.write(file, bytes([0xF4, 3, 1]))
for level in (1, 0, 1, 0):
    os.write(file, bytes([0xF5, 3, level]))
    time.sleep(0.1)
print("blinked twice")
"""
FORKS = """
import os, sys, time
if os.fork() == 0:
    os.setsid()
    if os.fork() == 0:
        time.sleep(60)
    os._exit(0)
time.sleep(0.2)
"""
CHECKS = """
[checks.blink]
program = ["python", "blink.py", "{hut.serial}"]
expect = ["lamp rises", "lamp falls", "hut.lamp >= 99 %", "hut.pin 3 = 1"]
within = "20 s"
no_refusal = "hut"
rest = { after = "end of program", within = "2 s" }
"""


class Running(unittest.TestCase):
    def ended(self, text, within=10.0):
        return asyncio.run(run_program(["python", "-c", text], Path.cwd(), {}, within))

    def test_what_it_writes_and_how_it_ends(self):
        ended = self.ended("import sys; print('a'); print('b', file=sys.stderr); sys.exit(3)")
        self.assertEqual((3, "a\n", "b\n", False), (ended.code, ended.output, ended.errors, ended.was_late))

    def test_a_flood_holds_up_nobody_and_the_last_of_it_is_kept(self):
        ended = self.ended("for n in range(200000): print('x' * 50, n)")
        self.assertEqual(0, ended.code)
        self.assertLess(len(ended.output), 70_000)
        self.assertTrue(ended.output.endswith("199999\n"))

    def test_what_ignores_signals_or_shuts_its_output_is_ended(self):
        for text in (
            "import signal, time; signal.signal(15, signal.SIG_IGN); time.sleep(60)",
            "import os, time; os.close(1); os.close(2); time.sleep(60)",
            "while True: print('x' * 1000)",
        ):
            began = time.monotonic()
            with self.subTest(text=text):
                self.assertTrue(self.ended(text, within=0.5).was_late)
                self.assertLess(time.monotonic() - began, 8)

    def test_what_it_has_left_behind_is_ended_too(self):
        self.ended(FORKS)
        calls = [_read(folder / "cmdline") for folder in Path("/proc").iterdir() if folder.name.isdigit()]
        marked = [call for call in calls if b"os.setsid" in call]
        self.assertEqual([], marked)

    def test_what_can_not_be_started_is_told(self):
        for call in (["/nowhere/program"], ["python\0"], ["{hut.serial}"]):
            with self.subTest(call=call), self.assertRaises(WrongError):
                asyncio.run(run_program(call, Path.cwd(), {}, 1))


def until(holds):
    end = time.monotonic() + PATIENCE
    while not holds():
        assert time.monotonic() < end, "it did not come"
        time.sleep(0.01)


def runs(process):
    """Whether it does anything any more; one that has only not been asked yet how it ended has no call."""
    return bool(_read(Path(f"/proc/{process}/cmdline")))


def _read(path):
    try:
        return path.read_bytes()
    except OSError:
        return b""


class Checked(Folder, unittest.TestCase):
    call = test_campaigns.TheCommand.call

    def setUp(self):
        super().setUp()
        (self.folder / "blink.py").write_text(BLINK, "utf-8")

    def test_nothing_is_run_without_the_word(self):
        (self.folder / "blink.py").write_text("open('ran', 'w')", "utf-8")
        done = self.call(checks=CHECKS)
        self.assertEqual((2, "", 1), (done.returncode, done.stdout, done.stderr.count("\n")))
        self.assertIn("--allow-programs", done.stderr)
        self.assertFalse((self.folder / "ran").exists())

    def test_what_it_does_to_the_board_is_what_counts(self):
        done = self.call("--allow-programs", "--json", checks=CHECKS)
        run, checked = map(json.loads, done.stdout.splitlines())
        self.assertEqual((0, True, "", "blinked twice\n"), (done.returncode, run["held"], run["why"], run["output"]))
        self.assertEqual(0, checked["failed"])
        done = self.call("--allow-programs", "--json", "--defects", "dead", checks=CHECKS)
        run, _ = map(json.loads, done.stdout.splitlines())
        self.assertEqual((1, False), (done.returncode, run["held"]))
        self.assertIn("this did not come: lamp rises", run["why"])

    def test_what_it_has_set_in_motion_may_arrive_after_it_has_ended(self):
        (self.folder / "blink.py").write_text(BLINK.replace("(1, 0, 1, 0)", "(1,)"), "utf-8")
        checks = """
[checks.slow]
program = ["python", "blink.py", "{hut.serial}"]
expect = ['hut.lamp = "open"']
within = "20 s"
"""
        path = hut(self.folder, checks)
        text = path.read_text("utf-8").replace('failsafe = "300 ms"\n', "")
        path.write_text(text.replace('kind = "lamp", pin = 3', 'kind = "valve", pin = 3'), "utf-8")
        done = test_campaigns.cavet("check", str(path), "slow", "--allow-programs", folder=self.folder)
        self.assertEqual((0, ""), (done.returncode, done.stderr), done.stdout)

    def test_a_pulse_of_half_a_millisecond_is_seen_at_its_pin(self):
        (self.folder / "blink.py").write_text(BLINK.replace("0.1", "0").replace("(1, 0, 1, 0)", "(1, 0)"), "utf-8")
        checks = CHECKS.replace("hut.lamp >= 99 %", "hut.pin 3 falls").replace('"lamp rises", "lamp falls", ', "")
        done = self.call("--allow-programs", checks=checks)
        self.assertEqual((0, ""), (done.returncode, done.stderr), done.stdout)

    def test_what_its_record_shows_is_looked_at_to_the_last_word(self):
        (self.folder / "blink.py").write_text(BLINK.replace("(1, 0, 1, 0)", "(1,)").replace("0.1", "0"), "utf-8")
        checks = """
[checks.once]
program = ["python", "blink.py", "{hut.serial}"]
delays = { from = "carried", to = "moved", at_most = "2 s" }
[checks.quick]
delays = { from = "taken", to = "moved", at_most = "1 us" }
[checks.asked]
delays = { from = "asked", to = "moved", at_most = "1 s" }
"""
        done = self.call("--allow-programs", "--json", checks=checks)
        once, quick, asked, _ = map(json.loads, done.stdout.splitlines())
        self.assertEqual((True, ""), (once["held"], once["why"]))
        self.assertRegex(
            quick["why"], "0 of 1 commands went from taken to moved within 1 µs; hut set-digital-pin-value F5 03 01 "
        )
        self.assertEqual((False, True), (asked["held"], asked["why"].startswith("nothing was run whose record")))
        done = self.call("quick", checks=checks)
        self.assertEqual(1, done.returncode, "what looks at no record at all has not held")

    def test_what_must_not_come_is_seen_though_it_lasts_a_moment(self):
        for levels, held in (("(1, 0)", False), ("(0, 0)", True)):
            blink = BLINK.replace("0.1", "0").replace("(1, 0, 1, 0)", levels)
            (self.folder / "blink.py").write_text(blink, "utf-8")
            checks = '[checks.c]\nprogram = ["python", "blink.py", "{hut.serial}"]\nnever = ["hut.pin 3 = 1"]\n'
            done = self.call("--allow-programs", "--json", checks=checks)
            run = json.loads(done.stdout.splitlines()[0])
            self.assertEqual(held, run["held"], run)
            self.assertRegex(run["why"], "^$" if held else r"^this came, at \d\.\d+ s, and must not: hut\.pin 3 = 1$")

    def test_how_it_ends_counts(self):
        for program, ends, why in (
            ("import sys; sys.exit('no board')", "", "exit code 1, not 0: no board"),
            ("raise SystemExit(4)", "ends = 4", ""),
            ("import os; os.kill(os.getpid(), 9)", "", "by signal 9"),
            ("import time; time.sleep(9)", "", "not ended within 0.5 s"),
        ):
            text = f'[checks.p]\nprogram = ["python", "-c", {json.dumps(program)}]\nwithin = "0.5 s"\n{ends}\n'
            with self.subTest(program=program):
                run = json.loads(self.call("--allow-programs", "--json", checks=text).stdout.splitlines()[0])
                self.assertEqual(not why, run["held"], run)
                self.assertIn(why, run["why"])

    def test_what_can_not_be_seen_is_told_before_it_is_run(self):
        text = '[checks.p]\nprogram = ["python", "-c", "1"]\nexpect = ["lomp rises"]\n'
        done = self.call("--allow-programs", checks=text)
        self.assertEqual((2, ""), (done.returncode, done.stdout))
        self.assertIn("lomp", done.stderr)

    def test_told_to_end_while_it_is_being_started(self):
        path = hut(self.folder, '[checks.a]\nprogram = ["python", "-c", "import time; time.sleep(600)"]\n')
        setup = with_checks(load_bench(path).setup)
        orders = orders_of(path, setup, chosen_checks(setup, []), Wanted())
        started = []

        def start(popen, *words):
            original(popen, *words)
            started.append(popen.pid)
            raise KeyboardInterrupt

        original = subprocess.Popen._execute_child
        with mock.patch.object(subprocess.Popen, "_execute_child", start), self.assertRaises(KeyboardInterrupt):
            list(run_all(orders))
        until(lambda: not runs(started[0]))

    def test_told_to_end_it_ends_what_was_started_too(self):
        sleeper = "import os, sys, time; open(sys.argv[1], 'w').write(str(os.getpid())); time.sleep(600)"
        checks = "".join(
            f'[checks.{name}]\nprogram = ["python", "-c", {json.dumps(sleeper)}, "{name}"]\nwithin = "600 s"\n'
            for name in ("a", "b")
        )
        path = hut(self.folder, checks)
        for number, jobs, started in (
            (signal.SIGTERM, "1", "a"),
            (signal.SIGINT, "1", "a"),
            (signal.SIGTERM, "2", "b"),
        ):
            with self.subTest(signal=number, jobs=jobs):
                words = [sys.executable, "-m", "cavet", "check", str(path), "--allow-programs", "--jobs", jobs]
                words += ["--junit", "stopped.xml"]
                process = subprocess.Popen(
                    words, cwd=self.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
                    preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),  # it may be ignored here
                )  # fmt: skip
                place = self.folder / started
                until(lambda place=place: _read(place))
                there = int(place.read_bytes())
                process.send_signal(number)
                _, errors = process.communicate(timeout=PATIENCE)
                self.assertNotEqual(0, process.returncode)
                self.assertEqual(b"cavet check: stopped: 2 of 2 runs not done", errors.strip())
                (suite,) = ElementTree.parse(self.folder / "stopped.xml").getroot()
                self.assertEqual(("stopped", "1", "1"), (suite.get("name"), suite.get("tests"), suite.get("failures")))
                until(lambda there=there: not runs(there))
                place.unlink()
