"""Points at registers of any map, and at shift registers on SPI: over Firmata and on the host's own buses."""

import asyncio
import tempfile
import unittest
from pathlib import Path

from cavet.benchfile import load_bench
from cavet.record import Kind
from cavet.wording import WrongError
from tests.bench.test_buses import in_fast_time

BENCH = """format = 1
[boards.yard]
profile = "PROFILE"
firmware = "FIRMWARE"
[boards.yard.parts]
sensor = { kind = "registers", address = 0x19, map = "tiny.plan.toml#sensor" }
row = { kind = "shift", registers = 2, chip = 1, mode = 1 }
lamp_0 = { kind = "lamp", pin = "row.Q0" }
lamp_9 = { kind = "lamp", pin = "row.Q9" }
[links.yard]
kind = "LINK"
board = "yard"
[hosts.yard]
link = "yard"
protocol = "FIRMWARE"
[hosts.yard.devices]
sensor = { kind = "registers", address = 0x19, map = "tiny.plan.toml#sensor", writes = "shadow" }
row = { kind = "shift", registers = 2, chip = 1, mode = 1, rate = "2 MHz" }
[points.gain]
board = "yard"
kind = "level"
device = "sensor.control.gain"
range = [0, 7]
unit = ""
[points.run]
board = "yard"
kind = "switch"
device = "sensor.control.run"
[points.threshold]
board = "yard"
kind = "level"
device = "sensor.threshold"
range = [-100, 100]
wire = [-1000, 1000]
[points.begin]
board = "yard"
kind = "switch"
device = "sensor.order.begin"
[points.warm]
board = "yard"
kind = "reading"
device = "sensor.warm"
range = [0, 100]
[points.lamp_0]
board = "yard"
kind = "switch"
device = "row.Q0"
active = "low"
[points.lamp_9]
board = "yard"
kind = "switch"
device = "row.Q9"
"""
SETUP = """format = 1
[maps.sensor]
[maps.sensor.registers.control]
at = 0x00
reset = 0x20
fields = { run = { at = 0 }, gain = { at = 1, bits = 3 }, done = { at = 5, access = "write-one-to-clear" } }
[maps.sensor.registers.order]
at = 0x01
reset = 0x80
access = "write-only"
fields = { begin = { at = 3 } }
[maps.sensor.registers]
threshold = { at = 0x02, size = 2 }
warm = { at = 0x04, size = 2, access = "read-only", reset = 0x8000 }
"""
FIRMATA = {"PROFILE": "wren", "FIRMWARE": "firmata", "LINK": "serial"}
BUSES = {"PROFILE": "none", "FIRMWARE": "buses", "LINK": "buses"}
WISHES = {"gain": 5.0, "run": True, "threshold": -50.0, "begin": True, "lamp_9": True}


class Registers(unittest.TestCase):
    def load(self, over, **changes):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        text = BENCH
        for old, new in {**over, **changes}.items():
            self.assertIn(old, text)
            text = text.replace(old, new)
        (Path(folder.name) / "tiny.plan.toml").write_text(SETUP)
        path = Path(folder.name) / "yard.bench.toml"
        path.write_text(text)
        return load_bench(path).setup

    def drive(self, setup, wishes=WISHES):
        async def story(bench, standings):
            for name, value in wishes.items():
                bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(1)
            standings.follow()
            stages = {}
            for name in wishes:
                trail = next(each for each in reversed(standings.trails.all.values()) if each.root.subject == name)
                stages[name] = trail.furthest
            sensor = bench.world.part("yard.sensor")
            held = {name: sensor.value(name, 0.0) for name in ("control", "order", "threshold")}
            lit = {name: bench.world.part(f"yard.{name}").fraction(bench.clock.now()) for name in ("lamp_0", "lamp_9")}
            return stages, held, lit, bench.host_links["yard"].session.readings["warm"].got, bench.record.since(0)

        return in_fast_time(story, boards=["yard"], setup=setup)

    def test_fields_numbers_and_bits_over_firmata_and_on_own_buses(self):
        for over in (FIRMATA, BUSES):
            for writes in ("shadow", "read"):
                with self.subTest(over["FIRMWARE"], writes=writes):
                    stages, held, lit, warm, _ = self.drive(self.load(over, shadow=writes))
                    self.assertEqual(held, {"control": 0x2B, "order": 0x88, "threshold": 0x10000 - 500})
                    self.assertEqual(lit, {"lamp_0": 1.0, "lamp_9": 1.0})
                    self.assertAlmostEqual(warm, 50, 2)
                    confirmed = {name for name, stage in stages.items() if stage == Kind.CONFIRMED}
                    self.assertEqual(confirmed, {"gain", "run", "threshold"})
                    self.assertEqual(stages["lamp_9"], Kind.MOVED)

    def test_clocked_at_the_other_edge_bits_come_one_place_late(self):
        row = 'row = { kind = "shift", registers = 2, chip = 1, mode = 1, rate'
        for over in (FIRMATA, BUSES):
            setup = self.load(over, **{row: row.replace("mode = 1", "mode = 3")})
            _, _, lit, _, events = self.drive(setup, {"lamp_9": True})
            self.assertEqual(lit["lamp_9"], 0.0)
            self.assertTrue(any("clocked in mode 3, but it is for mode 1" in event.note for event in events))
            setup = self.load(over, **{row: row.replace("mode = 1", "mode = 2")})
            self.assertEqual(self.drive(setup, {"lamp_9": True})[2]["lamp_9"], 1.0)

    def test_what_can_not_be_is_told_at_its_place(self):
        cases = {
            'device = "sensor.control.gain"': 'device = "sensor.control.gian"',
            'device = "sensor.control.run"': 'device = "sensor.control.gain"',
            'device = "sensor.threshold"': 'device = "sensor.warm"',
            'device = "sensor.warm"': 'device = "sensor.order"',
            'device = "row.Q9"': 'device = "row.Q16"',
            'pin = "row.Q9"': 'pin = "row.Q16"',
            'kind = "level"\ndevice = "sensor.control.gain"': 'kind = "text"\ndevice = "sensor.control.gain"',
        }
        for old, new in cases.items():
            with self.subTest(new), self.assertRaises((WrongError, ExceptionGroup)) as caught:
                self.load(FIRMATA, **{old: new})
            self.assertRegex(
                str(getattr(caught.exception, "exceptions", [caught.exception])[0]), r"yard.*:\d+ (points|boards)\."
            )


if __name__ == "__main__":
    unittest.main()
