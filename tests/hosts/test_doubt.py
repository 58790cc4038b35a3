"""What nobody has told is not taken for known: after a wish that was not confirmed, after a board that started anew."""

import tempfile
import unittest
from pathlib import Path

import cavet
from cavet.record import Kind
from tests.checks.huts import HUT, SHED


class Doubt(unittest.TestCase):
    def setUp(self):
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        path = Path(place.name) / "b.bench.toml"
        path.write_text(HUT.replace('failsafe = "300 ms"\n', "") + SHED, "utf-8")
        self.bench = cavet.open(path, seed="a")
        self.addCleanup(self.bench.close)

    def test_a_wish_that_was_not_confirmed_does_not_count_as_there(self):
        for board, point in (("hut", "lamp"), ("shed", "shed_lamp")):
            self.bench[point].set("on")
            self.bench.fault("silence", board, seconds=30)
            with self.assertRaises(cavet.Unconfirmed):
                self.bench[point].set("off")
            with self.assertRaises((cavet.Unconfirmed, cavet.UnreachableError)):
                self.bench[point].set("off")
            self.bench.wait(31)
            self.bench[point].set("on")
            self.bench.wait(0.2)
            self.assertEqual(100, self.bench.part(f"{board}.lamp").state)

    def test_a_board_that_starts_anew_is_told_again_what_was_asked(self):
        self.bench["lamp"].set("on")
        self.bench["flag"].set(120)
        self.bench.fault("reset", "hut")
        self.bench.wait(0.5)
        self.assertEqual(0, self.bench.part("hut.lamp").state)
        self.bench.wait(2.0)
        self.assertEqual(100, self.bench.part("hut.lamp").state)
        self.assertTrue(self.bench["lamp"].got)
        said = [event.note for event in self.bench.record.events if "started anew" in event.note]
        self.assertEqual(1, len(said), said)

    def test_asking_it_who_it_is_by_hand_is_no_new_start(self):
        self.bench["lamp"].set("on")
        self.bench.send("hut", "firmware-query")
        self.bench.wait(0.5)
        self.assertFalse([event for event in self.bench.record.events if "anew" in event.note])
        self.assertTrue([event for event in self.bench.record.events if event.kind is Kind.CONFIRMED])
