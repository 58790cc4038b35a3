"""Checks of a bench file: routines, rest, what records show; and their mistakes."""

import unittest

from cavet.benchfile import load_bench
from cavet.checks import Case, Wanted, carry_out, chosen_checks, orders_of, with_checks
from cavet.checks import do as do_order
from cavet.demo import demo_path
from cavet.wording import WrongError
from tests.checks.huts import Folder, hut

ALL = """
[checks.walk]
walk = ["lamp", "flag"]
[checks.blink]
routine = "hut.routine#blink"
tunes = { pause = "50 ms" }
[checks.wrong]
routine = "hut.routine#fails"
[checks.rest]
rest = { set = ["lamp=on"], after = "break hut", within = "2 s" }
[checks.hasty]
rest = { set = ["lamp=on"], after = "break hut.hut", within = "1 ms" }
[checks.quiet]
no_refusal = "hut"
no_redundant = "hut"
[checks.quick]
delays = { from = "asked", to = "driven", at_most = "20 ms", share = 0.9 }
[checks.slow]
delays = { from = "asked", to = "driven", at_most = "1 us" }
"""


class OfABench(Folder, unittest.TestCase):
    def came(self, name, checks=ALL, **case):
        setup = self.setup(checks)
        shows = [check for check in setup.checks.values() if not check.acts]
        return carry_out(setup, Case(check=name, seed="s", **case), shows)

    def test_each_kind_holds_or_says_why_not(self):
        self.assertEqual((True, ""), (self.came("walk").held, self.came("walk").why))
        blink = self.came("blink")
        self.assertTrue(blink.held)
        self.assertLess(0.3, blink.t)
        wrong = self.came("wrong")
        self.assertEqual((False, True), (wrong.held, wrong.why.startswith("failed, line 11:")), wrong.why)
        self.assertTrue(self.came("rest").held, self.came("rest").why)
        held = self.came("rest", checks=ALL.replace('"lamp=on"]', '"flag=90"]', 1))
        self.assertEqual("not at rest after 2 s: flag", held.why)  # without pulses a servo stays where it is
        hasty = self.came("hasty")
        self.assertEqual((False, "not at rest after 0.001 s: lamp"), (hasty.held, hasty.why))

    def test_what_a_record_shows(self):
        shown = self.came("blink").shown
        self.assertEqual(("", ""), (shown["quiet"], shown["quick"]))
        self.assertIn("went from asked to driven within 1 µs; hut.lamp at", shown["slow"])

    def test_what_a_board_can_not_read_is_told_with_its_bytes_whatever_it_speaks(self):
        check = '[checks.g]\nroutine = "g.routine#g"\nno_refusal = "{board}"\n'
        routine = "routine g\n    fault garble on {board} next 3\n    set {point} to on\n    wait 1 s\n"
        usb, line = r"usbip found", r"\d+ bytes?: "
        for board, point, told in (("signalpost", "post_1", usb), ("gatehouse", "horn", line)):
            with self.subTest(board=board):
                path = self.folder / "g.bench.toml"
                path.write_text(f"{demo_path().read_text('utf-8')}\n{check.format(board=board)}", "utf-8")
                (self.folder / "g.routine").write_text(routine.format(board=board, point=point), "utf-8")
                came = carry_out(load_bench(path).setup, Case(check="g", seed="s"))
                self.assertRegex(came.why, rf"{board} refused .*, first at \d\.\d+ s: {told}")

    def test_what_was_told_twice_is_found(self):
        twice = """routine twice
    send hut set-digital-pin-value pin 3, value 1
    send hut set-digital-pin-value pin 3, value 1
    send hut set-digital-pin-value pin 3, value 0
"""
        setup = self.setup('[checks.twice]\nroutine = "twice.routine#twice"\nno_redundant = "hut"\n')
        (self.folder / "twice.routine").write_text(twice.replace(",", ""), "utf-8")
        came = carry_out(setup, Case(check="twice", seed="s"))
        self.assertIn("hut was told once what it did already, first at", came.why)

    def test_a_defect_breaks_it_and_the_trail_is_told(self):
        came = self.came("walk", defects=("dead",))
        self.assertEqual((False, [False, True]), (came.held, [walked.held for walked in came.walked]))
        self.assertIn("hut.lamp = on, broken", came.trail)
        self.assertIn("stopped before driven: pin 3 took it, but its line stays low", came.trail)

    def test_the_same_seed_does_the_same_again(self):
        setup = self.setup(ALL)
        faults = orders_of(hut(self.folder, ALL), setup, [setup.checks["blink"]], Wanted(seeds=3, faults=3))
        self.assertEqual(3, len({order.case.faults for order in faults}))
        again = orders_of(hut(self.folder, ALL), setup, [setup.checks["blink"]], Wanted(seeds=3, faults=3))
        self.assertEqual(faults, again)
        self.assertEqual([do_order(order) for order in faults], [do_order(order) for order in again])

    def test_a_bench_without_checks_has_the_walk(self):
        setup = with_checks(self.setup())
        self.assertEqual(["walk"], [check.name for check in chosen_checks(setup, ())])
        with self.assertRaises(WrongError):
            chosen_checks(setup, ["wolk"])

    def test_those_that_only_look_at_records_bring_the_others_along(self):
        setup = self.setup(ALL)
        names = [check.name for check in chosen_checks(setup, ["quiet"])]
        self.assertEqual(["walk", "blink", "wrong", "rest", "hasty", "quiet"], names)


class Mistakes(Folder, unittest.TestCase):
    def test_each_is_told_at_its_place(self):
        for text, found, expected in (
            ("walk = 3", "walk", "true, or outputs in brackets"),
            ('walk = ["lomp"]', '"lomp"', "an output"),
            ("", "nothing to be done", "one of walk"),
            ('routine = "x"', '"x"', "FILE#NAME"),
            ('walk = true\nroutine = "x#y"', "walk and routine", "one thing"),
            ("walk = true\nends = 3", "this key", "it belongs to program"),
            ('walk = true\nnever = ["hut.lamp rises"]', "this key", "it belongs to program"),
            ('walk = true\ndefects = [["deaf"]]', '"deaf"', "a defect"),
            ('walk = true\ndefects = ["dead"]', "dead", "texts in brackets"),
            ('rest = { after = "brake hut", within = "1 s" }', "brake hut", "break LINK"),
            ('rest = { after = "break hat", within = "1 s" }', "hat", "a link"),
            ('rest = { after = "end of program", within = "1 s" }', "end of program", "a `program` beside"),
            ('rest = { set = ["lamp"], after = "break hut", within = "1 s" }', "lamp", "POINT=VALUE"),
            ('rest = { set = ["lamp=blue"], after = "break hut", within = "1 s" }', "blue", "off"),
            ('no_refusal = "hat"', "hat", "a board"),
            ('delays = { from = "driven", to = "asked", at_most = "1 s" }', "asked", "taken, driven"),
            ('delays = { from = "moved", to = "taken", at_most = "1 s" }', "taken", "a stage behind moved"),
            ("walk = true\nseeds = 0", "0", "1 to 100000"),
            ('program = ["x"]\nfaults = 2', "2", "0: a program runs in real time"),
            ('program = ["x"]\nrest = { after = "break hut", within = "1 s" }', "break hut", "`end of program`"),
            (
                'program = ["x"]\nrest = { set = ["lamp=on"], after = "end of program", within = "1 s" }',
                "lamp=on",
                "nothing",
            ),
            ('program = ["x"]\ndelays = { from = "asked", to = "moved", at_most = "1 s" }', "asked", "carried, taken"),
            (
                'program = ["x"]\ndelays = { from = "taken", to = "confirmed", at_most = "1 s" }',
                "confirmed",
                "no more is known",
            ),
            ("wolk = true", "this key", "one of the keys"),
        ):
            with self.subTest(text=text), self.assertRaises(ExceptionGroup) as caught:
                self.setup(f"[checks.c]\n{text}\n")
            told = "\n".join(map(str, caught.exception.exceptions))
            self.assertIn("checks.c", told)
            self.assertIn(found.strip('"'), told)
            self.assertIn(expected, told)

    def test_needs_must_be_outputs(self):
        text = '[points.extra]\nboard = "hut"\nkind = "switch"\npin = 7\nneeds = ["lamp=on", "bell=on"]\n'
        with self.assertRaises(ExceptionGroup) as caught:
            self.setup(text)
        (error,) = caught.exception.exceptions
        self.assertIn("points.extra.needs", str(error))

    def test_a_routine_that_is_not_there_or_is_wrong_is_told_before_anything_runs(self):
        for text in (
            'routine = "no.routine#x"',
            'routine = "hut.routine#x"',
            'routine = "hut.routine#blink"\ntunes = {a=1}',
        ):
            setup = self.setup(f"[checks.c]\n{text}\n")
            with self.subTest(text=text), self.assertRaises(WrongError):
                orders_of(self.folder / "hut.bench.toml", setup, [setup.checks["c"]], Wanted())
