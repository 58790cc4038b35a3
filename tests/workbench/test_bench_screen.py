"""The Bench screen: boards in cross-section, remarks and mends, changing, something new, what is around."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import msgspec
from msgspec.structs import replace

import cavet
from cavet.benchfile import check_text, load_bench, start_text
from cavet.demo import demo_path
from cavet.drawings.section import HEAD_ROWS, draw_section, section_height
from cavet.remarks import remarks_on
from cavet.wiring import Wiring, section_of
from cavet.wording import WrongError
from cavet.workbench import Changing, Desk
from cavet.workbench.drawing.bench import (
    BoardsView,
    around_under,
    draw_around,
    draw_boards,
    draw_remarks,
    places,
    remark_under,
)
from cavet.workbench.screens.bench import BenchScreen
from cavet.workbench.screens.bench_sheets import row_sheet
from cavet.workbench.screens.editing import EditScreen
from cavet.workbench.typed import Typed
from cavet.workbench.widgets.picture import Picture
from cavet.workbench.wiring.adding import SORTS, changes_for, free_name, pins_for, sorts_for
from cavet.workbench.wiring.around import Around
from cavet.workbench.wiring.changing import changed as changed_file
from cavet.workbench.wiring.keys import keys_of, read_value
from cavet.workbench.wiring.removing import board_removal, removal
from cavet.workbench.wiring.views import AroundRow, AroundView, FoldView, RemarksView, section_view, wiring_of
from tests.bench.test_buses import in_fast_time
from tests.remarks.test_rules import MODBUS, PINS, changed
from tests.workbench.test_screens import seated

SETUP = load_bench(demo_path()).setup


def sheet_text(sheet):
    return "\n".join("".join(text for text, _ in line) for line in sheet.lines)


def drawn(section, width=118):
    return draw_section(section, width, HEAD_ROWS + len(section.rows)).text()


class InCrossSection(unittest.TestCase):
    def test_each_point_stands_at_its_place_with_its_part(self):
        text = drawn(section_of(Wiring(SETUP, "gatehouse")))
        for words in (
            ("beacon", "0 to 100 %", " 2 ", "lamp, 15 mA"),
            ("level", "14 A0", "level_gauge"),
            ("0x26", "mast"),
        ):
            with self.subTest(words):
                self.assertTrue(any(all(word in line for word in words) for line in text.splitlines()), text)

    def test_what_is_to_be_said_of_links_goes_on_below_few_rows(self):
        said = tuple((words, "quiet") for words in ("tcp", "127.0.0.1:36000", "ready", "serial 19200", "ready"))
        whole = section_of(Wiring(SETUP, "mast"), link=said)
        few = msgspec.structs.replace(whole, rows=whole.rows[:1])
        height = section_height(few, 118)
        text = draw_section(few, 118, height).text()
        for words in ("tcp", "127.0.0.1", ":36000", "ready", "serial 19200"):
            self.assertIn(words, text)
        tight = draw_section(few, 118, height - 2).text()
        self.assertEqual(("┃ …", False), (tight.splitlines()[-1].strip(), "serial" in tight))

    def test_every_kind_of_board_has_one(self):
        for board, words in (
            ("pumphouse", ("coil 0", "pump_a")), ("switchrack", ("SOUR1:VOLT", "supply_1_voltage")),
            ("signalpost", ("order.levels bit 0", "post_1")), ("towpath", ("lamp/set", "lamp")),
            ("mast", ("0x22", "yard")),
        ):  # fmt: skip
            with self.subTest(board):
                text = drawn(section_of(Wiring(SETUP, board)))
                self.assertTrue(any(all(word in line for word in words) for line in text.splitlines()), text)

    def test_the_number_of_a_port_is_not_cut(self):
        link = (("127.0.0.1:43765", "quiet"), ("/dev/pts/12345", "quiet"))
        section = section_of(Wiring(SETUP, "gatehouse"), "gatehouse", link)
        lines = [line.strip() for line in drawn(section).splitlines()]
        self.assertTrue(any(" :43765 " in line for line in lines), lines)
        self.assertTrue(any(" 127.0.0.1 " in line for line in lines), lines)
        section = section_of(Wiring(SETUP, "gatehouse"), "gatehouse", (("rfc2217://192.168.1.20:3030", "quiet"),))
        link = [line.split("┃")[1].split()[0] for line in drawn(section).splitlines() if "┃" in line]
        self.assertEqual(["rfc2217://", "192.168.1.20", ":3030"], link[:3])

    def test_bits_of_a_register_have_each_a_row_that_can_be_read_whole(self):
        text = "format = 1\n[boards.hut]\nprofile = 'heron'\nfirmware = 'modbus'\n[boards.hut.map]\n"
        for bit, table in ((0, "holding"), (12, "input")):
            keys = f"table = '{table}-registers', address = 64000, data = 'bit', bit = {bit}, pin = 'L{bit + 1}'"
            text += f"b{bit} = {{ {keys} }}\n"
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "hut.bench.toml"
            path.write_text(text)
            section = section_of(Wiring(load_bench(path).setup, "hut"))
        for width, wanted in ((118, ("register 64000 bit 0", "register 64000 bit 12")), (80, ("… 64000 bit 12",))):
            lines = drawn(section, width).splitlines()
            for words in wanted:
                self.assertTrue(any(words in line for line in lines), lines)

    def test_what_is_well_is_counted_where_the_room_ends(self):
        view = RemarksView(remarks=(), well=tuple(f"rule {number} is kept" for number in range(9)))
        whole = draw_remarks(view, 40, 12).text()
        self.assertIn("rule 8", whole)
        self.assertNotIn("more", whole)
        short = draw_remarks(view, 40, 11).text()
        self.assertIn("rule 6", short)
        self.assertIn("… 2 more", short)

    def test_what_is_around_says_how_much_more_there_is(self):
        rows = tuple(AroundRow(kind="tcp", address=f"127.0.0.1:{5000 + n}", told="", whose="") for n in range(9))
        for cursor, height, more in (
            (0, 10, ""),
            (0, 5, "5 more below"),
            (8, 5, "5 more above"),
            (6, 5, "2 more below"),
        ):
            view = AroundView(rows=rows, cursor=cursor, looked="looked just now")
            head = draw_around(view, 100, height).text().split("\n")[0]
            self.assertEqual(head.split("looked just now")[1].strip(), more)
            lines = draw_around(view, 100, height).text().split("\n")
            for y, line in enumerate(lines):
                place = around_under(view, height, y)
                self.assertEqual(place is not None, "127.0.0.1" in line, (cursor, y))
                if place is not None:
                    self.assertIn(rows[place].address, line)

    def test_where_there_is_no_room_what_is_around_says_only_when_it_was_looked(self):
        rows = tuple(AroundRow(kind="tcp", address=f"127.0.0.1:{5000 + n}", told="", whose="") for n in range(9))
        view = AroundView(rows=rows, cursor=0, looked="looked just now: what comes and goes is marked")
        self.assertIn("goes is marked", draw_around(view, 100, 5).text())
        head = draw_around(view, 70, 5).text().split("\n")[0]
        self.assertIn("looked just now  ", head)
        self.assertNotIn("…", head)

    def test_lines_of_a_device_are_a_section_of_their_own(self):
        text = drawn(section_of(Wiring(SETUP, "gatehouse"), device="mast"))
        self.assertIn("mast.A0", text)
        self.assertIn("mast_switch_1", text)
        self.assertNotIn("beacon", text)

    def test_what_is_crossed_crosses_and_says_where_it_hangs(self):
        wiring = Wiring(SETUP, "gatehouse", {9: 10, 10: 9})
        text = drawn(section_of(wiring))
        lines = [line for line in text.splitlines() if "_paddle" in line]
        self.assertEqual(["╲╱" in lines[0], "╱╲" in lines[1]], [True, True], text)
        self.assertIn("hangs on 10", lines[0])
        apart = drawn(section_of(Wiring(SETUP, "gatehouse", {2: 9, 9: 2})))
        self.assertIn("┐┌", apart)
        self.assertIn("┘└", apart)

    def test_a_point_at_nothing_has_one_end(self):
        setup = check_text(changed(MODBUS, [('"coils", address = 1, start', '"coils", address = 9, start')]), "x")
        self.assertIn("✕ nothing at coil 9", drawn(section_of(Wiring(setup, "shed"))))


class ManyBoards(unittest.TestCase):
    def test_the_cursor_is_in_sight_and_the_open_board_keeps_half_of_the_room(self):
        setup = load_bench(demo_path()).setup
        section = section_of(Wiring(setup, "pumphouse"))
        folded = tuple(FoldView(f"rack_{number:02d}", "heron", "5 points") for number in range(40))
        keys = [row.key for row in section.rows] + [("board", fold.name) for fold in folded]
        for width, height in ((80, 20), (140, 34), (60, 9)):
            for key in keys:
                view = BoardsView(section=section, folded=folded, cursor=key)
                at, text = places(view, width, height), draw_boards(view, width, height).text()
                with self.subTest(key=key, height=height):
                    self.assertEqual(1, text.count("▸"))
                    self.assertGreaterEqual(at.lines - HEAD_ROWS, min(len(section.rows), (height - HEAD_ROWS - 1) // 2))
                    for y, row in enumerate(text.split("\n")):
                        fold = at.fold_at(y)
                        if fold is not None and "more boards" not in row:
                            self.assertIn(folded[fold].name, row)


class UnderChange(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "hut.bench.toml"
        self.path.write_text(start_text("hut.bench.toml", "hut", ["firmata"]))
        self.changing = Changing(load_bench(self.path))

    def test_changes_go_back_and_forth_and_are_saved_with_their_comments(self):
        before = self.path.read_text()
        self.changing.change([(("points", "lantern", "pin"), 6)], "pin 6")
        self.assertTrue(self.changing.is_changed and self.changing.wants_again)
        self.assertEqual(self.changing.file.setup.points["lantern"].pin, 6)
        self.assertEqual(self.path.read_text(), before)
        self.assertEqual(self.changing.undo(), "pin 6")
        self.assertFalse(self.changing.is_changed)
        self.assertEqual(self.changing.redo(), "pin 6")
        self.assertEqual(self.changing.save(), "saved in hut.bench.toml")
        self.assertEqual(self.path.read_text(), before.replace("pin = 3 #", "pin = 6 #", 1))
        self.assertFalse(self.changing.is_changed)
        for step in (self.changing.redo, lambda: [self.changing.undo() for _ in range(2)]):
            with self.assertRaises(WrongError):
                step()

    def test_what_is_wrong_changes_nothing(self):
        for keys, value in (
            (("points", "lantern", "pin"), 99), (("points", "lantern", "mode"), "pvm"),
            (("points", "lantern", "range"), 3), (("boards", "hut", "profile"), "raven"), (("links", "hut", "rate"), 1),
            (("points", "lantern", "kind"), None),
        ):  # fmt: skip
            with self.subTest(keys), self.assertRaises(WrongError):
                self.changing.change([(keys, value)], "")
        self.assertFalse(self.changing.is_changed)

    def test_what_the_bench_does_not_take_over_is_not_lost(self):
        changing, before = self.changing, self.changing.file
        changing.change([(("points", "lantern", "pin"), 6)], "pin 6")
        wanted = changing.file
        changing.refused(before, "a port is in use")
        self.assertEqual((before.text, False), (changing.file.text, changing.wants_again))
        self.assertEqual(("left as it was: a port is in use", False), (changing.place.message, changing.place.is_well))
        self.assertEqual("pin 6", changing.redo())
        self.assertEqual(wanted.text, changing.file.text)
        changing.undo()
        changing.refused(wanted, "a port is in use")  # and so the other way round
        self.assertEqual(wanted.text, changing.file.text)
        self.assertEqual("pin 6", changing.undo())
        self.assertEqual(before.text, changing.file.text)

    def test_a_file_that_was_changed_meanwhile_is_kept(self):
        self.changing.change([(("points", "lantern", "pin"), 6)], "pin 6")
        self.path.write_text("mine")
        with self.assertRaisesRegex(WrongError, "changed meanwhile"):
            self.changing.save()
        self.assertEqual(self.path.read_text(), "mine")
        self.path.unlink()
        with self.assertRaises(WrongError):
            self.changing.save()

    def test_the_keys_of_a_row_are_those_that_mean_something_there(self):
        keys = {row.name: row for row in keys_of(self.changing.file, ("points", "lantern"))}
        self.assertEqual((keys["pin"].value, keys["mode"].fits), ("3", ("pwm", "servo", "stepper")))
        self.assertFalse({"table", "set", "command", "field", "word_order", "direction"} & set(keys))
        rate = {row.name: row for row in keys_of(self.changing.file, ("links", "hut"))}["rate"]
        self.assertEqual((rate.value, rate.doc), ("57600", "baud"))
        for text, kind, value in (
            ("6", "pin", 6), ("A0", "pin", "A0"), ('["0 %", "5 %"]', "range", ["0 %", "5 %"]), ("", "text", None),
            ("12", "text", "12"), ("true", "switch", True), ("250 ms", "quantity", "250 ms"),
        ):  # fmt: skip
            self.assertEqual(read_value(text, kind), value)
        with self.assertRaises(WrongError):
            read_value("[1,", "range")

    def test_each_sort_of_thing_can_be_hung_on_and_is_well(self):
        for kinds, board in ((["firmata"], "hut"), (["modbus"], "shed")):
            self.path.write_text(start_text("hut.bench.toml", "hut", kinds))
            setup = load_bench(self.path).setup
            sorts = sorts_for(setup, board)
            self.assertGreater(len(sorts), 5)
            for sort in sorts:
                with self.subTest(board, sort=sort.title):
                    changing = Changing(load_bench(self.path))
                    (pin, _), *_ = pins_for(setup, board, sort)
                    name = free_name(setup, sort.name)
                    changing.change(changes_for(setup, board, sort, pin, name, {}), name)
                    self.assertEqual(remarks_on(changing.file.setup), [])
                    changing.save()
                    if changing.file.setup.points[name].kind.is_output:
                        with cavet.open(self.path) as bench:
                            value = True if changing.file.setup.points[name].kind.is_switch else 40
                            self.assertEqual(bench[name].set(value).ended, "confirmed")
                    self.path.write_text(start_text("hut.bench.toml", "hut", kinds))

    def test_what_can_not_be_is_told_at_its_question(self):
        setup = self.changing.file.setup
        sort = SORTS[0]
        for name, given in (("lantern", {}), ("Two words", {}), ("x", {"range": "5"}), ("", {})):
            with self.subTest(name), self.assertRaises(WrongError):
                changes_for(setup, "hut", sort, 6, name, given)
        self.assertEqual(sorts_for(SETUP, "switchrack"), [])

    def test_what_is_taken_away_takes_what_hangs_on_it_or_says_what_needs_it(self):
        setup = check_text(PINS, "x")
        self.assertEqual(
            removal(setup, "hut", ("glow",), "glow", ()),
            [(("points", "glow"), None), (("boards", "hut", "parts", "glow"), None)],
        )
        gone = removal(setup, "hut", (), "port", ())
        self.assertEqual(gone[0], (("points", "port_lamp"), None))
        self.assertIn((("boards", "hut", "parts", "port_lamp"), None), gone)
        demo = load_bench(demo_path())
        with self.assertRaisesRegex(WrongError, "needed by overload"):
            removal(demo.setup, "pumphouse", (), "pump_a", ())
        with self.assertRaisesRegex(WrongError, "needed by no_panel"):
            removal(demo.setup, "gatehouse", ("panel",), "panel", ())
        without = changed_file(demo, removal(demo.setup, "gatehouse", (), "mast", ()))
        self.assertFalse([name for name in without.setup.points if name.startswith("mast")])

    def test_a_whole_board_goes_with_all_that_speaks_of_it(self):
        demo = load_bench(demo_path())
        with self.assertRaisesRegex(WrongError, 'rig.battery.rate: found "towpath.lamp"'):
            changed_file(demo, board_removal(demo.setup, "towpath"))
        for board in ("switchrack", "signalpost", "mast"):
            with self.subTest(board):
                without = changed_file(demo, board_removal(demo.setup, board))
                self.assertNotIn(board, [link.board for link in without.setup.links.values()])


class OnTheScreen(unittest.TestCase):
    async def there(self, seat, *words):
        """Go to the Bench screen, and wait until some words are seen there."""
        await seat.press("f3")
        await seat.on(BenchScreen)
        await seat.sees(*words)

    def test_boards_are_opened_and_remarks_read_and_a_mend_is_made(self):
        async def story(seat):
            await self.there(seat, "gatehouse", "what hangs there", "beacon", "remarks", "around this machine")
            await seat.press("r")
            await seat.sees("⏎ a pause of 200 ms")
            await seat.press("enter")
            await seat.until(lambda: seat.desk.changing.wants_again)
            self.assertEqual(seat.desk.changing.file.setup.points["gate"].pause, 0.2)

        seated(story, changing=True)

    def test_the_cursor_around_does_not_go_beyond_the_last(self):
        async def story(seat):
            await self.there(seat, "around this machine")
            around = seat.app.screen.query_one("#around", Picture)
            await seat.until(lambda: around.shown is not None and around.shown.rows)
            await seat.pilot.click("#around", offset=(4, 1))
            await seat.until(lambda: around.shown.cursor == 0)
            await seat.press(*["down"] * (len(around.shown.rows) + 5), "up")
            await seat.until(lambda: around.shown.cursor == max(0, len(around.shown.rows) - 2))

        seated(story, changing=True)

    def test_a_remark_that_is_pressed_is_chosen_and_mended_only_when_it_is_pressed_again(self):
        async def story(seat):
            await self.there(seat, "a pause of 200 ms")
            remarks = seat.app.screen.query_one("#remarks", Picture)
            place = next(y for y in range(9) if remark_under(remarks.shown, remarks.size.width, y) == 0)
            await seat.pilot.click("#remarks", offset=(4, place))
            await seat.sees("⏎ a pause of 200 ms")
            self.assertFalse(seat.desk.changing.wants_again)
            await seat.pilot.click("#remarks", offset=(4, place))
            await seat.until(lambda: seat.desk.changing.wants_again)

        seated(story, changing=True)

    def test_a_row_is_explained_though_what_it_tells_of_is_gone(self):
        async def story(seat):
            rows = section_of(wiring_of(seat.desk, "gatehouse")).rows
            row = next(each for each in rows if each.believed is not None and "beacon" in each.believed.names)
            self.assertIn("lamp", sheet_text(row_sheet(seat.desk, "gatehouse", row, [])) + row.hanging.name)
            gone = replace(
                row, believed=replace(row.believed, names=("bacon",)), hanging=replace(row.hanging, name="bacon")
            )
            self.assertEqual(2, sheet_text(row_sheet(seat.desk, "gatehouse", gone, [])).count("not on this bench any"))

        seated(story)

    def test_what_hangs_at_each_place_of_the_demo_is_told_as_a_person_says_it(self):
        wanted = {
            "pin 0": ("the link's receiver; no point",), "pin 2": ("current 15 mA",), "pin 4": ("bounce 6 ms",),
            "pin 5": ("closes gate <= 0.5",), "pin 7": ("stall_current 2.5 A",), "pin 9": ("range 15 to 165 deg",),
            "pin 12": ("gate_motor  its ahead",), "pin 16 A2": ("mast  its interrupt",),
            "pin 18 A4": ("rows of its own",), "0x26": ("address 0x26", "believed  mast_6"),
            "SOUR1:CURR": ("supply_1  its limit",),
            "coil 5": ("operate 12 ms", "current 0 A"), "order.blink bit 3": ("kind lamp, pin 3",),
        }  # fmt: skip

        async def story(bench, _):
            desk, told = Desk(bench, lambda act: act()), {}
            for board in bench.setup.hosts:
                for row in section_view(desk, board).rows:
                    sheet = row_sheet(desk, board, row, [])
                    told[sheet.title.partition(": ")[2]] = sheet_text(sheet)
            return told

        told = in_fast_time(story, boards=None)
        for place, words in wanted.items():
            self.assertFalse([word for word in words if word not in told[place]], (place, told[place]))
        self.assertNotRegex("".join(told.values()), "object at|True|False|None")

    def test_a_key_is_changed_in_its_row_and_a_wrong_value_told_first(self):
        async def story(seat):
            await self.there(seat, "▸◇ beacon")
            await seat.press("enter")
            await seat.on(EditScreen)
            await seat.sees("change what is here")
            await seat.press("down", "down")
            await seat.type("99")
            await seat.sees("expected 0 to 19")
            await seat.press("backspace", "backspace")
            await seat.until(lambda: seat.app.screen._entry == Typed())
            with mock.patch.object(EditScreen, "_check", autospec=True, side_effect=EditScreen._check) as check:
                seat.paste("1234")
                await seat.sees("1234▏", "expected 0 to 19")
            self.assertEqual(check.call_count, 1)  # the whole file is read for it
            await seat.press(*["backspace"] * 4, "6", "enter")
            await seat.until(lambda: seat.desk.changing.wants_again)
            self.assertEqual(seat.desk.changing.file.setup.points["beacon"].pin, 6)

        seated(story, changing=True)

    def test_the_defects_are_seen_at_a_glance(self):
        text = demo_path().read_text()

        async def story(seat):
            await self.there(seat, "▸◇ beacon")
            for defect, words in (
                ("crossed_paddles", ("╲╱", "hangs on 10", "they are crossed")), ("dead_walkway", ("dead",)),
                ("worn_cable", ("loses 4 %",)), ("slow_board", ("800 ms late",)), ("stuck_bus", ("stuck low",)),
                ("no_panel", ("does not",)), ("towpath_mute", ("it reports nothing",)),
                ("towpath_away", ("the board is away",)),
            ):  # fmt: skip
                seat.desk.switch_defect(defect)
                await seat.sees(*words)
                seat.desk.switch_defect(defect)

        seated(story, text=text)

    def test_it_serves_at_every_size_and_from_device_to_line_and_back(self):
        for size in ((160, 47), (100, 30), (80, 24), (60, 16), (40, 12)):

            async def story(seat):
                await seat.press("f3")
                await seat.on(BenchScreen)
                await seat.sees("gatehouse")
                for key in (
                    "down",
                    "z",
                    "r",
                    "down",
                    "escape",
                    "tab",
                    "tab",
                    "i",
                    "escape",
                    "p",
                    "escape",
                    "question_mark",
                ):
                    await seat.press(key)
                await seat.press("escape")
                self.assertEqual(seat.app.screen_stack[0]._faults, set())

            with self.subTest(size):
                seated(story, size=size)

    def test_the_point_goes_along_to_drive_and_back(self):
        async def story(seat):
            await self.there(seat, "▸◇ beacon")
            await seat.press("down", "g")
            await seat.sees("▸ walkway")
            await seat.press("f3")
            await seat.sees("▸◇ walkway")

        seated(story)


class Nearby(unittest.IsolatedAsyncioTestCase):
    async def test_what_comes_and_goes_is_marked(self):
        around = Around()
        await around.look()
        self.assertEqual(around.news(), {})
        around.found = [each for each in around.found if False]
        await around.look()
        self.assertEqual(len(around.news()), len(around.found))
        await around.ask("127.0.0.1:1")
        self.assertEqual(around.told["127.0.0.1:1"], "Connection refused")
