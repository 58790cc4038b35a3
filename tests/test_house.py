"""The house itself: files that import each other in a circle, files that are too long."""

import unittest
from graphlib import TopologicalSorter
from pathlib import Path

import grimp

import cavet

MOST_LINES = 450


class House(unittest.TestCase):
    def test_no_circle_of_files_is_there_anywhere(self):
        graph = grimp.build_graph("cavet", exclude_type_checking_imports=True, cache_dir=None)
        order = TopologicalSorter({name: graph.find_modules_directly_imported_by(name) for name in graph.modules})
        order.prepare()  # raises for a circle, and names it
        self.assertGreater(len(graph.modules), 500)

    def test_no_file_is_longer_than_one_can_keep_in_mind(self):
        files = Path(cavet.__file__).parent.rglob("*.py")
        lengths = {path.name: len(path.read_text("utf-8").splitlines()) for path in files}
        self.assertEqual({name: lines for name, lines in lengths.items() if lines > MOST_LINES}, {})


if __name__ == "__main__":
    unittest.main()
