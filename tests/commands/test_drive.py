"""`cavet drive`: points from the shell."""

import json
import os
import tempfile
import unittest
from pathlib import Path

from cavet.benchfile import load_bench
from cavet.commands.drive import readable
from cavet.demo import demo_path
from tests.commands.run import cavet


class Drive(unittest.TestCase):
    def test_points_are_set_confirmed_and_printed(self):
        ran = cavet("drive", "demo", "beacon=50%", "gatehouse.upper_paddle=0.6 %", "horn=on", "level?")
        self.assertEqual((ran.code, ran.err), (0, ""))
        lines = ran.out.splitlines()
        self.assertEqual(lines[0], "beacon          asked 50 %  confirmed 50 %  moved: 50 %")
        self.assertIn("horn            asked on  confirmed on  moved: sounds", lines)
        self.assertRegex(lines[-1], r"^level +got 1 \d{3} mm$")

    def test_a_supply_tells_its_millivolts(self):
        ran = cavet("drive", "demo", "supply_1_voltage=5.003", "supply_1=on")
        self.assertTrue(ran.out.endswith("moved: 5.003 V\n"), ran.out)

    def test_what_was_asked_is_told_finer_than_the_wire_can_carry_it(self):
        ran = cavet("drive", "demo", "pump_a_speed=33.333%")
        self.assertEqual("asked 33.333 %  confirmed 33.3 %  moved: off, 33 % set\n", ran.out[16:])

    def test_json_lines_have_the_values_as_numbers(self):
        ran = cavet("drive", "demo", "--json", "upper_paddle=60", "upper_paddle?", "stop_button?")
        first, second, third = (json.loads(line) for line in ran.out.splitlines())
        self.assertEqual(
            (first["asked"], first["confirmed"], first["holds"], first["stage"]), (60, 60, True, "confirmed")
        )
        self.assertEqual((second["got"], third["got"]), (60, False))

    def test_what_nobody_tells_is_said_so(self):
        point = load_bench(demo_path()).setup.points["beacon"]
        line = {"point": "beacon", "asked": 50.0, "confirmed": None, "stage": "carried", "holds": True}
        self.assertEqual(
            "beacon          asked 50 %  sent, and nobody tells what became of it", readable(point, line).rstrip()
        )
        self.assertNotIn("nobody tells", readable(point, line | {"moved": "50 %"}))

    def test_what_does_not_hold_is_code_1_with_the_reason(self):
        ran = cavet("drive", "demo", "gate=50 %")
        self.assertEqual(ran.code, 1)
        self.assertIn("stalls", ran.out)

    def test_a_defect_in_the_file_shows(self):
        text = demo_path().read_text()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.bench.toml"
            path.write_text(text.replace("pin = 3\non = false", "pin = 3\non = true"))
            ran = cavet("drive", str(path), "walkway=50%")
        self.assertEqual(ran.code, 1)
        self.assertIn("its line stays low", ran.out)

    def test_what_is_wrong_is_code_2(self):
        for word, part in (
            ("becon=5", 'did you mean "beacon"?'),
            ("beacon=5 V", 'gatehouse.beacon: found "5 V", expected a number in %'),
            ("level=5", "an input"),
            ("beacon", "POINT=VALUE or POINT?"),
            ("horn=loud", "on or off"),
            ("hut.beacon=5", "hut.beacon"),
        ):
            with self.subTest(word):
                ran = cavet("drive", "demo", word)
                self.assertEqual((ran.code, ran.out, ran.err.count("\n")), (2, "", 1), ran)
                self.assertIn(part, ran.err)

    def test_a_board_that_is_not_there_is_code_3(self):
        ran = cavet("drive", "demo", "--at", "gatehouse=/dev/ttyNONE7", "beacon=50%")
        self.assertEqual((ran.code, ran.out), (3, ""))
        self.assertEqual(ran.err, "/dev/ttyNONE7: no such device; is it plugged in?\n")

    def test_a_device_that_never_answers_is_code_3_and_says_what_is_usually_the_cause(self):
        master, slave = os.openpty()
        self.addCleanup(os.close, master)
        path = os.ttyname(slave)
        os.close(slave)
        ran = cavet("drive", "demo", "--at", f"gatehouse={path}", "beacon=50%")
        self.assertEqual((ran.code, ran.out, ran.err.count("\n")), (3, "", 1), ran)
        self.assertIn("open, but nothing answers: another rate at the other end", ran.err)

    def test_addresses_for_boards_that_are_not_there_are_wrong(self):
        self.assertEqual(cavet("drive", "demo", "--at", "gatehous=/dev/x", "beacon=50%").code, 2)
        self.assertEqual(cavet("drive", "demo", "--at", "gatehouse", "beacon=50%").code, 2)


if __name__ == "__main__":
    unittest.main()
