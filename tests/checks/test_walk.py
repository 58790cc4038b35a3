"""The walk: what is driven alone moves its own part, and nothing else."""

import unittest

import cavet
from cavet.demo import demo_path
from cavet.record import Kind
from tests.checks.huts import SHED, Folder, hut


class TheWalk(Folder, unittest.TestCase):
    def walked(self, *outputs, defects=(), checks=""):
        with cavet.open(hut(self.folder, checks), defects=defects) as bench:
            return {walked.output: walked for walked in bench.walk(*outputs)}

    def test_what_is_right_is_a_diagonal(self):
        found = self.walked()
        self.assertEqual(["lamp", "flag", "spare"], list(found))
        self.assertEqual((("hut.lamp",), True, ""), (found["lamp"].moved, found["lamp"].held, found["lamp"].why))
        self.assertEqual((("hut.flag",), True), (found["flag"].moved, found["flag"].held))

    def test_what_names_no_part_is_neither_right_nor_wrong(self):
        spare = self.walked("spare")["spare"]
        self.assertEqual(("", (), None), (spare.names, spare.moved, spare.held))
        self.assertIn("names no part", spare.why)

    def test_a_swap_is_two_marks_off_it(self):
        lamp = self.walked("lamp", defects=["crossed"])["lamp"]
        self.assertEqual((("hut.fan",), False), (lamp.moved, lamp.held))
        self.assertEqual("moved hut.fan, not hut.lamp", lamp.why)

    def test_a_dead_pin_is_an_empty_row_with_its_reason(self):
        lamp = self.walked("lamp", defects=["dead"])["lamp"]
        self.assertEqual(((), False), (lamp.moved, lamp.held))
        self.assertIn("its line stays low", lamp.why)

    def test_afterwards_all_is_at_rest(self):
        with cavet.open(hut(self.folder)) as bench:
            bench["flag"].set(90)
            bench.walk()
            bench.wait(1)
            self.assertEqual(["off", 0.0], [bench.part("hut.lamp").words, round(bench.part("hut.flag").state)])

    def test_every_output_of_the_demo(self):
        with cavet.open("demo", seed="w") as bench:
            found = bench.walk()
        self.assertEqual([], [(each.output, each.why) for each in found if each.held is False])
        neither = {each.output for each in found if each.held is None}
        self.assertEqual({"gate", "target_level", "supply_1_limit", "supply_2_limit", "post_1_blinks"}, neither)
        self.assertTrue(all(each.moved == (each.names,) for each in found if each.held))
        with cavet.open("demo", seed="w", defects=["crossed_paddles"]) as bench:
            one, other = bench.walk("upper_paddle", "lower_paddle")
        self.assertEqual((("gatehouse.lower_paddle",), ("gatehouse.upper_paddle",)), (one.moved, other.moved))

    def test_what_has_to_be_set_first_is_and_goes_back(self):
        with cavet.open("demo") as bench:
            (speed,) = bench.walk("pump_a_speed")
            self.assertEqual((("pumphouse.pump_a",), True), (speed.moved, speed.held))
            bench.wait(1)
            self.assertFalse(bench["pump_a"].asked)

    def test_of_a_board_that_is_elsewhere_it_looks_at_what_is_read_back(self):
        path = hut(self.folder, SHED)
        with cavet.open(path, real=True) as there:
            with cavet.open(path, at={"shed": there.endpoints["shed.tcp"]}) as bench:
                found = bench.walk("shed_lamp", "relay")
            self.assertEqual([(True, "read back; its parts can't be seen")] * 2, [(w.held, w.why) for w in found])
            moved = [event.subject for event in there.record.events if event.kind.name == "MOVED"]
            self.assertLessEqual({"lamp", "relay"}, set(moved))

    def test_a_board_that_answers_later_than_it_is_asked_again_has_not_started_anew(self):
        with cavet.open("demo", seed="w", defects=["slow_board"]) as bench:
            walked = bench.walk("mast_1", "mast_2", "beacon")
            remarks = [event.note for event in bench._running.record.since(0) if event.kind is Kind.REMARK]
        self.assertEqual([(True, "")] * 3, [(each.held, each.why) for each in walked])
        self.assertEqual([], [note for note in remarks if "anew" in note])

    def test_a_wish_on_the_bus_of_a_very_slow_board_says_what_holds_it(self):
        text = demo_path().read_text("utf-8").replace('delay = "800 ms"', 'delay = "2 s"')
        path = self.folder / "slow.bench.toml"
        path.write_text(text, "utf-8")
        with cavet.open(path, seed="a") as bench:
            bench["beacon"].set(10)
            with bench.defect("slow_board"):
                self.assertIn("mast is being set up once more", self._broken(bench, "mast_1").why)
        with cavet.open(path, seed="a", defects=["slow_board"]) as bench:
            self._broken(bench, "mast_1")
            self.assertIn("mast has not been set up yet", self._broken(bench, "mast_2").why)

    def _broken(self, bench, name):
        with self.assertRaises(cavet.Unconfirmed) as caught:
            bench[name].set("on")
        return caught.exception.trail

    def test_what_a_slow_board_has_read_before_a_wish_confirms_nothing(self):
        with cavet.open("demo", seed="a", defects=["slow_board"]) as bench:
            bench["mast_1"].set("on")
            stages = {stage.stage: stage.t for stage in bench["mast_2"].set("on").stages}
        self.assertGreaterEqual(stages["confirmed"] - stages["framed"], 0.8)

    def test_a_bus_that_answers_late_but_in_time_breaks_no_wish(self):
        with cavet.open("demo", seed="w") as bench:
            bench.fault("delay", "mast", by=0.35, seconds=2)
            (walked,) = bench.walk("yard_1")
        self.assertEqual((True, ""), (walked.held, walked.why))

    def test_a_board_that_is_not_there_is_told(self):
        with cavet.open("demo", defects=["towpath_away"]) as bench:
            (lamp,) = bench.walk("lamp")
        self.assertIs(False, lamp.held)
        self.assertIn("towpath", lamp.why)
