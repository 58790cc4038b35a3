"""`cavet show profile`, `cavet completion`; and that the tables of the docs say what the program says."""

import csv
import json
import re
import unittest
from pathlib import Path

from cavet.benchfile import find_profile, load_plan, shipped_profiles
from cavet.commands import COMMANDS
from tests.commands.run import cavet, cavet_here

DOCS = Path(__file__).parents[2] / "docs"
PLANS = Path(__file__).parents[2] / "cavet" / "benchfile" / "plans"


class Profiles(unittest.TestCase):
    def test_a_profile_pin_by_pin(self):
        ran = cavet_here("show", "profile", "wren")
        self.assertRegex(ran.out, r"(?m)^9 +input, pull-up, output, pwm and servo$")
        self.assertRegex(ran.out, r"(?m)^14 +A0 +input, pull-up, output and analog$")
        self.assertIn("20 mA a pin, 120 mA in all", ran.out)

    def test_the_same_as_json(self):
        lines = [json.loads(line) for line in cavet_here("show", "profile", "wren", "--json").out.splitlines()]
        self.assertEqual([line["pin"] for line in lines], list(range(20)))
        self.assertEqual(lines[9]["modes"], {"input": 1, "pull-up": 1, "output": 1, "pwm": 8, "servo": 14})
        self.assertEqual(
            (lines[14]["label"], lines[14]["channel"], lines[0]["kept_for"]), ("A0", 0, "the link's receiver")
        )

    def test_what_is_none(self):
        self.assertEqual(cavet_here("show", "profile").out.split(), shipped_profiles())
        ran = cavet_here("show", "profile", "wern")
        self.assertEqual((ran.code, ran.err.count("\n")), (2, 1))
        self.assertIn('did you mean "wren"?', ran.err)
        self.assertEqual(cavet_here("show", "weather").code, 2)


class Benches(unittest.TestCase):
    def rows(self, *words):
        ran = cavet_here("show", *words, "--json")
        self.assertEqual((ran.code, ran.err), (0, ""))
        return [json.loads(line) for line in ran.out.splitlines()]

    def test_a_bench_by_its_boards_links_points_and_parts(self):
        rows = self.rows("demo")
        counts = {kind: sum(row["row"] == kind for row in rows) for kind in ("board", "link", "point", "part")}
        self.assertEqual((counts["board"], counts["link"]), (6, 8))
        points = {row["point"]: row for row in rows if row["row"] == "point"}
        self.assertEqual(points["upper_paddle"]["where"], "pin 9, mode servo")
        self.assertEqual((points["level"]["high"], points["level"]["unit"]), (3000, "mm"))
        out = cavet_here("show", "demo").out
        self.assertRegex(out, r"(?m)^  pumphouse_line +pumphouse +serial +modbus-rtu +simulated +19200 8N1$")

    def test_a_board_pin_by_pin_with_what_hangs_there(self):
        pins = {row["pin"]: row for row in self.rows("demo", "gatehouse") if row["row"] == "pin"}
        self.assertEqual((pins[2]["parts"], pins[2]["points"]), (["beacon"], ["beacon"]))
        self.assertEqual(pins[7]["parts"], ["gate_motor"])
        self.assertEqual((pins[0]["parts"], pins[0]["kept_for"]), ([], "the link's receiver"))
        devices = {row["device"]: row["hex"] for row in self.rows("demo", "gatehouse") if row["row"] == "device"}
        self.assertEqual(devices, {"mast": "0x26", "panel": "0x3B", "arrow": "0x74"})

    def test_maps_headers_topics_and_frames(self):
        cells = {row["name"]: row for row in self.rows("demo", "pumphouse") if row["row"] == "map"}
        self.assertEqual((cells["speed_a"]["address"], cells["speed_a"]["type"]), (0, "uint16"))
        self.assertEqual((cells["level"]["count"], cells["level"]["point"]), (2, "chamber_level"))
        headers = [row["header"] for row in self.rows("demo", "switchrack") if row["row"] == "header"]
        self.assertIn("SOURce<1-2>:VOLTage[:LEVel]", headers)
        topics = {row["topic"] for row in self.rows("demo", "towpath") if row["row"] == "topic"}
        self.assertIn("ottersluice/towpath/lamp/set", topics)
        frames = {(row["frame"], row["field"]) for row in self.rows("demo", "signalpost") if row["row"] == "frame"}
        self.assertIn(("order", "levels"), frames)

    def test_constants_for_a_program_are_right_in_every_form(self):
        out = cavet_here("show", "demo", "pumphouse", "--as", "python").out
        names = {}
        exec(out, names)
        self.assertEqual((names["PUMPHOUSE_UNIT"], names["PUMP_A_SPEED_HOLDING"]), (7, 0))
        self.assertIn("0 to 1000 for 0 % to 100 %", out)
        self.assertIn("#define TARGET_LEVEL_HOLDING 10 /* float32, high-first;",
                      cavet_here("show", "demo", "--as", "c").out)  # fmt: skip
        self.assertIn("| LAMP_COMMAND_TOPIC | ottersluice/towpath/lamp/set |",
                      cavet_here("show", "demo", "--as", "markdown").out)  # fmt: skip
        rows = list(csv.reader(cavet_here("show", "demo", "--as", "csv").out.splitlines()))
        self.assertEqual((rows[0], {len(row) for row in rows}), (["name", "value", "meaning"], {3}))

    def test_a_register_map_that_ships_or_is_ones_own(self):
        rows = {row["register"]: row for row in self.rows("map", "expander16")}
        self.assertEqual((rows["direction_a"]["reset"], rows["level_a"]["access"]), (255, "read-only"))
        own = PLANS / "expander16.plan.toml"
        self.assertEqual(self.rows("map", f"{own}#expander16"), list(rows.values()))

    def test_what_is_not_there_is_told(self):
        for words, part in (
            (("demo", "gatehuose"), 'did you mean "gatehouse"?'),
            (("map",), "FILE#NAME"),
            (("map", "expander61"), 'did you mean "expander16"?'),
            (("map", "expander16", "--as", "c"), "markdown or csv"),
            (("nosuch.bench.toml",), "nosuch.bench.toml"),
        ):
            with self.subTest(words):
                ran = cavet_here("show", *words)
                self.assertEqual((ran.code, ran.err.count("\n")), (2, 1))
                self.assertIn(part, ran.err)


class Docs(unittest.TestCase):
    def test_every_pin_of_every_profile_stands_there_as_it_is(self):
        page = (DOCS / "profiles.md").read_text()
        for name in shipped_profiles():
            self.assertIn(f"## {name}\n", page)
            section = page.partition(f"## {name}\n")[2].partition("\n## ")[0]
            for pin in find_profile(name).pins.values():
                modes = ", ".join(mode.value for mode in pin.modes)
                self.assertIn(f"| {pin.number} | {pin.label} | {modes} | {pin.reserved} |\n", section + "\n", name)

    def test_every_register_of_the_parts_that_ship_stands_there(self):
        page = (DOCS / "buses.md").read_text()
        for file in ("expander16", "matrix8", "converters"):
            for name, registers in load_plan(PLANS / f"{file}.plan.toml").maps.items():
                section = page.partition(f"**{name}**")[2].partition("\n**")[0]
                for register in registers.registers:
                    self.assertIn(f"| 0x{register.at:02X} `{register.name}` | {register.size} |", section)

    def test_every_command_and_exit_code_stands_there(self):
        page = (DOCS / "commands.md").read_text()
        for name in COMMANDS:
            self.assertIn(f"cavet {name}", page)
        self.assertEqual(re.findall(r"(?m)^\| (\d+) \|", page), ["0", "1", "2", "3", "130", "141"])


class Completion(unittest.TestCase):
    def complete(self, line):
        words = {"COMP_WORDS": line, "COMP_CWORD": str(len(line.split(" ")) - 1), "_CAVET_COMPLETE": "bash_complete"}
        out = cavet(environment=words).out
        return [word.partition(",")[2] for word in out.split()]

    def test_each_shell_is_told_what_to_do(self):
        for shell in ("bash", "zsh", "fish"):
            ran = cavet_here("completion", shell)
            self.assertEqual((ran.code, ran.err), (0, ""))
            self.assertIn("_CAVET_COMPLETE", ran.out)
        self.assertEqual(cavet_here("completion", "csh").code, 2)

    def test_protocols_messages_fields_benches_points_and_profiles(self):
        for line, found in (
            ("cavet enc", ["encode"]),
            ("cavet encode mqtt", ["mqtt", "mqtt5"]),
            ("cavet encode modbus-tcp write-single-c", ["write-single-coil"]),
            ("cavet encode modbus-tcp write-single-coil v", ["value="]),
            ("cavet encode modbus-tcp nonsense v", []),
            ("cavet drive dem", ["demo"]),
            ("cavet drive demo bea", ["beacon=", "beacon?"]),
            ("cavet drive demo level", ["level?"]),
            ("cavet drive nowhere.bench.toml bea", []),
            ("cavet show profile her", ["heron"]),
        ):
            with self.subTest(line):
                self.assertEqual(self.complete(line), found)


if __name__ == "__main__":
    unittest.main()
