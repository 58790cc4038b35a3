"""The real program in a real terminal, driven with keys and read off the screen."""

import shutil
import signal
import socket
import subprocess
import tempfile
import time
import unittest
from pathlib import Path

from cavet.record import read_record
from tests.bench.benches import gatehouse_text
from tests.console.terminal import CAVET, Terminal, needs_tmux
from tests.patience import PATIENCE


def running(word):
    """The processes that have a word on their command line."""
    found = []
    for path in Path("/proc").glob("[0-9]*/cmdline"):
        try:
            words = path.read_bytes().split(b"\0")
        except OSError:
            continue  # it has ended between the look and the reading
        if word.encode() in words:
            found.append(path.parent.name)
    return found


@needs_tmux
class Demo(unittest.TestCase):
    def start(self, *words, **more):
        terminal = Terminal(*CAVET, *(words or ("open", str(self.gatehouse))), **more)
        self.addCleanup(terminal.end)
        return terminal

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.gatehouse = Path(folder.name) / "gatehouse.bench.toml"
        self.gatehouse.write_text(gatehouse_text())

    def test_the_demo_has_six_boards_each_driven_in_its_own_protocol(self):
        terminal = self.start("demo")
        terminal.sees("6 of 6 boards ready", "gatehouse", "pumphouse", "ready · 16 points", "towpath", "here, health")
        terminal.press("f")
        terminal.type("pump_a")
        terminal.sees("find pump_a▏", "modbus-tcp · unit 7", "L14")
        terminal.press("Enter", "Down")
        terminal.type("60")
        terminal.press("Enter")
        terminal.sees("pump_a_speed ← 60 %", "write-single-reg", "◈ confirmed")
        terminal.press("Up", "Space")
        terminal.sees("pump_a ← on", "write-single-coil", "pin 7")
        terminal.press("Escape")
        terminal.until(lambda text: "esc shows all" not in text, "the search ended")
        terminal.press("f")
        terminal.type("relay_103")
        terminal.press("Enter", "Space")
        terminal.sees("relay_103 ← closed", "ROUT:CLOS", "◈ confirmed")
        terminal.press("Escape")
        terminal.until(lambda text: "esc shows all" not in text, "the search ended")
        terminal.press("f")
        terminal.type("lamp")
        terminal.press("Enter", "End", "Space")
        terminal.sees("lamp ← on", "lamp/set", "passed on to 1", "◈ confirmed", "our own broker")
        terminal.press("d")
        terminal.sees("made wrong on purpose")
        terminal.press("Down", "Down", "Down", "Down")
        terminal.sees("▸ off  towpath_away")
        terminal.press("Space", "Escape")
        terminal.sees("gone for", "5 of 6 boards ready")
        terminal.press("F12")
        terminal.sees("everything to rest")
        terminal.press("q")
        terminal.sees("code 0")

    def test_it_ends_when_its_window_is_shut(self):
        kept = str(self.gatehouse.with_suffix(".record"))
        terminal = self.start("open", str(self.gatehouse), "--record", kept)
        terminal.sees("board ready")
        self.assertTrue(running(kept))
        terminal.end()
        deadline = time.monotonic() + PATIENCE
        while running(kept) and time.monotonic() < deadline:
            time.sleep(0.05)
        self.assertEqual(running(kept), [])
        self.assertIsNotNone(next(read_record(Path(kept)), None))

    def test_it_starts_is_driven_breaks_rests_and_quits(self):
        terminal = self.start()
        terminal.sees("Ottersluice", "board ready", "beacon", "no command yet", "F12 everything to rest")
        terminal.press("Right", "Right")
        terminal.sees("beacon ← 4 %", "confirmed", "E2 0A 00")
        terminal.press("Down", "Down")
        terminal.type("60 %")
        terminal.sees("◇ 60 %▏")
        terminal.press("Enter")
        terminal.sees("upper_paddle ← 60 %", "105°")
        terminal.press("Down", "Down")
        terminal.type("50")
        terminal.press("Enter")
        terminal.sees("1 broken", "stalled", "gate is held", "take away what holds it")
        terminal.press("F12")
        terminal.sees("gate ← 0 %", "everything to rest", "still")
        terminal.until(lambda text: "15°" in text and "105°" not in text, "the paddle at rest")
        terminal.press("q")
        terminal.sees("code 0")

    def test_it_serves_in_a_small_window_and_grows_back(self):
        terminal = self.start()
        terminal.sees("board ready", "gate_motor")
        terminal.resize(80, 24)
        terminal.until(lambda text: "gate_motor" not in text and "v board" in text, "the rails alone")
        terminal.press("Right")
        terminal.sees("beacon ← 2 %")
        terminal.press("v")
        terminal.sees("gate_motor")
        terminal.resize(160, 47)
        terminal.sees("gate_motor", "upper", "chamber", "windlass", "beacon ← 2 %")
        terminal.press("q")
        terminal.sees("code 0")

    def test_a_lost_link_is_shown_and_taken_up_again_with_everything_restored(self):
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        terminal = None
        board = Board(self, port)
        terminal = self.start("open", str(board.path), "--at", f"gatehouse=127.0.0.1:{port}")
        terminal.sees("board ready", f"127.0.0.1:{port}  ready")
        terminal.press("Down")
        terminal.type("40")
        terminal.press("Enter")
        terminal.sees("walkway ← 40 %", "confirmed", "unseen")
        board.end()
        terminal.sees("board not ready", f"127.0.0.1:{port}")
        terminal.press("Right")
        board.start()
        terminal.sees("board ready", "walkway ← 42 %", "read 42 %")
        board.end()
        terminal.press("q")
        terminal.sees("code 0")

    def test_another_program_can_have_the_device_when_it_is_let_go(self):
        terminal = self.start()
        device = next(
            word for word in terminal.sees("/dev/pts/", "board ready").split() if word.startswith("/dev/pts/")
        )
        terminal.press("o")
        terminal.sees("free for another program")
        done = subprocess.run(
            [*CAVET, "drive", "demo", "--at", f"gatehouse={device}", "lower_paddle=100"],
            capture_output=True,
            text=True,
            timeout=PATIENCE,
            check=False,
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        terminal.sees("165°", "gatehouse ← F0 ", "from outside")

    def test_without_colour_it_serves_too(self):
        terminal = self.start("demo")
        terminal.sees("◆ got")
        plain = Terminal("env", "NO_COLOR=1", "TEXTUAL_COLOR_SYSTEM=standard", *CAVET, "demo")
        self.addCleanup(plain.end)
        plain.sees("boards ready", "◇ asked", "◆ got")
        plain.press("Right")
        plain.sees("beacon ← 2 %", "◈ confirmed")

    def test_a_terminal_that_can_show_no_screen_is_told_so(self):
        dumb = Terminal("env", "TERM=dumb", *CAVET, "demo")
        self.addCleanup(dumb.end)
        dumb.sees("TERM=dumb", "`cavet serve` and `cavet drive` need none", "code 2")

    def test_the_interrupt_key_says_how_to_leave_and_a_window_that_is_too_small_says_so(self):
        terminal = self.start("demo")
        terminal.sees("boards ready")
        terminal.press("C-c")
        terminal.sees("q leaves, ctrl+q from anywhere")
        small = Terminal(*CAVET, "demo", columns=36, rows=20)
        self.addCleanup(small.end)
        small.sees("Cavet needs 40 × 12 cells")

    def test_a_bench_that_is_wrong_is_told_before_the_screen_is_taken(self):
        terminal = self.start("open", "nowhere.bench.toml")
        terminal.sees('nowhere.bench.toml: found "no such file", expected a bench file', "code 2")


class Board:
    """The demo's board, served by another process on a TCP port of its own."""

    def __init__(self, test, port):
        self.terminal = Terminal("true", columns=20, rows=5)
        test.addCleanup(self.terminal.end)
        test.addCleanup(self.end)
        self.path = self.terminal.folder / "lock.bench.toml"
        self.path.write_text(gatehouse_text(port))
        self.process = None
        self.start()

    def start(self):
        self.process = subprocess.Popen(
            [*CAVET, "serve", str(self.path)], stdin=subprocess.DEVNULL, stdout=subprocess.PIPE
        )
        self.process.stdout.readline()

    def end(self):
        if self.process is not None and self.process.poll() is None:
            self.process.send_signal(signal.SIGTERM)
            self.process.wait(PATIENCE)
            self.process.stdout.close()


if shutil.which("tmux") is None:
    print("the console tests need tmux, which is not here: skipped")

if __name__ == "__main__":
    unittest.main()
