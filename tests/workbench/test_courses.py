"""Where inputs were of late, and how fast they change: what is told of that is so now."""

import unittest

from cavet.workbench.courses import Course


def course(value_at, *, every, until):
    """A course of a value that is asked for every so many seconds."""
    found = Course()
    for number in range(int(until / every) + 1):
        found.note(value_at(number * every), number * every)
    found.pass_to(until)
    return found


class Rates(unittest.TestCase):
    def test_what_rises_or_falls_steadily_has_a_rate_however_often_it_is_asked(self):
        for every in (0.02, 0.1, 0.25, 0.5, 1.0):
            for slope, until in ((34.0, 6.0), (-5.0, 6.05), (34.0, 6.3), (-5.0, 6.55), (34.0, 6.9)):
                with self.subTest(every=every, slope=slope, until=until):
                    rate = course(lambda t, slope=slope: 100 + slope * t, every=every, until=until).rate()
                    self.assertAlmostEqual(slope, rate, delta=abs(slope) / 3)

    def test_what_has_jumped_does_not_rise(self):
        for since in (0.1, 0.3, 0.6, 1.0, 1.9):
            for every in (0.02, 0.25):
                with self.subTest(since=since, every=every):
                    jumped = course(lambda t, at=6.0 - since: 12.0 * (t >= at), every=every, until=6.0)
                    self.assertFalse(jumped.rate())

    def test_what_stands_again_rises_no_more(self):
        filled = course(lambda t: 34.0 * min(t, 5.4), every=0.1, until=6.4)
        self.assertFalse(filled.rate())
        turned = course(lambda t: 34.0 * (5.4 - abs(t - 5.4)), every=0.1, until=6.2)
        self.assertFalse(turned.rate())

    def test_before_it_is_known_for_a_second_it_has_none(self):
        self.assertIsNone(course(lambda t: t, every=0.1, until=0.5).rate())


if __name__ == "__main__":
    unittest.main()
