"""Each rule, with a bench that has the fault and one that has not; and mends that are made in the file."""

import json
import tempfile
import unittest
from pathlib import Path

from cavet.benchfile import check_text, load_bench
from cavet.demo import demo_path
from cavet.remarks import RULES, Weight, mended, remarks_on, well
from tests.bench.test_values import KILN, SETUP
from tests.checks.huts import LINE, ONE_LAMP
from tests.commands.run import cavet_here

PINS = (
    """
format = 1
[boards.hut]
profile = "wren"
firmware = "firmata"
failsafe = "1 s"
[boards.hut.bus]
pull_up = "4.7 kOhm"
capacitance = "100 pF"
[boards.hut.supplies.twelve]
volts = "12 V"
amperes = "5 A"
[boards.hut.parts]
glow = { kind = "lamp", pin = 3, current = "15 mA" }
arm = { kind = "servo", pin = 9 }
hand = { kind = "servo", pin = 10 }
drive = { kind = "motor", enable = 6, ahead = 7, astern = 8, supply = "twelve" }
knob = { kind = "button", pin = 4 }
flag = { kind = "door", pin = 2 }
slide = { kind = "lever", pin = "A0" }
port = { kind = "expander", address = 0x20 }
port_lamp = { kind = "lamp", pin = "port.A0" }
tide = { kind = "adc", address = 0x48, channels = { channel_3 = "hut.glow" } }"""
    + LINE
    + """[hosts.hut.devices]
port = { kind = "expander", address = 0x20 }
tide = { kind = "registers", address = 0x48, map = "converters#adc4" }
[points]
glow = { board = "hut", kind = "level", pin = 3, mode = "pwm" }
arm = { board = "hut", kind = "level", pin = 9, mode = "servo" }
hand = { board = "hut", kind = "level", pin = 10, mode = "servo" }
drive = { board = "hut", kind = "bridge", pin = 6, ahead = 7, astern = 8, range = [-100, 100], pause = "200 ms" }
knob = { board = "hut", kind = "contact", pin = 4, mode = "pull-up", active = "low" }
flag = { board = "hut", kind = "contact", pin = 2 }
slide = { board = "hut", kind = "reading", pin = "A0", range = [-1, 1] }
port_lamp = { board = "hut", kind = "switch", device = "port.A0" }
tide = { board = "hut", kind = "reading", device = "tide.channel_3", range = [0, 1], wire = [0, 4095] }
"""
)
MODBUS = """
format = 1
[boards.shed]
profile = "heron"
firmware = "modbus"
unit = 7
failsafe = "1 s"
[boards.shed.parts]
pump = { kind = "pump", pin = "L1" }
lamp = { kind = "lamp", pin = "L5" }
knob = { kind = "button", pin = "L9" }
[boards.shed.reflexes]
by_hand = { pin = "L9", mode = "pull-up", target = "L5" }
[boards.shed.map]
knob = { table = "discrete-inputs", address = 0, pin = "L9", mode = "pull-up" }
pump = { table = "coils", address = 0, pin = "L1" }
lamp = { table = "coils", address = 1, pin = "L5" }
limit = { table = "holding-registers", address = 4, start = 30 }
[links.shed]
kind = "serial"
board = "shed"
rate = 19200
[hosts.shed]
link = "shed"
protocol = "modbus"
unit = 7
[points]
pump = { board = "shed", kind = "switch", table = "coils", address = 0 }
lamp = { board = "shed", kind = "switch", table = "coils", address = 1, start = false }
knob = { board = "shed", kind = "contact", table = "discrete-inputs", address = 0, active = "low" }
limit = { board = "shed", kind = "level", table = "holding-registers", address = 4, unit = "", range = [0, 100] }
"""
MEASURED = """
format = 1
[boards.kiln]
profile = "dunlin"
firmware = "modbus"
[boards.kiln.parts]
slide = { kind = "lever", pin = 29 }
[boards.kiln.map]
slide = { table = "input-registers", address = 3, pin = 29, mode = "analog", scale = 0.5 }
[links.kiln]
kind = "tcp"
board = "kiln"
[hosts.kiln]
link = "kiln"
protocol = "modbus"
[points.slide]
board = "kiln"
kind = "reading"
table = "input-registers"
address = 3
range = [0, 3000]
wire = [0, 8190]
"""
RACK = """
format = 1
[boards.rack]
profile = "rack"
firmware = "scpi"
[boards.rack.parts]
supply = { kind = "supply", enable = 1, level = 2, limit = 3 }
[boards.rack.commands]
level = { header = "SOURce:VOLTage", does = "set", unit = "mV", range = ["0 V", "24 V"], pins = "2" }
measure = { header = "MEASure:VOLTage?", does = "measure", channels = "1", parts = ["supply"] }
[links.rack]
kind = "tcp"
board = "rack"
[hosts.rack]
link = "rack"
protocol = "scpi"
[points]
level = { board = "rack", kind = "level", set = "SOUR:VOLT {}", ask = "SOUR:VOLT?", unit = "V", range = [0, 24], wire = [0, 24000], part = "supply" }
measured = { board = "rack", kind = "reading", ask = "MEAS:VOLT? (@1)", unit = "V", range = [0, 24], part = "supply" }
"""  # noqa: E501
TOPICS = """
format = 1
[boards.path]
profile = "plover"
firmware = "mqtt"
[boards.path.station]
base = "lock/path"
[boards.path.parts]
lamp = { kind = "lamp", pin = 4, current = "8 mA" }
[boards.path.topics]
lamp = { command = "lamp/set", state = "lamp/state", does = "switch", pin = 4 }
[links.path]
kind = "mqtt"
board = "path"
[hosts.path]
link = "path"
protocol = "mqtt"
base = "lock/path"
[points]
lamp = { board = "path", kind = "switch", command = "lamp/set", state = "lamp/state" }
"""
SILENT = ONE_LAMP.replace('"firmata"\n', '"firmata"\nfailsafe = "2 s"\n', 1)
SPARE = """
[boards.other]
profile = "heron"
firmware = "modbus"
[links.one]
kind = "serial"
board = "x"
port = "/dev/ttyUSB0"
framing = "rtu"
[links.two]
kind = "serial"
board = "y"
port = "/dev/ttyUSB0"
framing = "rtu"
[hosts.x]
link = "one"
protocol = "modbus"
[hosts.y]
link = "two"
protocol = "modbus"
"""

CASES = (
    ("pwm-missing", PINS, [("glow = { kind = \"lamp\", pin = 3", "glow = { kind = \"lamp\", pin = 12"),
                           ("kind = \"level\", pin = 3", "kind = \"level\", pin = 12")], "boards.hut.parts.glow.pin"),
    ("servo-missing", PINS, [('"servo", pin = 9', '"servo", pin = "A1"'), ('"level", pin = 9', '"level", pin = "A1"')],
     "boards.hut.parts.arm.pin"),
    ("servo-missing", PINS, [('"servo", pin = 9', '"servo", pin = "A1"'),
                             ('arm = { board = "hut", kind = "level", pin = 9, mode = "servo" }\n', "")],
     "boards.hut.parts.arm.pin"),
    ("mode-missing", PINS, [('"reading", pin = "A0"', '"reading", pin = 13')], "points.slide.pin"),
    ("pin-shared", PINS, [('"door", pin = 2', '"door", pin = 4')], "boards.hut.parts.flag.pin"),
    ("outputs-against-each-other", PINS, [('"level", pin = 3', '"level", pin = 9')], "points.arm.pin"),
    ("outputs-against-each-other", PINS, [('"door", pin = 2', '"door", pin = 3')], "points.glow.pin"),
    ("input-floats", PINS, [('pin = 4, mode = "pull-up"', 'pin = 4, mode = "input"')], "points.knob.mode"),
    ("input-floats", MODBUS, [('"L9", mode = "pull-up" }\npump', '"L9" }\npump')], "boards.shed.map.knob.mode"),
    ("input-floats", MODBUS, [('"L9", mode = "pull-up", target', '"L9", target')], "boards.shed.reflexes.by_hand.mode"),
    ("converter-differs", PINS, [("range = [-1, 1]", "range = [-1, 1], wire = [0, 4095]")], "points.slide.wire"),
    ("converter-differs", PINS, [("range = [-1, 1]", "range = [-1, 1], wire = [255, 0]")], "points.slide.wire"),
    ("converter-differs", MEASURED, [("wire = [0, 8190]", "")], "points.slide.wire"),
    ("converter-differs", MEASURED, [("[0, 8190]", "[0, 4095]")], "points.slide.wire"),
    ("pin-current", PINS, [('"15 mA"', '"25 mA"')], "boards.hut.parts.glow.pin"),
    ("board-current", PINS, [('"15 mA"', '"150 mA"')], "boards.hut"),
    ("supply-shared", PINS, [('supply = "twelve"', 'supply = "board"')], "boards.hut.parts.drive.supply"),
    ("supply-shared", PINS, [('"servo", pin = 9', '"servo", supply = "board", pin = 9'),
                             ('"servo", pin = 10', '"servo", supply = "board", pin = 10')],
     "boards.hut.parts.hand.supply"),
    ("supply-current", PINS, [('amperes = "5 A"', 'amperes = "1 A"')], "boards.hut.supplies.twelve.amperes"),
    ("bus-address-twice", PINS, [("port_lamp = {", 'twin = { kind = "panel", address = 0x20 }\nport_lamp = {')],
     "boards.hut.parts.twin.address"),
    ("pull-up-range", PINS, [('"100 pF"', '"400 pF"')], "boards.hut.bus.pull_up"),
    ("pull-up-range", PINS, [('"4.7 kOhm"', '"500 Ohm"')], "boards.hut.bus.pull_up"),
    ("bus-too-slow", PINS, [('"100 pF"', '"400 pF"')], "boards.hut.bus.rate"),
    ("point-at-nothing", PINS, [('"level", pin = 3', '"level", pin = 13')], "points.glow.pin"),
    ("point-at-nothing", PINS, [('device = "port.A0"', 'device = "port.A3"')], "points.port_lamp.device"),
    ("point-at-nothing", PINS, [('port = { kind = "expander", address = 0x20 }\ntide',
                                 'port = { kind = "expander", address = 0x21 }\ntide')],
     "hosts.hut.devices.port.address"),
    ("point-at-nothing", PINS, [('"adc", address = 0x48, channels = { channel_3 = "hut.glow" }',
                                 '"dac", address = 0x48')], "points.tide.device"),
    ("point-at-nothing", MODBUS, [('"coils", address = 1, start', '"coils", address = 3, start')],
     "points.lamp.address"),
    ("point-at-nothing", TOPICS, [('command = "lamp/set", state = "lamp/state" }', 'command = "horn/blow" }')],
     "points.lamp.command"),
    ("part-without-point", PINS, [('flag = { board = "hut", kind = "contact", pin = 2 }\n', "")],
     "boards.hut.parts.flag"),
    ("points-swapped", PINS, [('"level", pin = 9', '"level", pin = 99'), ('"level", pin = 10', '"level", pin = 9'),
                              ('"level", pin = 99', '"level", pin = 10')], "points.arm.pin"),
    ("points-swapped", MODBUS, [('"coils", address = 0 }', '"coils", address = 1 }'),
                                ('"coils", address = 1, start', '"coils", address = 0, start')], "points.lamp.address"),
    ("point-elsewhere", PINS, [('glow = { board', 'glow = { part = "arm", board')], "points.glow.pin"),
    ("start-differs", MODBUS, [("start = false", "start = true")], "points.lamp.start"),
    ("start-differs", MODBUS, [("range = [0, 100]", "range = [0, 100], start = 20")], "points.limit.start"),
    ("inverted", PINS, [('active = "low"', 'active = "high"')], "points.knob.active"),
    ("inverted", PINS, [('"contact", pin = 2', '"contact", pin = 2, active = "low"')], "points.flag.active"),
    ("inverted", MODBUS, [('address = 0, active = "low"', "address = 0")], "points.knob.active"),
    ("inverted", MODBUS, [("start = false", 'active = "low"')], "points.lamp.active"),
    ("baud-differs", MODBUS, [("unit = 7\nfailsafe", "unit = 7\nbaud = 9600\nfailsafe")], "links.shed.rate"),
    ("topic-differs", TOPICS, [('command = "lamp/set", state = "lamp/state" }', 'command = "lamps/set" }')],
     "points.lamp.command"),
    ("topic-differs", TOPICS, [('protocol = "mqtt"\nbase = "lock/path"', 'protocol = "mqtt"\nbase = "lock/way"')],
     "points.lamp.command"),
    ("scale-differs", RACK, [(", wire = [0, 24000]", "")], "points.level.unit"),
    ("scale-differs", RACK, [('(@1)", unit = "V"', '(@1)", unit = "mV"')], "points.measured.unit"),
    ("unit-twice", MODBUS, [("[points]", SPARE + "[points]")], "hosts.y.unit"),
    ("unit-differs", MODBUS, [('protocol = "modbus"\nunit = 7', 'protocol = "modbus"\nunit = 8')], "hosts.shed.unit"),
    ("reversal-without-pause", PINS, [(', pause = "200 ms"', "")], "points.drive.pause"),
    ("no-failsafe", MODBUS, [('failsafe = "1 s"', "")], "boards.shed.failsafe"),
    ("failsafe-trips", MODBUS, [("unit = 7\n[points]", 'unit = 7\npoll = "1 s"\n[points]')], "boards.shed.failsafe"),
    ("failsafe-trips", SILENT, [], "boards.hut.failsafe"),
    ("line-too-slow", PINS, [('kind = "serial"', 'kind = "serial"\nrate = 1200')], "hosts.hut.sampling"),
    ("no-failsafe", SILENT, [('failsafe = "2 s"', ""), ('"lamp"', '"valve"')], "boards.hut.failsafe"),
)  # fmt: skip


def changed(text, changes):
    for old, new in changes:
        assert old in text, old
        text = text.replace(old, new, 1)
    return text


class Rules(unittest.TestCase):
    def test_of_a_bench_with_nothing_on_it_nothing_is_well_yet(self):
        self.assertEqual(
            ([], []),
            (remarks_on(check_text("format = 1", "a.bench.toml")), well(check_text("format = 1", "a.bench.toml"))),
        )
        self.assertGreater(len(well(check_text(PINS, "a.bench.toml"))), 10)

    def test_good_benches_are_well(self):
        for text in (PINS, MODBUS, MEASURED, RACK, TOPICS):
            setup = check_text(text, "x.bench.toml")
            self.assertEqual([(remark.name, remark.what) for remark in remarks_on(setup)], [])
            self.assertEqual(len(well(setup)), len(RULES))

    def test_each_fault_is_told_at_its_place_once(self):
        for name, text, changes, place in CASES:
            with self.subTest(name, place=place):
                remarks = remarks_on(check_text(changed(text, changes), "x.bench.toml"))
                found = [remark.place for remark in remarks if remark.name == name]
                self.assertEqual(found, [place], [(remark.name, remark.what) for remark in remarks])

    def test_every_mend_takes_its_remark_away_and_keeps_comments(self):
        tried = set()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.bench.toml"
            for name, text, changes, place in CASES:
                path.write_text("# by hand\n" + changed(text, changes))
                file = load_bench(path)
                remark = next(each for each in remarks_on(file.setup) if each.name == name)
                if remark.mend is None:
                    continue
                with self.subTest(name, place=place, mend=remark.mend.words):
                    tried.add(name)
                    after = mended(file, remark.mend)
                    self.assertNotIn(
                        (name, place), [(each.name, each.place) for each in remarks_on(after.setup)], after.text
                    )
                    self.assertTrue(after.text.startswith("# by hand\n"))
        self.assertGreaterEqual(len(tried), 14, tried)

    def test_a_host_that_does_not_wait_until_its_board_tells(self):
        told = 'gives.state]\nwhen = "every"\nevery = "2 s"\n'
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "kiln.bench.toml"
            (Path(folder) / "kiln.plan.toml").write_text(SETUP % (("bits = 8",) * 2))
            for keys, names in (("", ["told-too-late"]), ('reply_within = "1 s"\n', []), ("retries = 4\n", [])):
                text = (KILN % ((255,) * 3)).replace("gives.state]\n", told)
                path.write_text(text.replace("[hosts.kiln]\n", f"[hosts.kiln]\n{keys}"))
                file = load_bench(path)
                found = [remark for remark in remarks_on(file.setup) if remark.name == "told-too-late"]
                self.assertEqual([remark.name for remark in found], names)
                for remark in found:
                    self.assertIn("glow, drive and brake every 2 s, and kiln waits for 1.5 s", remark.what)
                    after = remarks_on(mended(file, remark.mend).setup)
                    self.assertNotIn("told-too-late", [each.name for each in after])
            path.write_text(text.replace('every = "2 s"', 'every = "5 min"'))
            file = load_bench(path)
            (mend,) = [remark.mend for remark in remarks_on(file.setup) if remark.name == "told-too-late"]
            self.assertEqual(450, mended(file, mend).setup.hosts["kiln"].settings.reply_within)

    def test_of_a_real_board_only_what_its_kind_can_do_is_known(self):
        text = 'format = 1\n[boards.hut]\nprofile = "wren"\nfirmware = "firmata"\n[links.hut]\nkind = "serial"\n'
        text += 'board = "hut"\nport = "/dev/ttyUSB0"\n[hosts.hut]\nlink = "hut"\nprotocol = "firmata"\n[points]\n'
        text += 'glow = { board = "hut", kind = "level", pin = 3, mode = "pwm" }\n'
        for pin, found in ((3, []), (12, ["pwm-missing"])):
            setup = check_text(text.replace("pin = 3", f"pin = {pin}"), "x.bench.toml")
            self.assertEqual([remark.name for remark in remarks_on(setup)], found)

    def test_the_demo_has_nothing_wrong(self):
        found = remarks_on(load_bench(demo_path()).setup)
        self.assertNotIn(Weight.WRONG, [remark.weight for remark in found], found)


class Command(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "hut.bench.toml"

    def test_remarks_are_told_with_line_and_mend(self):
        self.path.write_text(changed(PINS, [('active = "low"', 'active = "high"')]))
        ran = cavet_here("remarks", str(self.path))
        self.assertEqual(ran.code, 1)
        self.assertIn("✕ inverted  knob is worked while its pin is low", ran.out)
        self.assertIn("--mend 1: active = low", ran.out)
        line = json.loads(cavet_here("remarks", str(self.path), "--json").out.splitlines()[0])
        self.assertEqual((line["remark"], line["place"], line["weight"]), ("inverted", "points.knob.active", "wrong"))
        self.assertIn("knob = { board", self.path.read_text().splitlines()[line["line"] - 1])

    def test_a_mend_is_made_in_the_file(self):
        self.path.write_text(changed(PINS, [('active = "low"', 'active = "high"')]))
        self.assertEqual(cavet_here("remarks", str(self.path), "--mend", "1").code, 0)
        ran = cavet_here("remarks", str(self.path))
        self.assertEqual((ran.code, "all well:" in ran.out), (0, True))

    def test_wrong_numbers_and_files_are_one_line(self):
        self.path.write_text(changed(PINS, [('"15 mA"', '"25 mA"')]))
        for words, part in (
            (("--mend", "2"), "expected 1 to 1"), (("--mend", "0"), "expected 1 to 1"),
            (("--mend", "1"), "none is sure"),
        ):  # fmt: skip
            ran = cavet_here("remarks", str(self.path), *words)
            self.assertEqual((ran.code, ran.err.count("\n")), (2, 1))
            self.assertIn(part, ran.err)
        self.assertEqual(cavet_here("remarks", "nowhere.bench.toml").code, 2)
