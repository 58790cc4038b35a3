"""What is drawn: plain functions onto a canvas, looked at as text."""

import re
import unittest
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as some

from cavet.drawings.canvas import ASKED, GOT, PAPER, QUIET, Canvas, Dots, Ink, shortened
from cavet.drawings.colours import ROLES, SIXTEEN, blend, style
from cavet.drawings.lanes import MeasureView, draw_measures
from cavet.drawings.ruler import RulerView
from cavet.protocols import Side, codec, read_whole
from cavet.workbench import keymap
from cavet.workbench.drawing.lines import TopView, draw_foot, draw_top, name_places
from cavet.workbench.drawing.parts import PICTURES, WIDTH, PartView, draw_part
from cavet.workbench.drawing.rails import CourseView, HeadView, RailsView, RailView, draw_rails, lay_out, resampled
from cavet.workbench.drawing.rig import BasinView, draw_rig
from cavet.workbench.drawing.sheet import Sheet, laid
from cavet.workbench.drawing.spine import BoardView, PinView, draw_board, draw_stack
from cavet.workbench.drawing.trail import StageView, TrailsView, TrailView, draw_trails
from cavet.workbench.typed import Typed


class Canvases(unittest.TestCase):
    def test_what_lies_outside_is_cut_off(self):
        canvas = Canvas(5, 2)
        canvas.put(-2, 0, "abcd")
        canvas.put(3, 1, "xyz")
        canvas.put(0, 7, "never")
        self.assertEqual(canvas.text(), "cd\n   x…")

    def test_wide_and_zero_width_characters_become_one_dot(self):
        canvas = Canvas(6, 1)
        canvas.put(0, 0, "a水b\u0301c")
        self.assertEqual(canvas.text(), "a·b·c")

    def test_a_row_is_given_as_runs_of_one_paint(self):
        canvas = Canvas(6, 1)
        canvas.put(0, 0, "ab", ASKED)
        canvas.put(2, 0, "cd", GOT)
        canvas.shade(3, 0, 2, 1, "lifted")
        self.assertEqual(
            [(run.text, run.ink.role, run.ground) for run in canvas.row(0)],
            [
                ("ab", "asked", "ink"),
                ("c", "got", "ink"),
                ("d", "got", "lifted"),
                (" ", "paper", "lifted"),
                (" ", "paper", "ink"),
            ],
        )

    def test_rows_that_look_alike_are_known_as_such(self):
        one, two = Canvas(4, 1), Canvas(4, 1)
        self.assertTrue(one.same_row(two, 0))
        two.put(0, 0, "a")
        self.assertFalse(one.same_row(two, 0))
        self.assertFalse(one.same_row(None, 0))

    @given(some.text(), some.integers(-20, 20), some.integers(-2, 4))
    def test_any_text_anywhere_keeps_the_canvas_its_size(self, text, x, y):
        canvas = Canvas(10, 2)
        canvas.put(x, y, text)
        self.assertEqual([sum(len(run.text) for run in canvas.row(row)) for row in range(2)], [10, 10])

    def test_dots_of_two_pictures_shine_through_each_other(self):
        below, above = Dots(1, 1), Dots(1, 1)
        below.set(0, 0)
        above.set(1, 3)
        canvas = Canvas(1, 1)
        above.put_on(canvas, 0, 0, GOT, under=below)
        self.assertEqual(canvas.text(), chr(0x2800 + 0x01 + 0x80))


class Colours(unittest.TestCase):
    def test_both_themes_have_the_same_roles(self):
        self.assertEqual(set(ROLES["dark"]), set(ROLES["light"]))
        for theme, roles in SIXTEEN.items():
            self.assertEqual(set(roles), set(ROLES[theme]))
            coloured = [roles[role] for role in ("asked", "got", "coral", "heather", "ink", "paper")]
            self.assertEqual(len(set(coloured)), len(coloured))

    def test_a_share_lies_between_ground_and_colour(self):
        self.assertEqual(blend("#000000", "#ffffff", 0.5), "#808080")
        self.assertEqual(style("dark", Ink("got", share=0.0), "ink").color.name, ROLES["dark"]["ink"])

    def test_text_can_be_read_on_its_ground_in_both_themes(self):
        for theme, roles in ROLES.items():
            for role in ("paper", "quiet", "asked", "got", "coral", "heather"):
                with self.subTest(theme, role=role):
                    self.assertGreater(contrast(roles[role], roles["ink"]), 4.5 if role != "quiet" else 4.0)


def contrast(one, two):
    """How far two colours are apart in lightness, as WCAG 2.1 reckons it."""

    def lightness(colour):
        channels = [int(colour[place : place + 2], 16) / 255 for place in (1, 3, 5)]
        linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    high, low = sorted((lightness(one), lightness(two)), reverse=True)
    return (high + 0.05) / (low + 0.05)


OUTPUTS = (
    RailView(name="beacon", share_asked=0.5, share_got=0.5, asked="50 %", got="50 %"),
    RailView(
        name="paddle", share_asked=1.0, share_got=0.25, asked="100 %", got="25 %", agreed=False, notes=("270 ms",)
    ),
    RailView(
        name="walkway",
        share_asked=0.5,
        share_got=0.0,
        asked="50 %",
        got="0 %",
        agreed=False,
        broken=True,
        notes=("broken",),
    ),
    RailView(name="horn", is_switch=True, share_asked=1.0, share_got=0.0, asked="on", got="off", agreed=False),
    RailView(name="gate", share_got=0.5, got="0 %", zero=0.5),
)
INPUTS = (
    CourseView(name="button", is_contact=True, got="released", course=((0, 0),) * 60 + ((0, 1),) + ((1, 1),) * 39),
    CourseView(
        name="level",
        got="1 212 mm",
        note="rising 31 mm/s",
        course=(None,) * 20 + tuple((x / 80, x / 80) for x in range(80)),
    ),
)


class Names(unittest.TestCase):
    def test_the_last_word_of_a_name_stays(self):
        for name, room, text in (
            ("gatehouse pin 9", 20, "gatehouse pin 9"), ("irrigation_controller pin 12", 16, "irrigation_c… 12"),
            ("circulation_pump", 8, "circula…"), ("pin circulation", 9, "pin circ…"),
        ):  # fmt: skip
            self.assertEqual(text, shortened(name, room))


class Sheets(unittest.TestCase):
    def test_a_ruler_takes_the_width_that_the_sheet_has(self):
        data = bytes.fromhex("008800000006070600000258")
        (frame,) = read_whole(codec("modbus-tcp"), data, Side.HOST)
        view = RulerView(data=data, fields=tuple(codec("modbus-tcp").explain(frame, Side.HOST)))
        for width in range(40, 119):
            rows = ["".join(text for text, _ in line) for line in laid(Sheet("x", [view]), width)]
            self.assertLessEqual(max(map(len, rows)), width - 4)
            for row, below in pairwise(rows):
                if re.fullmatch(r"[ 01]*[01]{8}", row):
                    self.assertRegex(below, r"^ *[└─]")

    def test_what_is_too_long_goes_on_under_where_it_began(self):
        line = [("what to do: ", QUIET), ("look at the cable, and then at the board", PAPER)]
        self.assertEqual(
            ["what to do: look at the cable, and", "            then at the board"],
            ["".join(text for text, _ in row) for row in laid(Sheet("x", [line]), 40)],
        )


class Rails(unittest.TestCase):
    def drawn(self, width=70, height=30, **more):
        view = RailsView(lines=more.pop("lines", OUTPUTS + INPUTS), **more)
        layout = lay_out(view, width, height)
        return draw_rails(view, layout, width, height), layout

    def line(self, canvas, layout, place):
        return canvas.text().splitlines()[layout.rows[place]]

    def test_asked_and_got_stand_on_the_rail_and_in_their_columns(self):
        canvas, layout = self.drawn()
        self.assertIn("◈", self.line(canvas, layout, 0))
        way = self.line(canvas, layout, 1)
        self.assertLess(way.index("◆"), way.index("━"))
        self.assertLess(way.index("━"), way.index("◇"))
        self.assertIn("100 %      25 %  270 ms", way)
        ends = {self.line(canvas, layout, place).index(word) + len(word) for place, word in ((0, "50 %"), (1, "100 %"))}
        self.assertEqual(len(ends), 1)

    def test_long_values_have_room_where_there_is_any(self):
        count = RailView(name="count", share_asked=0.5, share_got=0.5, asked="4 294 967 294", got="4 294 967 294")
        clock = CourseView(name="clock", got="123 456 789 Hz", course=((0.5, 0.5),) * 100)
        for width, is_seen in ((70, True), (57, False)):
            canvas, layout = self.drawn(width, lines=(count, clock))
            line = self.line(canvas, layout, 0)
            self.assertEqual(is_seen, line.count("4 294 967 294") == 2, line)
            self.assertIn("◈", line)
            self.assertRegex(self.line(canvas, layout, 1), r"clock +⠤+ +123 456 789 Hz *$")
        for width in range(40, 60):
            self.assertNotRegex(self.drawn(width)[0].text(), r"senses\S")

    def test_what_is_broken_is_coral_and_says_so(self):
        canvas, layout = self.drawn()
        inks = {run.ink.role for run in canvas.row(layout.rows[2]) if "broken" in run.text or "◇" in run.text}
        self.assertEqual(inks, {"coral"})

    def test_a_switch_shows_both_its_words_and_where_it_stands(self):
        canvas, layout = self.drawn()
        self.assertRegex(self.line(canvas, layout, 3), r"off ◆──◇ on|off ◆─+◇ on")

    def test_colours_are_shown_as_swatches_where_there_is_room(self):
        gold, red = "#ffd700", "#ff0000"
        lines = (
            RailView(name="one", is_text=True, is_colour=True, asked=gold, got=gold),
            RailView(name="two", is_text=True, is_colour=True, asked=gold, got=red, agreed=False),
            RailView(name="new", is_text=True, is_colour=True),
        )
        canvas, layout = self.drawn(lines=lines)
        swatches = [
            [run.ink.role for run in canvas.row(layout.rows[place]) if "██" in run.text] for place in range(len(lines))
        ]
        self.assertEqual([[gold], [gold, red], []], swatches)
        self.assertRegex(self.line(canvas, layout, 0), f"◈ ██ {gold}")
        self.assertRegex(self.line(canvas, layout, 1), f"◇ ██ {gold}  ◆ ██ {red}")
        narrow, layout = self.drawn(40, lines=lines)
        self.assertRegex(self.line(narrow, layout, 1), f"◇ ██ {gold}  ◆ ██ {red}")
        self.assertEqual(gold, style("light", Ink(gold), "ink").color.name)

    def test_a_short_press_is_seen_in_the_course(self):
        canvas, layout = self.drawn()
        line = self.line(canvas, layout, 5)
        self.assertRegex(line, "▁+│▔+")

    def test_what_is_typed_stands_on_the_line(self):
        outputs = (RailView(name="beacon", entry=Typed.of("12.5 %")),)
        self.assertIn("◇ 12.5 %▏", self.drawn(60, 10, lines=outputs)[0].text())

    def test_boards_have_heads_and_a_folded_one_tells_what_is_not_at_rest(self):
        folded = HeadView(
            name="pumphouse",
            words="ready",
            folded=True,
            count=16,
            active=(("pump_a", "on"), ("heater", "on")),
            broken=1,
        )
        bad = HeadView(name="hut", words="open, but nothing answers", is_bad=True)
        canvas, layout = self.drawn(lines=(bad, *OUTPUTS, *INPUTS, folded), cursor=8)
        text = canvas.text()
        self.assertRegex(text, r"▿ hut +open, but nothing answers")
        self.assertRegex(text, r"▹ pumphouse +ready · 16 points  ✕ 1 broken  pump_a on  heater on")
        self.assertNotIn("senses", text)
        self.assertEqual(layout.line_at(layout.rows[8]), 8)
        narrow, _ = self.drawn(width=48, lines=(folded,))
        self.assertIn("…", narrow.text())

    def test_a_list_that_is_too_long_scrolls_below_its_columns_and_says_how_much_more_there_is(self):
        lines = tuple(RailView(name=f"relay_{number}") for number in range(40))
        canvas, layout = self.drawn(height=12, lines=lines, cursor=20)
        rows = canvas.text().splitlines()
        self.assertRegex(rows[0], r"asks +◇ asked +◆ got +↑\d+  ↓\d+")
        self.assertIn("▸", canvas.text())
        self.assertIsNone(layout.line_at(0))
        self.assertEqual(layout.line_at(5), layout.first + 4)

    def test_a_text_has_no_rail_and_stands_once_where_both_agree(self):
        agreed = RailView(name="sign", is_text=True, asked="open", got="open")
        differs = RailView(name="panel", is_text=True, asked="shut", got="open", agreed=False)
        read = CourseView(name="who", is_text=True, got="Cavet,Rack")
        text = self.drawn(lines=(agreed, differs, read))[0].text()
        self.assertRegex(text, r"sign +◈ open\n")
        self.assertRegex(text, r"panel +◇ shut  ◆ open\n")
        self.assertRegex(text, r"who +Cavet,Rack\n")

    def test_a_search_stands_where_the_columns_are_named(self):
        self.assertIn("find pump▏", self.drawn(search="pump▏", typing=True)[0].text())
        self.assertIn("find pump   esc shows all", self.drawn(search="pump")[0].text())

    def test_lines_move_together_where_it_is_low_and_the_cursor_stays_in_sight(self):
        for height in range(3, 40):
            for cursor in range(7):
                canvas, _layout = self.drawn(height=height, cursor=cursor)
                with self.subTest(height=height, cursor=cursor):
                    self.assertIn("▸", canvas.text())

    def test_the_mouse_finds_the_line_that_it_is_on(self):
        _, layout = self.drawn()
        self.assertEqual([layout.line_at(row) for row in layout.rows], list(range(7)))
        self.assertEqual(layout.line_at(layout.rows[0] + 1), 0)
        self.assertIsNone(layout.line_at(layout.captions[0][0]))

    def test_a_course_keeps_the_least_and_the_most_when_it_is_squeezed(self):
        self.assertEqual(resampled(((0, 0), (0, 1), None, (5, 5)), 2), [(0, 1), (5, 5)])
        self.assertEqual(resampled((), 5), [])
        self.assertEqual(len(resampled(((0, 0),) * 3, 9)), 9)

    @given(some.integers(1, 200), some.integers(1, 60))
    def test_any_size_can_be_drawn(self, width, height):
        canvas, _ = self.drawn(width, height)
        self.assertEqual((canvas.width, canvas.height), (width, height))


SENSING = ("button", "limit", "gauge", "lever")
PARTS = tuple(
    PartView(name=kind, kind=kind, tells=f"tells {kind}", fraction=0.5, senses=kind in SENSING, pins=(place + 2,))
    for place, kind in enumerate(PICTURES)
)


def board(**more):
    pins = tuple(PinView(number=number, mode="output", level=0.5, kind="drives") for number in range(2 + len(PARTS)))
    fields = {
        "name": "gatehouse",
        "profile": "wren",
        "line": "firmata 2.7",
        "state": "ready",
        "pins": pins,
        "parts": PARTS,
    }
    return BoardView(**{**fields, "current": 46, "current_limit": 120, **more})


class Boards(unittest.TestCase):
    def test_every_part_is_drawn_in_its_cells_and_differently_when_it_does_something(self):
        for kind in PICTURES:
            with self.subTest(kind):
                pictures = []
                for fraction in (0.0, 1.0):
                    canvas = Canvas(20, 4)
                    draw_part(
                        canvas, 5, 1, 2, PartView(name=kind, kind=kind, tells="", fraction=fraction, turn=fraction / 3)
                    )
                    pictures.append([canvas.row(row) for row in range(4)])
                    lines = canvas.text().splitlines()
                    self.assertTrue(all(not line[:5].strip() and not line[5 + WIDTH + 1 :].strip() for line in lines))
                self.assertNotEqual(*pictures)

    def test_names_and_states_of_all_parts_are_there_wide_and_narrow(self):
        for width in (90, 60, 44):
            text = draw_board(board(), width, 40).text()
            for part in PARTS:
                with self.subTest(width, part=part.name):
                    self.assertIn(part.name, text)
                    self.assertIn(part.tells[:7], text)

    def test_how_fast_a_board_answers_takes_no_room_from_what_it_says(self):
        for says, has_room in (("ready", True), ("ready · says: " + "a" * 70 + "!", False)):
            text = draw_board(board(state=says, answers="answers in 3 ms"), 90, 40).text()
            self.assertEqual((True, has_room), (says in text, "answers in 3 ms" in text))

    def test_current_over_the_limit_is_coral(self):
        canvas = draw_board(board(current=150), 90, 40)
        runs = [(run.text.strip(), run.ink.role) for y in range(3) for run in canvas.row(y)]
        self.assertIn(("150 of 120 mA", "coral"), runs)

    def test_a_link_that_is_bad_says_so_in_coral(self):
        canvas = draw_board(board(state="no such device", state_is_bad=True), 90, 40)
        runs = [run for y in range(3) for run in canvas.row(y)]
        self.assertIn(("no such device", "coral"), [(run.text.strip(), run.ink.role) for run in runs])

    @given(some.integers(1, 200), some.integers(1, 60))
    def test_any_size_can_be_drawn(self, width, height):
        basins = (
            BasinView(name="a", share=0.5, tells="1 m", wall=True, opening=1.0),
            BasinView(name="b", share=2.0, tells=""),
        )
        canvas = draw_board(board(basins=basins), width, height)
        self.assertEqual((canvas.width, canvas.height), (width, height))
        views = (board(basins=basins), board(basins=basins, parts=PARTS[:2], cursor=PARTS[0].name))
        canvas = draw_stack(views, width, 2 * height)
        self.assertEqual((canvas.width, canvas.height), (width, 2 * height))

    def test_boards_one_below_the_other_keep_apart_and_have_one_water(self):
        basins = (BasinView(name="chamber", share=0.5, tells="1 m"), BasinView(name="lower", share=0.1, tells="2 m"))
        few = (PARTS[0], PARTS[3])
        views = tuple(board(name=f"b{n}", parts=few, basins=basins, cursor="x" * (n == 1)) for n in range(3))
        for width, height in ((84, 40), (84, 35), (44, 40)):
            lines = draw_stack(views, width, height).text().splitlines()
            heads = [y for y, line in enumerate(lines) if line.startswith("│ b")]
            self.assertEqual(3, len(heads), (width, height))
            self.assertTrue(all(lines[y - 1].strip("│ ") == "" for y in heads), (width, height))
            self.assertEqual(1, sum(line.count("chamber") for line in lines))
        for width in (84, 44):  # too low for all: the one under the cursor is drawn as if it were alone
            self.assertEqual(draw_board(views[1], width, 24).text(), draw_stack(views, width, 24).text())
            self.assertIn("chamber", draw_stack(views, width, 24).text())

    def test_water_stands_as_high_as_it_is(self):
        for share, full in ((0.0, 0), (0.5, 4), (1.0, 8), (1.5, 8)):
            canvas = Canvas(20, 10)
            draw_rig(canvas, 0, 0, 20, 10, (BasinView(name="chamber", share=share, tells="x"),))
            rows = [line for line in canvas.text().splitlines() if line.startswith("█")]
            self.assertEqual(len(rows), full)

    def test_an_open_sluice_shows_which_way_the_water_goes(self):
        shut = 0.0002  # as near as a servo's pulse, in whole µs, comes to its end
        for flow, opening, arrow in ((5, 1, "▸▸"), (-5, 0.01, "◂◂"), (5, shut, ""), (5, 0, "")):
            canvas = Canvas(30, 10)
            basins = (
                BasinView(name="a", share=0.9, tells="", wall=True, opening=opening, flow=flow),
                BasinView(name="b", share=0.1, tells=""),
            )
            draw_rig(canvas, 0, 0, 30, 10, basins)
            self.assertEqual({arrow} - {""}, {each for each in ("▸▸", "◂◂") if each in canvas.text()})


def trail(**more):
    names = ("asked", "framed", "carried", "taken", "driven", "moved", "confirmed")
    states = more.pop("states", ["reached"] * 7)
    stages = tuple(
        StageView(name=name, state=state, delay="1.1 ms", lines=("E9 5C 00",))
        for name, state in zip(names, states, strict=True)
    )
    return TrailView(title="paddle ← 60 %", by="by hand", stages=stages, **more)


class TrailsDrawn(unittest.TestCase):
    def test_all_stages_stand_in_a_row_with_their_delays(self):
        text = draw_trails(TrailsView(current=trail()), 160, 11).text()
        line = next(line for line in text.splitlines() if "asked" in line and "confirmed" in line)
        self.assertEqual(line.count("1.1 ms"), 6)
        self.assertEqual((line.count("◇"), line.count("◆"), line.count("◈")), (3, 3, 1))

    def test_a_broken_one_says_where_why_and_what_to_do(self):
        states = ["reached"] * 4 + ["broken", "left out", "left out"]
        broken = trail(states=states, reason="pin 5 has no PWM", mend="wire it to pin 3")
        for width in (160, 100, 80):
            text = draw_trails(TrailsView(current=broken), width, 11).text()
            for word in ("✕", "pin 5 has no PWM", "wire it to pin 3", "⏎ look"):
                with self.subTest(width, word=word):
                    self.assertIn(word, text)

    def test_others_that_are_broken_stay_in_sight(self):
        states = ["reached"] * 5 + ["broken", "reached"]
        view = TrailsView(current=trail(), broken=(trail(states=states, reason="the gate is held"),))
        text = draw_trails(view, 120, 9).text()
        self.assertIn("not moved: the gate is held", text)

    def test_stages_that_nobody_can_see_are_marked_as_such(self):
        text = draw_trails(
            TrailsView(current=trail(states=["reached"] * 3 + ["unseen"] * 3 + ["coming"])), 160, 11
        ).text()
        self.assertEqual((text.count("?"), text.count("◌")), (3, 1))

    @given(some.integers(1, 200), some.integers(1, 20))
    def test_any_size_can_be_drawn(self, width, height):
        view = TrailsView(current=trail(reason="x" * 150, mend="y" * 150), broken=(trail(reason="z"),) * 3)
        canvas = draw_trails(view, width, height)
        self.assertEqual((canvas.width, canvas.height), (width, height))


class Lines(unittest.TestCase):
    def test_the_top_line_says_what_is_wrong_first_from_the_right(self):
        view = TopView(
            bench="Ottersluice",
            screen="drive",
            screens=("drive",),
            clock="00:00:01.0",
            speed="",
            boards="board ready",
            boards_are_here=True,
            broken=2,
        )
        text = draw_top(view, 80).text()
        self.assertTrue(text.endswith("2 broken"))
        self.assertNotIn("clock", draw_top(view, 30).text())

    def test_the_screens_stand_at_the_top_where_there_is_room_and_a_click_finds_them(self):
        view = TopView(
            bench="Ottersluice", screen="frames", screens=("bench", "drive", "frames"), clock="00:00:01.0", speed="",
            boards="6 boards ready", boards_are_here=True,
        )  # fmt: skip
        for width in range(40, 170, 5):
            text = draw_top(view, width).text()
            places = name_places(view, width)
            self.assertIn("frames", [name for name, _, _ in places])
            for name, begin, end in places:
                self.assertEqual(text[begin:end], f" {name} ")
            self.assertIn("boards ready", text)
        self.assertEqual([name for name, _, _ in name_places(view, 100)], ["bench", "drive", "frames"])
        self.assertEqual([name for name, _, _ in name_places(view, 44)], ["frames"])

    def test_what_is_measured_is_wrapped_and_says_where_the_room_ends(self):
        view = MeasureView(
            "what is seen", (("time", "3 s"), ("1.000 s", "no answer to it is in the capture"), ("end", "x"))
        )
        self.assertEqual(
            draw_measures(view, 34, 7).text().split("\n"),
            [
                " what is seen",
                " time         3 s",
                " 1.000 s      no answer to it is",
                "              in the capture",
                " end          x",
                "",
                "",
            ],
        )
        self.assertEqual(draw_measures(view, 34, 4).text().split("\n")[-1], " …")
        for width in range(1, 40):
            draw_measures(view, width, 5)

    def test_the_foot_always_has_the_key_that_sends_all_to_rest(self):
        keys = (("←→", "nudge"), ("space", "flip"))
        for width, words in ((160, "everything to rest"), (80, "everything to rest"), (33, "rest"), (14, "rest")):
            text = draw_foot(keys, ("F12", "everything to rest"), width).text()
            self.assertTrue(text.endswith(f"F12 {words}"), text)
        self.assertNotIn("F12", draw_foot(keys, None, 80).text())  # nothing runs

    def test_help_and_all_actions_are_the_last_keys_to_be_left_out(self):
        for width in range(40, 200):
            for tight in (False, True):
                keys = keymap.foot((*keymap.DRIVE, *keymap.EVERYWHERE), tight=tight)
                text = draw_foot(keys, keymap.REST, width).text()
                self.assertIn("? explain", text)
                self.assertIn("F2 all actions", text)

    def test_a_message_stands_at_the_foot(self):
        keys = (("←→", "nudge"), ("space", "flip"))
        self.assertIn("no such point", draw_foot(keys, ("F12", "x"), 80, "no such point").text())


if __name__ == "__main__":
    unittest.main()
