"""Devices on buses, USB and formats of the user's own, from the wish to the moved part, in fast time."""

import asyncio
import re
import tempfile
import unittest
from pathlib import Path

import cavet
from cavet import clock
from cavet.bench import Carrier, RunningBench, Standings
from cavet.benchfile import check_text, load_bench
from cavet.demo import demo_path
from cavet.record import Kind
from tests.checks.huts import LINE

DOCS = Path(__file__).parents[2] / "docs"


def in_fast_time(story, *, boards, setup=None):
    """Run a story on some boards of a bench, their hosts ready."""

    async def run():
        bench = RunningBench(setup or load_bench(demo_path()).setup, carrier=Carrier.MEMORY, boards=boards)
        await bench.start()
        try:
            while not all(link.ready for link in bench.host_links.values()):
                await asyncio.sleep(0.05)
            await asyncio.sleep(0.5)
            return await story(bench, Standings(bench))
        finally:
            await bench.stop()

    return clock.run(run(), fast=True)


class Devices(unittest.TestCase):
    def ask(self, board, wishes, seconds=2.0):
        """Ask for values; give the bench's standings by name, and its record."""

        async def story(bench, standings):
            for name, value in wishes.items():
                bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(seconds)
            standings.follow()
            found = {}
            for name in wishes:
                point = bench.point(name)
                trail = list(standings.trails.all.values())
                mine = next(each for each in reversed(trail) if each.root.subject == name)
                found[name] = (standings.standing(point).got, standings.diagnose(mine).broken, mine.furthest)
            parts = bench.world.boards[board].circuit.parts
            return found, parts, bench.record.since(0), bench.clock.now()

        return in_fast_time(story, boards=[board])

    def test_what_waits_for_its_turn_on_the_bus_says_so(self):
        async def story(bench, standings):
            for name, value in (("panel", "Lock full"), ("arrow", "↑"), ("mast_2", True)):
                bench.ask(bench.point(name), value, by="test")
            point = bench.point("mast_2")
            return bench.link_of(point).session.what_holds(point)

        self.assertRegex(in_fast_time(story, boards=["gatehouse"]), r"waits for its turn on the bus, behind \d+ trans")

    def test_an_expanders_lamps_a_panel_and_a_matrix_over_firmata(self):
        wishes = {"mast_2": True, "mast_5": True, "panel": "Lock open\n1 212 mm", "arrow": "↑"}
        found, parts, events, now = self.ask("gatehouse", wishes)
        for name, (got, broken, stage) in found.items():
            with self.subTest(name):
                self.assertEqual((got, broken, stage), (wishes[name], None, Kind.CONFIRMED))
        self.assertEqual([parts[f"mast_{n}"].fraction(now) for n in range(1, 7)], [0, 1, 0, 0, 1, 0])
        self.assertEqual(parts["panel"].shows(now), "Lock open\n1 212 mm")
        self.assertEqual(parts["arrow"].rows(now).hex().upper(), "10387CFE10101010")
        self.assertTrue(any(event.kind == Kind.BUS and event.note.startswith("S 4C A 02 A") for event in events))

    def test_a_panel_is_only_sent_what_differs_and_runs_a_long_line_through(self):
        async def story(bench, standings):
            point = bench.point("panel")
            sizes = []
            for text in ("Gate 10 %", "Gate 20 %"):
                begin = len(bench.record.since(0))
                bench.ask(point, text, by="test")
                await asyncio.sleep(1)
                written = [e for e in bench.record.since(0)[begin:] if e.kind == Kind.BUS and e.value[:1] == b"\x76"]
                sizes.append(sum(len(event.value) for event in written))
            bench.ask(point, "A message that is longer than sixteen", by="test")
            seen = set()
            for _ in range(20):
                await asyncio.sleep(0.5)
                seen.add(bench.world.part("gatehouse.panel").shows(bench.clock.now()))
            return sizes, seen

        sizes, seen = in_fast_time(story, boards=["gatehouse"])
        self.assertLess(sizes[1], 12)
        self.assertGreater(sizes[0], 40)
        self.assertIn(" is longer than", seen)
        self.assertGreater(len(seen), 10)

    def test_a_panel_that_shows_something_else_is_told_and_rest_sets_it_up_anew(self):
        with cavet.open("demo") as bench:
            bench["panel"].set("one")
            bench.fault("lose", "gatehouse")
            bench["panel"].set("Lock open")
            bench["panel"].set("Lock shut")  # only what differs is sent
            bench.wait(2)
            trail = bench["panel"].trail
            self.assertEqual((trail.broken_at, trail.why), ("moved", "panel shows oneenshut, asked Lock shut"))
            bench.rest()
            bench["panel"].set("again")
            bench.wait(2)
            self.assertEqual((bench.part("gatehouse.panel").state, bench["panel"].trail.broken_at), ("again", None))

    def test_of_two_wishes_at_a_device_the_newer_holds_also_where_the_older_is_tried_again(self):
        for board, point in (("mast", "yard_4"), ("gatehouse", "mast_2")):

            async def story(bench, standings, board=board, point=point):
                bench.faulting.make("silence", board, "", "", messages=None, seconds=1.2, by=None)
                for value in (True, False):
                    bench.ask(bench.point(point), value, by="test")
                await asyncio.sleep(20)
                return standings.standing(bench.point(point))

            with self.subTest(point):
                standing = in_fast_time(story, boards=[board])
                self.assertEqual((standing.asked, standing.got), (False, False))

    def test_a_switch_is_seen_by_its_interrupt(self):
        async def story(bench, standings):
            polls = len([e for e in bench.record.since(0) if e.kind == Kind.BUS])
            await asyncio.sleep(2)
            self.assertEqual(len([e for e in bench.record.since(0) if e.kind == Kind.BUS]), polls)
            bench.act("gatehouse.mast_switch_1", "press")
            await asyncio.sleep(0.2)
            pressed = standings.standing(bench.point("mast_switch_1")).got
            bench.act("gatehouse.mast_switch_1", "release")
            await asyncio.sleep(0.2)
            return pressed, standings.standing(bench.point("mast_switch_1")).got

        self.assertEqual(in_fast_time(story, boards=["gatehouse"]), (True, False))

    def test_with_polling_the_record_knows_what_the_host_never_saw(self):
        async def story(bench, standings):
            bench.act("mast.yard_switch_3", "press", seconds=0.02)
            await asyncio.sleep(0.5)
            return bench.record.since(0), standings.standing(bench.point("yard_switch_3")).got

        events, got = in_fast_time(story, boards=["mast"])
        remarks = [event for event in events if event.kind == Kind.REMARK and event.subject == "yard.B2"]
        self.assertEqual((len(remarks), remarks[0].value, got), (1, 2, False))

    def test_the_hosts_own_buses(self):
        wishes = {"yard_1": True, "yard_8": True, "banner": "LOCK"}
        found, parts, events, now = self.ask("mast", wishes)
        self.assertEqual(found["yard_1"], (True, None, Kind.CONFIRMED))
        self.assertEqual(found["banner"][1:], (None, Kind.MOVED))
        self.assertEqual(parts["yard"].value("latch_a", now), 0x81)
        dots = "".join(f"{module[4]:08b}" for module in parts["banner"].rows(now))
        self.assertEqual((len(dots), dots.count("1") > 3), (32, True))
        self.assertTrue(any(event.kind == Kind.BUS and event.subject == "spi" for event in events))

    def test_a_device_that_is_not_there_is_told_at_its_points(self):
        text = (
            demo_path()
            .read_text()
            .replace('yard = { kind = "expander", address = 0x22 }', "")
            .replace('pin = "yard.', 'pin = "other.')
            .replace(
                'banner = { kind = "chain", modules = 4 }\n\n[links.mast]',
                'other = { kind = "expander", address = 0x21 }\n\n[links.mast]',
            )
        )
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "lost.bench.toml"
            path.write_text(text)
            setup = load_bench(path).setup

        async def story(bench, standings):
            bench.ask(bench.point("yard_1"), True, by="test")
            await asyncio.sleep(5)
            return bench.record.since(0)

        events = in_fast_time(story, boards=["mast"], setup=setup)
        notes = [event.note for event in events if event.kind == Kind.REMARK and event.subject == "yard"]
        self.assertTrue(any("nobody acknowledges 0x22" in note for note in notes), notes)

    def test_a_silent_device_and_a_stuck_bus_are_told_in_the_trail(self):
        async def story(bench, standings):
            found = []
            for defect in ("no_panel", "stuck_bus"):
                bench.switch_defect(defect, True)
                asked = bench.ask(bench.point("panel"), "Hi", by="test")
                await asyncio.sleep(4)
                standings.follow()
                found.append(standings.diagnose(standings.trails.all[asked]).reason)
                bench.switch_defect(defect, False)
                await asyncio.sleep(1)
            bench.ask(
                bench.point("panel"),
                "Hi",
                by="test",
            )
            await asyncio.sleep(2)
            shown = bench.world.part("gatehouse.panel").shows(bench.clock.now())
            return [*found, shown]

        self.assertEqual(
            in_fast_time(story, boards=["gatehouse"]),
            [
                "nobody acknowledges 0x3B; there answer 0x26 (mast) and 0x74 (arrow)",
                "0x3B can't be called: the bus is stuck, its clock line stays low",
                "Hi",
            ],
        )

    def test_rest_clears_panel_and_dots(self):
        async def story(bench, standings):
            for name, value in (("panel", "Busy"), ("arrow", "fill"), ("mast_1", True)):
                bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(1)
            bench.rest(by="test")
            await asyncio.sleep(1)
            part = bench.world.part
            now = bench.clock.now()
            shown = part("gatehouse.panel").shows(now), part("gatehouse.arrow").rows(now)
            return *shown, part("gatehouse.mast_1").fraction(now)

        self.assertEqual(in_fast_time(story, boards=["gatehouse"]), ("", bytes(8), 0.0))


class SignalPost(unittest.TestCase):
    def test_its_lamps_are_driven_and_confirmed_and_causes_go_over(self):
        async def story(bench, standings):
            bench.ask(bench.point("post_3"), True, by="test")
            bench.ask(bench.point("post_1_blinks"), True, by="test")
            await asyncio.sleep(1)
            standings.follow()
            trail = next(each for each in standings.trails.all.values() if each.root.subject == "post_3")
            return trail.furthest, set(trail.steps), bench.world.part("signalpost.post_3").fraction(bench.clock.now())

        stage, steps, glow = in_fast_time(story, boards=["signalpost"])
        self.assertEqual((stage, glow), (Kind.CONFIRMED, 1.0))
        self.assertGreaterEqual(
            steps, {Kind.ASKED, Kind.FRAMED, Kind.CARRIED, Kind.TAKEN, Kind.DRIVEN, Kind.MOVED, Kind.CONFIRMED}
        )


CHAIN = (
    """format = 1
[boards.hut]
profile = "wren"
firmware = "firmata"
[boards.hut.parts]
banner = { kind = "chain", modules = 2, chip = 1 }"""
    + LINE
    + """[hosts.hut.devices]
banner = { kind = "chain", modules = 2, chip = 1, reversed = true, turn = 2 }
[points.banner]
board = "hut"
kind = "pixels"
device = "banner"
"""
)


class SpiOverFirmata(unittest.TestCase):
    def test_a_chain_is_driven_as_it_is_mounted(self):
        async def story(bench, standings):
            bench.ask(bench.point("banner"), "dots 0,0 15,7", by="test")
            await asyncio.sleep(1)
            return bench.world.part("hut.banner").rows(bench.clock.now())

        rows = in_fast_time(story, boards=["hut"], setup=check_text(CHAIN, "chain.bench.toml"))
        self.assertEqual(rows, (bytes.fromhex("80") + bytes(7), bytes(7) + b"\x01"))

    def test_what_spi_has_not_is_told(self):
        async def story(bench, standings):
            link = bench.host_links["hut"]
            board = bench.world.boards["hut"]
            client = next(iter(board._clients))
            for text in ("F0 68 02 00 00 01 01 05 00 F7", "F0 68 02 08 00 01 01 05 00 F7", "F0 62 01 00 F7"):
                board.feed(client, bytes.fromhex(text), 0, bench.clock.now(), lambda end, data: 0)
            bench.board_side.turn()
            await asyncio.sleep(0.5)
            return list(link.session.texts)

        texts = in_fast_time(story, boards=["hut"], setup=check_text(CHAIN, "chain.bench.toml"))
        self.assertEqual(texts, ["SPI device 0 is not configured", "stepper 0 is not configured"])


TARGET = """format = 1
[boards.hut]
profile = "wren"
firmware = "firmata"
[boards.hut.parts]
helper = { kind = "target", address = 0x30, board = "helper" }
[boards.helper]
profile = "post"
firmware = "target"
plan = "signalpost"
[boards.helper.parts]
lamp = { kind = "lamp", pin = 0 }
[boards.helper.takes.order]
levels = { pins = "0-7", mask = "mask" }
[boards.helper.gives.state.fields]
levels = { pins = "0-7" }
blink = { blinks = "0-7" }
faults = { faults = true }
[links.hut]
kind = "serial"
board = "hut"
"""


class SecondBoard(unittest.TestCase):
    def test_a_board_is_a_target_on_anothers_bus(self):
        async def story(bench, standings):
            bus = bench.world.boards["hut"].circuit.bus
            wrote = bus.write(0x30, bytes.fromhex("03 01 00 04"), bench.clock.now(), None)
            await asyncio.sleep(0.5)
            good = bus.read(0x30, 5, bench.clock.now(), None).data.hex()
            bus.write(0x30, bytes.fromhex("FF FF 00"), bench.clock.now(), None)
            faulty = bus.read(0x30, 4, bench.clock.now(), None).data.hex()
            glow = bench.world.part("helper.lamp").fraction(bench.clock.now())
            return wrote.problem, good, faulty, glow

        setup = check_text(TARGET, "target.bench.toml")
        self.assertEqual(in_fast_time(story, boards=["hut"], setup=setup), ("", "01000001ff", "01000102", 1.0))

    def test_what_can_be_no_target_is_refused(self):
        for old, new, part in (
            (
                "[boards.helper.gives.state.fields]",
                '[boards.helper.gives.state]\nwhen = "every"\n[boards.helper.gives.state.fields]',
                '"taken", with firmware target',
            ),
            (
                "[links.hut]",
                '[boards.helper.gives.order.fields]\nlevels = { pins = "0" }\n[links.hut]',
                "one frame for a target: state is one",
            ),
            ('board = "helper"', 'board = "hut"', "a board whose firmware is target"),
            ('profile = "post"', 'profile = "wren"', "runs without a link"),
            (
                "[boards.helper]",
                'other = { kind = "target", address = 0x31, board = "helper" }\n[boards.helper]',
                "of its own",
            ),
        ):
            with self.subTest(new), self.assertRaises(ExceptionGroup) as caught:
                check_text(TARGET.replace(old, new, 1), "target.bench.toml")
            self.assertTrue(
                any(part in str(error) for error in caught.exception.exceptions), caught.exception.exceptions
            )


class Documentation(unittest.TestCase):
    def setUp(self):
        page = (DOCS / "plan-file.md").read_text()
        self.blocks = re.findall(r"```toml\n(.*?)```", page, re.DOTALL)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def write(self, name, text):
        (self.folder / name).write_text(text)
        return self.folder / name

    def test_the_board_with_a_format_of_its_own_runs(self):
        bench = self.write("kiln.bench.toml", self.blocks[0])
        self.write("kiln.plan.toml", self.blocks[1])

        async def story(running, standings):
            running.ask(running.point("glow"), 60.0, by="test")
            await asyncio.sleep(1)
            glow = running.world.part("kiln.glow").fraction(running.clock.now())
            return standings.standing(running.point("glow")).got, glow

        got, glow = in_fast_time(story, boards=["kiln"], setup=load_bench(bench).setup)
        self.assertEqual(got, 60)
        self.assertAlmostEqual(glow, 0.6, 2)

    def test_a_board_acts_on_the_fields_that_came_and_a_host_chooses_the_tag(self):
        bench = self.blocks[0].replace("takes.heat", "takes.order").replace("heat.power", "order.power")
        bench += '[points.wait]\nboard = "kiln"\nkind = "level"\nfield = "order.seconds"\nrange = [0, 600]\n'
        path = self.write("kiln.bench.toml", bench)
        self.write("kiln.plan.toml", self.blocks[1] + self.blocks[2])

        async def story(running, standings):
            for name, value in (("glow", 60.0), ("wait", 300.0)):
                running.ask(running.point(name), value, by="test")
                await asyncio.sleep(1)
            frames = [event.value for event in running.record if event.kind == "taken" and event.subject == "order"]
            notes = [event.note for event in running.record if event.kind in ("refused", "lost")]
            return standings.standing(running.point("glow")).got, [frame.hex() for frame in frames], notes

        got, frames, notes = in_fast_time(story, boards=["kiln"], setup=load_bench(path).setup)
        self.assertEqual((got, notes), (60, []))
        self.assertEqual(frames[0], "0201013c3e")
        self.assertEqual(frames[-1], "0202033c012c6e")

    def kiln(self, setup, *changes):
        """The bench of the page with another plan, and some words changed."""
        bench = self.blocks[0]
        for old, new in changes:
            self.assertIn(old, bench)
            bench = bench.replace(old, new, 1)
        self.write("kiln.plan.toml", setup)
        return load_bench(self.write("kiln.bench.toml", bench)).setup

    def test_fields_that_can_carry_no_point_are_told_before_anything_runs(self):
        setup, asks = (
            self.blocks[1],
            ('plan = "kiln.plan.toml"\n\n[points', 'plan = "kiln.plan.toml"\nasks = "q"\n\n[points'),
        )
        several = setup.replace('{ name = "power", bits = 8, max = 100 }', '{ name = "power", bits = 8, count = 2 }')
        text = setup.replace('{ name = "power", bits = 8, max = 100 }', '{ name = "power", type = "text", bytes = 2 }')
        question = '[frames.q]\nstart = "@?"\nfields = [{ name = "b", bytes = 4, type = "bytes" }, '
        for given, changes, parts in (
            (several, (), ("takes.heat.power", "expected one number")),
            (text, (), ("points.glow.field", "expected one number")),
            (setup, (('kind = "level"', 'kind = "text"'),), ("points.glow.field", "expected a text")),
            (
                setup,
                (('kind = "level"', 'kind = "switch"\nline = 9'),),
                ("points.glow.line", "0 to 7, the bits of heat.power"),
            ),
            (setup, (('"heat.power"', '"heat.power"\nmask = "powr"'),), ("points.glow.mask", 'did you mean "power"?')),
            (setup + question + '{ name = "a", bits = 8, min = 5, max = 300 }]', (asks,), ()),
            (
                setup + question + '{ name = "a", bits = 8, min = 300 }]',
                (asks,),
                ("hosts.kiln.asks", "all of its fields 0"),
            ),
        ):
            with self.subTest(parts):
                if not parts:
                    self.kiln(given, *changes)
                    continue
                with self.assertRaises(ExceptionGroup) as caught:
                    self.kiln(given, *changes)
                lines = [str(error) for error in caught.exception.exceptions]
                self.assertTrue(any(all(part in line for part in parts) for line in lines), lines)

    def test_a_question_may_hold_lists_and_fields_that_are_not_there(self):
        fields = (
            '{ name = "n", bits = 8, count_of = "a" }, { name = "a", bits = 8 }, '
            '{ name = "two", bits = 8, count = 2 }, { name = "low", bits = 8, min = 5 }'
        )
        setup = self.kiln(
            f'{self.blocks[1]}\n[frames.q]\nstart = "@?"\nfields = [{fields}]',
            ('plan = "kiln.plan.toml"\n\n[points', 'plan = "kiln.plan.toml"\nasks = "q"\n\n[points'),
        )
        self.assertEqual(setup.hosts["kiln"].format.question().hex(), "3f00000005")

    def test_the_device_of_some_twenty_lines_answers_on_the_bus(self):
        self.assertLess(len(self.blocks[3].strip().splitlines()), 25)
        self.write("my.plan.toml", self.blocks[3])
        device = 'thermometer = { kind = "registers", address = 0x4A, map = "my.plan.toml#thermometer" }'
        bench = self.write(
            "own.bench.toml",
            f'format = 1\n[boards.b]\nprofile = "wren"\nfirmware = "firmata"\n[boards.b.parts]\n{device}\n'
            '[links.b]\nkind = "serial"\nboard = "b"\n',
        )
        setup = load_bench(bench).setup

        async def story(running, standings):
            bus = running.world.boards["b"].circuit.bus
            return bus.write_read(0x4A, b"\x00", 8, 0.0, None).data

        self.assertEqual(in_fast_time(story, boards=["b"], setup=setup).hex(), "7500019005000000")


if __name__ == "__main__":
    unittest.main()
