"""A terminal that a test types into and reads: tmux, on a server of its own."""

import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from tests.patience import PATIENCE

CAVET = [sys.executable, "-m", "cavet"]


def needs_tmux(test):
    """Skip a test, with a line that says so, where there is no tmux."""
    return unittest.skipUnless(shutil.which("tmux"), "tmux is not here, and make could not install it")(test)


class Terminal:
    """One program in one terminal window."""

    def __init__(self, *words, columns=160, rows=47, home=None):
        self.folder = Path(tempfile.mkdtemp(prefix="terminal-"))
        self.home = home or self.folder
        self._socket = str(self.folder / "socket")
        settings = {
            "HOME": str(self.home),
            "XDG_STATE_HOME": str(self.home),
            "TERM": "xterm-256color",
            "LC_ALL": "C.UTF-8",
        }
        command = " ".join(f"{name}={shlex.quote(value)}" for name, value in settings.items())
        command += f" {shlex.join(words)}; echo code $?; sleep 1000"
        self._tmux("new-session", "-d", "-x", str(columns), "-y", str(rows), command)

    def _tmux(self, *words):
        environment = {name: value for name, value in os.environ.items() if name != "TMUX"}
        done = subprocess.run(
            ["tmux", "-S", self._socket, *words],
            capture_output=True,
            text=True,
            check=True,
            timeout=PATIENCE,
            env=environment,
        )
        return done.stdout

    def text(self):
        return self._tmux("capture-pane", "-p")

    def press(self, *keys):
        self._tmux("send-keys", *keys)

    def type(self, text):
        self._tmux("send-keys", "-l", text)

    def resize(self, columns, rows):
        self._tmux("resize-window", "-x", str(columns), "-y", str(rows))

    def sees(self, *words):
        """Wait until all words can be seen; fail with what is there instead."""
        return self.until(lambda text: all(word in text for word in words), words)

    def until(self, holds, what=""):
        deadline = time.monotonic() + PATIENCE
        while not holds(text := self.text()):
            if time.monotonic() > deadline:
                raise AssertionError(f"not seen within {PATIENCE:.0f} s: {what}\n{text}")
            time.sleep(0.03)
        return text

    def end(self):
        subprocess.run(["tmux", "-S", self._socket, "kill-server"], capture_output=True, check=False)
        shutil.rmtree(self.folder, ignore_errors=True)
