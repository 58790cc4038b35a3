"""Debian's broker on a free port, for tests and for speed: it can be killed, and started again on the same port."""

from __future__ import annotations

import shutil
import socket
import subprocess
import tempfile
import time
import unittest
from pathlib import Path

from tests.patience import PATIENCE

PROGRAM = "mosquitto"


def broker_path() -> str | None:
    """Where it is; `None` where there is none. Debian keeps it outside a user's path."""
    return shutil.which(PROGRAM) or shutil.which(PROGRAM, path="/usr/sbin")


def needs_broker(test):
    """Skip a test, with a line that says so, where there is no broker."""
    return unittest.skipUnless(broker_path(), "no broker is here, and make could not install one")(test)


def free_port() -> int:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return free.getsockname()[1]


class RealBroker:
    """One broker that keeps nothing over a restart."""

    def __init__(self, *settings: str) -> None:
        self.port = free_port()
        self._folder = tempfile.TemporaryDirectory()
        self._settings = Path(self._folder.name) / "broker.conf"
        lines = (f"listener {self.port} 127.0.0.1", "allow_anonymous true", "max_queued_messages 100000", *settings)
        self._settings.write_text("\n".join(lines) + "\n")
        self.start()

    @property
    def address(self) -> str:
        return f"127.0.0.1:{self.port}"

    def start(self) -> None:
        """Start it, and wait until it is there."""
        self._process = subprocess.Popen(
            [broker_path(), "-c", str(self._settings)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        deadline = time.monotonic() + PATIENCE
        while True:
            try:
                socket.create_connection(("127.0.0.1", self.port), 1).close()
                return
            except OSError:
                if time.monotonic() > deadline:
                    raise

    def kill(self) -> None:
        """It is gone at once."""
        self._process.kill()
        self._process.wait()

    def end(self) -> None:
        self.kill()
        self._folder.cleanup()
