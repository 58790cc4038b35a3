"""The application, headless: keys are pressed, and what a person could see is read."""

import asyncio
import os
import re
import subprocess
import sys
import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

from textual import events
from textual.geometry import Size

from cavet.bench import BenchThread
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.protocols import firmata
from cavet.record import Kind, read_record
from cavet.wording import UnreachableError
from cavet.workbench import CavetApp, Changing, Desk, keymap
from cavet.workbench.app import SCREENS
from cavet.workbench.screens.actions import ActionsScreen
from cavet.workbench.screens.bench import BenchScreen
from cavet.workbench.screens.checks import ChecksScreen
from cavet.workbench.screens.defects import DefectsScreen
from cavet.workbench.screens.drive import DriveScreen
from cavet.workbench.screens.frames import FramesScreen
from cavet.workbench.screens.routines import RoutinesScreen
from cavet.workbench.screens.sheet import SheetScreen
from cavet.workbench.typed import Typed
from cavet.workbench.widgets.leaf import Leaf
from cavet.workbench.widgets.picture import Picture
from cavet.workbench.widgets.rails import MAX_ENTRY
from tests import bench_keys
from tests.bench.benches import gatehouse_text
from tests.patience import PATIENCE

CHARACTERS = {
    "space": " ", "percent_sign": "%", "question_mark": "?", "left_square_bracket": "[", "right_square_bracket": "]",
}  # fmt: skip
NAMES = {character: name for name, character in CHARACTERS.items()}


class Seat:
    """A person at the workbench: presses keys, reads the screen, waits until something can be seen."""

    def __init__(self, app, pilot):
        self.app, self.pilot = app, pilot

    async def press(self, *keys):
        """Send keys as a terminal does; what follows from them is waited for with `until` and `sees`."""
        for key in keys:
            character = CHARACTERS.get(key, key if len(key) == 1 else None)
            event = events.Key(key, character)
            event.set_sender(self.app)
            self.app._driver.send_message(event)
            await asyncio.sleep(0)

    def paste(self, text):
        """Paste a text as a terminal does."""
        self._send(events.Paste(text))

    def turn(self, form, x, y):
        """Turn the wheel at a cell of the window."""
        self._send(form(None, x, y, 0, 0, 0, False, False, False))

    def _send(self, event):
        event.set_sender(self.app)
        self.app._driver.send_message(event)

    async def type(self, text):
        await self.press(*[NAMES.get(character, character) for character in text])

    async def until(self, holds):
        async with asyncio.timeout(PATIENCE):
            while not holds():
                await asyncio.sleep(0.01)

    async def asks(self, name, value):
        await self.until(lambda: self.asked(name) == value)

    def text(self):
        lines = []
        for picture in self.app.screen.query(Picture):
            lines.append(picture._canvas.text())
        return "\n".join(lines)

    async def sees(self, *words):
        try:
            await self.until(lambda: all(word in self.text() for word in words))
        except TimeoutError:
            raise AssertionError(
                f"not seen: {[word for word in words if word not in self.text()]} in\n{self.text()}"
            ) from None

    async def on(self, screen):
        await self.until(lambda: isinstance(self.app.screen, screen))

    def rails(self):
        return self.app.screen.query_one("#rails", Picture)._canvas.text()

    @property
    def desk(self):
        return self.app._desk

    def asked(self, name):
        return self.desk.bench.host_links["gatehouse"].session.readings[name].asked


def seated(story, size=(160, 47), change=("", ""), text=None, changing=False):
    """Open the workbench on a copy of the demo, and let the story's person sit down once the board is ready."""

    async def run():
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "ottersluice.bench.toml"
            before = gatehouse_text() if text is None else text
            path.write_text(before.replace(*change, 1) if change[0] else before)
            file = load_bench(path)
            with BenchThread(file.setup, Path(folder) / "a.record") as thread:
                under_change = Changing(file) if changing else None
                app = CavetApp(Desk(thread.bench, thread.post, changing=under_change))
                async with app.run_test(size=size) as pilot:
                    seat = Seat(app, pilot)
                    await seat.sees("board ready" if len(file.setup.linked_boards) == 1 else "boards ready")
                    await story(seat)
            return list(read_record(Path(folder) / "a.record")), path.read_text()

    return asyncio.run(run())


class Window(unittest.TestCase):
    def test_a_key_that_comes_when_it_has_been_left_goes_nowhere(self):
        async def story(seat):
            left.append(seat.app)

        left = []
        seated(story)
        asyncio.run(left[0].on_event(events.Key("x", "x")))

    def test_a_resize_that_got_lost_is_made_up_for(self):
        async def story(seat):
            seat.app._resize_timer = mock.Mock()  # one that never comes to its end
            with mock.patch("os.get_terminal_size", return_value=os.terminal_size((100, 30))):
                seat.app._look_at_terminal()
                await seat.until(lambda: seat.app.screen.size == (100, 30))
            await seat.until(lambda: seat.app.screen.query_one("#board").size.width < 50)

        seated(story)

    def test_two_sizes_on_their_way_do_not_chase_each_other(self):
        async def story(seat):
            await seat.press("question_mark")
            await seat.until(lambda: isinstance(seat.app.screen, SheetScreen))
            sheet, counted = seat.app.screen, []
            resized = sheet._screen_resized

            def count(size):
                counted.append(size)
                if len(counted) < 20:  # so that it comes to an end here
                    resized(size)

            with mock.patch.object(sheet, "_screen_resized", count):
                for width in (100, 120, 90):
                    seat.app.post_message(events.Resize(Size(width, 30), Size(width, 30)))
                    sheet.post_message(events.Resize(Size(width, 30), Size(width, 30)))
                    sheet.call_later(lambda: None)  # what comes between keeps two of them from becoming one
                await seat.until(lambda: sheet.size == (90, 30) and seat.app.screen_stack[0].size == (90, 30))
                await seat.press("escape")
                await seat.until(lambda: isinstance(seat.app.screen, DriveScreen))
            self.assertLess(len(counted), 20)

        seated(story)


class Ahead(unittest.TestCase):
    def test_keys_that_come_before_their_screen_wait_for_it_and_rest_does_not(self):
        async def story(seat):
            await seat.press("right", "right")
            await seat.asks("beacon", 4)
            with mock.patch.object(FramesScreen, "follow"):  # it takes its time
                await seat.press("f4", "s", "f12")
                await seat.asks("beacon", 0)
                await seat.on(FramesScreen)
                await seat.until(lambda: seat.app.screen.is_mounted)
                self.assertEqual(heard, [])
            await seat.sees("say it wrong")
            self.assertEqual(heard, ["s"])

        async def without(seat):
            with mock.patch.object(FramesScreen, "follow"), mock.patch("cavet.workbench.ahead.MOST_LOOKS", 5):
                await seat.press("f4", "s")
                await seat.until(lambda: len(heard) == 2)  # it is never drawn, and the key comes all the same

        heard, say = [], FramesScreen.action_say
        with mock.patch.object(FramesScreen, "action_say", lambda screen: (heard.append("s"), say(screen))[1]):
            seated(story)
            seated(without)


class Loading(unittest.TestCase):
    def test_only_what_the_first_screen_shows_is_loaded_before_it(self):
        loads = "import sys, cavet.workbench, cavet.workbench.screens.drive; print(*sys.modules)"
        words = subprocess.run([sys.executable, "-c", loads], capture_output=True, text=True, check=True).stdout.split()
        later = ("checks", "exports", "kernel", "lanes", "reckoning", "remarks", "routines")
        self.assertEqual([name for name in later if f"cavet.{name}" in words], [])

    def test_the_other_screens_are_loaded_while_nothing_else_happens(self):
        async def story(seat):
            await seat.until(lambda: all(f"cavet.workbench.screens.{name}" in sys.modules for name in seat.app.shown))

        seated(story)


class Commands(unittest.TestCase):
    def test_the_keys_of_the_docs_are_those_of_the_registry(self):
        for name in bench_keys.KEYS:
            text = (bench_keys.DOCS / name).read_text("utf-8")
            self.assertEqual(bench_keys.with_keys(name, text), text, f"{name}: python -m tests.bench_keys")

    def test_each_names_something_that_can_be_done(self):
        for commands, classes in (
            (keymap.DRIVE, (DriveScreen,)),
            (keymap.BENCH, (BenchScreen,)),
            (keymap.FRAMES, (FramesScreen,)),
            (keymap.ROUTINES, (RoutinesScreen,)),
            (keymap.RULER, (FramesScreen,)),
            (keymap.CHECKS, (ChecksScreen,)),
            (keymap.SAY, (FramesScreen,)),
            (keymap.WAYS, (FramesScreen,)),
            (keymap.EVERYWHERE, (CavetApp,)),
            (keymap.SHEET, (SheetScreen,)),
            (keymap.DEFECTS, (DefectsScreen,)),
        ):
            for command in commands:
                if command.action:
                    name = command.action.partition("(")[0]
                    self.assertTrue(any(hasattr(each, f"action_{name}") for each in classes), name)

    def test_no_key_is_given_twice_on_a_screen(self):
        for commands in (keymap.DRIVE, keymap.SHEET, keymap.DEFECTS, keymap.CHECKS):
            keys = [key for command in (*commands, *keymap.EVERYWHERE) for key in command.keys.split(",") if key]
            twice = {key for key in keys if keys.count(key) > 1} - {"q"}  # over a sheet, q is back
            self.assertEqual(twice, set())


class NobodyWaits(unittest.TestCase):
    """What acts on the bench is handed over; the screen goes on."""

    def test_a_bench_that_does_not_answer_is_told_and_what_was_asked_is_done_when_it_does(self):
        async def story(seat):
            busy = threading.Event()
            self.addCleanup(busy.set)
            seat.desk.call(busy.wait)
            await seat.press("shift+right", "right")
            await seat.sees("the bench has not answered for")
            self.assertIsNone(seat.asked("beacon"))
            await seat.press("question_mark")
            await seat.on(SheetScreen)
            await seat.press("escape")
            busy.set()
            await seat.until(lambda: seat.asked("beacon") is not None)
            await seat.until(lambda: "has not answered" not in seat.text())

        seated(story)

    def test_keys_that_follow_fast_are_all_counted_though_none_has_come_back(self):
        async def story(seat):
            busy = threading.Event()
            self.addCleanup(busy.set)
            seat.desk.call(busy.wait)
            await seat.press("shift+right", "right", "right", "left", "down", "space", "space")
            await seat.press("up", "u")
            busy.set()
            await seat.asks("beacon", 22)
            await seat.asks("walkway", 100)  # on, off, and that taken back

        seated(story)

    def test_a_wish_that_the_bench_would_not_take_leaves_nothing_behind(self):
        async def story(seat):
            await seat.press("right")
            await seat.asks("beacon", 2)
            with mock.patch.object(seat.desk.bench, "ask", side_effect=UnreachableError("gatehouse", "away")):
                await seat.press("shift+right")
                await seat.sees("gatehouse: away")
            await seat.press("right")
            await seat.asks("beacon", 4)

        seated(story)

    def test_what_has_been_done_is_looked_at_at_once_and_not_with_the_next_frame(self):
        async def story(seat):
            for timer in list(seat.app.screen._timers):
                timer.stop()  # there is no next frame
            seat.desk.wishes.ask(seat.desk.bench.setup.points["beacon"], 22)
            await seat.until(lambda: " 22 %" in seat.rails())

        seated(story)

    def test_an_error_comes_back_and_what_is_unforeseen_is_told_as_such(self):
        async def story(seat):
            seat.desk.hands.act("gatehouse.beacon", "kick")
            await seat.sees('beacon: found "kick"')
            with self.assertLogs("cavet", "ERROR"):
                seat.desk.call(lambda: 1 / 0)
                await seat.sees("that has failed: ZeroDivisionError")

        seated(story)

    def test_what_lies_under_a_sheet_is_drawn_once_a_second(self):
        async def story(seat):
            below = seat.app.screen
            await seat.press("f2")
            await seat.on(ActionsScreen)
            with mock.patch.object(below, "follow") as follow:
                for age, drawn in ((0.9, 0), (1.1, 1)):
                    follow.reset_mock()
                    below._drawn_at = seat.desk.now - age
                    below.tick()
                    self.assertEqual(drawn, follow.call_count)

        seated(story)

    def test_a_sheet_is_followed_no_more_once_it_was_left(self):
        async def story(seat):
            await seat.press("f2")
            await seat.on(ActionsScreen)
            sheet = seat.app.screen
            await seat.press("escape")
            await seat.on(DriveScreen)
            sheet.follow()
            sheet.fit()
            await seat.press("right")

        seated(story)


class Driving(unittest.TestCase):
    def test_a_nudge_moves_the_point_under_the_cursor_and_its_trail_is_drawn(self):
        async def story(seat):
            await seat.press("right", "right", "shift+right")
            await seat.asks("beacon", 24)
            await seat.sees("beacon ← 24 %", "◈ confirmed", "24 %")
            await seat.press("left")
            await seat.asks("beacon", 22)

        events, _ = seated(story)
        self.assertTrue({Kind.ASKED, Kind.CONFIRMED} <= {event.kind for event in events})

    def test_a_typed_value_with_a_unit_is_set(self):
        async def story(seat):
            await seat.press("down", "down")
            await seat.type("60 %")
            await seat.sees("◇ 60 %▏", "any unit that fits")
            await seat.press("enter")
            await seat.sees("upper_paddle ← 60 %", "105°")
            await seat.asks("upper_paddle", 60)

        seated(story)

    def test_escape_and_backspace_leave_a_value_as_it_was(self):
        async def story(seat):
            await seat.type("75")
            await seat.press("escape")
            await seat.type("7")
            await seat.sees("◇ 7▏")
            await seat.press("backspace")
            await seat.until(lambda: "▏" not in seat.text())
            self.assertIsNone(seat.asked("beacon"))

        seated(story)

    def test_a_wrong_value_is_told_in_one_line_and_nothing_is_sent(self):
        async def story(seat):
            await seat.type("5 V")
            await seat.press("enter")
            await seat.sees('gatehouse.beacon: found "5 V", expected a number in %')
            self.assertIsNone(seat.asked("beacon"))

        seated(story)

    def test_space_holds_a_momentary_switch_and_lets_it_go(self):
        async def story(seat):
            for _ in range(5):
                await seat.press("down")
            await seat.press("space")
            await seat.asks("horn", True)
            await seat.sees("sounds")
            await seat.sees("quiet")
            await seat.asks("horn", False)

        seated(story)

    def test_the_rest_key_works_from_everywhere(self):
        async def story(seat):
            await seat.press("shift+right", "down", "shift+right")
            await seat.press("question_mark")
            await seat.on(SheetScreen)
            await seat.press("f12")
            await seat.asks("beacon", 0)
            await seat.asks("walkway", 0)

        seated(story)

    def test_a_wish_can_be_taken_back(self):
        async def story(seat):
            await seat.press("right", "shift+right", "u")
            await seat.asks("beacon", 2)
            await seat.sees("beacon back to 2 %")
            await seat.press("u")
            await seat.sees("nothing to take back")

        seated(story)

    def test_the_outside_world_is_worked_from_its_inputs(self):
        async def story(seat):
            for _ in range(14):  # behind the outputs
                await seat.press("down")
            await seat.press("space")
            await seat.sees("pressed")
            await seat.sees("released", "changed")
            await seat.press("down", "space")
            await seat.sees("it can't be worked by hand")
            await seat.press("down", "down")
            await seat.type("1500")
            await seat.press("enter")
            await seat.sees("1 50")
            await seat.press("down", "right", "right")
            await seat.sees("3.00 V")

        seated(story)


class Breaking(unittest.TestCase):
    def test_a_defect_is_switched_a_trail_breaks_stays_and_is_looked_at(self):
        async def story(seat):
            await seat.press("d")
            await seat.on(DefectsScreen)
            await seat.sees("dead_walkway", "pin 3 is dead")
            await seat.press("space")
            await seat.sees("on   dead_walkway")
            await seat.press("escape")
            await seat.on(DriveScreen)
            await seat.press("down", "shift+right")
            await seat.sees("1 defect on", "1 broken", "the pin is dead")
            await seat.press("up")
            await seat.sees("not driven", "b ⏎ look")
            await seat.press("b")
            await seat.sees("walkway ← 20 %")
            await seat.press("enter")
            await seat.sees(
                "stopped before driven", "what to do", "analog-message", "not reached (a pin or a register has changed)"
            )
            await seat.press("escape")
            await seat.on(DriveScreen)
            await seat.until(lambda: "broken" not in seat.app.screen.query_one("#top", Picture)._canvas.text())

        seated(story)

    def test_the_defects_can_be_kept_in_the_file_with_its_comments(self):
        async def story(seat):
            await seat.press("d")
            await seat.on(DefectsScreen)
            held = threading.Event()
            seat.desk.call(lambda: held.wait(PATIENCE))  # a bench that is busy meanwhile
            await seat.press("down", "space", "s", "escape")
            await seat.on(DriveScreen)
            held.set()
            await seat.sees("saved in ottersluice.bench.toml")

        before = gatehouse_text()
        _, after = seated(story, changing=True)
        self.assertEqual(after, before.replace("pins = [9, 10]\non = false", "pins = [9, 10]\non = true"))


class ThreeBoards(unittest.TestCase):
    def test_boards_fold_are_searched_and_driven(self):
        async def story(seat):
            await seat.sees("gatehouse", "pumphouse", "ready · 16 points", "switchrack")
            await seat.press("up", "left")
            await seat.until(lambda: "upper_paddle" not in seat.rails())
            await seat.press("down", "space")
            await seat.until(lambda: "target_level" in seat.rails())
            await seat.sees("L14", "modbus-tcp")
            await seat.press("f")
            await seat.type("relay_10")
            await seat.until(lambda: "spare_relay" not in seat.rails() and "relay_108" in seat.rails())
            await seat.press("down", "down", "space")
            await seat.sees("relay_103 ← closed", "ROUT:CLOS", "rack")
            await seat.press("escape")
            await seat.until(lambda: "find" not in seat.rails())
            await seat.until(lambda: "▸ relay_103" in seat.rails())

        seated(story, text=demo_path().read_text())

    def test_what_is_called_as_was_typed_is_found_before_what_only_has_it_in_its_name(self):
        async def story(seat):
            await seat.press("f")
            await seat.type("lamp")
            await seat.until(lambda: "alarm_lamp" in seat.rails() and re.search(r"▸ lamp\b", seat.rails()))
            await seat.press("enter", "f2")
            await seat.type("press button")
            await seat.sees("press stop_button", "▸ press button")
            await seat.press("enter")
            await seat.until(lambda: not seat.desk.bench.world.part("towpath.button").stands_as(0))

        seated(story, text=demo_path().read_text())

    def test_a_difference_that_lasts_is_told_though_the_trail_had_ended_well(self):
        async def story(seat):
            await seat.press("f")
            await seat.type("pump_b")
            await seat.press("enter", "down")
            await seat.type("50")
            await seat.press("enter", "up", "space")
            await seat.sees("pump_b ← on", "◈ confirmed")
            trails = seat.desk.standings.trails.all
            await seat.until(lambda: any(t.root.subject == "pump_b" and t.reached(Kind.MOVED) for t in trails.values()))
            seat.desk.hands.act("pumphouse.overload", "trip")
            await seat.until(lambda: re.search(r"pump_b .*for \d+ s", seat.rails()))

        seated(story, text=demo_path().read_text())

    def test_doors_and_overloads_are_worked_from_their_inputs(self):
        async def story(seat):
            await seat.press("f")
            await seat.type("door")
            await seat.press("enter", "space")
            await seat.sees("open", "changed")
            await seat.press("space")
            await seat.until(lambda: not seat.desk.bench.world.part("pumphouse.door").stands_as(0))
            await seat.press("f")
            await seat.type("flow")
            await seat.press("enter", "right")
            await seat.sees("measured by the board itself")

        seated(story, text=demo_path().read_text())


class Strangers(unittest.TestCase):
    def test_what_a_board_says_is_shown_as_text_whatever_it_holds(self):
        text = "[bold]red[/bold] \x1b[2J\x9b31m {x}"
        frame = firmata.encode(firmata.StringData(text=text))

        async def story(seat):
            session = seat.desk.bench.host_links["gatehouse"].session
            seat.desk.call(lambda: session.feed(frame, seat.desk.now, lambda end: None))
            await seat.sees("says: [bold]red[/bold] ‹ESC›[2J‹U+009B›31m {x}")
            rows = [seat.app.screen.query_one("#board", Picture).render_line(y).text for y in range(4)]
            self.assertFalse(any("\x1b" in row or "\x9b" in row for row in rows))

        seated(story)

    def test_a_point_that_can_not_work_says_so_before_anything_is_sent(self):
        async def story(seat):
            await seat.sees("can't")
            await seat.press("right")
            await seat.sees("pin 5 has no pwm", "one of 2 3 6 7 9 10")
            await seat.press("question_mark")
            await seat.sees("✕ pin 5 has no pwm on this board")

        seated(story, change=('kind = "level"\npin = 2\n', 'kind = "level"\npin = 5\n'))

    def test_host_and_board_that_begin_differently_are_told(self):
        async def story(seat):
            await seat.sees("differs")
            await seat.press("question_mark")
            await seat.sees("✕ starts at 20 % for the host, but the board stands at 0 %")
            await seat.press("escape")
            await seat.on(DriveScreen)
            await seat.press("right")
            await seat.until(lambda: "differs" not in seat.text())

        seated(story, change=('kind = "level"\npin = 2\n', 'kind = "level"\npin = 2\nstart = 20\n'))


def raising(*arguments, **more):
    raise ZeroDivisionError("by zero")


class Faults(unittest.TestCase):
    """What fails, fails alone, and is told."""

    def test_a_board_that_was_stopped_is_marked_and_can_be_started_again(self):
        async def story(seat):
            board = seat.desk.bench.world.boards["gatehouse"]
            with self.assertLogs("cavet", "ERROR"), mock.patch.object(board.firmware, "feed", raising):
                await seat.press("right")
                await seat.sees("stopped by a fault, F2 starts it again: ZeroDivisionError")
            await seat.press("f2")
            await seat.type("start gate")
            await seat.press("enter")
            await seat.sees("board ready")
            await seat.press("right")
            await seat.sees("◈ confirmed")

        events, _ = seated(story)
        self.assertEqual([event.kind for event in events if event.kind is Kind.FAULT], [Kind.FAULT])

    def test_a_session_that_was_stopped_says_so_also_where_something_is_held(self):
        async def story(seat):
            link = seat.desk.bench.host_links["gatehouse"]
            await seat.press(*["down"] * 5, "space")
            await seat.asks("horn", True)
            with self.assertLogs("cavet", "ERROR") as log, mock.patch.object(link.session, "feed", raising):
                await seat.until(lambda: link.fault is not None)
                await seat.sees("gatehouse: stopped by a fault, ZeroDivisionError")
            self.assertEqual([line for line in log.output if "the session with gatehouse" not in line], [])
            await seat.press("right")
            await seat.sees("stopped by a fault, F2 starts it again")
            await seat.press("f2")
            await seat.type("start gate")
            await seat.press("enter")
            await seat.sees("board ready")

        seated(story)

    def test_a_picture_that_can_not_be_drawn_leaves_the_others(self):
        async def story(seat):
            with (
                self.assertLogs("cavet", "ERROR") as log,
                mock.patch("cavet.workbench.screens.drive.draw_stack", raising),
            ):
                await seat.press("right")
                await seat.sees("the board can't be drawn: ZeroDivisionError, by zero", "◈ confirmed")
            self.assertEqual(len(log.output), 1)
            await seat.press("right")
            await seat.asks("beacon", 4)

        seated(story)

    def test_keys_that_come_after_a_sheet_was_left_do_no_harm(self):
        async def story(seat):
            for opened, left in (("f2", "escape"), ("f2", "enter"), ("question_mark", "escape"), ("d", "escape")):
                await seat.press(opened)
                await seat.until(lambda: not isinstance(seat.app.screen, DriveScreen))
                await seat.press(left, left, "escape", "escape", "down", "space")
                await seat.on(DriveScreen)
            await seat.pilot.pause()
            self.assertIsNone(seat.app.failed)

        seated(story)

    def test_keys_that_come_after_a_sheet_was_left_are_for_what_comes_behind_it(self):
        async def story(seat):
            await seat.press("f2")
            await seat.on(ActionsScreen)
            await seat.press("escape", "down", "down", "4", "5", "enter")
            await seat.until(lambda: seat.asked("upper_paddle") == 45.0)
            await seat.press("ctrl+g")
            await seat.until(lambda: not isinstance(seat.app.screen, DriveScreen))
            await seat.press("3", "f", "7")
            await seat.on(FramesScreen)
            await seat.until(lambda: seat.app.screen._entry is not None)

        seated(story)

    def test_what_is_not_fenced_ends_it_without_a_word_on_the_terminal(self):
        async def story(seat):
            with mock.patch.object(seat.app, "action_palette", raising):
                await seat.press("f2")
                await seat.until(lambda: seat.app.failed is not None)
            self.assertEqual(seat.app._exit_renderables, [])

        with self.assertRaises(ZeroDivisionError):  # what the command turns into its line
            seated(story)


class Looking(unittest.TestCase):
    def test_the_point_under_the_cursor_is_explained(self):
        async def story(seat):
            await seat.press("down", "down", "question_mark")
            await seat.sees("on pin 9, mode servo", "15 to 165", "upper_paddle, a servo", "F12")
            await seat.press("escape")
            await seat.on(DriveScreen)

        seated(story)

    def test_trails_can_be_gone_through(self):
        async def story(seat):
            await seat.press("right")
            await seat.sees("1 of 1")
            await seat.press("right")
            await seat.sees("2 of 2")
            await seat.press("left_square_bracket")
            await seat.sees("1 of 2")
            await seat.press("right_square_bracket")
            await seat.sees("2 of 2")
            await seat.press("down")
            await seat.sees("no command of walkway yet: [ goes to the last of 2")
            await seat.press("left_square_bracket")
            await seat.sees("2 of 2")

        seated(story)

    def test_it_serves_at_smaller_sizes(self):
        for size, words, other in (((100, 30), ("stop_button", "gate_motor"), False), ((80, 24), ("arrow",), True)):

            async def story(seat, words=words, other=other):
                await seat.sees(*words, "F12 everything to rest")
                await seat.press("right")
                await seat.sees("confirmed")
                if other:
                    await seat.press("v")
                    await seat.sees("gate_motor")

            with self.subTest(size):
                seated(story, size)

    def test_the_link_is_let_go_and_taken_up(self):
        async def story(seat):
            await seat.press("o")
            await seat.sees("free for another program", "board not ready")
            await seat.press("o")
            await seat.sees("board ready")

        seated(story)

    def test_all_actions_are_found_by_typing_and_done(self):
        async def story(seat):
            await seat.press("f2")
            await seat.sees("all actions", "everything to rest", "F12", "switch on dead_walkway", "quit")
            await seat.type("theme")
            await seat.until(lambda: "everything to rest  " not in seat.text())
            await seat.sees("light theme")
            await seat.press("enter")
            await seat.until(lambda: seat.app.theme == "cavet-light")
            await seat.press("right")
            await seat.sees("beacon ← 2 %")
            await seat.press("ctrl+p")
            await seat.type("pin 3")
            await seat.sees("switch on dead_walkway")
            await seat.press("enter")
            await seat.sees("1 defect on")
            await seat.press("f2")
            await seat.type("no such thing")
            await seat.sees("nothing of that name")
            await seat.press("escape")
            await seat.on(DriveScreen)

        seated(story)

    def test_what_other_screens_can_do_is_found_too_and_shown_there(self):
        async def story(seat):
            await seat.press("f2")
            await seat.type("hand since")
            await seat.sees("routines: what was done by hand")
            await seat.press("enter")
            await seat.until(lambda: seat.app.current_mode == "routines")
            await seat.sees("ctrl+t here: what was done by hand")

        seated(story)

    def test_no_command_of_the_list_ends_the_program(self):
        """Each command of each screen, from where that is shown first: what can't be done is told."""
        parting = ("leave", "save", "remove")  # what ends it, writes a file, or begins the bench anew

        for name in SCREENS:

            async def story(seat, name=name):
                async def there():
                    seat.app.go_to_screen(name)
                    await seat.until(lambda: name == seat.app._frame.NAME and seat.app._frame.is_mounted)

                await there()
                with self.assertNoLogs("cavet", "ERROR"):
                    for command in seat.app._frame.CAN:
                        if not command.name or command.action.partition("(")[0] in parting:
                            continue
                        await seat.app._run(command.action, seat.app._frame)
                        self.assertIsNone(seat.app._exception, command.name)
                        while len(seat.app.screen_stack) > 1:
                            over = seat.app.screen
                            await seat.press("escape")
                            await seat.until(lambda over=over: seat.app.screen is not over)
                        await there()
                        self.assertEqual(seat.app._frame._faults, set())

            with self.subTest(name):
                seated(story, changing=True)

    def test_every_button_can_be_pressed_from_the_list_of_all_actions(self):
        async def story(seat):
            world = seat.desk.bench.world
            buttons = {part.name for part in world._parts if "press" in part.actions}
            self.assertGreater(len(buttons), 10)
            offered = {action.name for action in seat.app._actions()}
            self.assertEqual({f"press {name}" for name in buttons} - offered, set())

        seated(story, text=demo_path().read_text())

    def test_a_wish_brought_inside_the_limits_is_said_beside_the_value(self):
        async def story(seat):
            await seat.type("130")
            await seat.press("enter")
            await seat.sees("not 130 %", "limit, not 130 %", "beacon ← 100 %")

        seated(story)

    def test_a_sheet_is_as_high_as_its_lines_at_once(self):
        async def story(seat):
            await seat.press("question_mark")
            await seat.on(SheetScreen)
            heights = set()
            for _ in range(30):
                heights |= {leaf.styles.height.value for leaf in seat.app.screen.query(Leaf)}  # none at first
                await asyncio.sleep(0.01)
            self.assertEqual(len(heights), 1, heights)
            await seat.sees("the host believes", "keys here", "F12")
            lines = seat.app.screen.query(Picture).first()._canvas.text().splitlines()
            self.assertLess(sum(not line.strip() for line in lines[-6:]), 3, lines[-6:])

        seated(story)

    def test_what_a_lost_link_told_last_has_its_age(self):
        async def story(seat):
            readings = seat.desk.bench.host_links["gatehouse"].session.readings
            await seat.until(lambda: readings["level"].got is not None)
            seat.desk.switch_link("gatehouse")
            await seat.sees("s old")

        seated(story)

    def test_the_mouse_sets_and_selects(self):
        async def story(seat):
            rails = seat.app.screen.query_one("#rails")
            layout = rails._layout
            await seat.pilot.click("#rails", offset=(layout.rail + layout.rail_width - 1, layout.rows[2]))
            await seat.asks("upper_paddle", 100)
            await seat.pilot.click("#rails", offset=(4, layout.rows[0]))
            await seat.until(lambda: rails.cursor == 0)

        seated(story)

    def test_nothing_moves_by_a_click_while_a_value_is_typed(self):
        async def story(seat):
            rails = seat.app.screen.query_one("#rails")
            layout = rails._layout
            await seat.pilot.click("#rails", offset=(layout.rail + 2, layout.rows[1]), button=3)
            await seat.press("down")
            await seat.type("6")
            await seat.until(lambda: rails.entry == Typed("6", 1, MAX_ENTRY))
            await seat.pilot.click("#rails", offset=(layout.rail + 2, layout.rows[1]))
            await seat.type("0")
            await seat.press("enter")
            await seat.asks("walkway", 60)
            await seat.type("7")
            await seat.until(lambda: rails.entry == Typed("7", 1, MAX_ENTRY))
            await seat.pilot.click("#rails", offset=(layout.rail + 2, layout.rows[3]))
            await seat.until(lambda: (rails.entry, rails.cursor) == (None, 3))
            await seat.pilot.click("#rails", offset=(layout.rail, layout.rows[1]))
            await seat.asks("walkway", 0)

        record, _ = seated(story)
        asked = [(event.subject, event.value) for event in record if event.kind is Kind.ASKED]
        self.assertEqual([("walkway", 60.0), ("walkway", 0.0)], asked)

    def test_a_click_acts_on_what_was_shown_or_on_nothing(self):
        async def story(seat):
            rails = seat.app.screen.query_one("#rails")
            layout = rails._layout
            rails.set_view = lambda view: None
            seat.desk.roster.wanted = "lower"
            await seat.pilot.click("#rails", offset=(layout.rail + layout.rail_width - 1, layout.rows[0]))
            seat.desk.roster.wanted = ""
            await seat.pilot.click("#rails", offset=(layout.rail + layout.rail_width - 1, layout.rows[1]))
            await seat.asks("walkway", 100)
            self.assertIsNone(seat.asked("lower_paddle"))

        seated(story)

    def test_the_wheel_goes_through_the_list_and_nudges_only_where_the_cursor_stood_before(self):
        async def story(seat):
            rails = seat.app.screen.query_one("#rails")
            left, top = rails.region.offset
            rail, rows = left + rails._layout.rail, [top + row for row in rails._layout.rows]
            for _ in range(3):
                seat.turn(events.MouseScrollDown, rail + 3, rows[2])
            await seat.until(lambda: rails.cursor == 3)
            seat.turn(events.MouseScrollUp, left + 4, rows[2])
            await seat.until(lambda: rails.cursor == 2)
            rails._went_at = 0.0
            seat.turn(events.MouseScrollUp, rail + 3, rows[2])
            await seat.until(lambda: (seat.asked("upper_paddle") or 0) > 0)
            self.assertEqual(2, rails.cursor)

        record, _ = seated(story)
        self.assertEqual({"upper_paddle"}, {event.subject for event in record if event.kind is Kind.ASKED})


if __name__ == "__main__":
    unittest.main()
