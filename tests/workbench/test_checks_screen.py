"""The Checks screen: the walk, campaigns, what fails made small and kept, and that a program needs a word."""

import os
import tempfile
import unittest
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

from cavet.benchfile import load_bench, with_addresses
from cavet.checks import Processes
from cavet.demo import demo_path
from cavet.drawings.square import BoardRow, CellView, RowView
from cavet.record import Kind
from cavet.workbench.checks.views import WalkView, walk_view
from cavet.workbench.drawing.checks import draw_walk
from cavet.workbench.screens.asking import AskScreen
from cavet.workbench.screens.checks import ChecksScreen
from cavet.workbench.screens.moment import MomentScreen
from cavet.workbench.screens.record import RecordScreen
from tests.checks.huts import HUT, ONE_LAMP, ROUTINE
from tests.workbench.test_screens import seated

LIT = """
routine lit
    set lamp to on
    wait 100 ms
    expect hut.lamp >= 99 %
"""
DEEP = '[checks.deep]\nroutine = "below/hut.routine#lit"\n\n'
CHECKS = """
[checks.lit]
routine = "hut.routine#lit"

[checks.mine]
program = ["python", "-c", "print(1)"]
expect = ["lamp rises"]
"""
WALK = "\n[checks.walk]\nwalk = true\n"


class Squares(unittest.TestCase):
    def test_those_of_all_boards_are_there_where_they_have_room(self):
        rows = tuple(RowView(n, f"lamp_{n}", True, (CellView(n - 1, "right"),)) for n in (1, 2, 3))
        view = WalkView("the walk  6 outputs", (BoardRow("hut", 3, rows), BoardRow("shed", 3, rows)), board=1, row=2)
        for height, open_boards in ((40, ["hut", "shed"]), (18, ["hut", "shed"]), (14, ["shed"]), (9, ["shed"])):
            lines = draw_walk(view, 80, height).text().splitlines()
            heads = [line.split()[1] for line in lines if line.startswith(" ▿")]
            self.assertEqual(open_boards, heads, height)
            if len(heads) == 2:
                self.assertEqual(6, sum(line.count("◆") for line in lines) - 1, "beside the reason")
                self.assertEqual(1, sum(line.startswith("▸") for line in lines))

    def test_what_is_walked_in_the_place_of_real_boards_is_called_so(self):
        setup = load_bench(demo_path()).setup
        for at, title in (({}, "the walk  "), ({"gatehouse": "/dev/ttyX"}, "the walk, simulated  ")):
            checking = SimpleNamespace(setup=with_addresses(setup, at, "at"))
            self.assertTrue(walk_view(checking, None, "walk", 0, 0).title.startswith(title))


class InTheFolder:
    """A desk at the hut, with the routines beside the bench, and the folder as the current one."""

    def setUp(self):
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.folder = Path(place.name)
        before = Path.cwd()
        os.chdir(place.name)
        self.addCleanup(os.chdir, before)

    def seated(self, story, checks=CHECKS, text=HUT, **kept):
        async def there(seat):
            Path(seat.desk.bench.setup.path).with_name("hut.routine").write_text(ROUTINE + LIT, "utf-8")
            seat.app.go_to_screen("checks")
            await seat.on(ChecksScreen)
            await seat.sees("the walk")  # it takes keys once it is there to be seen
            try:
                await story(seat)
            finally:
                seat.desk.leave()

        seated(there, text=text + checks, **kept)


class OnTheScreen(InTheFolder, unittest.TestCase):
    def test_the_walk_shows_which_output_moved_what_and_why_not(self):
        async def story(seat):
            await seat.sees("not walked yet", "not run since the bench was opened")
            seat.desk.switch_defect("crossed")
            await seat.sees("1 defect on")
            await seat.press("w")
            await seat.sees("1 of 3 is not as it should be", "✕")
            self.assertIn("moved hut.fan, not hut.lamp", seat.text())
            await seat.press("n")
            await seat.until(lambda: seat.app.screen.under_cursor.name == "lamp")
            await seat.press("o")
            await seat.on(MomentScreen)
            await seat.sees("lamp ← on  walk", "◆ moved")
            await seat.press("escape")
            await seat.on(ChecksScreen)

        self.seated(story, checks=WALK + CHECKS)

    def test_a_walk_that_is_all_well_is_looked_at_as_well(self):
        async def story(seat):
            await seat.press("o")
            await seat.sees("not walked yet: w walks all outputs")
            await seat.press("w")
            await seat.sees("2 are as they should be, 1 not judged")
            await seat.press("right_square_bracket")
            await seat.until(lambda: seat.app.screen.under_cursor.name == "flag")
            await seat.press("o")
            await seat.on(MomentScreen)
            await seat.sees("▸ flag", "flag ← 180 deg  walk", "◆ moved")
            await seat.press("escape")
            await seat.on(ChecksScreen)

        self.seated(story, checks=WALK + CHECKS)

    def test_a_walk_of_the_boards_that_are_looked_at_is_looked_at_on_their_record(self):
        """Done once more, beside them, it would be another one: they may be real, or stand otherwise."""

        async def story(seat):
            await seat.press("W")
            await seat.sees("each output in turn")
            await seat.press("down", "enter")
            await seat.sees("the walk here  3 outputs", "2 are as they should be, 1 not judged")
            await seat.press("right_square_bracket")
            await seat.until(lambda: seat.app.screen.under_cursor.name == "flag")
            await seat.press("o")
            await seat.on(RecordScreen)
            await seat.sees("▸ flag", "flag ← 180 deg  walk")

        self.seated(story, checks=WALK + CHECKS)

    def test_of_one_that_looks_at_records_the_run_is_looked_at_that_has_failed_it(self):
        async def story(seat):
            await seat.press("down", "down", "o")
            await seat.sees("no run of this check has failed")
            await seat.press("enter")
            await seat.sees("✕ slow")
            await seat.press("o")
            await seat.on(MomentScreen)
            await seat.sees("as it stood at")
            await seat.press("escape")
            await seat.on(ChecksScreen)

        self.seated(
            story, checks=CHECKS + '\n[checks.slow]\ndelays = { from = "asked", to = "moved", at_most = "1 us" }\n'
        )

    def test_a_check_is_explained_with_what_it_asks_and_how_its_pictures_are_read(self):
        wanted = (
            ("walk", "must move, and no other one", "not run", "◇ its part should have moved", "▪ a run that held"),
            ("lit", "routine hut.routine#lit", "fast time", "seeds 3 seeds", "defects as it is; crossed"),
            ("mine", "program python -c print(1)", "at your word", "expects lamp rises", "at most 2 s"),
            ("calm", "sets lamp = True", "at rest within 3 s, after hut is cut"),
            ("quick", "in time asked to driven within 50 ms, 95 % of the commands", "the records of the other checks"),
        )
        checks = CHECKS.replace('#lit"', '#lit"\nseeds = 3\ndefects = [[], ["crossed"]]').replace(
            'rises"]', 'rises"]\nwithin = "2 s"'
        )
        more = """
[checks.calm]
rest = { set = ["lamp=on"], after = "break hut", within = "3 s" }
[checks.quick]
delays = { from = "asked", to = "driven", at_most = "50 ms", share = 0.95 }
"""

        async def story(seat):
            for name, *words in wanted:
                await seat.press("question_mark")
                await seat.sees("esc back")
                said = " ".join(seat.text().split())
                self.assertFalse([word for word in words if word not in said], (name, said))
                await seat.press("escape")
                await seat.on(ChecksScreen)
                await seat.press("down")

        self.seated(story, checks="\n[checks.walk]\nwalk = true\n" + checks + more)

    def test_one_output_is_told_as_one(self):
        async def story(seat):
            await seat.sees("the walk  1 output, each alone")
            await seat.press("w")
            await seat.sees("the walk  1 output, ", "each moves what it names")

        self.seated(story, checks="", text=ONE_LAMP)

    def test_a_walk_of_the_boards_that_are_looked_at_takes_a_word_and_rest_stops_it(self):
        async def story(seat):
            before = len(seat.desk.bench.record)
            await seat.press("W")
            await seat.sees("each output in turn, to its far end and back?", "all of them are simulated")
            await seat.press("enter")
            await seat.on(ChecksScreen)
            self.assertIsNone(seat.desk.checking.going)
            await seat.press("W")
            await seat.sees("each output in turn")
            await seat.press("down", "enter")
            await seat.sees("the walk here", "1 of 3 outputs")
            await seat.press("f12")
            await seat.until(lambda: seat.desk.checking.going.is_over)
            self.assertTrue(seat.desk.checking.going.is_stopped)
            await seat.until(lambda: not seat.desk.stirs())
            self.assertFalse(seat.desk.bench.world.part("hut.lamp").fraction(seat.desk.now))
            asked = [event.subject for event in seat.desk.bench.record.since(before) if event.kind is Kind.ASKED]
            self.assertIn("lamp", asked)
            await seat.press("o")  # what was walked before it was stopped is there
            await seat.on(RecordScreen)
            await seat.sees("lamp ← on  walk")
            seat.app.go_to_screen("checks")
            await seat.on(ChecksScreen)
            await seat.sees("the walk here")
            await seat.press("W")
            await seat.sees("each output in turn")
            await seat.press("down", "enter")
            await seat.sees("the walk here  3 outputs", "2 are as they should be, 1 not judged")

        self.seated(story, checks="")

    def test_a_bench_without_checks_can_still_be_walked(self):
        async def story(seat):
            await seat.press("enter")
            await seat.sees("spare", "◈ ")
            await seat.until(lambda: not seat.desk.checking.is_going)
            self.assertTrue(seat.desk.checking.last("walk").done)

        self.seated(story, checks="")

    def test_a_campaign_is_asked_for_shown_looked_at_and_kept(self):
        async def story(seat):
            await seat.press("c")
            await seat.until(lambda: isinstance(seat.app.screen, AskScreen))
            await seat.type("0")
            await seat.press("enter")
            await seat.sees("expected a whole number, 1 to")
            await seat.press("backspace")
            await seat.type("3")
            await seat.press("enter")
            await seat.type("dead, cros")
            await seat.press("enter")
            await seat.sees("did you mean")
            await seat.press(*["backspace"] * 10)
            await seat.type("-,dead")
            await seat.press("enter")
            await seat.type("0")
            await seat.press("enter")
            await seat.on(ChecksScreen)
            await seat.sees("2 sets of defects, 3 seeds", "3 of 3", "0 of 3", "6 of 6", "smallest run that fails")
            self.assertIn("3 of 6 runs", seat.text())
            await seat.press("right", "s")
            await seat.sees("into which file?")
            await seat.press("enter")
            await seat.sees("fails by itself")
            (kept,) = self.folder.glob("failing-*.routine")
            self.assertIn("make dead", kept.read_text("utf-8"))
            await seat.press("s")
            await seat.sees("into which file?")
            await seat.press("enter")
            await seat.sees("which is there already")
            await seat.press("escape", "o")
            await seat.on(MomentScreen)
            await seat.sees("lamp")
            await seat.press("escape")
            await seat.on(ChecksScreen)

        self.seated(story)

    def test_results_are_written_and_what_cannot_be_written_is_told(self):
        async def story(seat):
            await seat.press("J")
            await seat.sees("nothing was run yet")
            await seat.press("enter")
            await seat.until(lambda: seat.desk.checking.last("lit") and not seat.desk.checking.is_going)
            with mock.patch.object(Path, "replace", side_effect=OSError(28, "No space left on device")):
                await seat.press("J")
                await seat.sees("into which file?")
                await seat.press("enter")
                await seat.sees("No space left on device")
            await seat.press("J")
            await seat.sees("into which file?")
            await seat.press("enter")
            await seat.sees("checks.xml is written: 1 run")
            self.assertIn('tests="1" failures="0"', (self.folder / "checks.xml").read_text("utf-8"))

        self.seated(story)

    def test_a_program_is_run_only_after_a_word(self):
        async def story(seat):
            await seat.press("a")
            await seat.until(lambda: seat.desk.checking.last("lit") and not seat.desk.checking.is_going)
            self.assertIsNone(seat.desk.checking.last("mine"))
            await seat.press("down", "enter")
            await seat.sees("runs a program of your own", "yes, run it")
            await seat.press("enter")
            await seat.on(ChecksScreen)
            self.assertIsNone(seat.desk.checking.last("mine"))
            await seat.press("enter")
            await seat.sees("runs a program of your own")
            await seat.press("down", "enter")
            await seat.sees("✕ mine", "lamp rises")

        self.seated(story)

    def test_one_that_looks_at_records_has_those_made_that_it_looks_at(self):
        async def story(seat):
            await seat.press("down", "down", "enter")
            await seat.sees("◈ calm", "in 1 record", "◈ lit")
            self.assertIsNone(seat.desk.checking.last("mine"))

        self.seated(story, checks=CHECKS + '\n[checks.calm]\nno_refusal = "hut"\n')

    def test_what_is_not_saved_is_checked_as_it_stands(self):
        """Not what the files still say: of the bench, and of its routines."""

        async def story(seat):
            folder = Path(seat.desk.bench.setup.path).parent
            dark = (ROUTINE + LIT).replace("hut.lamp >= 99 %", "hut.lamp <= 1 %")
            seat.desk.work.path = folder / "hut.routine"
            seat.desk.work.set_text(dark)
            await seat.press("enter")
            await seat.sees("✕ lit", "hut.lamp <= 1 %")
            await seat.press("o")
            await seat.on(MomentScreen)
            await seat.press("escape")
            await seat.on(ChecksScreen)
            await seat.sees("✕ lit")
            self.assertEqual(ROUTINE + LIT, (folder / "hut.routine").read_text("utf-8"))
            below = folder / "below"
            below.mkdir()
            (below / "hut.routine").write_text(LIT.replace("hut.lamp >= 99 %", "hut.lamp <= 2 %"), "utf-8")
            await seat.press("down", "enter")
            await seat.sees("✕ deep", "hut.lamp <= 2 %")  # what lies in folders is there, too
            await seat.press("up")
            changed = HUT.replace("pin = 3\n\n[points.flag]", "pin = 5\n\n[points.flag]") + CHECKS
            seat.desk.changing = SimpleNamespace(
                is_changed=True, file=SimpleNamespace(path=Path(seat.desk.bench.setup.path), text=changed), place=None
            )
            seat.desk.work.set_text(ROUTINE + LIT)
            await seat.press("enter")
            await seat.sees("✕ lit", "hut.lamp >= 99 %")  # the point works the fan's pin now

        self.seated(story, checks=CHECKS.replace("[checks.mine]", DEEP + "[checks.mine]"))

    def test_a_program_that_failed_is_looked_at_as_it_was(self):
        """It can't be done again: a walk, or a run at rest, would show something else."""

        async def story(seat):
            await seat.press("enter")
            await seat.sees("runs a program of your own")
            await seat.press("down", "enter")
            await seat.sees("◇ not come", "lamp rises", "3 bytes not", "heard", "says", "hello")
            await seat.sees("◆ never", "hut.pin 3 = 1")
            await seat.press("o")
            await seat.on(MomentScreen)
            await seat.sees("as it stood at", "another program ha")
            await seat.press("escape")
            await seat.on(ChecksScreen)

        text = "import os; os.write(os.open(os.environ['CAVET_HUT_SERIAL'], os.O_RDWR), b'123'); print('hello')"
        checks = (
            f'[checks.mine]\nprogram = ["python", "-c", "{text}"]\nexpect = ["lamp rises"]\nnever = ["hut.pin 3 = 1"]\n'
        )
        self.seated(story, checks=checks)

    def test_a_program_is_watched_while_it_goes_on_and_ends_when_it_is_stopped(self):
        async def story(seat):
            await seat.press("enter")
            await seat.sees("runs a program of your own")
            await seat.press("down", "enter")
            await seat.sees("your program, for", "what it has to do", "not yet", "lamp rises", "says", "I began")
            await seat.press("x")
            await seat.until(lambda: seat.desk.checking.going.is_over)
            self.assertEqual([], seat.desk.checking.going.done)
            await seat.sees("0 of 1 runs")

        text = "import time; print('I began', flush=True); time.sleep(600)"
        checks = f'[checks.mine]\nprogram = ["python", "-c", "{text}"]\nexpect = ["lamp rises"]\nwithin = "600 s"\n'
        self.seated(story, checks=checks)

    def test_what_is_run_can_be_stopped_and_what_was_done_stays(self):
        async def story(seat):
            await seat.press("x")
            await seat.sees("nothing is run")
            await seat.press("c")
            await seat.sees("how many seeds?")
            await seat.press("9", "9", "9", "enter", "minus", "enter", "0", "enter")
            await seat.until(lambda: seat.desk.checking.last("lit") and seat.desk.checking.last("lit").done)
            await seat.press("enter")
            await seat.sees("checks that are run already")
            await seat.press("x")
            await seat.sees("· stopped")
            await seat.until(lambda: not seat.desk.checking.is_going)
            self.assertLess(len(seat.desk.checking.last("lit").done), 999)

        self.seated(story)

    def test_workers_that_are_lost_are_told_as_a_problem(self):
        async def story(seat):
            with mock.patch.object(Processes, "submit", side_effect=OSError(12, "Cannot allocate memory")):
                await seat.press("enter")
                await seat.sees("Cannot allocate memory")

        self.seated(story)

    def test_in_a_small_window_the_campaign_takes_the_place_of_the_walk(self):
        async def story(seat):
            await seat.sees("not walked yet")
            await seat.press("v")
            await seat.until(lambda: not seat.app.screen.query_one("#walk").display)
            await seat.sees("campaign")

        self.seated(story, size=(80, 24))
