"""Lines that are shared: several Modbus boards on one, several hosts that ask there in turns."""

import asyncio
import contextlib
import random
import tempfile
import unittest
from itertools import pairwise
from pathlib import Path

import cavet
from cavet.bench import Carrier, RunningBench, Tape
from cavet.benchfile import BenchFile, changes_between, check_text, with_addresses
from cavet.record import Kind, Seat
from cavet.remarks import remarks_on
from cavet.wording import WrongError
from tests.bench.benches import in_fast_time
from tests.commands.run import cavet_here
from tests.patience import PATIENCE

BOARD = """
[boards.{name}]
profile = "heron"
firmware = "modbus"
unit = {unit}
[boards.{name}.parts.{name}_lamp]
kind = "lamp"
pin = "L3"
[boards.{name}.map]
lamp = {{ table = "coils", address = 0, pin = "L3" }}
[hosts.{name}]
link = "{name}"
protocol = "modbus"
unit = {unit}
[points.{name}_lamp]
kind = "switch"
board = "{name}"
table = "coils"
address = 0
"""
UNITS = {"pump": 7, "fan": 8, "gate": 9}
SERIAL = 'format = 1\n[links.pump]\nkind = "serial"\nboard = "pump"\nrate = 19200\n'
TCP = 'format = 1\n[links.pump]\nkind = "tcp"\nboard = "pump"\n'


def yard(first=SERIAL, shares='shares = "pump"', **units):
    """A bench whose three boards are on one line."""
    kind = "tcp" if first is TCP else "serial"
    links = "".join(f'[links.{name}]\nkind = "{kind}"\nboard = "{name}"\n{shares}\n' for name in ("fan", "gate"))
    return first + links + "".join(BOARD.format(name=name, unit=unit) for name, unit in (UNITS | units).items())


def errors_of(text):
    try:
        check_text(text, "yard.bench.toml")
    except ExceptionGroup as group:
        return [str(error) for error in group.exceptions]
    return []


class Yard(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "yard.bench.toml"

    def opened(self, text, **how):
        self.path.write_text(text)
        return cavet.open(str(self.path), seed="a", **how)


class OneLine(Yard):
    def test_each_unit_is_moved_by_its_own_points_alone(self):
        for text in (yard(), yard(TCP), yard(SERIAL + 'framing = "ascii"\n')):
            for how in ({}, {"real": True}):
                with self.subTest(text[:60], how=how), self.opened(text, **how) as bench:
                    for name in UNITS:
                        bench[f"{name}_lamp"].set("on")
                        bench.wait(0.3)
                        lit = [each for each in UNITS if bench.part(f"{each}.{each}_lamp").state == 100]
                        self.assertEqual([name], lit)
                        bench[f"{name}_lamp"].set("off")
                        bench.wait(0.3)
                    self.assertEqual([], [trail for trail in bench.trails() if trail.broken_at])

    def test_hosts_ask_in_turns_and_none_waits_long(self):
        lot = random.Random(5)
        with self.opened(yard()) as bench:
            for _ in range(300):
                bench.wait(lot.random() * 0.03)
                trail = bench[f"{lot.choice([*UNITS])}_lamp"].set(lot.choice(("on", "off")))
                self.assertLess(trail.delays.get(("asked", "framed"), 0), 0.06)
            passed = sorted((each.begin, each.end) for each in bench.record.transfers if each.seat is Seat.BOARD)
        self.assertTrue(all(before[1] <= after[0] + 1e-9 for before, after in pairwise(passed)))

    def test_one_that_is_silent_does_not_hold_up_the_others(self):
        text = yard().replace("unit = 9\n[points", "unit = 5\n[points")  # its host asks for one that is not there
        with self.opened(text) as bench:
            bench.wait(2.5)  # all tries of its first question
            for value in ("on", "off") * 5:
                self.assertLess(sum(bench["fan_lamp"].set(value).delays.values()), 1.3)
                bench.wait(0.3)
            told = [event.note for event in bench.record.events if event.kind is Kind.REFUSED]
        self.assertTrue(told)
        self.assertEqual({"it is for unit 5; on this line are 7, 8 and 9"}, set(told))

    def test_who_waits_for_its_turn_is_not_broken(self):
        text = yard().replace("unit = 9\n[points", 'unit = 9\nreply_within = "1 s"\n[points')
        text = text.replace("unit = 8\n[points", 'unit = 8\nreply_within = "20 ms"\nretries = 0\n[points')
        text += '[defects.x]\nkind = "late"\nboard = "gate"\ndelay = "700 ms"\non = true\n'

        async def story(bench, standings):
            await asyncio.sleep(1.0)
            asked = bench.ask(bench.point("fan_lamp"), True, by="test")
            bench.ask(bench.point("gate_lamp"), True, by="test")  # between the other one's write and its reading
            followed = standings.trails.all
            for _ in range(200):
                await asyncio.sleep(0.01)
                standings.follow()
                self.assertIs(None, standings.diagnose(followed[asked]).broken)
            self.assertIsNot(None, followed[asked].reached(Kind.CONFIRMED))
            return followed[asked].reached(Kind.CONFIRMED).t - followed[asked].root.t

        self.assertGreater(in_fast_time(story, check_text(text, "yard.bench.toml")), 0.4)

    def test_what_is_told_to_all_moves_all(self):
        text = (
            yard() + '[hosts.all]\nlink = "pump"\nprotocol = "modbus"\nunit = 0\n[points.every_lamp]\nkind = "switch"\n'
        )
        with self.opened(text + 'board = "all"\ntable = "coils"\naddress = 0\npart = "pump_lamp"\n') as bench:
            bench["every_lamp"].set("on")
            bench.wait(0.3)
            self.assertEqual({100}, {bench.part(f"{name}.{name}_lamp").state for name in UNITS})

    def test_a_fault_of_one_board_meets_its_own_messages(self):
        with self.opened(yard()) as bench:
            bench.fault("lose", "fan", messages=1)
            self.assertEqual([], [trail for trail in [bench["pump_lamp"].set("on")] if trail.broken_at])
            with bench.broken("gate"), self.assertRaises((cavet.Unconfirmed, cavet.UnreachableError)):
                bench["pump_lamp"].set("off")

    def test_what_is_lost_on_the_line_is_told_in_the_trail_of_who_has_said_it(self):
        lossy = '[defects.bad]\nkind = "lossy"\nboard = "gate"\nshare = 0.03\non = true\n'
        lot, notes = random.Random(2), []
        with self.opened(yard() + lossy) as bench:
            for _ in range(60):
                with contextlib.suppress(cavet.Unconfirmed, cavet.UnreachableError):
                    bench[f"{lot.choice([*UNITS])}_lamp"].set(lot.choice(("on", "off")))
            roots = {event.number: event for event in bench.record.events}
            for event in bench.record.events:
                if event.kind is Kind.REFUSED:
                    notes.append(event.note)
                    while event.cause is not None:
                        event = roots[event.cause]
                    self.assertIn(event.kind, (Kind.ASKED, Kind.FRAMED))
        self.assertTrue([note for note in notes if note.startswith("CRC: found")], notes)

    def test_by_hand_any_unit_of_the_line_is_asked(self):
        with self.opened(yard()) as bench:
            bench["gate_lamp"].set("on")
            answer = bench.send("fan", "read-coils", unit=9, address=0, quantity=1).answer
            self.assertEqual((9, 1), (answer.fields["unit"], answer.fields["values"][0]))

    def test_the_line_has_one_tape_with_all_that_is_said_on_it(self):
        async def story(bench, standings):
            tape = Tape(bench.setup, bench.record)
            tape.follow()
            (on,) = tape.links.values()
            frames = [tape.frame(on.placed(number)) for number in range(len(on))]
            self.assertEqual({7, 8, 9}, {frame.message.unit for frame in frames})
            self.assertEqual([], [frame.problems for frame in frames if frame.problems])

        in_fast_time(story, check_text(yard(), "yard.bench.toml"))

    def test_a_board_has_the_frames_of_its_unit(self):
        with self.opened(yard()) as bench:
            bench["gate_lamp"].set("on")
            self.assertEqual({9}, {frame.fields["unit"] for frame in bench.frames("gate")})
            self.assertIn("write-single-coil", [frame.name for frame in bench.frames("gate")])


class Changed(unittest.IsolatedAsyncioTestCase):
    """The programs on a line stay there while boards come to it, go, and are called otherwise."""

    async def become(self, text):
        after = BenchFile(self.file.path, text, check_text(text, "yard.bench.toml"))
        await self.bench.take_over(after.setup, changes_between(self.file, after))
        self.file = after

    async def until(self, holds):
        async with asyncio.timeout(PATIENCE):
            while not holds():
                await asyncio.sleep(0.01)

    async def answers(self, *units):
        """The units that answer."""
        found = []
        for unit in units:
            self.writer.write(cavet.encode("modbus-tcp", "read-coils", unit=unit, address=0, quantity=1))
            (answer,) = cavet.decode("modbus-tcp", await self.reader.read(64), side="board")
            found += [unit] if answer.name == "read-coils" else []
        return found

    async def test_boards_come_to_a_line_and_go(self):
        text = yard(TCP)
        self.file = BenchFile(Path("yard.bench.toml"), text, check_text(text, "yard.bench.toml"))
        self.bench = RunningBench(self.file.setup)
        self.addAsyncCleanup(self.bench.stop)
        await self.bench.start()
        host, port = self.bench.endpoints[0].address.split(":")
        self.reader, self.writer = await asyncio.open_connection(host, int(port))
        self.addCleanup(self.writer.close)
        units = (7, 8, 9, 11, 12)
        self.assertEqual([7, 8, 9], await self.answers(*units))
        more = '[links.door]\nkind = "tcp"\nboard = "door"\nshares = "pump"\n' + BOARD.format(name="door", unit=11)
        await self.become(text + more)
        self.assertEqual([7, 8, 9, 11], await self.answers(*units))
        await self.become(text + more.replace("unit = 11", "unit = 12"))
        self.assertEqual([7, 8, 9, 12], await self.answers(*units))
        await self.become(text)
        self.assertEqual([7, 8, 9], await self.answers(*units))

    async def test_one_host_of_a_line_changes_and_the_others_stay_there(self):
        text = yard()
        self.file = BenchFile(Path("yard.bench.toml"), text, check_text(text, "yard.bench.toml"))
        self.bench = RunningBench(self.file.setup)
        self.addAsyncCleanup(self.bench.stop)
        await self.bench.start()
        for words in ("off, on", "dark, lit", "out, in"):
            off, on = words.split(", ")
            await self.become(text + f'words = ["{off}", "{on}"]\n')  # of the last point
            await self.until(lambda: all(link.ready for link in self.bench.host_links.values()))
            for name in UNITS:
                point = self.bench.point(f"{name}_lamp")
                self.bench.ask(point, not self.bench.reading(point).got, by="test")
                reading = self.bench.reading(point)
                await self.until(lambda reading=reading: reading.got == reading.asked)

    async def test_so_they_do_where_each_host_has_a_wire_of_its_own(self):
        second = '[hosts.second]\nlink = "pump"\nprotocol = "modbus"\nunit = 7\n'
        text = yard(TCP) + second
        self.file = BenchFile(Path("yard.bench.toml"), text, check_text(text, "yard.bench.toml"))
        self.bench = RunningBench(self.file.setup, carrier=Carrier.MEMORY)
        self.addAsyncCleanup(self.bench.stop)
        await self.bench.start()
        more = '[links.door]\nkind = "tcp"\nboard = "door"\nshares = "pump"\n' + BOARD.format(name="door", unit=11)
        for each in (text + more, text, text + more):
            await self.become(each)
            self.assertEqual("door" in each, "door" in self.bench.host_links)
        await self.until(lambda: self.bench.host_links["door"].ready)


class OneLink(Yard):
    def test_two_hosts_on_one_link(self):
        more = '[hosts.second]\nlink = "pump"\nprotocol = "modbus"\nunit = 7\n[points.also]\nkind = "switch"\n'
        more += 'board = "second"\ntable = "coils"\naddress = 0\npart = "pump_lamp"\n'
        for first in (SERIAL, TCP):
            for how in ({}, {"real": True}):
                with self.subTest(first, how=how), self.opened(yard(first) + more, **how) as bench:
                    bench["pump_lamp"].set("on")
                    self.assertIs(True, bench["also"].read())
                    bench["also"].set("off")
                    self.assertIs(False, bench["pump_lamp"].read())

    def test_where_only_one_can_be_that_is_told(self):
        head = '[boards.hut]\nprofile = "wren"\nfirmware = "firmata"\n[links.hut]\nkind = "serial"\nboard = "hut"\n'
        hosts = "".join(f'[hosts.{name}]\nlink = "hut"\nprotocol = "firmata"\n' for name in ("a", "b"))
        (error,) = errors_of("format = 1\n" + head + hosts)
        self.assertIn('hosts.b.link: found "hut", expected a link of its own: hosts.a opens that', error)


class Told(Yard):
    def test_what_can_not_be_shared_is_told(self):
        hut = '[boards.hut]\nprofile = "wren"\nfirmware = "firmata"\n[links.hut]\nkind = "serial"\nboard = "hut"\n'
        for text, place, expected in (
            (yard() + '[defects.x]\nkind = "renamed"\nboard = "fan"\n', "defects.x.board", "which it does not share"),
            (yard(shares='shares = "pump"\nrate = 9600'), "links.fan.rate", "none: it is that of links.pump"),
            (yard(shares='shares = "fan"'), "links.fan.shares", "a serial link with a line of its own: pump"),
            (yard(shares='shares = "pomp"'), "links.fan.shares", "pump"),
            (yard() + hut + 'shares = "pump"\n', "links.hut.board", "modbus on a line that is shared"),
            (yard().replace('"fan"\nshares', '"pump"\nshares'), "links.fan.board", "not on that line yet"),
            (yard().replace("unit = 8\n[boards", "unit = 8\nbaud = 9600\n[boards"), "boards.fan.baud", "of links.pump"),
        ):  # fmt: skip
            with self.subTest(place=place, expected=expected):
                told = [error for error in errors_of(text) if f" {place}: " in error]
                self.assertTrue(told, errors_of(text))
                self.assertIn(expected, told[0])

    def test_one_unit_twice_is_remarked(self):
        names = [remark.name for remark in remarks_on(check_text(yard(fan=9), "yard.bench.toml"))]
        self.assertIn("unit-twice", names)
        self.assertNotIn("unit-twice", [remark.name for remark in remarks_on(check_text(yard(), "yard.bench.toml"))])

    def test_at_an_address_all_of_a_line_are_there(self):
        setup = check_text(yard(), "yard.bench.toml")
        moved = with_addresses(setup, {"fan": "/dev/ttyS7"}, "--at")
        self.assertEqual({"/dev/ttyS7"}, {link.address for link in moved.links.values()})
        with self.assertRaisesRegex(WrongError, "expected /dev/ttyS8, where fan is: they are on one line"):
            with_addresses(setup, {"pump": "/dev/ttyS7", "fan": "/dev/ttyS8"}, "--at")

    def test_real_boards_that_nobody_describes_can_share_a_line(self):
        hosts = "".join(
            f'[hosts.{name}]\nlink = "{name}"\nprotocol = "modbus"\nunit = {unit}\n' for name, unit in UNITS.items()
        )
        links = "".join(
            f'[links.{name}]\nkind = "serial"\nboard = "{name}"\nshares = "pump"\n' for name in ("fan", "gate")
        )
        setup = check_text(SERIAL + 'port = "/dev/ttyS7"\n' + links + hosts, "yard.bench.toml")
        self.assertEqual({("pump", "/dev/ttyS7")}, {(link.line, link.address) for link in setup.links.values()})

    def test_a_message_is_its_boards_also_where_no_host_talks_to_that(self):
        text = yard()
        setup = check_text(text[: text.index("[hosts.gate]")], "yard.bench.toml")
        self.assertEqual(["pump", "fan", "gate"], [setup.board_heard("pump", unit) for unit in (7, 8, 9)])

    def test_real_ports_that_are_the_same_are_one_line(self):
        text = yard(SERIAL + 'port = "/dev/ttyS7"\n', shares='port = "/dev/ttyS7"\nrate = 19200')
        setup = check_text(text, "yard.bench.toml")
        self.assertEqual(["pump"] * 3, [link.line for link in setup.links.values()])

    def test_served_it_is_one_device_with_all_units(self):
        self.path.write_text(yard())
        done = cavet_here("show", str(self.path), "--json")
        self.assertIn('"line":"pump"', done.out)

    def test_a_change_of_one_keeps_the_line(self):
        before = BenchFile(Path("yard.bench.toml"), yard(), check_text(yard(), "yard.bench.toml"))
        text = yard().replace("rate = 19200", "rate = 9600")
        after = BenchFile(Path("yard.bench.toml"), text, check_text(text, "yard.bench.toml"))
        changes = changes_between(before, after)
        self.assertEqual(({"pump", "fan", "gate"},) * 2, (changes.links, changes.hosts))


if __name__ == "__main__":
    unittest.main()
