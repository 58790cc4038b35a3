"""`cavet.testing`, tried with tests that hold and tests that must not."""

import os
import tempfile
import textwrap
import unittest
from pathlib import Path
from unittest import mock

from cavet.record import RecordFile
from cavet.testing import BenchCase


def outcome(**members):
    """Run one test of a class made of these; give the text of what failed, "" where it held."""
    made = type("Tried", (BenchCase,), {"seed": "a", **members})
    result = unittest.TestResult()
    made("test").run(result)
    return "".join(text for _, text in [*result.failures, *result.errors])


class Asserting(unittest.TestCase):
    def test_what_holds_holds(self):
        def test(case):
            case.assertConfirmed("beacon", "50 %", within=0.1)
            case.assertTrail("beacon")
            case.assertMoved("gatehouse.beacon", to=50, within=0.2)
            case.assertMoved("gatehouse.beacon", to="50 %")
            case.assertMoved("gatehouse.stop_button", to="released")
            case.assertNever(lambda: case.bench["level"].got > 1300, seconds=5)
            case.assertConfirmed("upper_paddle", 60)
            case.assertFrames("gatehouse", ["analog-message pin=2 value=128", "analog-message pin=9"])
            case.assertFrames("gatehouse", ["report-firmware major=2", "analog-message pin=0"], side="board")
            case.assertConfirmed("pump_a", "on")
            case.assertFrames("pumphouse", ["write-single-coil address=0 value=1", "read-coils"])
            case.assertConfirmed("post_1", True)
            case.assertFrames("signalpost", ["order", "order"])
            case.assertConfirmed("lamp", "on")
            case.assertFrames("towpath", ["publish topic=ottersluice/towpath/lamp/set"])

        self.assertEqual(outcome(test=test)[-900:], "")

    def test_what_does_not_hold_fails_with_the_trail(self):
        for test, words in (
            (lambda case: case.assertConfirmed("walkway", 30), "stopped before driven: pin 3"),
            (lambda case: case.assertConfirmed("beacon", 30, within=0.001), "not within 0.001 s"),
            (lambda case: case.assertMoved("gatehouse.beacon", to=50, within=0.3), "is off after 0.3 s, not 50"),
            (lambda case: case.assertNever(lambda: case.bench.t > 2, seconds=5), "it happened after"),
            (lambda case: case.assertTrail("beacon"), "was not asked for anything"),
            (lambda case: case.assertFrames("gatehouse", ["analog-message pin=9"]), "no analog-message pin=9"),
            (
                lambda case: case.assertFrames("gatehouse", ["pin-state-query", "system-reset"]),
                "no system-reset",
            ),
            (lambda case: case.assertMoved("switchrack.supply_1", to=0.4, within=0.1), "is off after 0.1 s, not 0.4"),
            (lambda case: case.program(["python", "-c", ""]), "real = True"),
            (lambda case: case.assertConfirmed("beacon", 300), "limited: asked 300 %, the limit is 100 %"),
            (lambda case: case.assertTrail("beacon", ended="confirmd"), "expected one of confirmed"),
            (lambda case: case.assertFrames("gatehouse", ["pin-state-query"], side="bord"), "expected host or board"),
            (lambda case: case.assertFrames("gatehouse", "pin-state-query"), "a list of messages"),
        ):
            with self.subTest(words):
                self.assertIn(words, outcome(test=test, defects=("dead_walkway",)))

    def test_a_part_that_did_not_move_tells_the_trails_to_it(self):
        def test(case):
            try:
                case.bench["walkway"].set(30)
            finally:
                case.assertMoved("gatehouse.walkway", to=30, within=0.1)

        self.assertIn("stopped before driven", outcome(test=test, defects=("dead_walkway",)))

    def test_a_test_that_would_say_nothing_is_told(self):
        async def test(case):
            case.assertConfirmed("beacon", 30)

        self.assertIn("a coroutine, which nobody awaits", outcome(test=test))
        wrong = outcome(test=lambda case: case.assertConfirmed("beacon", 30), setUp=lambda case: None)
        self.assertIn("without super().setUp()", wrong)

    def test_each_test_has_a_bench_of_its_own(self):
        class Two(BenchCase):
            def test_one(self):
                self.bench["beacon"].set(50)

            def test_two(self):
                assert self.bench["beacon"].asked is None

        suite = unittest.defaultTestLoader.loadTestsFromTestCase(Two)
        self.assertTrue(suite.run(unittest.TestResult()).wasSuccessful())

    def test_the_record_of_what_failed_is_kept_where_it_is_wanted(self):
        with tempfile.TemporaryDirectory() as folder, mock.patch.dict(os.environ, {"CAVET_RECORDS": f"{folder}/kept"}):
            outcome(test=lambda case: case.assertConfirmed("beacon", 30))
            self.assertFalse(Path(folder, "kept").exists())
            outcome(test=lambda case: case.assertConfirmed("walkway", 30), defects=("dead_walkway",))
            (kept,) = Path(folder, "kept").iterdir()
            record = RecordFile(kept)
            self.assertTrue(any(event.subject == "walkway" for event in record.since(0)))
            record.close()


class Programs(unittest.TestCase):
    def test_a_program_finds_the_boards_and_what_it_did_can_be_seen(self):
        code = textwrap.dedent(
            """
            import socket, sys
            host, port = sys.argv[1].rsplit(":", 1)
            link = socket.create_connection((host, int(port)))
            link.sendall(bytes.fromhex("000100000006 07 05 0003 FF00"))
            print(link.recv(64).hex())
            sys.exit(3)
            """
        )

        def test(case):
            ended = case.program(["python", "-c", code, "{pumphouse.tcp}"], within=20)
            case.assertEqual((ended.code, ended.output.strip()), (3, "00010000000607050003ff00"))
            case.assertFrames("pumphouse", ["write-single-coil address=3 value=1"])
            case.assertMoved("pumphouse.heater", to="heats")

        self.assertEqual(outcome(test=test, real=True), "")

    def test_what_it_did_instead_is_told(self):
        code = textwrap.dedent(
            """
            import os, socket
            host, port = os.environ["CAVET_PUMPHOUSE_TCP"].rsplit(":", 1)
            link = socket.create_connection((host, int(port)))
            link.sendall(bytes.fromhex("000100000006 07 05 0001 FF00"))
            link.recv(64)
            """
        )

        def test(case):
            case.program(["python", "-c", code], within=20)
            case.assertMoved("pumphouse.heater", to="heats", within=0.1)

        wrong = outcome(test=test, real=True)
        self.assertIn("pumphouse.heater is off after 0.1 s, not heats\nwhat came of what it said:\n", wrong)
        self.assertIn("write-single-coil (address 1, value on): pumphouse.pump_b on, no speed", wrong)

    def test_one_that_does_not_end_is_ended_and_one_that_is_lost_is_told(self):
        hang = "print('begun', flush=True)\nwhile True: pass"
        wrong = outcome(test=lambda case: case.program(["python", "-c", hang], within=0.7), real=True)
        self.assertIn("had not ended within 0.7 s\nbegun", wrong)
        wrong = outcome(test=lambda case: case.program(["./no-such-program"]), real=True)
        self.assertIn("./no-such-program can't be started: No such file", wrong)
        wrong = outcome(test=lambda case: case.program(["python", "-c", "", "{gatehose.serial}"]), real=True)
        self.assertIn("gatehouse.serial", wrong)


if __name__ == "__main__":
    unittest.main()
