"""Frames as levels: the edges where they belong, read back as a receiver would."""

import unittest
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as some

from cavet.drawings.canvas import PAPER
from cavet.drawings.waveform import draw_levels, levels_note
from cavet.protocols import levels
from cavet.protocols.i2c import Mark, Octet, read_marks

RATE = 19200


def trace(wave, name):
    return next(each for each in wave.traces if each.name == name)


class Uart(unittest.TestCase):
    def test_a_byte_has_start_data_and_stop_where_they_belong(self):
        wave = levels.uart(b"\x58", RATE)
        (line,) = wave.traces
        period = 1 / RATE
        expected = [1, 5, 7, 8, 9, 10]  # in bits, behind one of silence: 0 0001 1010 and the stop bit
        self.assertEqual([round(t / period, 6) for t in levels.edges(line)], expected)
        self.assertEqual("".join(stretch.text for stretch in wave.stretches), "S00011010P")
        self.assertEqual([stretch.bit for stretch in wave.stretches[1:9]], [7, 6, 5, 4, 3, 2, 1, 0])

    @given(some.binary(min_size=1, max_size=8), some.sampled_from("NEO"), some.sampled_from((1, 2)))
    def test_who_samples_in_the_middle_of_each_bit_reads_the_bytes(self, data, parity, stops):
        (line,) = levels.uart(data, RATE, parity=parity, stops=stops).traces
        period, size = 1 / RATE, 10 + (parity != "N") + stops - 1
        for place, byte in enumerate(data):
            begin = (1 + place * size) * period
            bits = [line.at(begin + (number + 0.5) * period) for number in range(size)]
            self.assertEqual((bits[0], bits[-1]), (0, 1))
            self.assertEqual(sum(bit << number for number, bit in enumerate(bits[1:9])), byte)
            if parity != "N":
                self.assertEqual((sum(bits[1:10]) & 1), parity == "O")


class Bus(unittest.TestCase):
    def read(self, wave):
        """What a receiver sees: conditions, and bits at the rising clock."""
        clock, line = trace(wave, "SCL"), trace(wave, "SDA")
        seen = []
        times = sorted({*levels.edges(clock), *levels.edges(line)})
        for t in times:
            before = t - wave.period / 100
            if clock.at(before) == clock.at(t) == 1 and line.at(before) != line.at(t):
                seen.append("start" if line.at(t) == 0 else "stop")
            elif clock.at(before) == 0 and clock.at(t) == 1:
                seen.append(line.at(t))
        return seen

    def test_a_transaction_with_its_acknowledge_bits(self):
        wave = levels.bus(read_marks("S 4C A 04 N P"), 100_000)
        bits = [int(bit) for bit in "01001100" + "0" + "00000100" + "1"]
        self.assertEqual(self.read(wave), ["start", *bits, 0, "stop"])
        self.assertEqual(wave.period, 1e-5)

    @given(some.lists(some.integers(0, 255), min_size=1, max_size=6))
    def test_the_data_line_changes_only_while_the_clock_is_low_but_for_start_and_stop(self, data):
        tokens = [Mark.START, *(Octet(byte, True) for byte in data), Mark.RESTART, Octet(data[0], False), Mark.STOP]
        seen = self.read(levels.bus(tokens, 400_000))
        self.assertEqual([each for each in seen if isinstance(each, str)], ["start", "start", "stop"])

    def test_an_acknowledge_that_nobody_has_seen_has_no_level(self):
        plain, held = (levels.bus(read_marks("S 4C A 04 A P"), 100_000, each) for each in (0.0, 50e-6))
        self.assertAlmostEqual(held.end - plain.end, 2 * 50e-6)
        low = [stretch for stretch in held.stretches if stretch.tells == "the device holds the clock low"]
        self.assertEqual([round(1e6 * (each.end - each.begin)) for each in low], [50, 50])
        wave = levels.bus(read_marks("S 4C P"), 100_000)
        self.assertIn(None, [level for _, level in trace(wave, "SDA").levels])
        self.assertIn("?", [stretch.text for stretch in wave.stretches])


class Spi(unittest.TestCase):
    @given(some.binary(min_size=1, max_size=6), some.integers(0, 3))
    def test_who_samples_at_the_modes_edge_reads_the_bytes(self, data, mode):
        wave = levels.spi(data, 1_000_000, mode=mode, back=data[::-1])
        clock, out, back = trace(wave, "SCLK"), trace(wave, "MOSI"), trace(wave, "MISO")
        idle, phase = mode >> 1, mode & 1
        self.assertEqual(clock.at(0), idle)
        wanted = 1 - idle if phase == 0 else idle
        sampled = [t for t in levels.edges(clock) if clock.at(t) == wanted]
        self.assertEqual(len(sampled), 8 * len(data))
        just_before = wave.period / 1000
        for line, expected in ((out, data), (back, data[::-1])):
            bits = [line.at(t - just_before) for t in sampled]
            self.assertEqual(int("".join(map(str, bits)), 2), int.from_bytes(expected, "big"))

    def test_bits_are_named_at_even_distances_from_wherever_it_is_seen(self):
        wave = levels.spi(b"\x00\xff\x5a", 1_000_000, back=b"123")
        for first in range(40):
            line = draw_levels(wave, 90, PAPER, first=first / 4 * wave.period).text().splitlines()[-1]
            at = [x for x, sign in enumerate(line) if sign in "01"]
            self.assertEqual({4}, {after - before for before, after in pairwise(at)}, first)

    def test_the_clock_runs_only_while_the_device_is_selected(self):
        wave = levels.spi(b"\x9f", 1_000_000)
        select = trace(wave, "CS")
        self.assertTrue(all(select.at(t) == 0 for t in levels.edges(trace(wave, "SCLK"))))


class Times(unittest.TestCase):
    def test_how_long_a_frame_takes_is_told_without_the_idle_line_that_is_drawn_around_it(self):
        for wave, told in (
            (levels.uart(b"\xe2\x0f\x00", 57600), "17.4 µs a bit, 521 µs in all"),
            (levels.uart(b"\x58", 9600, parity="E", stops=2), "104 µs a bit, 1.2 ms in all"),  # 12 bits
            (levels.bus(read_marks("S 4C A 04 A P"), 100_000), "10 µs a bit, 200 µs in all"),
            (levels.bus(read_marks("S 4C A 04 A Sr 4D A 12 N P"), 100_000), "10 µs a bit, 395 µs in all"),
            (levels.spi(b"\x01\x02", 1_000_000), "1 µs a bit, 16 µs in all"),
        ):
            with self.subTest(told):
                self.assertEqual(levels_note(wave, None), told)


if __name__ == "__main__":
    unittest.main()
