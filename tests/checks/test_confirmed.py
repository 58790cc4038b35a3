"""What a session takes for confirmed is so: some seeds of each; `python -m tests.checks.confirmed` tries more."""

import unittest

from tests.checks.confirmed import SETUP, look


class NothingIsLost(unittest.TestCase):
    def test_whatever_goes_wrong_on_the_link(self):
        for host in SETUP.hosts:
            for seed in range(8):
                with self.subTest(host=host, seed=seed):
                    self.assertEqual([], look(host, str(seed)))
