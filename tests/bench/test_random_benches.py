"""What is wired rightly comes to what was asked, by any protocol, form and order; a walk finds nothing wrong."""

import contextlib
import random
import re
import tempfile
import unittest
from pathlib import Path

import cavet
from cavet.bench import PastTrails
from cavet.benchfile import load_bench
from cavet.record import Kind
from cavet.remarks import Weight, remarks_on
from tests.bench.random_benches import Lots, SharedLots
from tests.bench.random_inputs import Inputs

SEEDS, DEFECT_SEEDS, BURST_SEEDS = (*range(36), 106, 170), (*range(34), 163, 175), (*range(20), 32, 98, 133, 169)
INPUT_SEEDS, FAULT_SEEDS, PAST_SEEDS, TRUTH_SEEDS = range(30), range(24), range(16), range(24)
SLOW = ((40, 110), (40, 300), (48, 300), (61, 110), (103, 300), (205, 110), (211, 110), (222, 110), (258, 600))
"""Seeds of benches with a serial line, and a rate for it."""
LATE_SEEDS = (6, 26, 229, 406, 491, 588, 637, 656, 682, 868, 869, 885, 931, 1005, 1053, 1092)
SHARED_SEEDS = range(6)
STANDS = (Kind.CONFIRMED, Kind.UNCHANGED)
FAULTS = ("lose", "delay", "silence", "hang-up", "reset")
NEAR = 0.025


def written(drawn, folder):
    """Write a bench and its plans; give its path. No remark finds it wrong."""
    path = Path(folder) / "lot.bench.toml"
    for name, text in {path.name: drawn.text, **drawn.plans}.items():
        (Path(folder) / name).write_text(text)
    wrong = [each.what for each in remarks_on(load_bench(path).setup) if each.weight is Weight.WRONG]
    assert not wrong, wrong
    return path


@contextlib.contextmanager
def opened(seed, **how):
    """A bench that is drawn from a seed, running, with what was drawn, and with lots of the same seed."""
    drawn = Lots(seed, **how).drawn
    with tempfile.TemporaryDirectory() as folder, cavet.open(written(drawn, folder), seed=str(seed)) as bench:
        yield bench, drawn, random.Random(seed)


class Wishing:
    """Asks every output of a bench for something, and looks whether its part gets there."""

    def wish(self, bench, drawn, lot):
        for _ in range(2):
            for name in lot.sample([*drawn.levels, *drawn.switches], len(drawn.levels) + len(drawn.switches)):
                if name in drawn.switches:
                    wanted = lot.random() < 0.5
                    self.come_to(bench, name, wanted, drawn.switches[name], float(wanted), NEAR)
                    continue
                part, (low, high), stands = drawn.levels[name]
                share = lot.choice((0, 1, 0.5, lot.random()))
                there = stands[0] + share * (stands[1] - stands[0]) if stands is not None else share
                self.come_to(bench, name, low + share * (high - low), part, there, NEAR * abs(high - low))
            for name, part in drawn.colours.items():
                wanted = f"#{lot.getrandbits(24):06x}"
                bench[name].set(wanted)
                self.assertEqual((bench[name].read(), bench.part(part).state), (wanted, wanted), name)

    def come_to(self, bench, name, wanted, part, there, near):
        bench[name].set(wanted)
        self.assertAlmostEqual(bench[name].read(), wanted, delta=near, msg=name)
        bench.wait(2)
        running = bench._running
        stands = running.world.part(part).fraction(running.clock.now())
        self.assertAlmostEqual(stands, there, delta=NEAR, msg=f"{name} = {wanted}")


def some_value(drawn, name, lot):
    """Something that an output may be asked for."""
    if name in drawn.colours:
        return f"#{lot.getrandbits(24):06x}"
    if name in drawn.levels:
        low, high = drawn.levels[name][1]
        return low + lot.choice((0, 1, lot.random())) * (high - low)
    return lot.random() < 0.5


def is_there(bench, drawn, name, value):
    """Whether the part of an output is where that was asked to be."""
    running = bench._running
    part = running.world.part(drawn.parts[name])
    if name in drawn.colours:
        return part.colour == value
    share = float(value)
    if name in drawn.levels:
        _, (low, high), stands = drawn.levels[name]
        share = (value - low) / (high - low)
        share = share if stands is None else stands[0] + share * (stands[1] - stands[0])
    return abs(part.fraction(running.clock.now()) - share) <= NEAR


class Asking:
    """Asks for several things at once."""

    def ask(self, bench, name, values):
        running = bench._running

        def ask():
            for value in values:
                running.ask(running.point(name), value, by="test")

        bench._here(ask)

    def burst(self, bench, drawn, lot, least, most):
        """So many wishes for one output at once, and a while."""
        name = lot.choice(list(drawn.parts))
        self.ask(bench, name, [some_value(drawn, name, lot) for _ in range(lot.randint(least, most))])
        bench.wait(lot.choice((0, 0.003, 0.02, 2)))

    def broken(self, bench):
        def look():
            bench._standings.follow()
            return [(trail.point, found.reason) for trail, found in bench._standings.broken()]

        return bench._here(look)


class Right(Wishing, unittest.TestCase):
    def test_what_is_asked_is_where_the_parts_are(self):
        drawn_by = [*((Lots, seed) for seed in SEEDS), *((SharedLots, seed) for seed in SHARED_SEEDS)]
        for lots, seed in drawn_by:
            with self.subTest(lots.__name__, seed=seed), tempfile.TemporaryDirectory() as folder:
                drawn = lots(seed).drawn
                with cavet.open(written(drawn, folder)) as bench:
                    self.wish(bench, drawn, random.Random(seed))
                    found = {walked.output: walked.why for walked in bench.walk() if walked.held is not True}
                    self.assertEqual(found, {})


class Shared(Asking, unittest.TestCase):
    def test_a_burst_of_wishes_ends_with_the_last_of_each(self):
        for seed in SHARED_SEEDS:
            with self.subTest(seed), tempfile.TemporaryDirectory() as folder:
                drawn, lot = SharedLots(seed, confirmed=True).drawn, random.Random(seed)
                with cavet.open(written(drawn, folder)) as bench:
                    last = {}
                    for _ in range(3):
                        for name in lot.sample([*drawn.parts], len(drawn.parts)):
                            values = [some_value(drawn, name, lot) for _ in range(lot.randint(1, 3))]
                            last[name] = values[-1]
                            self.ask(bench, name, values)
                        bench.wait(lot.random() * 0.2)
                    bench.wait(20.0)
                    self.assertEqual([], [name for name in last if not is_there(bench, drawn, name, last[name])])
                    self.assertEqual([], [trail.why for trail in bench.trails() if trail.broken_at])


class Slow(Wishing, unittest.TestCase):
    def test_what_is_asked_is_where_the_parts_are_on_slow_lines_too(self):
        for seed, rate in SLOW:
            drawn = Lots(seed).drawn
            drawn.text = re.sub(r"rate = \d+", f"rate = {rate}", drawn.text)
            with self.subTest(seed, rate=rate), tempfile.TemporaryDirectory() as folder:
                with cavet.open(written(drawn, folder)) as bench:
                    self.wish(bench, drawn, random.Random(seed))
                    self.assertEqual([], [walked.why for walked in bench.walk() if walked.held is not True])


class Bursts(Asking, unittest.TestCase):
    def test_of_several_wishes_at_once_the_last_one_holds_and_none_is_broken(self):
        for seed in BURST_SEEDS:
            with self.subTest(seed), opened(seed) as (bench, drawn, lot):
                for _ in range(10):
                    self.burst(bench, drawn, lot, 2, 4)
                bench.wait(20)
                self.assertEqual(self.broken(bench), [])
                for name in drawn.parts:
                    asked, got = bench[name].asked, bench[name].read()
                    self.assertTrue(asked is None or bench[name]._point.same(asked, got), (name, asked, got))

    def test_what_a_display_was_told_before_it_could_show_it_is_not_broken(self):
        with cavet.open("demo") as bench:
            for name, values in (("banner", ("A", "clear", "B")), ("arrow", ("←", "A")), ("panel", ("a", "", "b"))):
                self.ask(bench, name, values)
            bench.wait(10)
            self.assertEqual(self.broken(bench), [])
            shown = [bench.part(part).state for part in ("mast.banner", "gatehouse.arrow", "gatehouse.panel")]
            self.assertTrue(all(shown), shown)


class Truthful(Asking, unittest.TestCase):
    def test_whatever_happens_no_output_counts_as_done_that_is_not(self):
        for seed in TRUTH_SEEDS:
            with self.subTest(seed), opened(seed, confirmed=True) as (bench, drawn, lot):
                boards = sorted({part.partition(".")[0] for part in drawn.parts.values()})
                for _ in range(12):
                    with contextlib.suppress(cavet.WrongError):  # not every link can be hung up
                        for kind in lot.sample((*FAULTS, "garble"), lot.randint(0, 1)):
                            bench.fault(kind, lot.choice(boards))
                    self.burst(bench, drawn, lot, 1, 3)
                bench.wait(60)
                told = {name for name, _ in self.broken(bench)}
                for name in drawn.parts:
                    asked = bench[name].asked
                    if asked is not None and not is_there(bench, drawn, name, asked) and name not in told:
                        self.assertFalse(bench[name]._point.same(asked, bench[name].got), (name, asked))


class Late(Asking, unittest.TestCase):
    """Boards that answer later than their hosts wait, and wishes that come before the answers."""

    def test_what_is_confirmed_or_left_since_it_stands_there_is_there(self):
        for seed in LATE_SEEDS:
            with self.subTest(seed):
                lot, drawn = random.Random(seed), Lots(seed).drawn
                for board in sorted({part.partition(".")[0] for part in drawn.parts.values()}):
                    delay = lot.choice((60, 300, 550, 700, 900, 1200))
                    late = f'kind = "late"\ndelay = "{delay} ms"\nboard = "{board}"\non = true'
                    drawn.text += f"\n[defects.late_{board}]\n{late}\n"
                with (
                    tempfile.TemporaryDirectory() as folder,
                    cavet.open(written(drawn, folder), seed=str(seed)) as bench,
                ):
                    bench.wait(6)
                    for _ in range(10):
                        self.some_wishes(seed, bench, drawn, lot)

    def some_wishes(self, seed, bench, drawn, lot):
        name = lot.choice([*drawn.levels, *drawn.switches, *drawn.colours])
        for _ in range(lot.choice((1, 2, 3, 4))):
            value = some_value(drawn, name, lot)
            self.ask(bench, name, [value])
            bench.wait(lot.choice((0, 0.02, 0.2, 0.4, 0.5, 0.6, 1)))
        bench.wait(9)
        asked = bench[name]._reading.trail
        ends = [event for event in bench.record.events if event.cause == asked and event.kind in STANDS]
        if ends and "asked for already" not in ends[-1].note:
            self.assertTrue(is_there(bench, drawn, name, value), (seed, name, value, ends[-1]))


class Spoilt(unittest.TestCase):
    def test_a_walk_finds_the_outputs_that_a_defect_spoils_and_no_others(self):
        for seed in DEFECT_SEEDS:
            with self.subTest(seed), tempfile.TemporaryDirectory() as folder:
                drawn, lot = Lots(seed).drawn, random.Random(seed)
                defect, spoilt = self.defect(drawn, lot)
                drawn.text += f"\n[defects.x]\n{defect}\n"
                with cavet.open(written(drawn, folder)) as bench, bench.defect("x"):
                    found = {walked.output: walked.why for walked in bench.walk() if walked.held is False}
                self.assertEqual(set(found), spoilt, (defect, found))

    def defect(self, drawn, lot):
        """One of them, and the outputs that it spoils."""
        name = lot.choice(sorted(drawn.pins))
        board, pins = drawn.pins[name]
        near = [other for other, (where, there) in drawn.pins.items() if where == board and len(there) == 1]
        others = [other for other in near if other != name]
        kind = lot.choice(("dead-pin", "swapped" if others and len(pins) == 1 else "dead-pin"))
        keys = f'on = false\nkind = "{kind}"\nboard = "{board}"\n'
        if kind == "swapped":
            other = lot.choice(others)
            return f"{keys}pins = [{pins[0]}, {drawn.pins[other][1][0]}]", {name, other}
        return f"{keys}pin = {lot.choice(pins)}", {name}


class Faulty(Wishing, unittest.TestCase):
    def test_after_a_fault_what_is_asked_is_where_the_parts_are_again(self):
        for seed in FAULT_SEEDS:
            with self.subTest(seed), opened(seed, confirmed=True) as (bench, drawn, lot):
                self.wish(bench, drawn, lot)
                for board in sorted({part.partition(".")[0] for part in drawn.parts.values()}):
                    fault = lot.choice(FAULTS)
                    with contextlib.suppress(cavet.WrongError):  # a device file can't be hung up
                        bench.fault(fault, board)
                    for name in drawn.parts:
                        with contextlib.suppress(cavet.Refused, cavet.Unconfirmed, cavet.UnreachableError):
                            bench[name].set("#00ff00" if name in drawn.colours else bench[name].asked)
                    bench.wait(12)
                    with self.subTest(fault):
                        self.wish(bench, drawn, lot)


class Past(unittest.TestCase):
    def test_a_record_tells_of_each_command_what_was_told_while_it_ran(self):
        for seed in PAST_SEEDS:
            with self.subTest(seed), tempfile.TemporaryDirectory() as folder:
                drawn, lot = Lots(seed).drawn, random.Random(seed)
                defect, _ = Spoilt().defect(drawn, lot)
                drawn.text += f"\n[defects.x]\n{defect}\n"
                with cavet.open(written(drawn, folder), seed=str(seed)) as bench:
                    boards = sorted({part.partition(".")[0] for part in drawn.parts.values()})
                    with bench.defect("x"):
                        for _ in range(10):
                            with contextlib.suppress(cavet.WrongError):  # not every link can be hung up
                                bench.fault(lot.choice(FAULTS), lot.choice(boards))
                            self.ask(bench, drawn, lot)
                            bench.wait(lot.choice((0, 0.01, 0.3, 2)))
                        bench.wait(30)
                    told = bench._here(lambda bench=bench: self.told(bench))
                    self.assertTrue(told)
                    for live, past in told:
                        self.assertEqual(
                            (live.broken, live.reason, live.states), (past.broken, past.reason, past.states)
                        )

    def ask(self, bench, drawn, lot):
        name = lot.choice(list(drawn.parts))
        value = some_value(drawn, name, lot)
        with contextlib.suppress(cavet.Refused, cavet.Unconfirmed, cavet.UnreachableError):
            bench[name].set(value)

    def told(self, bench):
        standings, running = bench._standings, bench._running
        standings.follow()
        past = PastTrails(running.setup).read(running.record.since(0))
        kept = standings.trails.all
        return [
            (standings.diagnose(kept[trail.number]), past.diagnose(trail)) for trail in past.all if trail.number in kept
        ]


class Read(unittest.TestCase):
    def test_what_is_read_is_what_is_there(self):
        for seed in INPUT_SEEDS:
            with self.subTest(seed), tempfile.TemporaryDirectory() as folder:
                drawn = Inputs(seed)
                with cavet.open(written(drawn.drawn, folder), seed=str(seed)) as bench:
                    bench.wait(2)
                    lot, worked = random.Random(seed), dict.fromkeys(drawn.contacts, False)
                    for _ in range(3):
                        self.look(bench, drawn, worked)
                        for quantity, (low, high) in drawn.quantities.items():
                            bench.rig[quantity] = lot.choice((low, high, lot.uniform(low, high)))
                        for name, (what, how) in drawn.contacts.items():
                            if isinstance(how, tuple):
                                worked[name] = lot.random() < 0.5
                                bench.part(what).do(how[worked[name]])
                        bench.wait(1.5)

    def look(self, bench, drawn, worked):
        for name, (quantity, off) in drawn.readings.items():
            there = bench.rig[quantity]
            self.assertAlmostEqual(bench[name].got, there, delta=off, msg=name)
            self.assertAlmostEqual(bench[name].read(), there, delta=off, msg=name)
        for name, (what, how) in drawn.contacts.items():
            there = worked[name] if isinstance(how, tuple) else bench.rig[what] > how
            self.assertEqual((bench[name].got, bench[name].read()), (there, there), name)


if __name__ == "__main__":
    unittest.main()
