"""The examples of the page for scripts and tests, run as they stand there."""

import re
import unittest
from pathlib import Path

PAGE = Path(__file__).parents[2] / "docs" / "your-own-tests.md"


class Examples(unittest.TestCase):
    def test_each_example_runs(self):
        examples = re.findall(r"```python\n(.*?)```", PAGE.read_text("utf-8"), re.DOTALL)
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


if __name__ == "__main__":
    unittest.main()
