"""What is asked of a point reaches its part as it was meant, however it is spread over registers, bits and pins."""

import contextlib
import struct
import tempfile
import unittest
from functools import partial
from pathlib import Path

import cavet
from cavet.benchfile import load_bench
from cavet.library.past import past_trails
from cavet.remarks import remarks_on

HEAD = """format = 1
[boards.hut]
profile = "hut"
firmware = "{firmware}"
[profiles.hut]
pins = "0-20"
output = "0-12"
input = "0-12"
pwm = "0-12"
servo = "0-12"
analog = "14-16"
supply = "3.3 V"
[links.hut]
kind = "{link}"
board = "hut"
[hosts.hut]
link = "hut"
protocol = "{firmware}"
"""
MODBUS, FIRMATA = HEAD.format(firmware="modbus", link="tcp"), HEAD.format(firmware="firmata", link="serial")
NUMBERS = ("uint16", "int16", "uint32", "int32", "uint64", "int64", "float32", "float64")
LEVEL = """
[boards.hut.parts.glow]
kind = "lamp"
pin = 2
[boards.hut.map.glow]
table = "holding-registers"
address = 0
pin = 2
high = 1000
{form}
[points.glow]
board = "hut"
kind = "level"
table = "holding-registers"
address = 0
wire = [0, 1000]
{form}
"""
BIT = """
[boards.hut.parts.lamp_{bit}]
kind = "lamp"
pin = {bit}
[boards.hut.map.lamp_{bit}]
table = "holding-registers"
address = 4
data = "bit"
bit = {bit}
pin = {bit}
[points.lamp_{bit}]
board = "hut"
kind = "switch"
table = "holding-registers"
address = 4
data = "bit"
bit = {bit}
"""
ON_PINS = """
[boards.hut.parts]
arm = { kind = "servo", pin = 3 }
pump = { kind = "pump", pin = 4, speed = 5 }
gauge = { kind = "gauge", pin = 14, of = "water", range = [0, 100] }
[rig.water]
unit = "mm"
start = 60
[points.arm]
board = "hut"
kind = "level"
mode = "servo"
pin = 3
unit = "deg"
range = ["0 deg", "180 deg"]
[points.pump]
board = "hut"
kind = "switch"
pin = 4
[points.speed]
board = "hut"
kind = "level"
mode = "pwm"
pin = 5
part = "pump"
needs = ["pump=on"]
[points.gauge]
board = "hut"
kind = "reading"
pin = 14
unit = "mm"
range = ["0 mm", "100 mm"]
"""


class Benches(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "hut.bench.toml"

    def opened(self, text):
        self.path.write_text(text)
        bench = cavet.open(self.path)
        self.addCleanup(bench.close)
        return bench

    def mistakes(self, text):
        self.path.write_text(text)
        with self.assertRaises(ExceptionGroup) as raised:
            load_bench(self.path)
        return [str(error).partition(" ")[2] for error in raised.exception.exceptions]

    def fraction(self, bench, part):
        bench.wait(1)
        return bench.part(f"hut.{part}").state


class Registers(Benches):
    def test_a_value_of_several_registers_drives_its_pin_as_one(self):
        for data in NUMBERS:
            for order in ("high-first", "low-first"):
                form = f'data = "{data}"\nword_order = "{order}"\nbyte_order = "{order}"'
                with self.subTest(data, order=order):
                    bench = self.opened(MODBUS + LEVEL.format(form=form))
                    for share in (45, 0, 100, 7):
                        bench["glow"].set(share)
                        self.assertAlmostEqual(self.fraction(bench, "glow"), share, delta=0.3)
                        self.assertAlmostEqual(bench["glow"].read(), share, places=4)

    def test_what_is_written_above_its_limit_counts_as_that(self):
        bench = self.opened(MODBUS + LEVEL.format(form='data = "float32"').replace("[0, 1000]", "[0, 4000]"))
        bench["glow"].set(10)
        self.assertAlmostEqual(self.fraction(bench, "glow"), 40, delta=0.3)
        with self.assertRaises(cavet.Unconfirmed):
            bench["glow"].set(80)
        self.assertEqual((self.fraction(bench, "glow"), bench["glow"].read()), (100, 25))

    def test_a_number_without_a_greatest_one_needs_a_limit_to_drive_a_pin(self):
        text = MODBUS + LEVEL.format(form='data = "float32"').replace("high = 1000\n", "")
        expected = "what drives the pin fully: float32 has no greatest number"
        self.assertEqual(self.mistakes(text), [f'boards.hut.map.glow.high: found "nothing", expected {expected}'])

    def test_outputs_begin_with_what_their_registers_hold(self):
        text = MODBUS + LEVEL.format(form='data = "uint32"').replace("high =", "start = 250\nhigh =")
        bench = self.opened(text)
        self.assertAlmostEqual(self.fraction(bench, "glow"), 25, delta=0.3)
        self.assertEqual(bench["glow"].read(), 25)
        scaled = text.replace("start = 250", "start = 250\nscale = 0.1").replace("wire =", "start = 25\nwire =")
        self.path.write_text(scaled)
        self.assertEqual(
            [each.remark for each in remarks_on(load_bench(self.path).setup) if "start" in each.remark], []
        )


GAUGE = """
[boards.hut.parts]
gauge = { kind = "gauge", pin = 14, of = "water", range = [0, 1023] }
[boards.hut.map]
gauge = { table = "input-registers", address = 0, data = "float32", pin = 14 }
[rig.water]
start = 512
"""


class Measured(Benches):
    def test_the_words_of_one_value_are_of_one_moment(self):
        bench = self.opened(MODBUS + GAUGE)
        for _ in range(200):  # 511, 512 and 513 have other words each, and a mixture of them is none of these
            words = bench.send("hut", "read-input-registers", address=0, quantity=2).answer.fields["values"]
            value = struct.unpack(">f", struct.pack(">2H", *words))[0]
            self.assertIn(value, (511, 512, 513))
            bench.wait(0.01)


class Bits(Benches):
    def test_each_bit_of_a_register_has_a_pin_of_its_own(self):
        bench = self.opened(MODBUS + "".join(BIT.format(bit=bit) for bit in (1, 5, 9)))
        wanted = {1: False, 5: False, 9: False}
        for bit, on in ((5, True), (1, True), (5, False), (9, True), (1, False), (9, True)):
            wanted[bit] = on
            trail = bench[f"lamp_{bit}"].set(on)
            self.assertIsNone(trail.broken_at)
            shown = {each: bool(self.fraction(bench, f"lamp_{each}")) for each in wanted}
            self.assertEqual(shown, wanted)
            self.assertEqual({each: bench[f"lamp_{each}"].read() for each in wanted}, wanted)
        self.assertEqual([walked.held for walked in bench.walk()], [True] * 3)

    def test_what_is_asked_of_several_bits_at_once_is_told_of_each(self):
        for kind in ("lamp", "horn", "relay", "heater", "valve"):
            with self.subTest(kind):
                text = MODBUS + "".join(BIT.format(bit=bit) for bit in (1, 5, 9)).replace('"lamp"', f'"{kind}"')
                bench, names = self.opened(text), [f"lamp_{bit}" for bit in (1, 5, 9)]
                self.told(bench, [bench._here(partial(self.ask, bench, name, True)) for name in names])
                for _ in range(2):  # the second time nothing changes, and all is written all the same
                    self.told(bench, bench._here(partial(bench._running.rest, by="test")))

    def test_what_is_asked_again_while_its_part_is_on_its_way_is_not_called_elsewhere(self):
        bench = self.opened(MODBUS + BIT.format(bit=1).replace('"lamp"', '"valve"'))
        for wanted in (True, False, True):
            asked = [bench._here(partial(self.ask, bench, "lamp_1", wanted))]
            bench.wait(0.2)
            self.told(bench, [*asked, bench._here(partial(self.ask, bench, "lamp_1", wanted))])

    def told(self, bench, asked):
        bench.wait(3)
        bench._here(bench._standings.follow)
        trails = [bench._standings.trails.all[number] for number in asked]
        self.assertEqual([bench._standings.diagnose(trail).reason for trail in trails], [""] * len(asked))

    def ask(self, bench, name, wanted):
        running = bench._running
        return running.ask(running.point(name), wanted, by="test")

    def test_a_bit_is_given_once(self):
        twice = BIT.format(bit=3) + BIT.format(bit=3).replace("lamp_3", "lamp_4").replace("pin = 3", "pin = 4")
        self.assertEqual(
            self.mistakes(MODBUS + twice)[0],
            "boards.hut.map.lamp_4.bit: found 3, expected a bit of its own: lamp_3 has this one",
        )
        whole = BIT.format(bit=3) + '[boards.hut.map.all]\ntable = "holding-registers"\naddress = 4\n'
        self.assertEqual(
            self.mistakes(MODBUS + whole),
            ["boards.hut.map.all.address: found 4, expected addresses of its own: lamp_3 has this one"],
        )


class Pins(Benches):
    def test_a_board_that_speaks_as_soon_as_its_link_is_open_keeps_what_follows_from_what(self):
        trail = self.opened(FIRMATA + ON_PINS)["pump"].set(True)
        self.assertEqual([stage.stage for stage in trail.stages][:5], ["asked", "framed", "carried", "taken", "driven"])
        self.assertIsNone(trail.broken_at)

    def test_a_servo_that_is_asked_for_nought_goes_there_and_is_read_there(self):
        bench = self.opened(FIRMATA + ON_PINS)
        self.assertIsNone(bench["arm"].read())
        for wanted in (0, 30, 0):
            bench["arm"].set(wanted)
            self.assertEqual(bench["arm"].read(), wanted)
            self.assertAlmostEqual(self.fraction(bench, "arm"), wanted, delta=0.1)

    def test_a_gauge_gives_at_most_what_its_board_runs_on(self):
        bench = self.opened(FIRMATA + ON_PINS)
        for water in (60, 95, 0):
            bench.rig["water"] = water
            bench.wait(0.2)
            self.assertAlmostEqual(bench["gauge"].read(), water, delta=0.3)

    def test_a_walk_begins_at_rest_wherever_the_outputs_were_before(self):
        bench = self.opened(FIRMATA + ON_PINS)
        bench["arm"].set(120)
        bench["pump"].set(True)
        bench["speed"].set(40)
        self.assertEqual({walked.output: walked.why for walked in bench.walk() if not walked.held}, {})
        self.assertEqual(self.fraction(bench, "arm"), 0)


SHAFT = """
[boards.hut.parts]
hand = { kind = "stepper", pulse = 2, direction = 3, per_turn = 200 }
[points.hand]
board = "hut"
kind = "level"
mode = "stepper"
pin = 2
direction = 3
unit = "deg"
range = ["0 deg", "720 deg"]
wire = [0, 400]
fastest = 100
"""


class Shafts(Benches):
    def setUp(self):
        super().setUp()
        text = FIRMATA.replace('servo = "0-12"', 'servo = "0-12"\nstepper = "0-12"')
        self.bench = self.opened(text + SHAFT)

    def test_a_stepper_is_not_sent_as_far_again_when_its_link_is_back(self):
        for wanted, steps in ((180, 100), (360, 200), (90, 50)):
            self.bench["hand"].set(wanted)
            self.assertEqual(self.fraction(self.bench, "hand"), steps)
            with self.bench.broken("hut"):
                self.bench.wait(1)
            self.bench.wait(8)
            self.assertEqual((self.bench["hand"].got, self.fraction(self.bench, "hand")), (wanted, steps))

    def test_where_it_was_on_its_way_that_is_said(self):
        running = self.bench._running
        self.bench._here(lambda: running.ask(running.point("hand"), 720.0, by="test"))
        self.bench.wait(1)
        with self.bench.broken("hut"):
            self.bench.wait(1)
        self.bench.wait(8)
        reading = running.host_links["hut"].session.readings["hand"]
        self.assertEqual((reading.got, reading.asked), (None, 720))
        self.assertEqual(reading.remark, "it was on its way when the link was lost: where it stands now counts as 0")
        stood = self.fraction(self.bench, "hand")
        self.bench["hand"].set(90)
        self.assertEqual(self.fraction(self.bench, "hand"), stood + 50)


VALVE = """
[boards.hut.parts]
valve = { kind = "valve", pin = 2, travel = "4 s" }
[boards.hut.commands.valve]
header = "VALVe"
does = "set"
takes = "boolean"
default = "off"
pins = "2"
[points.valve]
board = "hut"
kind = "switch"
set = "VALV {}"
ask = "VALV?"
"""


class Slow(Benches):
    def test_a_part_that_is_on_its_way_while_the_instrument_gives_no_answer_is_not_called_unmoved(self):
        bench = self.opened(HEAD.format(firmware="scpi", link="tcp") + VALVE)
        with self.assertRaises(cavet.Unconfirmed) as raised:
            bench["valve"].set(True)
        trail = raised.exception.trail
        self.assertEqual(trail.broken_at, "confirmed")
        self.assertIn("no answer to 3 tries of SYST:ERR?", trail.why)
        self.assertIn("reply_within", trail.mend)


UNTOLD = """
[boards.hut.station]
base = "hut"
[boards.hut.parts]
lamp = { kind = "lamp", pin = 2 }
[boards.hut.topics]
lamp = { command = "lamp", does = "switch", pin = 2 }
[points.lamp]
board = "hut"
kind = "switch"
command = "hut/lamp"
"""


class Untold(Benches):
    def test_what_nobody_tells_of_is_sent_again_where_the_link_was_away_meanwhile(self):
        text = HEAD.format(firmware="mqtt", link="mqtt").replace('pins = "0-20"', 'pins = "0-20"\nresets = true')
        bench = self.opened(text + UNTOLD)
        bench["lamp"].set(True)
        self.assertEqual((self.fraction(bench, "lamp"), bench["lamp"].set(True).ended), (100, "left out"))
        with bench.broken("hut"):
            bench.wait(1)
        bench.wait(8)
        self.assertEqual(self.fraction(bench, "lamp"), 0)  # the board began anew
        bench["lamp"].set(True)
        self.assertEqual(self.fraction(bench, "lamp"), 100)


MADE_WRONG = """
[boards.hut.parts]
lamp = {{ kind = "lamp", pin = 2 }}
other = {{ kind = "lamp", pin = 3 }}
motor = {{ kind = "motor", enable = 4, ahead = 6, astern = 7 }}
[points.lamp]
board = "hut"
kind = "switch"
pin = 2
[points.other]
board = "hut"
kind = "switch"
pin = 3
[points.motor]
board = "hut"
kind = "bridge"
pin = 4
ahead = 6
astern = 7
range = [-100, 100]
[rig.days]
[defects.wrong]
kind = "{kind}"
board = "hut"
{which}
"""


class MadeWrong(Benches):
    def ended(self, bench, point, value):
        """How a wish came out, as it was told while it ran and by the record: both must say the same."""
        with contextlib.suppress(cavet.Unconfirmed):
            bench[point].set(value)
        bench.wait(2)
        bench.rig["days"] = bench.t  # something that happens later, by which a record knows how late it is
        trail = bench[point].trail
        told = past_trails(bench.record.events, load_bench(self.path).setup)
        last = [each for each in told if each.point == point][-1]
        self.assertEqual((trail.broken_at, trail.why), (last.broken_at, last.why))
        self.assertEqual(trail.broken_at is not None, last.ended == "broken")
        return trail.broken_at, trail.why

    def test_what_is_asked_again_is_told_again_though_nothing_is_sent(self):
        for kind, which, stage in (
            ("dead-pin", "pin = 2", "driven"), ("seized", 'part = "lamp"', "moved"),
            ("swapped", "pins = [2, 3]", "moved"), ("inverted", "pin = 2", "moved"),
        ):  # fmt: skip
            with self.subTest(kind):
                bench = self.opened(FIRMATA + MADE_WRONG.format(kind=kind, which=which))
                first = self.ended(bench, "lamp", True)
                self.assertEqual(first[0], stage)
                self.assertEqual(self.ended(bench, "lamp", True), first)
                self.assertEqual(len(bench._standings.broken()), 1)  # on the screen it is told once

    def test_what_is_wrong_from_the_start_is_told_at_the_first_wish(self):
        bench = self.opened(FIRMATA + MADE_WRONG.format(kind="inverted", which="pin = 2"))
        bench.wait(4)
        stage, why = self.ended(bench, "lamp", False)
        self.assertEqual((stage, why), ("moved", "the board stands there already, but lamp does not: 100 %"))

    def test_what_is_mended_is_not_told_any_more(self):
        bench = self.opened(FIRMATA + MADE_WRONG.format(kind="dead-pin", which="pin = 2\non = false"))
        with bench.defect("wrong"):
            self.assertEqual(self.ended(bench, "lamp", True)[0], "driven")
        bench.wait(1)
        self.assertEqual((bench.part("hut.lamp").state, self.ended(bench, "lamp", True)[0]), (100, None))

    def test_what_another_wish_has_moved_is_not_where_it_was_asked_to_be(self):
        bench = self.opened(FIRMATA + MADE_WRONG.format(kind="swapped", which="pins = [2, 3]"))
        self.ended(bench, "lamp", True)
        self.ended(bench, "other", True)
        self.ended(bench, "other", False)  # that puts out the lamp
        stage, why = self.ended(bench, "lamp", True)
        self.assertEqual((stage, why), ("moved", "the board stands there already, but lamp does not: off"))

    def test_a_motor_that_stands_still_or_turns_the_wrong_way_has_not_moved(self):
        for pin, words in ((4, "elsewhere: still"), (6, "elsewhere: still")):
            with self.subTest(pin):
                bench = self.opened(FIRMATA + MADE_WRONG.format(kind="inverted", which=f"pin = {pin}"))
                stage, why = self.ended(bench, "motor", 100)
                self.assertEqual(stage, "moved")
                self.assertIn(f"motor went {words}, asked 100 %", why)
        bench = self.opened(FIRMATA + MADE_WRONG.format(kind="swapped", which="pins = [6, 7]"))
        self.assertIn("motor went the wrong way: astern 100 %", self.ended(bench, "motor", 100)[1])


if __name__ == "__main__":
    unittest.main()
