"""Moments of a record: what they tell, against what was there at that time. Benches and what is done are drawn by
lot."""

import contextlib
import random
import tempfile
import unittest

import msgspec

import cavet
from cavet.lanes import Lanes
from cavet.record import Kind, Topic
from cavet.workbench import board_views
from cavet.workbench.record.moment import moment_at
from cavet.workbench.record.then import Then
from tests.bench.random_benches import Lots
from tests.bench.random_inputs import Inputs
from tests.bench.test_random_benches import written

SEEDS = range(16)
MOMENTS = 12
PAUSES = (0.003, 0.02, 0.1, 0.5, 2.0)
JUST_AFTER = 0.001
"""So long nothing is done after a look: what is done at the same time comes later in the record."""
NEAR = 0.01
AT_LAST = {"relay", "lamp"}
"""Of these only the arrival is told, not the way there."""


class Seen:
    """What was there at a moment of a bench that runs."""

    def __init__(self, running):
        self.t, self.number = running.clock.now(), len(running.record) - 1
        setup, sessions = running.setup, running.host_links
        self.points = {}
        for point in setup.points.values():
            reading = sessions[point.board].session.readings[point.name]
            self.points[point.name] = (reading.asked, reading.got)
        boards = running.world.boards
        self.boards = {host: boards[setup.board_of(host)] for host in setup.hosts}
        self.parts = {
            name: {part.name: (part.fraction(self.t), part.busy(self.t)) for part in board.circuit.parts.values()}
            for name, board in self.boards.items()
        }
        self.pins = {
            name: {pin.number: board_views.pin_view(board, pin, self.t) for pin in board.circuit.pins.values()}
            for name, board in self.boards.items()
        }


class Moments(unittest.TestCase):
    def test_a_moment_is_as_it_was_then(self):
        for seed in SEEDS:
            lot = random.Random(seed)
            drawn = (Lots if seed % 2 else Inputs)(seed)
            with self.subTest(seed), tempfile.TemporaryDirectory() as folder:
                with cavet.open(written(drawn.drawn, folder)) as bench:
                    running, seen = bench._running, []
                    for _ in range(MOMENTS):
                        self.do(bench, drawn, lot)
                        bench.wait(lot.choice(PAUSES))
                        seen.append(bench._here(lambda running=running: Seen(running)))
                        bench.wait(JUST_AFTER)
                    bench.wait(2)  # what is on its way arrives
                    then = Then(running, Lanes(running.setup).read(running.record.since(0)))
                    for each in seen:
                        self.look(running, then, each)

    def test_what_has_not_arrived_when_the_record_ends_is_told_as_on_its_way(self):
        with cavet.open("demo", seed="a") as bench:
            running, told = bench._running, []
            bench.wait(3)
            bench._here(lambda: running.ask(running.point("upper_paddle"), 60.0, by="test"))
            for pause in (0.1, 3.0):
                bench.wait(pause)
                then = Then(running, Lanes(running.setup).read(running.record.since(0)))
                for number in (len(running.record) - 1, 500):
                    seen = then.board(moment_at(running, number), running.setup.points["upper_paddle"])
                    told.append(next(part.tells for part in seen.parts if part.name == "upper_paddle"))
        self.assertEqual(["on its way: from 15° to 105°", "15°", "105°", "15°"], told)

    def test_a_record_may_say_anything(self):
        drawn = next(each for each in map(Lots, range(1, 99, 2)) if each.drawn.colours)
        with tempfile.TemporaryDirectory() as folder, cavet.open(written(drawn.drawn, folder)) as bench:
            bench.wait(3)
            running = bench._running
            name, path = next(iter(drawn.drawn.colours.items()))
            board, _, part = path.partition(".")
            pin = next(pin.number for pin in running.world.boards[board].profile.pins.values() if not pin.reserved)
            for value in ("evil\x1b[31m", "#zzzzzz", "#12345", ""):
                running.record.append(Kind.DRIVEN, board, Topic.PIN, str(pin), value, None, "mode")
                running.record.append(Kind.MOVED, board, Topic.PART, part, value)
                then = Then(running, Lanes(running.setup).read(running.record.since(0)))
                seen = then.board(moment_at(running, len(running.record) - 1), running.setup.points[name])
                (lamp,) = [each for each in seen.parts if each.name == part]
                self.assertEqual((0.0, "", True), (lamp.fraction, lamp.colour, lamp.tells.isprintable()), value)
                self.assertTrue(all(each.mode.isprintable() for each in seen.pins))

    def do(self, bench, drawn, lot):
        names = [*drawn.drawn.levels, *drawn.drawn.switches, *drawn.drawn.colours]
        for name in lot.sample(names, min(1, len(names))):
            with contextlib.suppress(cavet.Unconfirmed, cavet.Refused):  # its board is beginning anew
                bench[name].set(self.value(drawn.drawn, name, lot))
        if isinstance(drawn, Inputs):
            for quantity, (low, high) in drawn.quantities.items():
                bench.rig[quantity] = lot.uniform(low, high)
            for what, how in drawn.contacts.values():
                if isinstance(how, tuple):
                    bench.part(what).do(lot.choice(how))
        elif lot.random() < 0.15:
            with contextlib.suppress(cavet.WrongError):  # one that has no link can't be told to
                bench.fault("reset", lot.choice(sorted(bench._running.setup.boards)))

    def value(self, drawn, name, lot):
        if name in drawn.colours:
            return f"#{lot.getrandbits(24):06x}"
        return lot.random() < 0.5 if name in drawn.switches else lot.uniform(*drawn.levels[name][1])

    def look(self, running, then, seen):
        moment = msgspec.structs.replace(moment_at(running, seen.number), t=seen.t)
        told = {name: (point.asked, point.got) for name, point in moment.points.items()}
        self.assertEqual(seen.points, {name: told.get(name, (None, None)) for name in seen.points})
        for point in {point.board: point for point in running.setup.points.values()}.values():
            drawn = then.board(moment, point)
            for part in drawn.parts if seen.parts[drawn.name] else ():  # else its points stand for them
                fraction, is_busy = seen.parts[drawn.name][part.name.partition(" +")[0]]
                if not (is_busy and part.kind in AT_LAST):
                    self.assertAlmostEqual(fraction, part.fraction, delta=NEAR, msg=f"{part} at {seen.t}")
            for pin in drawn.pins:
                was = seen.pins[drawn.name][pin.number]
                self.assertEqual((was.mode, was.kind), (pin.mode, pin.kind), f"{was} at {seen.t}")
                self.assertAlmostEqual(was.level, pin.level, delta=NEAR, msg=f"{was} at {seen.t}")


if __name__ == "__main__":
    unittest.main()
