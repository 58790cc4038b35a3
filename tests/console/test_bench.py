"""A bench of one's own, changed on the screen alone: something new is hung on it, driven, and saved."""

import tempfile
import unittest
from pathlib import Path

from cavet.benchfile import load_bench, start_text
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
            terminal.press("F3", "n")  # the screen is still being made when the second one comes
            terminal.sees("what hangs there", "remarks none", "what is it?", "a servo")
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
            setup = load_bench(path).setup
            self.assertEqual((setup.points["lamp_2"].pin, setup.boards["hut"].parts["lamp_2"].kind), (2, "lamp"))
            self.assertIn("# the truth: a simulated board", path.read_text())
            terminal.press("u")
            terminal.sees("taken back: lamp_2 is there", "not saved")
            terminal.press("q")
            terminal.sees("code 0")

    def test_a_newcomer_makes_a_bench_of_four_boards_from_an_empty_folder_and_drives_each(self):
        """On the screen alone; nothing is typed but the values that are set."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "mine.bench.toml"
            terminal = Terminal(*CAVET, "open", str(path), "--new")
            self.addCleanup(terminal.end)
            terminal.sees("nothing is on this bench yet", "no board yet")
            for number, (board, ready) in enumerate(
                (("hut", "board ready"), ("shed", "2 of 2"), ("rack", "3 of 3"), ("path", "4 of 4"))
            ):
                terminal.press("N")
                terminal.sees("what shall it be?")
                terminal.press(*["Down"] * number, "Enter")
                terminal.sees(f"{board} is there, with its link, its host, and first points", ready, "remarks none")
            terminal.press("C-s")
            terminal.sees("saved in mine.bench.toml")
            self.assertEqual(len(load_bench(path).setup.boards), 4)
            terminal.press("g")
            terminal.sees("◇ asked     ◆ got", "4 of 4 boards ready")
            for point, keys in (
                ("lantern", ("6", "0", "Enter")),
                ("shed_lamp", ("Space",)),
                ("supply_voltage", ("5", "Enter")),
                ("light", ("Space",)),
            ):
                with self.subTest(point):
                    terminal.press("f")
                    terminal.type(point)
                    terminal.press("Enter")
                    terminal.sees(f"▸ {point}")
                    terminal.press(*keys)
                    terminal.sees(f"{point}", "confirmed")
            terminal.press("q")
            terminal.sees("code 0")
