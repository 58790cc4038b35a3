"""A window that takes nothing any more, or is gone: the program ends all the same, with its record."""

import fcntl
import os
import pty
import signal
import struct
import tempfile
import termios
import time
import unittest
from pathlib import Path

from cavet.record import read_record
from tests.bench.benches import gatehouse_text
from tests.console.terminal import CAVET
from tests.patience import PATIENCE

STILL_SECONDS = 5.0
"""A program that draws many times a second and has written nothing for so long waits for its window."""


class Stalled(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        bench = Path(folder.name) / "gatehouse.bench.toml"
        bench.write_text(gatehouse_text())
        self.record = bench.with_suffix(".record")
        words = [*CAVET, "open", str(bench), "--record", str(self.record)]
        settings = {"TERM": "xterm-256color", "HOME": folder.name, "XDG_STATE_HOME": folder.name}
        self.child, self.window = pty.fork()
        if self.child == 0:
            os.execvpe(words[0], words, {**os.environ, **settings})
        self.addCleanup(self.kill)
        fcntl.ioctl(self.window, termios.TIOCSWINSZ, struct.pack("HHHH", 47, 160, 0, 0))
        heard = b""
        while b"board ready" not in heard:
            heard = heard[-100:] + os.read(self.window, 65536)
        self.wait_until_it_waits()

    def kill(self):
        if self.child:
            os.kill(self.child, signal.SIGKILL)
            os.waitpid(self.child, 0)
        if self.window is not None:
            os.close(self.window)

    def wait_until_it_waits(self):
        """Read nothing, until the window's buffer and the program's own queue are full."""
        deadline = time.monotonic() + PATIENCE
        before, since = self.drawn(), time.monotonic()
        while time.monotonic() - since < STILL_SECONDS:
            self.assertLess(time.monotonic(), deadline, "it goes on drawing")
            time.sleep(0.05)
            if (now := self.drawn()) != before:
                before, since = now, time.monotonic()

    def drawn(self):
        """How much lies in the window's buffer."""
        return struct.unpack("i", fcntl.ioctl(self.window, termios.FIONREAD, bytes(4)))[0]

    def assert_ends(self):
        deadline = time.monotonic() + PATIENCE
        while time.monotonic() < deadline:
            child, _ = os.waitpid(self.child, os.WNOHANG)
            if child:
                self.child = 0
                break
            time.sleep(0.05)
        self.assertEqual(self.child, 0, "it does not end")
        self.assertIsNotNone(next(read_record(self.record), None))

    def test_it_ends_on_a_signal_though_its_window_takes_nothing(self):
        os.kill(self.child, signal.SIGTERM)
        self.assert_ends()

    def test_it_ends_when_such_a_window_is_shut(self):
        window, self.window = self.window, None
        os.close(window)
        self.assert_ends()


if __name__ == "__main__":
    unittest.main()
