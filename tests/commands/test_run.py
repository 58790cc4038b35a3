"""`cavet run`: its lines, its exit codes, what it takes from the call, from standard input and from signals."""

import json
import signal
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from cavet.commands.run import readable
from cavet.record import read_record
from tests.commands.run import cavet_here
from tests.patience import PATIENCE

TEXT = """\
routine glow
    tune lvl = 10 % from 0 % to 50 %
    set beacon to lvl
    say "{beacon} ✓"
    mark "here"
    expect beacon = lvl

routine long
    tune lvl = 10 % from 0 % to 50 %
    say "begun"
    repeat
        set beacon to lvl
        wait 50 ms
finally
    say "finally"
"""


class Run(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "glow.routine"
        self.path.write_text(TEXT)

    def run_it(self, *words):
        ran = cavet_here("run", "demo", str(self.path), *words)
        return ran.code, ran.out, ran.err

    def lines(self, *words):
        code, out, err = self.run_it(*words, "--json")
        return code, [json.loads(line) for line in out.splitlines()], err

    def test_a_routine_of_the_demo_without_its_file_is_told_how(self):
        ran = cavet_here("run", "demo", "locking")
        self.assertEqual((2, 1), (ran.code, ran.err.count("\n")))
        self.assertIn("cavet run demo demo locking", ran.err)

    def test_each_step_is_told_when_it_ends(self):
        code, lines, err = self.lines()
        self.assertEqual((code, err), (0, ""))
        self.assertEqual(
            [line["event"] for line in lines], ["step", "said", "step", "marked", "step", "expected", "step", "end"]
        )
        first = lines[0]
        self.assertEqual(
            [first[key] for key in ("track", "line", "text", "result")], ["glow", 3, "set beacon to lvl", "done"]
        )
        self.assertAlmostEqual(first["began"] + first["took"], first["t"], places=5)
        self.assertEqual(
            {key: value for key, value in lines[-1].items() if key != "t"},
            {"event": "end", "result": "done", "line": 0, "why": "", "touched": ["beacon"], "at_rest": True},
        )
        self.assertEqual(lines[1]["text"], "10 % ✓")
        self.assertEqual([line["t"] for line in lines], sorted(line["t"] for line in lines))

    def test_for_a_person_it_is_a_line_a_step(self):
        code, out, _ = self.run_it()
        self.assertEqual(code, 0)
        self.assertIn("set beacon to lvl", out)
        self.assertTrue(out.splitlines()[-1].endswith("done"))

    def test_for_a_person_the_delays_of_rules_are_lines_too(self):
        self.path.write_text(
            "routine a\n    press gatehouse.stop_button for 100 ms\n    wait 300 ms\n"
            "when stop_button is pressed\n    set beacon to 5 %\n"
            "reflex glow on gatehouse\n    when stop_button falls for 20 ms\n        toggle walkway\n"
        )
        _, out, _ = self.run_it()
        delays = [line[12:] for line in out.splitlines() if "from edge to pin" in line]
        self.assertRegex(delays[0], r"^↳ +4  when, line 4: [\d.]+ ms from edge to pin$")
        self.assertRegex(delays[1], r"^↳ +glow: 20 ms from edge to pin$")
        self.assertNotIn("{", out)
        self.assertEqual(readable({"event": "done", "t": 1.5, "part": "a.b"}), "     1.500          done: part a.b")

    def test_tunes_defects_and_which_routine(self):
        _, lines, _ = self.lines("glow", "--tune", "lvl=25 %")
        self.assertEqual(lines[1]["text"], "25 % ✓")
        self.path.write_text("routine a\n    expect never level < 0 mm for 1 s\n    expect gatehouse.beacon < 1 %\n")
        self.assertEqual(self.run_it("--defect", "worn_cable")[0], 0)

    def test_what_is_wrong_in_the_call_is_one_line_and_code_2(self):
        for words in (
            ("nobody",), ("--tune", "lvl"), ("--tune", "x=1"), ("--tune", "lvl=90 %"), ("--tune", "lvl=1 m"),
            ("--defect", "nothing"), ("--at", "gatehouse"),
        ):  # fmt: skip
            with self.subTest(words):
                code, out, err = self.run_it(*words)
                self.assertEqual((code, out, err.count("\n")), (2, "", 1))
        self.assertEqual(cavet_here("run", "demo", str(self.folder / "none.routine")).code, 2)

    def test_mistakes_are_all_told_before_anything_moves(self):
        self.path.write_text("routine a\n    set beacon to 120 %\n    wiat 1 s\n")
        for words in ((), ("--check",)):
            code, out, err = self.run_it(*words)
            self.assertEqual((code, out), (2, ""))
            self.assertEqual(
                [line.split(" ")[0] for line in err.splitlines()], ["glow.routine:2:19:", "glow.routine:3:5:"]
            )
        self.path.write_text(TEXT)
        self.assertEqual(self.run_it("--check"), (0, "", ""))

    def test_how_it_ends_is_the_exit_code(self):
        for step, code in (('fail "x"', 1), ('stop "x"', 0), ("end", 0), ("expect level > 9 m", 1)):
            with self.subTest(step):
                self.path.write_text(f"routine a\n    {step}\n")
                self.assertEqual(self.run_it()[0], code)
        self.path.write_text("routine a\n    set pump_a to on\n")
        ran = cavet_here("run", "demo", str(self.path), "--at", "pumphouse=127.0.0.1:1")
        self.assertEqual((ran.code, ran.err.count("\n")), (3, 1))

    def test_the_same_call_gives_the_same_lines_and_record_in_another_process(self):
        found = []
        for number in range(2):
            record = self.folder / f"{number}.record"
            words = ["run", "demo", str(self.path), "--json", "--seed", "s", "--record", str(record)]
            ran = subprocess.run(
                [sys.executable, "-m", "cavet", *words], capture_output=True, text=True, timeout=PATIENCE, check=True,
                env={"PYTHONHASHSEED": str(number), "PATH": ""},
            )  # fmt: skip
            found.append((ran.stdout, list(read_record(record))))
        self.assertEqual(found[0], found[1])

    def test_a_line_turns_a_tune_and_a_signal_ends_it_in_good_order(self):
        program = subprocess.Popen(
            [sys.executable, "-m", "cavet", "run", "demo", str(self.path), "long", "--real", "--json"],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )  # fmt: skip
        self.addCleanup(program.kill)
        lines = iter(program.stdout.readline, "")
        for line in lines:
            if "begun" in line:
                break
        for wish in (
            '{"tune": "lvl", "value": "40 %"}',
            '{"tune": "lvl", "value": 99}',
            '{"part": "gatehouse.beacon", "ask": true}',
        ):
            program.stdin.write(wish + "\n")
        program.stdin.flush()
        seen = []
        for line in lines:
            seen.append(json.loads(line))
            if {"tune", "error", "done"} <= {each["event"] for each in seen}:
                break
        program.send_signal(signal.SIGTERM)
        rest, err = program.communicate(timeout=PATIENCE)
        told = [json.loads(line) for line in rest.splitlines()]
        self.assertEqual(err, "")
        self.assertIn("finally", [line.get("text") for line in told])
        self.assertEqual((told[-1]["result"], told[-1]["at_rest"], program.returncode), ("stopped", True, 1))
