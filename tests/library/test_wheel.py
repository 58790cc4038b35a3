"""The wheel, installed with pip into an environment with nothing in it."""

import subprocess
import sys
import tempfile
import unittest
import venv
from pathlib import Path

from tests.patience import PATIENCE

ROOT = Path(__file__).parents[2]
UNREACHABLE = ("No matching distribution", "ConnectionError", "Could not fetch", "Temporary failure")
SCRIPT = """
import cavet, pathlib
assert pathlib.Path(cavet.__file__).with_name("py.typed").exists()
with cavet.open("demo", seed="a") as bench:
    print(bench["beacon"].set("50 %").ended)
"""


class Installed(unittest.TestCase):
    def test_it_works_in_an_empty_environment(self):
        with tempfile.TemporaryDirectory() as folder:
            build = f"from flit_core.buildapi import build_wheel; print(build_wheel({folder!r}))"
            built = subprocess.run([sys.executable, "-c", build], cwd=ROOT, capture_output=True, text=True)
            self.assertEqual(built.returncode, 0, built.stderr)
            wheel = Path(folder, built.stdout.split()[-1])
            home = Path(folder, "empty")
            venv.create(home, with_pip=True)
            install = [home / "bin" / "pip", "install", "--quiet", "--no-compile", "--disable-pip-version-check", wheel]
            pip = subprocess.run(install, capture_output=True, text=True, timeout=20 * PATIENCE)
            if any(words in pip.stderr for words in UNREACHABLE):
                self.skipTest("no registry can be reached, to install what the wheel needs")
            self.assertEqual(pip.returncode, 0, pip.stderr)
            for call, told in (
                ([home / "bin" / "python", "-I", "-c", SCRIPT], "confirmed"),
                ([home / "bin" / "cavet", "drive", "demo", "beacon=50%"], "confirmed 50 %"),
                ([home / "bin" / "cavet", "show", "profile", "wren"], "pull-up"),
            ):
                with self.subTest(told):
                    ran = subprocess.run(call, cwd=folder, capture_output=True, text=True, timeout=5 * PATIENCE)
                    self.assertEqual((ran.returncode, ran.stderr), (0, ""))
                    self.assertIn(told, ran.stdout)


if __name__ == "__main__":
    unittest.main()
