"""A bench of one's own, changed on the screen alone: something new is hung on it, driven, and saved."""

import tempfile
import unittest
from pathlib import Path

from cavet.bench import load_bench, start_text
from tests.console.terminal import CAVET, Terminal, needs_tmux


@needs_tmux
class Bench(unittest.TestCase):
    def test_a_newcomer_hangs_a_lamp_on_a_board_and_drives_it(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "porch.bench.toml"
            path.write_text(start_text("porch.bench.toml", "Porch", ["firmata", "modbus", "scpi", "mqtt"]))
            terminal = Terminal(*CAVET, "open", str(path))
            self.addCleanup(terminal.end)
            terminal.sees("4 of 4 boards ready")
            terminal.press("F3")
            terminal.sees("what hangs there", "remarks none", "lantern")
            terminal.press("n")
            terminal.sees("what is it?", "a servo")
            terminal.press("Enter")
            terminal.sees("where does it hang?")
            terminal.press("Enter")
            terminal.sees("what shall the host call it?")
            terminal.press("Enter", "Enter", "Enter")
            terminal.sees("lamp_2 is there; g drives it", "not saved")
            terminal.press("g")
            terminal.sees("▸ lamp_2", "4 of 4 boards ready")
            terminal.type("60")
            terminal.press("Enter")
            terminal.sees("◈ confirmed")
            terminal.press("F3")
            terminal.sees("pwm 60 %")
            terminal.press("C-s")
            terminal.sees("saved in porch.bench.toml")
            plan = load_bench(path).plan
            self.assertEqual((plan.points["lamp_2"].pin, plan.boards["hut"].parts["lamp_2"]["kind"]), (2, "lamp"))
            self.assertIn("# the truth: a simulated board", path.read_text())
            terminal.press("u")
            terminal.sees("taken back: lamp_2 is there", "not saved")
            terminal.press("q")
            terminal.sees("code 0")
