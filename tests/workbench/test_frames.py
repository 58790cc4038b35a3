"""What was sent, taken apart on the sheets: for every protocol that the demo speaks, and for programs from outside."""

import asyncio
import shlex
import unittest

from cavet.bench import Tape
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.hosts import PointKind
from cavet.protocols import Side, firmata, i2c, modbus
from cavet.record import Kind, Record
from cavet.routines import routine_text
from cavet.workbench import Desk
from cavet.workbench.brief import brief_message
from cavet.workbench.drawing.sheet import laid
from cavet.workbench.frames.editing import Editing
from cavet.workbench.frames.fate import trail_of
from cavet.workbench.frames.reading import Reading
from cavet.workbench.frames.sentence import Sentence
from cavet.workbench.frames.views import under_view
from cavet.workbench.frames.ways import command_line, fields_of, routine_line
from cavet.workbench.screens.sheets import point_sheet, trail_sheet
from cavet.workbench.trail_views import trails_view
from tests.bench.test_buses import in_fast_time

WISHES = {
    "beacon": 20.0, "upper_paddle": 60.0, "horn": True, "supply_1_voltage": 12.0, "mast_1": True, "panel": "Lock open",
    "arrow": "↑", "pump_a": True, "relay_101": True, "lamp": True, "post_1": True, "yard_1": True, "banner": "LOCK",
}  # fmt: skip
SEEN = {
    "beacon": ("analog-message", "value", "pin 2, pwm 20 %", "pin 2 pwm 20 %."),
    "upper_paddle": ("pin 9, 1627 µs",),
    "horn": ("pin 11, output high", "pin 11 output high."),
    "supply_1_voltage": ("dac, 32768 counts",),
    "mast_1": ("i2c-request", "address"),
    "pump_a": ("write-single-coil", "on at pump_a"),
    "relay_101": ("ROUT:CLOS", "closed at relay_101"),
    "lamp": ("publish", "lamp/set"),
    "post_1": ("mask", "sum"),
    "yard_1": ("44", "register", "address", "carried 3 bytes"),
    "banner": ("transfer", "data"),
}
"""What stands on a trail's sheet, where that says something that others do not."""

TOLD = {
    "gate": "the sign on two lines: steps of 0.39 %",
    "panel": "at 0x3B of its bus: panel, a panel: Lock open",
    "arrow": "  pixels at arrow, on a bus\n",
    "banner": "at chip 0 of its bus: banner, a chain: ",
    "mast_1": "that hangs on mast, an expander: 0x26 ",
    "mast_switch_1": "it reads mast_switch_1, a button: released",
    "flow": "no part is behind it: the board tells it of itself",
    "target_level": "no part is behind it: the board only keeps it",
    "relay_101": "←→            open and closed\n",
}
"""What the sheet of a point says of it."""

WIDTH = 118


def text_of(sheet):
    return "\n".join("".join(text for text, _ in line) for line in laid(sheet, WIDTH))


def read_all(reading, bench):
    """Read on to the end, however long the machine takes: one look takes its time, and no more."""
    reading.follow(bench.clock.now(), 100)
    while reading.left:
        reading.follow(bench.clock.now(), 100)


class Brief(unittest.TestCase):
    def test_the_address_of_a_device_is_said_in_hex_and_that_of_a_register_is_not(self):
        links = Tape(load_bench(demo_path()).setup, Record(lambda: 0.0)).links
        for link, message, told in (
            ("mast", i2c.WriteRead(address=34, data=b"\5", count=1), "write-read 0x22 05 1"),
            ("gatehouse", firmata.I2cReply(address=38, register=4, data=b"\1"), "i2c-reply 0x26 4 01"),
            ("pumphouse", modbus.ReadCoils(address=34, quantity=2), "read-coils 34 2"),
        ):
            self.assertEqual(told, brief_message(links[link].tongue, message))


class Frames(unittest.TestCase):
    def test_every_trail_of_the_demo_can_be_looked_at(self):
        async def story(bench, standings):
            desk = Desk(bench, lambda act: act())
            for name, value in WISHES.items():
                bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(3)
            desk.standings.follow()
            sheets = {}
            for trail in list(desk.standings.trails.all.values()):
                stages = trails_view(desk, desk.points[0], trail.number).current.stages
                carried, driven = (" ".join(stages[place].lines) for place in (2, 4))
                sheets[trail.root.subject] = f"{text_of(trail_sheet(desk, trail))}\ncarried {carried}\n{driven}."
            return sheets, {point.name: text_of(point_sheet(desk, point)) for point in desk.points}

        sheets, points = in_fast_time(story, boards=None)
        self.assertGreater(len(points), 60)
        for name, words in TOLD.items():
            with self.subTest(name):
                self.assertIn(words, points[name])
        for name in WISHES:
            with self.subTest(name):
                self.assertIn("the frame", sheets[name])
                for word in SEEN.get(name, ()):
                    self.assertIn(word, sheets[name])

    def test_from_each_output_of_the_demo_to_its_frame_and_back(self):
        """In memory hosts at a broker have no names of their own, by which one could tell them from a board."""

        async def story(bench, standings):
            record, wrong = bench.record, []
            reading = Reading(Tape(bench.setup, record), record)
            for point in bench.setup.points.values():
                if not point.kind.is_output:
                    continue
                value = WISHES.get(point.name, point.high if point.kind is PointKind.LEVEL else True)
                value = 50.0 if point.kind in (PointKind.BRIDGE, PointKind.PULSE) else value
                number = bench.ask(point, value, by="test")
                await asyncio.sleep(0.4)
                standings.follow()
                framed = standings.trails.all[number].steps[Kind.FRAMED].events[0]
                reading.choose(bench.setup.hosts[point.board].link)
                read_all(reading, bench)
                reading.find(framed.value, framed.t, 100)
                placed, frame = reading.placed, reading.frame
                trail = trail_of(standings, record, reading.on, placed.number, frame, framed.board)
                if not placed.above or trail is not standings.trails.all[number] or placed.begin < framed.t - 1e-6:
                    wrong.append((point.name, placed.name, placed.above, trail and trail.point))
            return wrong

        self.assertEqual([], in_fast_time(story, boards=None))

    def test_each_frame_of_the_hosts_is_said_again_in_blanks_by_a_command_and_by_a_step(self):
        async def story(bench, standings):
            for point in bench.setup.points.values():
                if point.kind.is_output:
                    value = 50.0 if point.kind in (PointKind.BRIDGE, PointKind.PULSE, PointKind.LEVEL) else True
                    bench.ask(point, WISHES.get(point.name, value), by="test")
                    await asyncio.sleep(0.02)
            await asyncio.sleep(2)
            reading = Reading(Tape(bench.setup, bench.record), bench.record)
            read_all(reading, bench)
            seen, wrong = set(), []
            for link, tape in reading.tape.links.items():
                sentence = Sentence(tape.tongue, None, bench.setup.links[link].board)
                for placed in map(tape.placed, range(tape.first, len(tape))):
                    frame = reading.tape.frame(placed)
                    if placed.side is not Side.HOST or (link, frame.data) in seen:
                        continue
                    seen.add((link, frame.data))
                    name, fields = fields_of(tape.tongue, frame)
                    sentence.begin_with(name, fields)
                    _, _, _, _, _, *words = shlex.split(command_line("demo", link, sentence))
                    shell = tape.tongue.made(name, dict(word.split("=", 1) for word in words))
                    step = routine_line(link, name, sentence.given())
                    try:
                        routine_text(f"routine a\n    {step}\n", "a.routine", bench.setup)
                    except ExceptionGroup as mistakes:
                        wrong.append((step, mistakes.exceptions))
                    for data in (sentence.frame().data, tape.tongue.encode(shell)):
                        if data[2:] != frame.data[2:] or (link != "pumphouse" and data != frame.data):
                            wrong.append((link, frame.data, data))
            return {link for link, _ in seen}, wrong

        links, wrong = in_fast_time(story, boards=None)
        self.assertEqual([], wrong)
        self.assertLessEqual({"gatehouse", "pumphouse", "switchrack", "signalpost", "mast", "towpath"}, links)

    def test_a_transfer_over_spi_is_drawn_at_its_clock_with_what_came_in(self):
        async def story(bench, standings):
            desk = Desk(bench, lambda act: act(), standings=standings)
            asked = bench.ask(bench.point("banner"), "Hi", by="test")
            await asyncio.sleep(0.4)
            standings.follow()
            framed = standings.trails.all[asked].steps[Kind.FRAMED].events[0]
            reading = Reading(Tape(bench.setup, bench.record), bench.record)
            reading.choose("mast")
            read_all(reading, bench)
            reading.find(framed.value, framed.t, 100)
            placed, frame = reading.placed, reading.frame
            back = reading.tape.frame(reading.on.placed(placed.partner))
            editing = Editing(reading.on.tongue, frame, placed.side)
            view = under_view(desk, reading, editing, None, active=True, with_wave=True)
            return frame.data, back.data, view

        data, back, view = in_fast_time(story, boards=None)
        self.assertEqual(["CS", "SCLK", "MOSI", "MISO"], [trace.name for trace in view.wave.traces])
        self.assertEqual(1e-6, view.wave.period)
        self.assertEqual(0.0, view.wave_from, "it begins where the device is selected")
        middles = [(each.begin + each.end) / 2 for each in view.wave.stretches if each.bit is not None]
        for trace, said in zip(view.wave.traces[2:], (data, back), strict=True):
            bits = "".join(str(trace.at(t)) for t in middles)
            self.assertEqual(f"{int.from_bytes(said):0{8 * len(said)}b}", bits, trace.name)

    def test_what_a_program_from_outside_has_sent(self):
        async def story(bench, standings):
            found = {}
            for board, data in (
                ("signalpost", "FF 01 00 00"),
                ("mast", "01 02"),
            ):
                carried = bench.record.append(Kind.CARRIED, board, "link", board, bytes.fromhex(data))
                standings.follow()
                desk = Desk(bench, lambda act: act())
                desk.standings.follow()
                found[board] = text_of(trail_sheet(desk, desk.standings.trails.all[carried]))
            return found

        found = in_fast_time(story, boards=None)
        self.assertIn("mask", found["signalpost"])
        self.assertIn("carried", found["mast"])


if __name__ == "__main__":
    unittest.main()
