"""`cavet show profile`, `cavet completion`; and that the tables of the docs say what the program says."""

import json
import re
import unittest
from pathlib import Path

from cavet.bench import find_profile, load_plan, shipped_profiles
from cavet.commands import COMMANDS
from tests.commands.run import cavet, cavet_here

DOCS = Path(__file__).parents[2] / "docs"
PLANS = Path(__file__).parents[2] / "cavet" / "bench" / "plans"


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
        self.assertEqual(re.findall(r"(?m)^\| (\d+) \|", page), ["0", "1", "2", "3", "130"])


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
