"""A routine written and run on the screen, in the real program."""

import tempfile
import unittest
from pathlib import Path

from cavet.benchfile import start_text
from tests.console.terminal import CAVET, Terminal, needs_tmux


@needs_tmux
class Routines(unittest.TestCase):
    def test_a_routine_is_written_run_stopped_and_saved(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "porch.bench.toml"
            path.write_text(start_text("porch.bench.toml", "Porch", ["firmata"]))
            terminal = Terminal(*CAVET, "open", str(path))
            self.addCleanup(terminal.end)
            terminal.sees("board ready")
            terminal.press("F4", "F4")
            terminal.sees("routine first", "porch.routine", "mistakes  none")
            terminal.press("C-Home", "End", "Enter")
            terminal.type("repeat")
            terminal.press("Enter")
            terminal.type("set lantren to 40 %")
            terminal.sees("mistakes 1", '"lantren"', "lantern")
            terminal.press(*["BSpace"] * len("lantren to 40 %"))
            terminal.type("lan")
            terminal.sees("tab", "0 % to 100 %")
            terminal.press("Tab")
            terminal.type(" to 40 %")
            terminal.press("Enter")
            terminal.type("wait 100 ms")
            terminal.sees("mistakes  none")
            terminal.press("F5")
            terminal.sees("first runs", "◈ set lantern to 40 %")
            terminal.press("F8")
            terminal.sees("first stopped", "runs before")
            terminal.press("C-s")
            terminal.sees("saved in porch.routine")
            self.assertIn(
                "        set lantern to 40 %\n        wait 100 ms\n", (Path(folder) / "porch.routine").read_text()
            )
            terminal.press("C-q")
            terminal.sees("code 0")
