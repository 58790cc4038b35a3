"""Changing a bench on its screen: names, new boards and tables, copies, other pins, ends, a file changed outside."""

import asyncio
import difflib
import errno
import os
import random
import shutil
import tempfile
import tomllib
import unittest
from pathlib import Path
from unittest import mock

import cavet
from cavet.bench import LoopThread, RunningBench
from cavet.benchfile import START_KINDS, load_bench, renamed, sort_of, start_text
from cavet.demo import demo_path
from cavet.finding import Found
from cavet.remarks import remarks_on
from cavet.wiring import Wiring
from cavet.wording import WrongError
from cavet.workbench import Changing
from cavet.workbench.screens.addressing import AddressScreen
from cavet.workbench.screens.bench import BenchScreen
from cavet.workbench.screens.editing import EditScreen
from cavet.workbench.screens.jogging import JogScreen, check_jogged
from cavet.workbench.screens.jogging import changes_for as ends_for
from cavet.workbench.screens.making import MakeScreen
from cavet.workbench.screens.outside import OutsideScreen
from cavet.workbench.screens.taking import TakeScreen
from cavet.workbench.wiring.boards import KINDS, with_bench, with_board
from cavet.workbench.wiring.changing import Change, changed
from cavet.workbench.wiring.keys import keys_of, read_value
from cavet.workbench.wiring.moving import BELIEF, BOTH, TRUTH, copied, mode_at, moved, ways_at
from cavet.workbench.wiring.tables import Making, forms_for
from tests.workbench.test_bench_screen import SETUP
from tests.workbench.test_screens import seated

DEMO = load_bench(demo_path())


class Started(unittest.TestCase):
    """With a bench to begin with, in a folder of its own."""

    KINDS = ("firmata",)

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "hut.bench.toml"
        self.path.write_text(start_text("hut.bench.toml", "hut", self.KINDS))
        self.changing = Changing(load_bench(self.path))


def new_lines(before, after):
    return [line[1:] for line in difflib.ndiff(before.splitlines(), after.splitlines()) if line.startswith("+")]


class Renaming(unittest.TestCase):
    def test_a_name_changes_wherever_the_file_speaks_of_it_and_nowhere_else(self):
        for thing, lines in (
            (("boards", "gatehouse"), ("[boards.hut]", "[boards.hut.parts]", 'opening = "hut.upper_paddle"')),
            (("links", "gatehouse"), ("[links.hut]", 'link = "hut"')),
            (("hosts", "gatehouse"), ("[hosts.hut]", "[hosts.hut.devices]", 'board = "hut"')),
            (("boards", "gatehouse", "parts", "mast"), ('mast_1 = { kind = "lamp", pin = "hut.A0" }',)),
            (("hosts", "gatehouse", "devices", "mast"), ('device = "hut.A0"',)),
            (("boards", "pumphouse", "parts", "pump_a"), ('part = "hut"', "guards = [\"hut\", \"pump_b\"]")),
            (("rig", "gate"), ("[rig.hut]", 'gate = "hut"', 'moves = "hut"')),
            (("defects", "no_panel"), ("[defects.hut]",)),
            (("points", "beacon"), ("[points.hut]", 'part = "beacon"')),
            (("boards", "gatehouse", "parts", "beacon"), ("hut = { kind = \"lamp\", pin = 2 }", 'part = "hut"')),
        ):  # fmt: skip
            with self.subTest(thing):
                after = renamed(DEMO, thing, "hut")
                came = "\n".join(new_lines(DEMO.text, after.text))
                for line in lines:
                    self.assertIn(line, came)
                self.assertEqual(remarks_on(after.setup) == [], remarks_on(SETUP) == [])
                back = renamed(after, (*thing[:-1], "hut"), thing[-1])
                kept = [line for line in new_lines(DEMO.text, back.text) if not line.strip().startswith("part =")]
                self.assertEqual(kept, [])  # only what a point means has been written down

    def test_a_name_that_can_not_be_is_told(self):
        for thing, name in (
            (("points", "beacon"), "walkway"), (("points", "beacon"), "two words"), (("points", "beacon"), ""),
            (("points", "beacon"), '"]'), (("points", "nobody"), "hut"), (("points", "beacon"), "x" * 99),
        ):  # fmt: skip
            with self.subTest(name), self.assertRaises(WrongError):
                renamed(DEMO, thing, name)

    def test_what_only_looks_like_the_name_stays(self):
        self.assertEqual(sort_of(("boards", "hut", "commands", "x")), "")
        after = renamed(DEMO, ("boards", "gatehouse", "parts", "beacon"), "hut")
        self.assertIn("[points.beacon]", after.text)
        self.assertEqual(after.setup.points["beacon"].part, "hut")


class NewBoards(Started):
    def test_every_kind_twice_beside_what_is_there_and_all_of_it_works(self):
        file = self.changing.file
        for kind in (*KINDS, *KINDS):
            file, board = with_board(file, kind)
            self.assertIn(board, [link.board for link in file.setup.links.values()])
        self.assertEqual(remarks_on(file.setup), [])
        self.assertTrue(file.text.startswith(self.changing.file.text.rstrip()))
        self.assertEqual(len(KINDS), len(START_KINDS))
        self.path.write_text(file.text)
        with cavet.open(self.path) as bench:
            for name in ("lantern", "lantern_2", "shed_lamp_2", "light", "light_2", "sign_1_2"):
                with self.subTest(name):
                    value = True if file.setup.points[name].kind.is_switch else 40
                    self.assertEqual(bench[name].set(value).ended, "confirmed")

    def test_a_board_that_was_learned_comes_with_its_profile(self):
        text = (
            'format = 1\nname = "found"\n\n[boards.hut]\nprofile = "hut"\nfirmware = "firmata"\n\n[profiles.hut]\n'
            'pins = "0-5"\noutput = "2-5"\n\n[links.hut]\nkind = "serial"\nboard = "hut"\nport = "/dev/ttyX0"\n\n'
            '[hosts.hut]\nlink = "hut"\nprotocol = "firmata"\n\n[points.first_output]\nboard = "hut"\n'
            'kind = "switch"\npin = 3\n'
        )
        file, board = with_bench(self.changing.file, text)
        self.assertEqual((board, file.setup.boards[board].profile.name), ("hut_2", "hut"))
        file, board = with_bench(file, text)
        self.assertEqual((board, file.setup.boards[board].profile.name), ("hut_3", "hut_2"))
        self.assertEqual(file.setup.points["first_output_2"].board, "hut_3")


class NewTables(unittest.TestCase):
    ANSWERS = {
        "header": "FOO:BAR {}", "command": "x/set", "address": "77", "volts": "5 V", "amperes": "1 A", "set": "X:Y {}",
        "field": "order.blink",
    }  # fmt: skip

    def made(self, form, board):
        making = Making(DEMO, form, board)
        making.call(making.free_name())
        for _ in range(12):
            key = making.missing()
            if key is None:
                try:
                    return making, making.made()
                except WrongError as error:
                    key = making.asked_by(error)
                    if key is None:
                        raise
            fits = making.fits(key)
            making.answer(key, self.ANSWERS.get(key.name) or (fits[0] if fits else "7"))
        raise AssertionError("it asks on and on")

    def test_all_that_a_table_needs_is_asked_and_then_it_is_there(self):
        for board in ("gatehouse", "pumphouse", "towpath"):
            for form in forms_for(DEMO, board):
                with self.subTest(board, form=form.title):
                    if form.path[0] == "links" and board == "towpath":
                        continue  # its link has a kind of its own
                    making, file = self.made(form, board)
                    table = tomllib.loads(file.text)
                    for step in making.path:
                        table = table[step]
                    self.assertEqual(table, making.values)
                    self.assertEqual(file.text.count("#"), DEMO.text.count("#"))

    def test_what_is_wrong_is_told_and_the_file_stays(self):
        form = next(form for form in forms_for(DEMO, "switchrack") if form.path[0] == "points")
        making = Making(DEMO, form, "switchrack")
        for name in ("beacon", "", "a b"):
            with self.assertRaises(WrongError):
                making.call(name)
        making.call("spare")
        key = making.missing()
        with self.assertRaises(WrongError):
            making.answer(key, "")
        making.answer(key, "nobody")
        making.answer(making.missing(), "level")
        with self.assertRaises(WrongError) as caught:
            making.made()
        self.assertIsNone(making.asked_by(caught.exception))


class OtherPins(Started):
    def place(self, file, board, name):
        wiring = Wiring(file.setup, board)
        return wiring.by_key[wiring.keys_of(file.setup.points[name])[0]]

    def test_belief_or_truth_or_both_go_to_another_pin(self):
        file = self.changing.file
        place = self.place(file, "hut", "lantern")
        self.assertEqual(ways_at(file.setup, "hut", place), [BOTH, BELIEF, TRUTH])
        for way, pins in ((BOTH, (6, 6)), (BELIEF, (6, 3)), (TRUTH, (3, 6))):
            with self.subTest(way):
                setup = changed(file, moved(file.setup, "hut", place, 6, way)).setup
                part = setup.points["lantern"].part or "lantern"
                self.assertEqual((setup.points["lantern"].pin, setup.boards["hut"].parts[part].pin), pins)

    def test_an_address_keeps_its_number_and_gets_another_pin(self):
        place = self.place(DEMO, "pumphouse", "pump_a")
        self.assertEqual(ways_at(SETUP, "pumphouse", place), [TRUTH])
        free = Wiring(SETUP, "pumphouse").free_pins(mode_at(SETUP, "pumphouse", place))
        setup = changed(DEMO, moved(SETUP, "pumphouse", place, free[0], TRUTH)).setup
        cell = next(cell for cell in setup.boards["pumphouse"].device.cells if cell.name == place.table[1])
        self.assertEqual((cell.pin, setup.boards["pumphouse"].parts["pump_a"].pin), (free[0], free[0]))

    def test_a_copy_is_another_one_of_the_same_kind(self):
        for board, name in (("gatehouse", "walkway"), ("gatehouse", "horn"), ("pumphouse", "heater")):
            with self.subTest(name):
                place = self.place(DEMO, board, name)
                free = Wiring(SETUP, board).free_pins(mode_at(SETUP, board, place))
                setup = changed(DEMO, copied(DEMO, board, place, free[0], "spare")).setup
                self.assertEqual(setup.points["spare"].kind, setup.points[name].kind)
                there = Wiring(setup, board).wires_of(setup.points["spare"])
                self.assertEqual([wire.leads for wire in there], [True])
        with self.assertRaisesRegex(WrongError, "hangs on 3 pins"):
            copied(DEMO, "gatehouse", self.place(DEMO, "gatehouse", "gate"), 6, "spare")


class Ends(unittest.TestCase):
    def test_marks_are_the_new_ends_with_their_numbers_on_the_wire(self):
        paddle = SETUP.points["upper_paddle"]
        self.assertEqual(
            ends_for(paddle, 10.0, 90.0, None),
            [
                (("points", "upper_paddle", "range"), ["0 %", "100 %"]),
                (("points", "upper_paddle", "wire"), [round(paddle.to_wire(10.0)), round(paddle.to_wire(90.0))]),
            ],
        )
        volts = SETUP.points["supply_1_voltage"]
        changes = dict(ends_for(volts, 2.0, 8.0, 3.0))
        self.assertEqual(changes["points", "supply_1_voltage", "range"], ["2 V", "8 V"])
        self.assertEqual(changes["points", "supply_1_voltage", "rest"], "3 V")
        for name, first, second in (("upper_paddle", 90.0, 10.0), ("supply_1_voltage", 1.0, 9.0)):
            with self.subTest(name):
                setup = changed(DEMO, ends_for(SETUP.points[name], first, second, first)).setup
                self.assertEqual(
                    setup.points[name].to_wire(setup.points[name].low), round(SETUP.points[name].to_wire(first))
                )

    def test_only_outputs_with_a_range_have_ends(self):
        for name in ("horn", "level"):
            with self.subTest(name), self.assertRaises(WrongError):
                check_jogged(SETUP.points[name])
        with self.assertRaises(WrongError):
            check_jogged(None)
        with self.assertRaises(WrongError):
            ends_for(SETUP.points["beacon"], 5.0, 5.0, None)


class WrongValues(unittest.TestCase):
    WRONG = (
        "x", "-1", "1e99", "[1", '"', "9" * 30, "true", "nan", "[]", "{a = 1}", "\x1b[31m", "5 parsecs", "0x", '["a"]',
        "1979-05-27", "'", "[[1]]", "a\\", "−5 %", "{",
    )  # fmt: skip

    def test_at_every_key_is_taken_whole_or_told_in_one_line(self):
        chance = random.Random("wrong")
        for kind in START_KINDS:
            text = start_text("x.bench.toml", "x", [kind])
            file = load_bench(demo_path()).with_text(text)
            data = tomllib.loads(text)
            things = [(table, name) for table in ("boards", "links", "hosts", "points") for name in data.get(table, {})]
            things += [
                ("boards", board, "parts", part)
                for board in data["boards"]
                for part in data["boards"][board].get("parts", {})
            ]
            for thing in things:
                for row in keys_of(file, thing):
                    for wrong in chance.sample(self.WRONG, 3):
                        with self.subTest(kind, thing=thing, key=row.name, wrong=wrong):
                            try:
                                if row.kind == "name":
                                    renamed(file, thing, wrong)
                                else:
                                    changed(file, [((*thing, row.name), read_value(wrong, row.kind))])
                            except WrongError as error:
                                self.assertNotIn("\n", str(error))
                                self.assertNotIn("\x1b", str(error))


class Outside(Started):
    def test_what_others_write_is_noticed_once_and_taken_over_or_kept(self):
        changing, mine = self.changing, self.path.read_text()
        self.assertIsNone(changing.news())
        theirs = mine.replace("pin = 3", "pin = 6")
        self.path.write_text(theirs)
        os.utime(self.path, ns=(1, 1))
        self.assertEqual(changing.news(), theirs)
        changing.take_over(theirs)
        self.assertEqual(changing.file.setup.points["lantern"].pin, 6)
        self.assertFalse(changing.is_changed)
        self.assertIsNone(changing.news())
        changing.undo()
        self.assertTrue(changing.is_changed)
        self.assertEqual(changing.save(), "saved in hut.bench.toml")
        self.assertEqual(self.path.read_text(), mine)
        self.path.write_text(theirs)
        with self.assertRaisesRegex(WrongError, "changed meanwhile"):
            changing.save()
        changing.keep(theirs)
        changing.save()
        self.assertEqual(self.path.read_text(), mine)

    def test_half_a_file_is_no_bench_and_changes_nothing(self):
        for text in ("format = 1\n[boa", 'format = 1\n[boards.x]\nprofile = "no"\n', ""):
            with self.subTest(text), self.assertRaises(WrongError):
                self.changing.take_over(text)
        self.path.write_bytes(b"\xff\xfe")
        self.assertIsNone(self.changing.news())
        self.path.unlink()
        self.assertIsNone(self.changing.news())
        self.assertFalse(self.changing.is_changed)

    def test_defects_are_kept_with_the_rest(self):
        self.path.write_text(demo_path().read_text())
        changing = Changing(load_bench(self.path))
        changing.take(Change(changed(changing.file, [(("points", "beacon", "rest"), "5 %")]), "rest"))
        changing.keep_defects({"no_panel": True})
        there = load_bench(self.path).setup
        self.assertTrue(there.defects["no_panel"].on)
        self.assertEqual(there.points["beacon"].rest, 5.0)
        self.assertEqual(changing.undo(), "defects kept")

    def test_a_disk_that_is_full_and_a_folder_that_is_read_only_leave_the_old_file_whole(self):
        before = self.path.read_text()
        self.changing.change([(("points", "lantern", "pin"), 6)], "pin 6")
        for number in (errno.ENOSPC, errno.EACCES, errno.EROFS):
            refused = OSError(number, os.strerror(number))
            for call in ("os.fsync", "pathlib.Path.chmod", "pathlib.Path.replace"):
                with self.subTest(call, number=number), mock.patch(call, side_effect=refused):
                    with self.assertRaisesRegex(WrongError, os.strerror(number)):
                        self.changing.save()
                self.assertEqual(self.path.read_text(), before)
                self.assertEqual(list(self.path.parent.iterdir()), [self.path])
        self.assertTrue(self.changing.is_changed)
        self.changing.save()
        self.assertIn("pin = 6", self.path.read_text())


class OnTheScreen(unittest.TestCase):
    """As a person does it, with keys; what the bench's file would be is looked at."""

    def bench(self, seat):
        return seat.desk.changing.file

    async def at_bench(self, seat):
        await seat.press("f3")
        await seat.on(BenchScreen)
        await seat.sees("▸◇ beacon")

    async def changed(self, seat):
        await seat.until(lambda: seat.desk.changing.wants_again)
        return self.bench(seat).setup

    def test_a_point_is_given_another_name(self):
        async def story(seat):
            await self.at_bench(seat)
            await seat.press("enter")
            await seat.on(EditScreen)
            await seat.press("up", "enter", *["backspace"] * len("beacon"))
            await seat.type("walkway")
            await seat.sees("there is a point of that name")
            await seat.press("backspace", "2", "enter")
            setup = await self.changed(seat)
            self.assertEqual(setup.points["walkwa2"].part, "beacon")

        seated(story, changing=True)

    def test_what_is_in_a_row_goes_to_another_pin_and_is_there_once_more(self):
        for key, words, answers, pins in (
            ("w", "what moves?", ("enter", "enter"), {"beacon": 6}),
            ("c", "to which pin?", ("enter", "enter"), {"beacon": 2, "beacon_2": 6}),
        ):

            async def story(seat, key=key, words=words, answers=answers, pins=pins):
                await self.at_bench(seat)
                await seat.press(key)
                await seat.sees(words)
                for answer in answers:
                    await seat.press(answer)
                setup = await self.changed(seat)
                self.assertEqual({name: setup.points[name].pin for name in pins}, pins)

            with self.subTest(key):
                seated(story, changing=True)

    def test_a_defect_is_made_key_by_key(self):
        async def story(seat):
            await self.at_bench(seat)
            await seat.press("N")
            await seat.on(MakeScreen)
            await seat.sees("a defect, made on purpose")
            await seat.press(*["a"] * 40)  # goes round the choices that begin so
            while not seat.app.screen._choices[seat.app.screen._cursor].startswith("a defect"):
                await seat.press("a")
                await asyncio.sleep(0.02)
            await seat.press("enter", "enter")
            await seat.sees("kind", "dead-pin")
            await seat.press("enter", "enter", "enter")
            setup = await self.changed(seat)
            self.assertEqual(
                (setup.defects["defect_1"].kind, setup.defects["defect_1"].board), ("dead-pin", "gatehouse")
            )

        seated(story, changing=True)

    def test_the_ends_of_an_output_are_found_by_trying(self):
        async def story(seat):
            await self.at_bench(seat)
            await seat.press("j")
            await seat.on(JogScreen)
            await seat.press("enter")
            await seat.sees("mark both ends first")
            await seat.press("shift+right", "left_square_bracket")
            await seat.sees("one end      5 %")
            await seat.press(*["shift+right"] * 3)
            await seat.asks("beacon", 20.0)
            await seat.press("right_square_bracket", "enter")
            point = (await self.changed(seat)).points["beacon"]
            self.assertEqual([point.to_wire(end) for end in (point.low, point.high)], [13, 51])

        seated(story, changing=True)

    def test_a_file_that_others_change_is_asked_about(self):
        async def story(seat):
            path = self.bench(seat).path
            path.write_text(self.bench(seat).text.replace("pin = 2\n", "pin = 6\n").replace("pin = 2 }", "pin = 6 }"))
            seat.app._look_at_file()
            await seat.on(OutsideScreen)
            await seat.sees("was changed by somebody else", "nothing is lost")
            await seat.press("enter")
            setup = await self.changed(seat)
            self.assertEqual(setup.points["beacon"].pin, 6)

        seated(story, changing=True)

    def test_an_address_is_named_and_asked_and_what_can_not_be_one_is_told(self):
        async def story(seat):
            await self.at_bench(seat)
            seat.app.screen._around.look = mock.AsyncMock()
            await seat.press("a")
            await seat.on(AddressScreen)
            await seat.type("nowhere")
            await seat.press("enter")
            await seat.sees("expected", "or a device under /dev")
            await seat.press(*["backspace"] * 7)
            await seat.type("127.0.0.1:1")
            await seat.press("enter")
            await seat.sees("127.0.0.1:1", "Connection refused")

        seated(story, changing=True)

    def test_what_is_around_is_taken_in_as_a_place_or_as_a_board(self):
        started = Path(tempfile.mkdtemp()) / "other.bench.toml"
        self.addCleanup(shutil.rmtree, started.parent)
        started.write_text(start_text("other.bench.toml", "other", ["firmata"]))
        other = LoopThread("other")
        self.addCleanup(other.end)

        async def serve():
            bench = RunningBench(load_bench(started).setup, hosts=False)
            await bench.start()
            return bench

        bench = other.run(serve())
        self.addCleanup(lambda: other.run(bench.stop()))
        address = bench.endpoints[0].address
        for answers, board in (((), "gatehouse"), (("down",), "hut")):

            async def story(seat, answers=answers, board=board):
                await self.at_bench(seat)
                around = seat.app.screen._around
                around.look = mock.AsyncMock()
                around.found = [Found(kind="serial", address=address)]
                around.version += 1
                await seat.sees(address, "not in this bench")
                await seat.press("tab", "tab", *["down"] * 9, "t")
                await seat.on(TakeScreen)
                await seat.sees("the place of the link gatehouse")
                await seat.press(*answers, "enter")
                setup = await self.changed(seat)
                link = next(link for link in setup.links.values() if link.address == address)
                self.assertEqual(link.board, board)
                if board == "hut":
                    self.assertEqual(setup.points["first_output"].board, "hut")

            with self.subTest(board):
                seated(story, changing=True)
