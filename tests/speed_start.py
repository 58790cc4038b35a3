"""Speed of starting: the command to its first useful picture, timed from outside, by what stands in the terminal."""

import fcntl
import os
import pty
import select
import struct
import sys
import tempfile
import termios
import time

from tests.patience import PATIENCE
from tests.speed_tools import ratio

TIMES = 7
EMPTY = """
from textual.app import App
from textual.widgets import Static

class Empty(App):
    def compose(self):
        yield Static("nothing-but-this")

Empty().run()
"""


def until_shown(words, *wanted):
    """How long a command takes from its start until all of these texts have come to its terminal."""
    with tempfile.TemporaryDirectory() as folder:
        child, window = pty.fork()
        if child == 0:
            os.environ.update(TERM="xterm-256color", XDG_STATE_HOME=folder, HOME=folder)
            os.execv(sys.executable, [sys.executable, *words])
        began, said = time.perf_counter(), b""
        fcntl.ioctl(window, termios.TIOCSWINSZ, struct.pack("HHHH", 47, 160, 0, 0))
        while not all(text in said for text in wanted):
            if not select.select([window], [], [], PATIENCE)[0]:
                raise AssertionError(f"{words} shows nothing of {wanted}")
            said += os.read(window, 1 << 16)
        took = time.perf_counter() - began
        os.kill(child, 9)
        os.waitpid(child, 0)
        os.close(window)
        return took


def first_picture():
    bare, ours = [], []
    for _ in range(TIMES):  # in turns: the machine is not always as fast
        bare.append(until_shown(["-c", EMPTY], b"nothing-but-this"))
        ours.append(until_shown(["-m", "cavet", "demo"], b"gatehouse", b"beacon"))
    for what, of in (("at best", min), ("median", lambda found: sorted(found)[TIMES // 2])):
        name = f"the demo's first picture in a terminal, {of(ours):.2f} s, {what} (an empty application)"
        ratio(name, of(ours), of(bare), 2)


MEASURES = (first_picture,)


if __name__ == "__main__":
    for measure in MEASURES:
        measure()
