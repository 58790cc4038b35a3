"""The Routines screen: the text with its mistakes and what fits, a run with its margin and lanes, tunes, saving."""

import unittest
from pathlib import Path

from cavet.benchfile import BenchFile, changes_between, check_text, load_bench, start_text
from cavet.demo import demo_path, find_routines
from cavet.wording import WrongError
from cavet.workbench.drawing.routines import draw_tracks
from cavet.workbench.routines.coloring import spans
from cavet.workbench.routines.fits import fitting
from cavet.workbench.routines.views import TracksView
from cavet.workbench.routines.work import Work, routine_path
from cavet.workbench.screens.routines import RoutinesScreen
from cavet.workbench.screens.sheet import SheetScreen
from tests.bench.benches import gatehouse_text, in_fast_time
from tests.workbench.test_screens import seated

SETUP = load_bench(demo_path()).setup
TEXT = """\
routine glow
    tune bright = 60 %
    set beacon to bright
    wait 200 ms
    expect beacon reads 60 %
    say "at {beacon}"
alongside blink
    every 100 ms
        toggle walkway
"""


class Words(unittest.TestCase):
    def test_each_word_is_what_it_is(self):
        line = '    set beacon to 60 %  # "x"'
        found = [(line[begin:end], kind) for begin, end, kind in spans(line)]
        self.assertEqual(
            found,
            [("set", "quiet"), ("beacon", "name"), ("to", "quiet"), ("60", "name"), ("%", "name"), ('# "x"', "quiet")],
        )
        self.assertEqual([kind for *_, kind in spans("routine glow")], ["quiet", "head"])
        self.assertEqual([kind for *_, kind in spans('    say "a # b"')], ["quiet", "text"])

    def test_what_fits_is_what_can_stand_there(self):
        for line, first, others in (
            ("    se", "set", {"send"}), ("    set bea", "beacon", set()), ("    set pump_a to o", "off", {"on"}),
            ("    wait until stop_button is pre", "pressed", set()), ("    set bri", "bright", set()),
            ("    expect gatehouse.bea", "gatehouse.beacon", set()),
        ):  # fmt: skip
            with self.subTest(line):
                words = [word for word, _ in fitting(line, len(line), SETUP, ["bright"])]
                self.assertEqual(words[0], first)
                self.assertLessEqual(others, set(words))
        for line in ("", "    ", '    say "be', "    # be", "    set lev"):
            self.assertNotIn("level", [word for word, _ in fitting(line, len(line), SETUP, [])], line)

    def test_what_fits_is_what_a_step_can_be_about(self):
        for line, wanted in (
            ("    make dea", "dead_walkway"), ("    place cha", "chamber"), ("    reset gat", "gatehouse"),
            ("    break tow", "towpath"), ("    do wa", "warning"),
            ("    press gatehouse.stop", "gatehouse.stop_button"), ("    work gatehouse.windlass s", "set"),
            ("    fault hang-", "hang-up"), ("    fault refuse on pumphouse_", "pumphouse_line"),
            ("    send pumphouse read-h", "read-holding-registers"),
            ("    send pumphouse read-coils address 0 qu", "quantity"),
            ("    send pumphouse read-coils address 0 quantity 1 answered by ex", "exception"),
            ("    send pumphouse read-coils address 0 quantity 1 answered by exception exc", "exception_code"),
            ("    send mast read address 34 count 1 answered by ack", "acknowledged"),
        ):  # fmt: skip
            with self.subTest(line):
                words = [word for word, _ in fitting(line, len(line), SETUP, ["wade"], ["warning"])]
                self.assertEqual(words[0], wanted)
                self.assertNotIn("wade", words)

    def test_what_a_step_can_not_be_about_is_not_offered(self):
        for line in (
            "    press gatehouse.bea", "    release pumphouse.pump", "    work gatehouse.bea",
            "    fault refuse on switch",
            "    fault nack on pump", "    send nobody read", "    send pumphouse read-coils address 0 addr",
            "    send pumphouse read-coils answered by rea address",
        ):  # fmt: skip
            with self.subTest(line):
                self.assertEqual([], fitting(line, len(line), SETUP, []))

    def test_the_file_is_beside_the_bench(self):
        self.assertEqual(routine_path(demo_path()), find_routines("demo"))
        self.assertEqual(routine_path(Path("/a/porch.bench.toml")), Path("/a/porch.routine"))


class Checked(unittest.TestCase):
    def test_a_text_is_read_again_when_the_bench_has_changed(self):
        texts = [gatehouse_text(), gatehouse_text().replace("points.horn]", "points.hooter]")]
        before, after = [BenchFile(Path("x.bench.toml"), text, check_text(text, "x.bench.toml")) for text in texts]

        async def story(bench, standings):
            work = Work(bench, lambda act: act())
            work.set_text("routine a\n    set horn to on\n")
            self.assertEqual((work.mistakes, work.program.hosts), ([], {"gatehouse"}))
            await bench.take_over(after.setup, changes_between(before, after))
            (mistake,) = work.mistakes
            self.assertIn('mine.routine:2:9: found "horn"', str(mistake))
            work.set_text("routine a\n    set hooter to on\n")
            self.assertEqual(work.mistakes, [])
            await bench.take_over(before.setup, changes_between(after, before))
            self.assertIn('found "hooter"', str(work.mistakes[0]))

        in_fast_time(story, before.setup)


class Tracks(unittest.TestCase):
    def test_what_runs_one_is_told_whole_in_a_narrow_window(self):
        for width in (24, 36, 60):
            text = " ".join(draw_tracks(TracksView((), (), ""), width, 12).text().split())
            self.assertEqual("tracks F5 runs the routine in which the cursor is: each track gets a lane here", text)


class OnTheScreen(unittest.TestCase):
    async def there(self, seat, text=TEXT):
        seat.app.go_to_screen("routines")
        await seat.on(RoutinesScreen)
        editor = seat.app.screen._editor
        editor.load_text(text)
        editor.move_cursor((2, 8))
        await seat.until(lambda: seat.desk.work.text == text)
        return seat.desk.work

    async def with_file(self, seat, data):
        """On the screen, the file of routines being these bytes; give its path."""
        path = routine_path(Path(seat.desk.bench.setup.path))
        path.write_bytes(data)
        seat.app.go_to_screen("routines")
        await seat.on(RoutinesScreen)
        return path

    def test_a_routine_runs_and_its_margin_and_lanes_tell_of_it(self):
        async def story(seat):
            work = await self.there(seat)
            await seat.sees("glow", "not saved", "mistakes  none", "bright")
            margin = seat.app.screen.query_one("#margin")
            bare = margin.size.width
            await seat.press("f5")
            await seat.sees("glow done after", "◈ expect beacon reads 60 %", "» at 60 %", "blink")
            self.assertGreater(margin.size.width, 2 * bare)
            states = work.run.states
            self.assertEqual([states[line].result for line in (3, 4, 5, 6, 8)], ["done"] * 4 + ["left"])
            self.assertEqual(seat.app.screen._faults, set())

        seated(story)

    def test_the_routines_are_a_list_and_a_new_one_is_made_of_what_there_is(self):
        async def story(seat):
            work = await self.there(seat, TEXT + "routine other\n    wait 10 ms\n")
            await seat.press("f5")
            await seat.sees("glow done after")
            await seat.press("ctrl+l")
            await seat.sees("the routines of this text", "line 1 · tunes: 1 · alongside: 1 · done after", "a new one")
            await seat.press("down", "enter")
            await seat.on(RoutinesScreen)
            await seat.until(lambda: seat.app.screen._routine_name == "other")
            for names in (["glow", "other", "first"], ["glow", "other", "first", "another_1"]):
                await seat.press("ctrl+l")
                await seat.sees("the routines of this text")
                await seat.press(*["down"] * len(names), "enter")
                await seat.on(RoutinesScreen)
                await seat.until(lambda names=names: [name for _, name in work.heads()] == names)
                self.assertEqual(work.mistakes, [])
                self.assertEqual(seat.app.screen._routine_name, names[-1])

        seated(story)

    def test_a_line_that_goes_on_beyond_an_edge_says_so(self):
        async def story(seat):
            await self.there(seat, f"# {'a' * 300} end\n# short\n" + TEXT)
            editor = seat.app.screen._editor
            await seat.until(lambda: editor.render_line(0).text.endswith("aa…"))
            self.assertNotIn("…", editor.render_line(1).text)
            await seat.press("ctrl+home", "end")
            await seat.until(lambda: editor.render_line(0).text.startswith("…aa"))
            self.assertIn("a end", editor.render_line(0).text)
            self.assertNotIn("…", editor.render_line(0).text[1:])

        seated(story)

    def test_a_mistake_is_told_as_it_is_typed_and_nothing_runs_then(self):
        async def story(seat):
            work = await self.there(seat, TEXT.replace("set beacon to bright", "set beakon to bright"))
            await seat.sees("glow", "mistakes 1", 'found "beakon"', "did you", '"beacon"?')
            await seat.press("f5")
            await seat.sees("did you mean")
            self.assertIsNone(work.run)

        seated(story)

    def test_what_fits_is_taken_and_a_line_runs_by_itself(self):
        async def story(seat):
            work = await self.there(seat, "routine a\n    wait 1 s\n    set bea\n")
            editor = seat.app.screen._editor
            editor.move_cursor((2, 11))
            await seat.sees("tab", "0 % to 100 %")
            await seat.press("tab")
            await seat.type(" to 40 %")
            await seat.until(lambda: "set beacon to 40 %" in work.text)
            await seat.press("f7")
            await seat.sees("by_hand done")
            await seat.press("f1")
            await seat.sees("set POINT to VALUE")

        seated(story)

    def test_a_letter_that_is_a_key_elsewhere_stays_where_it_was_typed(self):
        text = "    say quick and quiet, quite equal: a sequence of squares"

        async def story(seat):
            work = await self.there(seat, "routine a\n\n")
            seat.app.screen._editor.move_cursor((1, 0))
            await seat.type(text)
            await seat.until(lambda: len(work.text.splitlines()[1]) == len(text))
            self.assertEqual(text, work.text.splitlines()[1])

        seated(story)

    def test_what_fits_stands_under_the_word_and_tab_goes_through_it(self):
        async def story(seat):
            await self.there(seat, "routine a\n    wait 1 s\n    \n")
            seat.app.screen._editor.move_cursor((2, 4))
            offer = seat.app.screen.query_one("#offer")
            self.assertFalse(offer.display)
            await seat.type("set be")
            await seat.sees("tab takes it")
            await seat.until(lambda: offer.region.x == seat.app.screen._editor.cursor_screen_offset.x - 3)
            self.assertEqual(offer.region.y, seat.app.screen._editor.cursor_screen_offset.y + 1)
            await seat.press("tab")
            await seat.until(lambda: not offer.display)
            await seat.press("enter")
            await seat.type("se")
            await seat.sees("set   a step", "send  a step", "again the next")
            await seat.press("tab")
            await seat.until(lambda: "\n    set\n" in seat.desk.work.text)
            await seat.press("tab")
            await seat.until(lambda: "\n    send\n" in seat.desk.work.text)
            await seat.type(" ")
            await seat.until(lambda: not offer.display)

        seated(story)

    def test_it_is_held_goes_step_by_step_and_is_stopped_through_finally(self):
        text = 'routine a\n    repeat\n        wait 50 ms\n        say "turn"\nfinally\n    say "finally"\n'

        async def story(seat):
            work = await self.there(seat, text)
            await seat.press("f5")
            await seat.sees("» turn")
            await seat.press("f6")
            await seat.sees("a held")
            await seat.until(lambda: not work.run.at.get("a") or work.run.runner.is_held)
            before = len(work.run.lines)
            await seat.press("f7", "f7")
            await seat.until(lambda: len(work.run.lines) > before)
            await seat.press("f6")
            await seat.sees("a runs")
            await seat.press("f8")
            await seat.sees("a stopped after", "» finally")

        seated(story)

    def test_what_let_and_for_name_fits_too(self):
        async def story(seat):
            text = "routine a\n    let reached = level\n    for amount in 1 %, 2 %\n        set beacon to amount\n"
            work = await self.there(seat, text)
            self.assertEqual(work.names_in(work.routine_at(1)), ["reached", "amount"])
            editor = seat.app.screen._editor
            editor.move_cursor(editor.document.end)
            await seat.type("    let b = rea")
            await seat.sees("reached")
            await seat.press("tab")
            await seat.until(lambda: work.text.endswith("    let b = reached"))

        seated(story)

    def test_a_new_line_is_indented_as_what_is_above_it(self):
        async def story(seat):
            text = "routine a\n    wait 10 ms\n\n"
            work = await self.there(seat, text)
            editor = seat.app.screen._editor
            for at, wanted in (((0, 9), "    "), ((1, 14), "    "), ((2, 0), "    "), ((3, 0), "")):
                with self.subTest(at):
                    editor.load_text(text)
                    await seat.until(lambda: work.text == text)
                    editor.move_cursor(at)
                    await seat.press("enter", "x")
                    await seat.until(lambda: "x" in work.text)
                    self.assertEqual(work.text.split("\n")[at[0] + 1][: len(wanted) + 1], f"{wanted}x")

        seated(story)

    def test_a_routine_is_found_by_its_name_in_the_list_of_all_actions(self):
        async def story(seat):
            await self.there(seat, TEXT + 'routine other\n    say "other"\n')
            await seat.press("f2")
            await seat.type("run other")
            await seat.sees("run other")
            await seat.press("enter")
            await seat.sees("other done after", "» other")

        seated(story)

    def test_everything_to_rest_stops_it(self):
        async def story(seat):
            work = await self.there(seat, "routine a\n    set beacon to 50 %\n    wait 1 h\n")
            await seat.press("f5")
            await seat.asks("beacon", 50.0)
            await seat.press("f12")
            await seat.until(lambda: not work.is_running)
            await seat.asks("beacon", 0.0)

        seated(story)

    def test_tunes_are_turned_while_it_runs(self):
        text = "routine a\n    tune bright = 10 % from 0 % to 50 %\n    repeat\n"
        text += "        set beacon to bright\n        wait 50 ms\n"

        async def story(seat):
            work = await self.there(seat, text)
            await seat.press("f5")
            await seat.asks("beacon", 10.0)
            seat.app.screen.query_one("#lower").focus()
            await seat.sees("▸ bright")
            await seat.press("right", "right")
            await seat.asks("beacon", 15.0)
            await seat.press("escape", "f8")
            await seat.until(lambda: not work.is_running)

        seated(story)

    def test_it_is_saved_and_what_others_have_written_is_not_written_over(self):
        async def story(seat):
            work = await self.there(seat)
            await seat.press("ctrl+s")
            await seat.sees("saved in ottersluice.routine")
            self.assertEqual(work.path.read_text(), TEXT)
            work.path.write_text("routine theirs\n    wait 1 s\n")
            await seat.type("# mine")
            await seat.press("ctrl+s")
            await seat.sees("changed meanwhile")
            self.assertIn("theirs", work.path.read_text())
            await seat.press("ctrl+r")
            await seat.sees("theirs")
            self.assertIn("theirs", work.text)

        seated(story)

    def test_a_long_text_that_was_pasted_is_taken_back(self):
        async def story(seat):
            work = await self.there(seat)
            lines = "".join(f"# line {number}\n" for number in range(1000))
            seat.paste(lines)
            await seat.until(lambda: "# line 999" in work.text)
            await seat.press("ctrl+z")
            await seat.until(lambda: work.text == TEXT)
            await seat.press("ctrl+y")
            await seat.until(lambda: "# line 999" in work.text)
            await seat.press("ctrl+z")
            await seat.until(lambda: work.text == TEXT)

        seated(story)

    def test_lines_that_end_with_cr_lf_end_so_when_they_are_saved(self):
        async def story(seat):
            path = await self.with_file(seat, b'routine a\r\n    say "x"\r\n')
            await seat.type("# mine")
            await seat.press("enter", "ctrl+s")
            await seat.sees("saved in ottersluice.routine")
            self.assertEqual(path.read_bytes(), b'# mine\r\nroutine a\r\n    say "x"\r\n')
            self.assertNotIn("\r", seat.desk.work.text)

        seated(story)

    def test_a_file_that_can_not_be_read_is_told_and_not_written_over(self):
        async def story(seat):
            path = await self.with_file(seat, b'routine a\n    say "\xff"\n')
            await seat.sees('found "byte FF"', "expected text in UTF-8")
            for act in (seat.desk.work.save, seat.desk.work.taken_in):
                with self.assertRaises(WrongError) as caught:
                    act()
                self.assertIn("byte FF", str(caught.exception))
            self.assertIn(b"\xff", path.read_bytes())
            self.assertTrue(seat.desk.work.text.startswith("routine first"))

        seated(story, text=start_text("x", "x", ["firmata"]))

    def test_what_was_done_by_hand_becomes_lines(self):
        async def story(seat):
            seat.desk.wishes.ask(SETUP.points["beacon"], 40.0)  # before anybody thought of a routine
            await seat.asks("beacon", 40.0)
            await self.there(seat, "routine a\n    wait 1 s\n")
            await seat.press("ctrl+home", "ctrl+t")  # in none they are a routine
            await seat.until(lambda: "    set beacon to 40 %" in seat.desk.work.text)
            seat.desk.wishes.ask(SETUP.points["panel"], 'a "lock" {beacon}\nb')
            await seat.until(lambda: seat.asked("panel") == 'a "lock" {beacon}\nb')
            await seat.press("ctrl+home", "ctrl+t")
            await seat.until(lambda: r'    set panel to "a \"lock\" \{beacon\}\nb"' in seat.desk.work.text)
            await seat.until(lambda: seat.desk.work.program is not None and not seat.desk.work.mistakes)
            self.assertTrue(seat.desk.work.text.startswith("routine by_hand_1\n    set panel"), seat.desk.work.text)
            self.assertIn("\nroutine by_hand\n    set beacon to 40 %\n\nroutine a\n", seat.desk.work.text)
            seat.desk.wishes.ask(SETUP.points["beacon"], 41.0)
            await seat.asks("beacon", 41.0)
            await seat.press("ctrl+end", "ctrl+t")  # in a routine they are steps of that
            await seat.until(lambda: seat.desk.work.text.endswith("    wait 1 s\n    set beacon to 41 %\n"))
            await seat.press("ctrl+t")
            await seat.sees("nothing more was done by hand")

        seated(story)

    def test_a_bench_without_a_file_begins_with_what_it_has(self):
        async def story(seat):
            seat.app.go_to_screen("routines")
            await seat.on(RoutinesScreen)
            await seat.sees("first", "mistakes  none")
            self.assertIn("set lantern to 100 %", seat.desk.work.text)
            self.assertIn("when bell is rung for 30 ms", seat.desk.work.text)

        seated(story, text=start_text("x", "x", ["firmata"]))

    def test_it_serves_at_every_size(self):
        for size in ((160, 47), (100, 30), (80, 24), (60, 16), (40, 12)):

            async def story(seat):
                await self.there(seat)
                for key in ("f5", "down", "f9", "f6", "f8", "f9", "f1"):
                    await seat.press(key)
                await seat.on(SheetScreen)
                await seat.press("escape")
                await seat.on(RoutinesScreen)
                await seat.until(lambda: not seat.desk.work.is_running)
                self.assertEqual(seat.app.screen_stack[0]._faults, set())

            with self.subTest(size):
                seated(story, size=size)
