"""A campaign that is stopped and goes on later."""

import unittest
from unittest import mock

from cavet.benchfile import load_bench
from cavet.checks import Kept, Wanted, do, orders_of, run_all, run_on
from cavet.wording import WrongError
from tests.checks.huts import Folder, hut
from tests.checks.test_campaigns import LONG, cavet


class GoingOn(Folder, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.path = hut(self.folder, LONG + 'defects = [[], ["dead"]]\n')
        self.file = self.folder / "done.jsonl"

    def orders(self, seeds=3):
        setup = load_bench(self.path).setup
        return orders_of(self.path, setup, list(setup.checks.values()), Wanted(seeds=seeds, faults=1))

    def test_what_was_done_is_not_done_again_and_the_lines_are_the_same(self):
        orders = self.orders()
        whole = list(run_all(orders))
        going = run_on(orders, Kept(self.file, orders))
        first = [next(going) for _ in range(4)]
        with mock.patch("cavet.checks._spread.do", side_effect=do) as done:
            self.assertEqual(whole, list(run_on(orders, Kept(self.file, orders))))
            self.assertEqual(2, done.call_count)
        self.assertEqual(whole[:4], first)
        more = self.orders(seeds=4)
        with mock.patch("cavet.checks._spread.do", side_effect=do) as done:
            self.assertEqual(list(run_all(more)), list(run_on(more, Kept(self.file, more))))

    def test_a_line_that_was_cut_by_a_kill_does_not_count(self):
        orders = self.orders()
        whole = list(run_on(orders, Kept(self.file, orders)))
        data = self.file.read_bytes()
        for size in (len(data) - 1, len(data) - 30, data.find(b"\n") + 5):
            self.file.write_bytes(data[:size])
            self.assertEqual(whole, list(run_on(orders, Kept(self.file, orders))))
            self.assertEqual(data, self.file.read_bytes())

    def test_another_file_is_never_written_over(self):
        orders = self.orders()
        for text in ("", "not ours\n", '{"format": "cavet checks 9", "of": ""}\n'):
            self.file.write_text(text, "utf-8")
            with self.subTest(text), self.assertRaisesRegex(WrongError, "another file"):
                Kept(self.file, orders)
            self.assertEqual(text, self.file.read_text("utf-8"))
        self.file.unlink()
        Kept(self.file, orders)
        (self.folder / "hut.routine").write_text("routine blink\n    wait 1 s\n", "utf-8")
        with self.assertRaisesRegex(WrongError, "runs of other files than these"):
            Kept(self.file, orders)

    def test_by_the_command_and_on_a_full_disk(self):
        words = ("check", str(self.path), "--seeds", "2", "--json", "--done", str(self.file))
        one, two = cavet(*words), cavet(*words)
        self.assertEqual((one.returncode, one.stdout), (two.returncode, two.stdout))
        orders = self.orders()
        kept = Kept(self.folder / "other", orders)
        with mock.patch("pathlib.Path.open", side_effect=OSError(28, "No space left on device")):
            with self.assertRaisesRegex(WrongError, "No space left on device"):
                list(run_on(orders, kept))
