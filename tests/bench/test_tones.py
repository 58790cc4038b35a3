"""A buzzer on boards of each protocol: it sounds at the hertz that it is told, and by PWM at the board's own rate."""

import contextlib
import tempfile
import unittest
from pathlib import Path

import cavet
from cavet.boards.parts import Buzzer, note_of
from tests.boards.worlds import wired

BENCH = """\
format = 1
name = "tones"

[profiles.shop]
pins = "0-7"
output = "0-7"
input = "0-7"
pwm = "2-5"
pwm_rate = "1 kHz"

[boards.hut]
profile = "wren"
firmware = "firmata"
parts.hut_buzzer = { kind = "buzzer", pin = 3 }

[boards.pump]
profile = "shop"
firmware = "modbus"
parts.pump_buzzer = { kind = "buzzer", pin = 2 }
map.pitch = { table = "holding-registers", address = 0, pin = 2, mode = "tone", scale = 10 }

[boards.rack]
profile = "shop"
firmware = "scpi"
parts.rack_buzzer = { kind = "buzzer", pin = 4, range = ["100 Hz", "2 kHz"] }
commands.pitch = { header = "SOURce:FREQuency", does = "set", unit = "Hz", range = ["0 Hz", "5 kHz"], pins = "4", \
mode = "tone" }

[boards.mast]
profile = "shop"
firmware = "mqtt"
parts.mast_buzzer = { kind = "buzzer", pin = 5 }
topics.pitch = { command = "pitch/set", state = "pitch", does = "tone", pin = 5, range = [0, 4000] }

[links]
hut = { kind = "serial", board = "hut" }
pump = { kind = "tcp", board = "pump" }
rack = { kind = "tcp", board = "rack" }
mast = { kind = "mqtt", board = "mast" }

[hosts]
hut = { link = "hut", protocol = "firmata" }
pump = { link = "pump", protocol = "modbus" }
rack = { link = "rack", protocol = "scpi" }
mast = { link = "mast", protocol = "mqtt" }

[points.hut_buzzer]
board = "hut"
kind = "level"
pin = 3
mode = "pwm"
unit = "%"
range = [0, 100]
confirm = true

[points.pump_buzzer]
board = "pump"
kind = "level"
table = "holding-registers"
address = 0
unit = "Hz"
range = [0, 5000]
wire = [0, 500]
confirm = true

[points.rack_buzzer]
board = "rack"
kind = "level"
set = "SOUR:FREQ {}"
ask = "SOUR:FREQ?"
unit = "Hz"
range = [0, 5000]
confirm = true

[points.mast_buzzer]
board = "mast"
kind = "level"
command = "pitch/set"
state = "pitch"
unit = "Hz"
range = [0, 4000]
confirm = true
"""


class Tones(unittest.TestCase):
    def setUp(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "tones.bench.toml"
            path.write_text(BENCH)
            self.bench = cavet.open(path, seed="a")
        self.addCleanup(self.bench.close)

    def test_on_each_protocol_it_sounds_at_what_it_is_told(self):
        for board, asked, pitch, words in (
            ("hut", 30, 490, "490 Hz, B4"),
            ("pump", 440, 440, "440 Hz, A4"),
            ("rack", "1 kHz", 1000, "1000 Hz, B5"),
            ("mast", 262, 262, "262 Hz, C4"),
        ):
            with self.subTest(board):
                self.bench[f"{board}_buzzer"].set(asked)
                buzzer = self.bench.part(f"{board}.{board}_buzzer")
                self.bench.wait_until(lambda: buzzer.state == pitch, at_most=1.0)  # noqa: B023
                self.assertEqual((buzzer.words, buzzer.unit), (words, "Hz"))
                self.bench[f"{board}_buzzer"].set(0)
                self.bench.wait_until(lambda: buzzer.words == "quiet", at_most=1.0)  # noqa: B023
                self.assertEqual(self.bench[f"{board}_buzzer"].trail.broken_at, None)

    def test_a_steady_level_is_not_heard(self):
        self.bench["hut_buzzer"].set(100)
        self.bench.wait(0.1)
        self.assertEqual(self.bench.part("hut.hut_buzzer").state, 0)

    def test_a_pitch_beyond_its_own_is_told(self):
        with contextlib.suppress(cavet.Refused):  # the wish itself is confirmed, or not, before the buzzer has a say
            self.bench["rack_buzzer"].set("3 kHz")
        self.bench.wait(0.1)
        self.assertIn("3000 Hz is not heard: 100 to 2000 Hz are", str(self.bench["rack_buzzer"].trail))
        self.assertEqual(self.bench.part("rack.rack_buzzer").words, "quiet")

    def test_the_notes(self):
        for pitch, note in ((440, "A4"), (261.63, "C4"), (27.5, "A0"), (4186, "C8"), (466.16, "A♯4"), (493.9, "B4")):
            self.assertEqual(note_of(pitch), note)

    def test_a_tone_needs_a_pin_that_can(self):
        with tempfile.TemporaryDirectory() as folder, self.assertRaises(Exception) as caught:
            path = Path(folder) / "tones.bench.toml"
            path.write_text(BENCH.replace("pin = 2, mode", "pin = 6, mode").replace("pin = 2 }", "pin = 6 }"))
            cavet.open(path)
        self.assertIn("a pin with tone: 2, 3, 4 and 5", str(caught.exception) + repr(caught.exception.exceptions))

    def test_its_place_between_low_and_high_is_as_an_ear_has_it(self):
        buzzer = wired(Buzzer, "b", pin=1, range=(100, 1600))
        buzzer._pitch = 400.0
        self.assertAlmostEqual(buzzer.fraction(0.0), 0.5)


if __name__ == "__main__":
    unittest.main()
