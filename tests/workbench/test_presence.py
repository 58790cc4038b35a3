"""Whether a board is there, in words; and what is drawn of a station: its sign, its bell, and where its points are."""

import unittest

from cavet.hosts import Presence
from cavet.workbench.drawing.parts import PartView
from cavet.workbench.drawing.rails import RailsView, RailView, draw_rails, lay_out
from cavet.workbench.drawing.spine import BeliefView, BoardView, PinView, draw_board
from cavet.workbench.presence import health_words, presence_words


class Words(unittest.TestCase):
    def test_here_gone_and_late_are_told_apart(self):
        cases = [
            (Presence(), "not heard of", True),
            (Presence(here=True), "here", False),
            (Presence(here=True, health_at=97.0), "here, health 3 s ago", False),
            (Presence(here=True, health_at=86.0, usual_pause=5.0), "here, health 14 s ago", False),
            (Presence(here=True, health_at=80.0, usual_pause=5.0), "here, health 20 s ago, usually every 5 s", True),
            (Presence(here=False, since=88.0), "gone for 12 s", True),
            (Presence(here=False, since=88.0, health_at=86.0), "gone for 12 s, last health 14 s ago", True),
        ]
        for presence, words, bad in cases:
            with self.subTest(words):
                self.assertEqual(presence_words(presence, 100.0), (words, bad))

    def test_a_health_that_is_late_is_bad_after_three_of_its_pauses(self):
        presence = Presence(here=True, health_at=80.0, usual_pause=5.0)
        self.assertEqual(presence_words(presence, 94.9)[1], False)
        self.assertEqual(presence_words(presence, 95.1), ("here, health 15 s ago, usually every 5 s", True))

    def test_what_a_board_calls_its_numbers_is_text_whatever_it_holds(self):
        words = health_words(Presence(health={"[b]x[/b]\x1b[2J": "\x07", "rssi": -61}))
        self.assertEqual(words, "[b]x[/b]‹ES… ‹BEL›  rssi -61")


def station(width, height, **more):
    parts = (
        PartView(name="bell", kind="bell", tells="rings", fraction=1.0, pins=(5,)),
        PartView(name="sign", kind="sign", tells="LOCK CLOSED", fraction=1.0, pins=(12,), columns=20),
    )
    pins = (PinView(number=5, mode="output"), PinView(number=12, mode="output"))
    fields = {"pins": pins, "parts": parts, **more}
    view = BoardView(name="towpath", profile="plover", line="mqtt 3.1.1", state="here", **fields)
    return draw_board(view, width, height).text()


class Station(unittest.TestCase):
    def test_a_sign_has_its_text_at_full_size_with_its_free_leaves(self):
        self.assertIn("LOCK CLOSED·········", station(90, 30))
        self.assertIn("▣ LOCK CLOSED", station(60, 30))

    def test_a_real_board_without_pins_is_drawn_by_where_its_points_are(self):
        beliefs = (
            BeliefView(name="lamp", where="towpath/lamp/set → towpath/lamp/state", read="on"),
            BeliefView(name="battery", where="towpath/health supply_mv", read="4 100 mV", senses=True),
        )
        for width in (90, 40):
            text = station(width, 20, pins=(), parts=(), beliefs=beliefs, cursor="lamp")
            for word in ("lamp", "on", "battery", "4 100 mV", "towpath/"):
                self.assertIn(word, text)
            self.assertTrue(all(len(line) <= width for line in text.splitlines()))

    def test_more_points_than_there_is_room_for_scroll_with_the_cursor(self):
        beliefs = tuple(BeliefView(name=f"p{number}", where=f"t/{number}", read="—") for number in range(50))
        text = station(80, 20, pins=(), parts=(), beliefs=beliefs, cursor="p40")
        self.assertIn("p40", text)
        self.assertNotIn("p10 ", text)

    def test_a_text_of_which_nothing_is_known_has_no_mark(self):
        view = RailsView(lines=(RailView(name="sign", is_text=True),))
        text = draw_rails(view, lay_out(view, 80, 10), 80, 10).text()
        self.assertNotIn("◈", text)


if __name__ == "__main__":
    unittest.main()
