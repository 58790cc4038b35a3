"""Runs programs that know nothing of us on a bench's buses and lines."""

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tests.patience import PATIENCE

PROGRAMS = Path(__file__).with_name("programs")


class Programs:
    """Runs programs in a folder of their own, on the demo's buses or on a bench of the test's."""

    MAPS = ("/dev/i2c-1=mast.i2c",)
    BENCH = ""
    """The text of a bench file; "" for the demo."""

    def setUp(self):
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.folder = Path(place.name)
        self.bench = "demo"
        if self.BENCH:
            self.bench = str(self.folder / "test.bench.toml")
            Path(self.bench).write_text(self.BENCH, "utf-8")

    def words(self, *words, maps=None, more=()):
        maps = [f"--map={each}" for each in (self.MAPS if maps is None else maps)]
        return [sys.executable, "-m", "cavet", "with", self.bench, *maps, *more, "--", *words]

    def call(self, *words, maps=None, more=()):
        call = self.words(*words, maps=maps, more=more)
        return subprocess.run(call, capture_output=True, text=True, timeout=PATIENCE, cwd=self.folder)

    def made(self, source, *flags):
        """A program in C, of a text or of a file of `PROGRAMS`."""
        path = self.folder / "program"
        if source.endswith(".c"):
            source = (PROGRAMS / source).read_text("utf-8")
        (self.folder / "program.c").write_text(source, "utf-8")
        subprocess.run(["cc", "-w", *flags, "-o", path, f"{path}.c", "-lpthread"], check=True, capture_output=True)
        return str(path)

    def written(self, name):
        """What a program has written into a file, that goes on when all else has ended."""
        place = self.folder / name
        end = time.monotonic() + PATIENCE
        while not (place.exists() and place.read_text()) and time.monotonic() < end:
            time.sleep(0.02)
        return place.read_text()

    def events(self, record):
        call = [sys.executable, "-m", "cavet", "export", record, "--as", "jsonl"]
        done = subprocess.run(call, capture_output=True, text=True, cwd=self.folder, check=True)
        return [json.loads(line) for line in done.stdout.splitlines()]
