"""Pump house and switch rack on the whole bench, in fast time; and what can be wrong in their tables."""

import asyncio
import unittest
from pathlib import Path

from cavet.bench import StageState
from cavet.benchfile import check_text
from cavet.demo import demo_path
from cavet.record import STAGES, Kind
from tests.bench.benches import demo, in_fast_time
from tests.benchfile.test_file import errors_of
from tests.boards.devices import Device

OTHER_HOST = """
[hosts.other]
link = "switchrack_line"
protocol = "scpi"

[points.theirs]
board = "other"
kind = "switch"
on = "ROUT:CLOS (@101)"
off = "ROUT:OPEN (@101)"
ask = "ROUT:CLOS? (@101)"
part = "relay_101"
"""


def asking(*wishes, before=lambda bench: None, wait=3.0):
    """Ask the demo for values; give the last trail and its diagnosis."""

    async def story(bench, standings):
        before(bench)
        for name, value in wishes:
            asked = bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(wait)
        standings.follow()
        trail = standings.trails.all[asked]
        return trail, standings.diagnose(trail), standings.standing(bench.point(name))

    return in_fast_time(story, demo())


class Trails(unittest.TestCase):
    def test_a_coil_is_followed_to_its_pin_and_the_pump_behind_it(self):
        trail, diagnosis, standing = asking(("pump_a_speed", 60.0), ("pump_a", True))
        self.assertIsNone(diagnosis.broken)
        self.assertEqual([stage for stage in STAGES if trail.reached(stage) is None], [])
        self.assertEqual(trail.reached(Kind.DRIVEN).subject, "7")
        self.assertEqual((trail.reached(Kind.MOVED).subject, standing.got), ("pump_a", True))

    def test_a_header_is_followed_to_its_relay(self):
        trail, diagnosis, _ = asking(("relay_105", True))
        self.assertIsNone(diagnosis.broken)
        self.assertEqual(trail.reached(Kind.TAKEN).subject, "ROUT:CLOS")
        self.assertEqual(trail.reached(Kind.MOVED).subject, "relay_105")

    def test_a_value_that_the_board_only_keeps_moves_nothing(self):
        trail, diagnosis, standing = asking(("target_level", 1450.0))
        self.assertIs(diagnosis.states[Kind.MOVED], StageState.LEFT_OUT)
        self.assertIsNone(diagnosis.broken)
        self.assertEqual((trail.reached(Kind.DRIVEN).value, standing.got), (1450.0, 1450.0))

    def test_a_jammed_pump_breaks_the_trail_before_moved(self):
        jam = ("pumphouse.pump_a", "jam")
        _, diagnosis, standing = asking(
            ("pump_a_speed", 60.0), ("pump_a", True), before=lambda bench: bench.act(*jam), wait=5.0
        )
        self.assertEqual(diagnosis.broken, Kind.MOVED)
        self.assertIn("pump_a does not turn", diagnosis.reason)
        self.assertFalse(standing.got)

    def test_a_rest_key_reaches_all_three_boards(self):
        async def story(bench, standings):
            for name, value in (("beacon", 50.0), ("heater", True), ("supply_1_voltage", 5.0), ("relay_101", True)):
                bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(2)
            bench.rest(by="test")
            await asyncio.sleep(3)
            parts = ("gatehouse.beacon", "pumphouse.heater", "switchrack.supply_1", "switchrack.relay_101")
            return [bench.world.part(path).fraction(bench.clock.now()) for path in parts]

        self.assertEqual(in_fast_time(story, demo()), [0, 0, 0, 0])

    def test_from_the_same_seed_the_record_is_the_same(self):
        async def story(bench, standings):
            for name, value in (("pump_a_speed", 80.0), ("pump_a", True), ("supply_1", True)):
                bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(4)
            return [(e.t, e.kind, e.board, e.subject, e.value) for e in bench.record.since(0)]

        self.assertEqual(in_fast_time(story, demo()), in_fast_time(story, demo()))


BOARD = """\
format = 1

[boards.hut]
profile = "rack"
firmware = "modbus"

[boards.hut.parts]
relay = { kind = "relay", pin = 101 }
supply = { kind = "supply", enable = 1, level = 2, limit = 3 }

[boards.hut.map]
relay = { table = "coils", address = 0, pin = 101 }
level = { table = "holding-registers", address = 5, data = "float32" }

[links.hut]
kind = "tcp"
board = "hut"

[hosts.hut]
link = "hut"
protocol = "modbus"

[points.relay]
board = "hut"
kind = "switch"
table = "coils"
address = 0

[points.level]
board = "hut"
kind = "level"
table = "holding-registers"
address = 5
data = "float32"
unit = "V"
range = ["0 V", "5 V"]
"""
RACK = BOARD.replace('firmware = "modbus"', 'firmware = "scpi"').replace('protocol = "modbus"', 'protocol = "scpi"')
RACK = (
    RACK[: RACK.index("[boards.hut.map]")]
    + """\
[boards.hut.commands.close]
header = "ROUTe:CLOSe"
does = "close"
channels = "101"
pins = "101"

[boards.hut.commands.measure]
header = "MEASure:VOLTage?"
does = "measure"
channels = "1"
parts = ["supply"]

[links.hut]
kind = "tcp"
board = "hut"

[hosts.hut]
link = "hut"
protocol = "scpi"

[points.relay]
board = "hut"
kind = "switch"
on = "ROUT:CLOS (@101)"
off = "ROUT:OPEN (@101)"
ask = "ROUT:CLOS? (@101)"
"""
)


def benches_of(page):
    """The bench that a page of the docs shows: all its pieces in one."""
    text = (Path(__file__).parents[2] / "docs" / page).read_text()
    return "".join(piece.partition("```")[0] for piece in text.split("```toml\n")[1:])


class Documentation(unittest.TestCase):
    def driven(self, page, *wishes):
        text = benches_of(page)
        self.assertEqual(errors_of(text), [])

        async def story(bench, standings):
            kinds = []
            for name, value in wishes:
                asked = bench.ask(bench.point(name), value, by="test")
                await asyncio.sleep(1)
                standings.follow()
                kinds.append(standings.trails.all[asked].reached(Kind.CONFIRMED) is not None)
            return kinds, {
                name: r.got for link in bench.host_links.values() for name, r in link.session.readings.items()
            }

        confirmed, got = in_fast_time(story, check_text(text, page))
        self.assertTrue(all(confirmed))
        return got

    def test_the_modbus_board_of_the_docs_works(self):
        got = self.driven("modbus-board.md", ("fan", True), ("wanted", 22.5))
        self.assertEqual((got["fan"], got["wanted"], got["warmth"]), (True, 22.5, 19.0))

    def test_the_units_of_the_docs_that_share_a_line_work(self):
        got = self.driven("several-units.md", ("valve", True), ("flap", True))
        self.assertEqual({"valve": True, "flap": True}, got)

    def test_the_scpi_instrument_of_the_docs_works(self):
        got = self.driven("scpi-board.md", ("lamp_relay", True), ("voltage", 6.0))
        self.assertEqual((got["lamp_relay"], got["voltage"]), (True, 6.0))

    def test_the_station_of_the_docs_works(self):
        got = self.driven("mqtt-board.md", ("light", 60.0))
        self.assertEqual((got["light"], got["bell"]), (60.0, None))


TEXTS = """\
format = 1
[boards.hut]
profile = "heron"
firmware = "modbus"
[boards.hut.map]
sign = { table = "holding-registers", address = 0, data = "text", length = 8, byte_order = "low-first", start = "shut" }
[boards.rack]
profile = "rack"
firmware = "scpi"
[boards.rack.commands.sign]
header = "DISPlay:TEXT"
does = "set"
takes = "string"
[boards.rack.commands.short]
header = "DISPlay:ONE"
does = "set"
unit = "V"
range = ["0 V", "5 V"]
[links.hut]
kind = "tcp"
board = "hut"
[links.rack]
kind = "tcp"
board = "rack"
[hosts.hut]
link = "hut"
protocol = "modbus"
[hosts.rack]
link = "rack"
protocol = "scpi"
[points.sign]
board = "hut"
kind = "text"
table = "holding-registers"
address = 0
data = "text"
length = 8
byte_order = "low-first"
[points.seen]
board = "hut"
kind = "words"
table = "holding-registers"
address = 0
data = "text"
length = 8
byte_order = "low-first"
[points.display]
board = "rack"
kind = "text"
set = "DISP:TEXT {}"
ask = "DISP:TEXT?"
[points.who]
board = "rack"
kind = "words"
ask = "*IDN?"
[points.far]
board = "rack"
kind = "level"
set = "DISP:ONE {}"
ask = "DISP:ONE?"
unit = "V"
range = ["0 V", "9 V"]
"""


class Blocks(unittest.TestCase):
    def test_a_block_is_kept_and_answered(self):
        text = TEXTS.replace('takes = "string"', 'takes = "block"\ndefault = "0A 22"')
        device = Device("rack", check_text(text, "blocks.bench.toml"))
        client = device.join("scpi")
        self.assertEqual(device.say(client, b"DISP:TEXT?\n"), b'#12\n"\n')
        self.assertEqual(device.say(client, b"DISP:TEXT #13;\n,;TEXT?\n"), b"#13;\n,\n")
        self.assertEqual(device.say(client, b'DISP:TEXT "a"\n:SYST:ERR?\n'), b'-158,"String data not allowed"\n')
        self.assertTrue(any("expected hex pairs" in error for error in errors_of(text.replace("0A 22", "zz"))))


class Broadcasts(unittest.TestCase):
    def test_all_devices_of_a_line_are_told_at_once(self):
        text = BOARD.replace('kind = "tcp"\n', 'kind = "serial"\nrate = 19200\n').replace(
            'protocol = "modbus"', 'protocol = "modbus"\nunit = 0'
        )

        async def story(bench, standings):
            asked = bench.ask(bench.point("relay"), True, by="test")
            await asyncio.sleep(1)
            standings.follow()
            trail = standings.trails.all[asked]
            return standings.diagnose(trail), trail.reached(Kind.MOVED).subject

        diagnosis, moved = in_fast_time(story, check_text(text, "all.bench.toml"))
        self.assertEqual((diagnosis.broken, moved), (None, "relay"))
        self.assertIs(diagnosis.states[Kind.CONFIRMED], StageState.LEFT_OUT)


class Texts(unittest.TestCase):
    def story(self, *wishes):
        async def story(bench, standings):
            for name, value in wishes:
                asked = bench.ask(bench.point(name), bench.point(name).parse(value), by="test")
                await asyncio.sleep(1)
                standings.follow()
            self.trail = standings.trails.all[asked]
            diagnosis = standings.diagnose(self.trail)
            readings = [link.session.readings for link in bench.host_links.values()]
            return diagnosis, {name: reading.got for found in readings for name, reading in found.items()}

        return in_fast_time(story, check_text(TEXTS, "texts.bench.toml"))

    def test_texts_are_set_and_read_back(self):
        self.assertEqual(errors_of(TEXTS), [])
        diagnosis, got = self.story(("sign", "gate open"), ("display", 'say "hello"; now'))
        self.assertIsNone(diagnosis.broken)
        self.assertEqual((got["sign"], got["seen"]), ("gate open", "gate open"))
        self.assertEqual((got["display"], got["who"]), ('say "hello"; now', "Cavet,Rack,0001,1.0"))

    def test_one_that_does_not_fit_is_brought_to_what_does_and_that_is_told(self):
        for name, wish, fits in (
            ("sign", "x" * 17, "x" * 16),
            ("sign", "5 €", "5 ?"),
            ("display", "one\ntwä", "one tw?"),
        ):
            with self.subTest(wish):
                diagnosis, got = self.story((name, wish))
                self.assertEqual((diagnosis.broken, got[name]), (None, fits))
                self.assertEqual(self.trail.limited.value, wish)
                self.assertIn(f"what can be carried and shown is {fits}", self.trail.limited.note)

    def test_spaces_are_part_of_a_text(self):
        self.assertEqual(self.story(("sign", "  shut "))[1]["sign"], "  shut ")

    def test_one_that_is_too_long_for_the_instrument_is_refused_by_it_and_can_be_set_again(self):
        diagnosis, got = self.story(("display", "x" * 20_000))
        self.assertEqual((diagnosis.broken, got["display"]), (Kind.DRIVEN, ""))
        self.assertIn("-223 Too much data: it is longer than the device keeps", diagnosis.reason)
        self.assertEqual(self.story(("display", "x" * 20_000), ("display", "short"))[1]["display"], "short")
        diagnosis, _ = self.story(("display", "x" * 2_000_000))
        self.assertIn("-363 Input buffer overrun: it is more than the device's input takes", diagnosis.reason)

    def test_what_the_instrument_refuses_is_told_in_its_words_with_the_usual_cause(self):
        diagnosis, _ = self.story(("far", "7 V"))
        self.assertEqual(diagnosis.broken, Kind.DRIVEN)
        self.assertIn("-222 Data out of range: it is known, but can't be done", diagnosis.reason)
        self.assertIn("[points.far]", diagnosis.mend)


class TwoHosts(unittest.TestCase):
    def test_what_another_host_has_set_since_is_told_as_that(self):
        text = demo_path().read_text("utf-8") + OTHER_HOST

        async def story(bench, standings):
            for name, value in (("relay_101", True), ("theirs", False), ("relay_101", True)):
                asked = bench.ask(bench.point(name), value, by="test")
                await asyncio.sleep(1 if value else 0.1)
            standings.follow()
            return standings.diagnose(standings.trails.all[asked])

        diagnosis = in_fast_time(story, check_text(text, "two.bench.toml"))
        self.assertEqual(diagnosis.reason, "the board stands there already, but relay_101 does not: open")
        self.assertIn("another point, host or program has set it", diagnosis.mend)


class Tables(unittest.TestCase):
    def wrong(self, text, *cases):
        self.assertEqual(errors_of(text), [])
        for old, new, part in cases:
            with self.subTest(new):
                self.assertIn(old, text)
                errors = errors_of(text.replace(old, new, 1))
                self.assertTrue(any(part in error for error in errors), errors)

    def test_what_is_wrong_in_a_map_and_its_points_is_told(self):
        self.wrong(
            BOARD,
            ("address = 0, pin = 101", "address = 0, pin = 2", "expected a pin with output: 1, 4, 101"),
            ("address = 0, pin = 101", "address = 0, pin = 77", "map.relay.pin: found 77"),
            ("address = 5, data", "address = 65535, data", "room for 2 registers"),
            ("level = { table", 'more = { table = "holding-registers", address = 6 }\nlevel = { table', "has this one"),
            ('data = "float32" }', 'data = "float31" }', 'did you mean "float32"?'),
            ('data = "float32" }', 'data = "uint16", start = 70000 }', "map.level.start: found 70000"),
            ('data = "float32" }', 'data = "float32", of = "water" }', 'map.level.of: found "water"'),
            ('kind = "tcp"', 'kind = "tcp"\nframing = "rut"', 'did you mean "rtu"?'),
            ('table = "coils"\naddress = 0\n', 'table = "coils"\n', "points.relay.address"),
            ('table = "coils"\naddress = 0\n', "pin = 3\n", "its host speaks modbus"),
            ('kind = "switch"\ntable = "coils"', 'kind = "switch"\ntable = "discrete-inputs"', "that can be written"),
            ('kind = "switch"\ntable', 'kind = "level"\ntable', "expected a number"),
            ('table = "holding-registers"\naddress = 5\ndata = "float32"', 'table = "coils"\naddress = 5', "a number"),
        )

    def test_what_is_wrong_in_commands_and_their_points_is_told(self):
        self.wrong(
            RACK,
            ('header = "ROUTe:CLOSe"', 'header = "route close"', "commands.close.header"),
            ('pins = "101"', 'pins = "101, 1"', "one for each of 1 channels"),
            ('pins = "101"', 'pins = "9"', "commands.close.pins: found 9"),
            ('parts = ["supply"]', 'parts = ["relay"]', "a supply: supply"),
            ('parts = ["supply"]', "parts = []", "one for each of 1 channels"),
            ('does = "close"', 'does = "shut"', "commands.close.does"),
            ('on = "ROUT:CLOS (@101)"\n', "", "`set` with {} in it"),
            ('on = "ROUT:CLOS (@101)"\n', 'set = "OUTP"\n', "`set` with {} in it"),
            ('ask = "ROUT', 'table = "coils"\nask = "ROUT', "its host speaks scpi"),
            ('ask = "ROUT:', 'ask = "a\\nb:', "ASCII, in one line"),
            ('kind = "tcp"', 'kind = "tcp"\nframing = "rtu"', "only Modbus has framings"),
        )


if __name__ == "__main__":
    unittest.main()
