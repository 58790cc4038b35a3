"""Every screen and sheet of the demo, at many sizes: no two texts touch, nothing is cut without a sign."""

import asyncio
import re
import unittest
from itertools import pairwise
from pathlib import Path
from unittest import mock

import msgspec

from cavet.bench import Walked
from cavet.checks import Came, Case, Done, Fault, Order
from cavet.drawings.canvas import NUMBER, Canvas, clip, fitting
from cavet.finding import Found
from cavet.remarks import remarks_on, well
from cavet.workbench import Desk, board_views, keymap, rail_views, trail_views
from cavet.workbench.checks import views as check_pictures
from cavet.workbench.checks.checking import Checking
from cavet.workbench.checks.running import Run
from cavet.workbench.checks.views import CheckView
from cavet.workbench.drawing.bench import BoardsView, draw_around, draw_boards, draw_remarks
from cavet.workbench.drawing.checks import draw_campaign, draw_checks, draw_walk
from cavet.workbench.drawing.lines import draw_foot, draw_too_small, draw_top
from cavet.workbench.drawing.rails import draw_rails, lay_out
from cavet.workbench.drawing.sheet import Sheet, draw_sheet, laid
from cavet.workbench.drawing.spine import draw_board, draw_stack
from cavet.workbench.drawing.trail import draw_trails
from cavet.workbench.screens import bench_sheets
from cavet.workbench.screens.actions import Action, ActionsScreen
from cavet.workbench.screens.defects import DefectsScreen
from cavet.workbench.screens.sheets import point_sheet, trail_sheet
from cavet.workbench.top_views import top_view
from cavet.workbench.typed import Typed
from cavet.workbench.wiring import views as wiring_views
from tests.bench.test_buses import in_fast_time

SIZES = [
    (width, height) for width in (40, 47, 56, 63, 72, 80, 95, 100, 128, 160, 220) for height in (8, 16, 22, 36, 48)
]
WISHES = {
    "beacon": 130.0, "walkway": 40.0, "gate": -100.0, "mast_1": True, "panel": "A text of more than sixteen",
    "arrow": "↑", "pump_a": True, "pump_a_speed": 33.3, "relay_101": True, "lamp": True, "post_1": True, "yard_1": True,
    "banner": "LOCK CLOSED FOR EVER", "sign": "LOCK CLOSED UNTIL MONDAY",
}  # fmt: skip


class Lists(unittest.TestCase):
    def test_checks_are_told_whole_where_there_is_room_for_it(self):
        words = ("routine all_lamps ends done", "asked to driven within 50 ms")
        views = tuple(CheckView(f"check_{n}", what, "new", "", "not run yet") for n, what in enumerate(words))
        failed = CheckView("walk", "the walk is a diagonal", "failed", "19.1 s", "moved " + 20 * "another ")
        for width, shown in ((70, views), (80, (*views, failed)), (160, (*views, failed))):
            text = draw_checks(shown, width, 9).text()
            for words in ("routine all_lamps ends done", "asked to driven within 50 ms", "not run yet"):
                self.assertIn(words, text, (width, text))


class Watch:
    """Notes each text that is put on a canvas, and says what is wrong with where it came to lie."""

    def __enter__(self):
        self.pieces = []
        self._patches = []
        put, flow = Canvas.put, Canvas.flow

        def watched_put(canvas, x, y, text, ink=None, room=None, **kept):
            args = () if ink is None else (ink,)
            put(canvas, x, y, text, *args, room=room, **kept)
            shown = clip(text if room is None else clip(text, room), canvas.width - x)
            self.note(canvas, x, y, shown, text)

        def watched_flow(canvas, x, y, pieces, end):
            flow(canvas, x, y, pieces, end)
            whole = "".join(text for text, _ in pieces).rstrip()
            self.note(canvas, x, y, "".join(canvas._cells[y][x:end]).rstrip() if 0 <= y < canvas.height else "", whole)

        for name, replacement in (("put", watched_put), ("flow", watched_flow)):
            patch = mock.patch.object(Canvas, name, replacement)
            patch.start()
            self._patches.append(patch)
        return self

    def __exit__(self, *error):
        for patch in self._patches:
            patch.stop()

    def note(self, canvas, x, y, shown, whole):
        if 0 <= y < canvas.height and re.search(r"\w", shown):
            self.pieces.append((canvas, y, x + len(shown) - len(shown.lstrip()), shown.strip(), whole.strip()))

    def faults(self):
        rows = {}
        for canvas, y, x, shown, whole in self.pieces:
            rows.setdefault((id(canvas), y), []).append((x, shown, whole, canvas))
        for (_, y), pieces in rows.items():
            pieces.sort(key=lambda piece: piece[0])
            for (x, text, _, canvas), (after, other, *_) in pairwise(pieces):
                if x + len(text) >= after:
                    yield f"{text!r} and {other!r} touch in: {canvas.text().splitlines()[y]!r}"
            for x, text, whole, canvas in pieces:
                there = "".join(canvas._cells[y])[x : x + len(text)]
                if len(there) == len(text) and there != text and text.isascii():
                    yield f"{text!r} is painted over: {there!r}"
                if text != whole and not text.endswith("…"):
                    yield f"{whole!r} is cut to {text!r}"
                kept = text.removesuffix("…").rstrip()
                if text != whole and any(n.start() < len(kept) < n.end() for n in NUMBER.finditer(whole)):
                    yield f"{whole!r} is cut in a number: {text!r}"


class Clipping(unittest.TestCase):
    def test_a_text_is_cut_with_a_sign_and_never_in_a_number(self):
        for text, room, shown in (
            ("value 300", 9, "value 300"), ("value 300", 8, "value…"), ("1 450 mm", 6, "1 450…"), ("1 450 mm", 5, "…"),
            ("−12.5 V", 4, "…"), ("pin 4 and 12", 11, "pin 4 and…"), ("abc", 0, ""), ("abc", 1, "…"),
        ):  # fmt: skip
            self.assertEqual(clip(text, room), shown)

    def test_of_several_ways_to_say_it_the_longest_that_fits(self):
        self.assertEqual(fitting(9, "limit, not 130 %", "not 130 %", "limited"), "not 130 %")
        self.assertEqual(fitting(4, "limit", "limited"), "lim…")

    def test_what_is_too_long_for_a_sheet_goes_on_under_its_column(self):
        line = [("name      ", None), ("a long text that must be broken between two of its words", None)]
        rows = ["".join(text for text, _ in row) for row in laid(Sheet("", [line]), 44)]
        self.assertEqual(rows[0][:12], "name      a ")
        self.assertTrue(all(len(row) <= 40 for row in rows))
        self.assertTrue(rows[1].startswith(" " * 10) and rows[1][10] != " ", rows)
        self.assertEqual(
            " ".join(" ".join(rows).split()), "name a long text that must be broken between two of its words"
        )


def crossed_walk(desk):
    """A walk in which two are crossed, one moves what is elsewhere, and one can't be told."""
    moves = {"upper_paddle": "gatehouse.lower_paddle", "lower_paddle": "gatehouse.upper_paddle", "horn": "mast.yard_1"}
    walked = []
    for point in desk.points:
        if point.kind.is_output:
            names = f"{desk.bench.setup.links[desk.bench.setup.hosts[point.board].link].board}.{point.name}"
            moved = moves.get(point.name, names)
            held = None if point.name == "gate" else moved == names
            why = "" if held else f"moved {moved}, not {names}, after 400 ms of waiting for it, and then 300 ms more"
            walked.append(Walked(output=point.name, names=names, moved=(moved,), held=held, why=why))
    return tuple(walked)


class Layout(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.drawn = []

        async def story(bench, standings):
            desk = Desk(bench, lambda act: act())
            for defect in ("crossed_paddles", "dead_walkway"):
                bench.switch_defect(defect, True)
            for name, value in WISHES.items():
                bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(3)
            bench.ask(bench.point("upper_paddle"), 70.0, by="test")
            await asyncio.sleep(4)
            bench.memory_link("pumphouse").cut()
            await asyncio.sleep(2)
            desk.follow()
            cls.collect(desk)

        in_fast_time(story, boards=None)

    @classmethod
    def collect(cls, desk):
        """Everything that can be drawn, as functions of a size."""
        first_of_board = {point.board: point for point in reversed(desk.points)}
        for fold in (False, True):
            for board in first_of_board:
                desk.roster.fold(board, fold)
            for cursor in (0, 1, 7, 30):
                view = rail_views.rails_view(desk, cursor)
                cls.add(f"rails {cursor}", lambda w, h, v=view: draw_rails(v, lay_out(v, w, h), w, h))
            view = rail_views.rails_view(desk, 2, entry=Typed.of("60 percent of it"), search="pump▏", typing=True)
            cls.add("rails typed in", lambda w, h, v=view: draw_rails(v, lay_out(v, w, h), w, h))
        for name, point in first_of_board.items():
            view = board_views.board_view(desk, point)
            cls.add(f"board {name}", lambda w, h, v=view: draw_board(v, w, h))
        for names in (("towpath", "signalpost"), ("mast", "towpath", "switchrack")):
            first, *others = (board_views.board_view(desk, first_of_board[name]) for name in names)
            stack = (first, *(msgspec.structs.replace(other, cursor="") for other in others))
            cls.add(f"boards {names}", lambda w, h, v=stack: draw_stack(v, w, 2 * h))
        for number in list(desk.standings.trails.all):
            view = trail_views.trails_view(desk, desk.points[0], number)
            cls.add(f"trail {number}", lambda w, h, v=view: draw_trails(v, w, min(h, 11)))
        top = top_view(desk, "drive", ("drive",))
        cls.add("top", lambda w, h: draw_top(top, w))
        drive = keymap.foot((*keymap.DRIVE, *keymap.EVERYWHERE))
        tight = keymap.foot((*keymap.DRIVE, *keymap.EVERYWHERE), tight=True)
        others = [keymap.foot(commands) for commands in (keymap.ENTERING, keymap.FINDING, keymap.SHEET)]
        for keys in (drive, tight, *others):
            cls.add("foot", lambda w, h, k=keys: draw_foot(k, keymap.REST, w))
        cls.add("message", lambda w, h: draw_foot(drive, keymap.REST, w, "beacon: found 5 V, expected %"))
        cls.add("too small", lambda w, h: draw_too_small(w - 30, h, (40, 12)))
        sheets = [trail_sheet(desk, trail) for trail in desk.standings.trails.all.values()]
        sheets += [point_sheet(desk, point) for point in desk.points]
        actions = [
            Action(f"do number {n} of a long list of things", "and what that does", print, "F2") for n in range(9)
        ]
        sheets += [ActionsScreen(actions, "all actions").sheet(), DefectsScreen(desk).sheet()]
        cls.collect_bench(desk)
        cls.collect_checks(desk)
        sheets += [bench_sheets.pin_sheet(desk, board) for board in desk.bench.setup.boards]
        for sheet in sheets:
            cls.add(f"sheet {sheet.title}", lambda w, h, s=sheet: draw_sheet(s, 0, w, h))

    @classmethod
    def collect_bench(cls, desk):
        """The pictures of the Bench screen."""
        names = list(desk.bench.setup.boards)
        for open_board in names:
            for device in ("", *(["mast"] if open_board == "gatehouse" else [])):
                section = wiring_views.section_view(desk, open_board, device)
                folded = tuple(wiring_views.fold_view(desk, name) for name in names if name != open_board)
                for cursor in (section.rows[0].key, ("board", names[-1])):
                    view = BoardsView(section=section, folded=folded, cursor=cursor)
                    cls.add(f"bench {open_board} {device}", lambda w, h, v=view: draw_boards(v, w, h))
        found = remarks_on(desk.setup_now())
        for cursor in (-1, 0, 2):
            view = wiring_views.remarks_view(found, well(desk.setup_now()), cursor, "not saved")
            cls.add("remarks", lambda w, h, v=view: draw_remarks(v, max(30, w // 3), h))
        there = Found(
            kind="serial", address="/dev/ttyUSB0", description="a long name of a cable", busy=True, by="other"
        )
        rows = wiring_views.around_rows(desk, [there], {}, {"/dev/ttyACM0": "− gone for 3 s", there.address: "+ came"})
        for cursor in (-1, 0, len(rows) - 1):
            view = wiring_views.AroundView(rows=tuple(rows), looked="looked just now", cursor=cursor)
            cls.add("around", lambda w, h, v=view: draw_around(v, w, min(h, 12)))

    @classmethod
    def collect_checks(cls, desk):
        """The pictures of the Checks screen: before anything was run, with a walk that found something, a campaign."""
        checking = Checking(desk.bench, lambda act: act())
        checks = {check.name: check for check in checking.checks}
        kinds = {
            "before": None,
            "walk": cls.ran(checks["walk"], [((), crossed_walk(desk))]),
            "once": cls.ran(checks["locking"], [((), None)]),
            "campaign": cls.ran(
                checks["locking"],
                [((), None)] * 90 + [(("worn_cable",), None)] * 90 + [(("towpath_mute", "slow_board"), None)] * 90,
            ),
        }
        for name, going in kinds.items():
            check = going.checks[0] if going else checks["walk"]
            checking._before = {check.name: going} if going else {}
            for row in (0, 4, 40):
                walk = check_pictures.walk_view(checking, going, check.name, row // 10, row)
                cls.add(f"walk {name} {row}", lambda w, h, v=walk: draw_walk(v, w, h))
                view = check_pictures.campaign_view(checking, going, check.name, row)
                cls.add(f"campaign {name} {row}", lambda w, h, v=view: draw_campaign(v, w // 2, h))
            listed = check_pictures.check_views(checking, 1)
            cls.add(f"checks {name}", lambda w, h, v=listed: draw_checks(v, w, min(h, 11)))

    @classmethod
    def ran(cls, check, runs):
        """A going that is over, of runs with these defects and what was walked; every seventh failed."""
        going = Run([check])
        going.is_over = True
        cases = [Case(check=check.name, seed=f"s-{n}", defects=defects) for n, (defects, _) in enumerate(runs)]
        going.orders = [Order(bench=Path("x"), case=case) for case in cases]
        why = "failed, line 10: upper_paddle to 60 %: nobody answers on its link, which has been cut since 3.2 s"
        came = [
            Came(case=case, held=n % 7 != 0, t=57.3, why=why if n % 7 == 0 else "", walked=walked or ())
            for n, (case, (_, walked)) in enumerate(zip(cases, runs, strict=True))
        ]
        faults = tuple(Fault(1.5 * n, "break gatehouse for 3 s") for n in range(3))
        small = Case(check=check.name, seed="s", faults=faults)
        going.done = [
            Done(came=each, small=None if each.held else msgspec.structs.replace(each, case=small)) for each in came
        ]
        return going

    @classmethod
    def add(cls, name, draw):
        cls.drawn.append((name, draw))

    def test_nothing_touches_and_nothing_is_cut_without_a_sign(self):
        self.assertGreater(len(self.drawn), 90)
        for name, draw in self.drawn:
            for width, height in SIZES:
                with Watch() as watch:
                    draw(width, height)
                    faults = list(watch.faults())
                with self.subTest(name, width=width, height=height):
                    self.assertEqual(faults, [])

    def test_no_sheet_says_false_or_none(self):
        for name, draw in self.drawn:
            if name.startswith("sheet"):
                words = set(re.findall(r"\w+", draw(110, 60).text()))
                self.assertFalse(words & {"False", "True", "None"}, name)

    def test_lamps_below_each_other_stay_apart(self):
        draw = dict(self.drawn)["board gatehouse"]
        rows = draw(100, 36).text().splitlines()
        glass = next(row for row, text in enumerate(rows) if "walkway" in text)
        above = rows[glass - 1][80:]
        self.assertFalse(any(ord(character) - 0x2800 & 0xC0 for character in above if "⠀" <= character <= "⣿"), above)


if __name__ == "__main__":
    unittest.main()
