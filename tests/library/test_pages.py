"""The examples of the pages for scripts, tests and checks, run as they stand there."""

import os
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.patience import PATIENCE

DOCS = Path(__file__).parents[2] / "docs"
BLOCK = re.compile(r"^```(\w*)\n(.*?)^```", re.DOTALL | re.MULTILINE)
NAMED = re.compile(r"# ([\w.]+)(, at its end)?\n")


class Examples(unittest.TestCase):
    def test_each_example_of_scripts_and_tests_runs(self):
        page = (DOCS / "your-own-tests.md").read_text("utf-8")
        examples = [code for language, code in BLOCK.findall(page) if language == "python"]
        self.assertGreater(len(examples), 5)
        for number, code in enumerate(examples, 1):
            with self.subTest(number):
                names = {"__name__": f"example_{number}", "print": lambda *words: None}
                exec(compile(code, f"example {number}", "exec"), names)
                for made in names.values():
                    if isinstance(made, type) and issubclass(made, unittest.TestCase) and made.__name__ != "BenchCase":
                        result = unittest.defaultTestLoader.loadTestsFromTestCase(made).run(unittest.TestResult())
                        self.assertGreater(result.testsRun, 0)
                        self.assertEqual([text for _, text in [*result.failures, *result.errors]], [])

    def test_the_page_for_host_software_can_be_followed_from_its_beginning_to_its_end(self):
        page = (DOCS / "test-your-host-software.md").read_text("utf-8")
        bin_folder = str(Path(sys.executable).parent)
        with tempfile.TemporaryDirectory() as folder:
            kept = {**os.environ, "PATH": f"{bin_folder}{os.pathsep}{os.environ['PATH']}", "CAVET_STATE": folder}

            def call(*words):
                done = subprocess.run(
                    words, cwd=folder, env=kept, capture_output=True, text=True, timeout=PATIENCE, check=False
                )
                self.assertEqual(0, done.returncode, f"{words}\n{done.stdout}{done.stderr}")

            call("cavet", "new", "porch.bench.toml", "--modbus")
            shells = 0
            for language, text in BLOCK.findall(page):
                if language == "sh":
                    shells += 1
                    call("sh", "-e", "-c", text)
                else:
                    name, more = NAMED.match(text).groups()
                    with (Path(folder) / name).open("a" if more else "w", encoding="utf-8") as file:
                        file.write(text)
            self.assertEqual(5, shells)


if __name__ == "__main__":
    unittest.main()
