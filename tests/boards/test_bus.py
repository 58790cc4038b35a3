"""A bus with its devices: as a controller sees it, and as it is reached over Firmata."""

import unittest

from cavet.benchfile import read_plan_text, shipped_plans
from cavet.boards.buses import (
    BusDevice,
    Expander,
    Giving,
    LatchExpander,
    Matrix,
    MatrixChain,
    Measuring,
    Panel,
    RegisterDevice,
)
from cavet.boards.parts import Button, Lamp
from cavet.expressions import Expression
from cavet.protocols.i2c import show_marks
from cavet.protocols.registers import BitField, Register, RegisterMap
from tests.boards.worlds import Small, quantity, wired

WIRES = {"data": 10, "clock": 11}


def shipped(name):
    return read_plan_text(shipped_plans()[name], name).map("")


def on(part, device):
    part.hangs_on = device
    return part


class Bench(Small):
    """A board with these devices, its bus begun; transactions are done at once, one after the other."""

    def __init__(self, *parts, quantities=()):
        super().__init__(parts, quantities)
        self.open()
        self.say("F0 78 00 00 F7")
        self.bus = self.circuit.bus

    def write(self, address, text, **more):
        outcome = self.bus.write(address, bytes.fromhex(text), self.time, None, **more)
        self.go(max(self.time, outcome.ends_at))
        return outcome

    def read(self, address, register, count=1):
        outcome = self.bus.write_read(address, bytes((register,)), count, self.time, None)
        self.go(max(self.time, outcome.ends_at))
        return outcome.data


class Bus(unittest.TestCase):
    def test_a_transaction_is_told_mark_by_mark_and_takes_its_time_on_the_wires(self):
        bench = Bench(wired(Expander, "mast", register_map=shipped("expander16"), address=0x26))
        began = bench.time
        outcome = bench.bus.write_read(0x26, b"\x0e", 1, began, None)
        self.assertEqual(show_marks(outcome.tokens), "S 4C A 0E A Sr 4D A 5C N P")
        self.assertAlmostEqual(outcome.ends_at - began, 39 / 100e3)
        self.assertEqual(bench.events("bus")[-1].note, "S 4C A 0E A Sr 4D A 5C N P")

    def test_who_is_not_there_does_not_answer(self):
        bench = Bench()
        outcome = bench.write(0x26, "00")
        self.assertEqual((show_marks(outcome.tokens), outcome.data), ("S 4C N P", b""))
        self.assertEqual(outcome.problem, "nobody acknowledges 0x26")

    def test_two_at_one_address_pull_each_others_bits_low_and_that_is_told(self):
        bench = Bench(wired(LatchExpander, "one", address=0x20), wired(LatchExpander, "two", address=0x20))
        self.assertEqual(len(bench.bus.clashes), 1)
        bench.circuit.parts["one"].write(0x0F, 0.0)
        bench.circuit.parts["two"].write(0x3C, 0.0)
        self.assertEqual(bench.bus.read(0x20, 1, bench.time, None).data, b"\x0c")
        self.assertIn("one and two both answer at 0x20", bench.events("remark")[-1].note)

    def test_a_device_that_stretches_the_clock_takes_longer(self):
        bench = Bench(wired(LatchExpander, "slow", address=0x20, stretch=1e-3))
        began = bench.time
        self.assertAlmostEqual(bench.bus.write(0x20, b"\x00", began, None).ends_at - began, 20 / 100e3 + 2e-3)

    def test_a_line_that_stays_low_ends_every_transaction(self):
        bench = Bench(wired(LatchExpander, "one", address=0x20))
        bench.bus.stuck = "data"
        self.assertIn("its data line stays low", bench.write(0x20, "00").problem)
        bench.bus.stuck = ""
        self.assertEqual(bench.write(0x20, "00").problem, "")

    def test_one_that_never_acknowledges_is_told_and_a_byte_refused_ends_the_write(self):
        class Picky(BusDevice):
            def write(self, byte, at):
                return byte != 2

        bench = Bench(wired(Picky, "picky", address=0x20))
        outcome = bench.write(0x20, "01 02 03")
        self.assertEqual(show_marks(outcome.tokens), "S 40 A 01 A 02 N P")
        self.assertIn("did not acknowledge byte 2 of 3", outcome.problem)
        bench.circuit.parts["picky"].silent = True
        self.assertIn("nobody acknowledges", bench.write(0x20, "01").problem)

    def test_ten_bit_addresses_are_called_with_two_bytes(self):
        device = wired(RegisterDevice, "far", register_map=shipped("expander16"), address=0x2AB, ten_bit=True)
        bench = Bench(device)
        outcome = bench.bus.write_read(0x2AB, b"\x0e", 1, bench.time, None, ten_bit=True)
        self.assertEqual(show_marks(outcome.tokens), "S F4 A AB A 0E A Sr F5 A 5C N P")
        self.assertIn("nobody acknowledges", bench.bus.write(0x2B, b"", bench.time, None).problem)

    def test_transactions_follow_one_another(self):
        bench = Bench(wired(LatchExpander, "one", address=0x20))
        first = bench.bus.write(0x20, b"\x00", bench.time, None)
        second = bench.bus.write(0x20, b"\x01", bench.time, None)
        self.assertAlmostEqual(second.ends_at - first.ends_at, 20 / 100e3)


class Registers(unittest.TestCase):
    def device(self, *registers, **more):
        made = RegisterMap(name="map", registers=registers, **{"last": 0xFF, **more})
        self.bench = Bench(wired(RegisterDevice, "chip", register_map=made, address=0x40))
        return self.bench

    def test_addresses_count_up_and_begin_again_behind_the_last(self):
        bench = self.device(Register(name="a", at=0, reset=1), Register(name="b", at=1, reset=2), last=1)
        self.assertEqual(bench.read(0x40, 1, 3), b"\x02\x01\x02")
        bench.write(0x40, "00 0A 0B 0C")
        self.assertEqual(bench.read(0x40, 0, 2), b"\x0c\x0b")

    def test_without_counting_up_the_same_register_is_meant(self):
        bench = self.device(Register(name="a", at=0, reset=1), Register(name="b", at=1), auto_increment=False)
        self.assertEqual(bench.read(0x40, 0, 3), b"\x01\x01\x01")

    def test_access_and_side_effects(self):
        bench = self.device(
            Register(name="fixed", at=0, reset=7, access="read-only"),
            Register(name="flags", at=1, reset=0xF0, access="write-one-to-clear"),
            Register(name="status", at=2, reset=0x81, access="clear-on-read"),
            Register(name="secret", at=3, reset=9, access="write-only"),
            Register(
                name="mixed",
                at=4,
                reset=0xFF,
                fields=(BitField(name="low", low=0, bits=4, access="read-only"), BitField(name="high", low=4, bits=4)),
            ),
        )
        bench.write(0x40, "00 00 30 00 05 00")
        self.assertEqual(bench.read(0x40, 0, 5), bytes.fromhex("07 C0 81 00 0F"))
        self.assertEqual(bench.read(0x40, 2), b"\x00")

    def test_a_register_of_two_bytes_is_written_and_read_as_one(self):
        bench = self.device(
            Register(name="big", at=0, size=2, reset=0x1234), Register(name="small", at=2, size=2, order="little")
        )
        self.assertEqual(bench.read(0x40, 0, 2), b"\x12\x34")
        bench.write(0x40, "02 34 12")
        self.assertEqual(bench.circuit.parts["chip"].value("small", 0.0), 0x1234)
        self.assertEqual(bench.told("driven")[-1], ("driven", "chip.small", 0x1234))
        bench.write(0x40, "01 FF")
        self.assertEqual(bench.read(0x40, 0, 2), b"\x12\xff")

    def test_registers_may_be_addressed_whole(self):
        bench = self.device(
            Register(name="a", at=0, size=2, reset=0x0102),
            Register(name="b", at=1, size=2, reset=0x0304),
            addressing="registers",
            auto_increment=False,
        )
        self.assertEqual(bench.read(0x40, 1, 4), bytes.fromhex("03 04 03 04"))
        bench.write(0x40, "01 AA BB")
        self.assertEqual(bench.read(0x40, 1, 2), b"\xaa\xbb")

    def test_a_bank_is_chosen_by_a_field(self):
        bench = self.device(
            Register(name="page", at=0xF0, fields=(BitField(name="bank", low=4, bits=1),)),
            Register(name="one", at=0, bank=0, reset=1),
            Register(name="two", at=0, bank=1, reset=2),
            banked_by="page.bank",
        )
        self.assertEqual(bench.read(0x40, 0), b"\x01")
        bench.write(0x40, "F0 10")
        self.assertEqual(bench.read(0x40, 0), b"\x02")

    def test_what_is_not_there_reads_0_and_takes_nothing(self):
        bench = self.device(Register(name="a", at=0))
        bench.write(0x40, "05 01")
        self.assertEqual(bench.read(0x40, 5), b"\x00")
        self.assertIn("there is no register 0x05", bench.events("remark")[-1].note)

    def test_a_pointer_of_two_bytes(self):
        bench = self.device(Register(name="a", at=0x1234, reset=5), pointer=2, last=0xFFFF)
        self.assertEqual(bench.bus.write_read(0x40, b"\x12\x34", 1, 0.0, None).data, b"\x05")


class Expanders(unittest.TestCase):
    def setUp(self):
        self.bench = Bench(
            wired(Expander, "mast", interrupt=4, register_map=shipped("expander16"), address=0x26),
            on(wired(Lamp, "lamp", pin=0), "mast"),
            on(wired(Button, "switch", pin=8), "mast"),
        )
        self.bench.say("F4 04 0B")

    def test_reset_values_and_identity(self):
        self.assertEqual(self.bench.read(0x26, 0, 15), bytes.fromhex("FF FF 00 00 00 00 00 00 00 00 00 00 00 00 5C"))

    def test_outputs_drive_what_hangs_on_them(self):
        bench = self.bench
        bench.write(0x26, "02 01")
        self.assertEqual(bench.told("moved"), [])
        bench.write(0x26, "00 FE")
        bench.go(bench.time + 1)
        self.assertEqual(bench.told("moved"), [("moved", "lamp", 100.0)])
        self.assertEqual(bench.read(0x26, 4), b"\x01")
        cause = next(event for event in bench.events("driven") if event.number == bench.events("moved")[-1].cause)
        self.assertEqual(cause.subject, "mast.direction_a")

    def test_inputs_follow_part_pull_up_and_inversion(self):
        bench = self.bench
        self.assertEqual(bench.read(0x26, 5), b"\x00")
        bench.write(0x26, "07 03")
        self.assertEqual(bench.read(0x26, 5), b"\x03")
        bench.world.act("board.switch", "press")
        bench.go(bench.time + 0.1)
        self.assertEqual(bench.read(0x26, 5), b"\x02")
        bench.write(0x26, "09 01")
        self.assertEqual(bench.read(0x26, 5), b"\x03")

    def test_a_change_raises_the_interrupt_keeps_the_levels_and_reading_them_takes_it_back(self):
        bench = self.bench
        bench.write(0x26, "07 03")
        bench.write(0x26, "0B 01")
        self.assertTrue(bench.circuit.read_level(4))
        bench.world.act("board.switch", "press")
        bench.go(bench.time + 0.1)
        self.assertFalse(bench.circuit.read_level(4))
        bench.world.act("board.switch", "release")
        bench.go(bench.time + 0.1)
        self.assertEqual(bench.read(0x26, 5), b"\x03")
        self.assertFalse(bench.circuit.read_level(4))
        self.assertEqual(bench.read(0x26, 0x0D), b"\x02")
        bench.go(bench.time + 0.01)
        self.assertFalse(bench.circuit.read_level(4), "the release was a change since the capture, too")
        self.assertEqual(bench.read(0x26, 0x0D), b"\x03")
        bench.go(bench.time + 0.01)
        self.assertTrue(bench.circuit.read_level(4))

    def test_changes_that_were_over_before_the_host_read_are_told(self):
        bench = self.bench
        bench.write(0x26, "07 03")
        bench.read(0x26, 5)
        bench.world.act("board.switch", "press", seconds=0.01)
        bench.go(bench.time + 0.1)
        self.assertEqual([event.value for event in bench.events("level") if event.topic == "line"], [False, True])
        self.assertEqual(bench.read(0x26, 5), b"\x03")
        remark = bench.events("remark")[-1]
        self.assertEqual((remark.subject, remark.value), ("mast.B0", 2))
        self.assertIn("has seen only how it stands now", remark.note)
        bench.read(0x26, 5)
        self.assertEqual(len(bench.events("remark")), 1)


class PanelAndMatrices(unittest.TestCase):
    def setUp(self):
        self.bench = Bench(
            wired(Panel, "panel", address=0x3B), wired(Matrix, "arrow", register_map=shipped("matrix8"), address=0x74)
        )
        self.panel, self.arrow = (self.bench.circuit.parts[name] for name in ("panel", "arrow"))

    def nibble(self, nibble, select=0):
        for lines in (nibble << 4 | 0x0C | select, nibble << 4 | 0x08 | select):
            self.bench.write(0x3B, f"{lines:02X}")

    def byte(self, byte, select=0):
        self.nibble(byte >> 4, select)
        self.nibble(byte & 15, select)
        self.bench.go(self.bench.time + 0.002)

    def begin(self):
        for nibble in (3, 3, 3, 2):
            self.nibble(nibble)
            self.bench.go(self.bench.time + 0.005)
        for byte in (0x28, 0x0C, 0x06, 0x01):
            self.byte(byte)

    def write(self, text):
        for byte in text.encode("latin-1"):
            self.byte(byte, 1)

    def text(self):
        return self.panel.shows(self.bench.time)

    def test_it_shows_what_is_written_on_both_lines(self):
        self.begin()
        self.write("Lock open")
        self.byte(0x80 | 0x40)
        self.write("1 212 mm")
        self.bench.go(self.bench.time + 0.01)
        self.assertEqual(self.text(), "Lock open\n1 212 mm")
        self.assertEqual(self.bench.told("moved")[-1], ("moved", "panel", "Lock open\n1 212 mm"))

    def test_before_its_display_is_on_nothing_is_seen(self):
        for nibble in (3, 3, 3, 2):
            self.nibble(nibble)
        for byte in (0x28, 0x01):
            self.byte(byte)
        self.write("hidden")
        self.assertEqual(self.text(), "")
        self.byte(0x0C)
        self.assertEqual(self.text(), "hidden")

    def test_what_comes_while_it_is_busy_is_lost_and_told(self):
        self.begin()
        for nibble in (0, 1):
            self.nibble(nibble)
        outcome = self.bench.bus.write(0x3B, bytes.fromhex("4D 49 1D 19"), self.bench.time, None)  # "A", too early
        self.bench.go(outcome.ends_at + 0.01)
        self.assertEqual(self.text(), "")
        self.assertIn("too early: it was busy", self.bench.events("lost")[-1].note)

    def test_lines_run_over_into_one_another_and_the_display_scrolls(self):
        self.begin()
        self.write("abcdefghijklmnopqrstuvwxyz0123456789ABCD" + "second")
        self.assertEqual(self.text(), "abcdefghijklmnop\nsecond")
        self.byte(0x18)
        self.assertEqual(self.text(), "bcdefghijklmnopq\necond")
        self.byte(0x1C)
        self.byte(0x1C)
        self.assertEqual(self.text(), "Dabcdefghijklmno\n second")
        self.byte(0x02)
        self.assertEqual(self.text(), "abcdefghijklmnop\nsecond")

    def test_entry_to_the_left_and_shifting_with_each_character(self):
        self.begin()
        self.byte(0x84)
        self.byte(0x04)
        self.write("abc")
        self.assertEqual(self.text(), "  cba")
        self.byte(0x01)
        self.byte(0x07)
        self.write("ab")
        self.assertEqual(self.panel.controller.codes()[0][-2:], b"  ")
        self.assertEqual(self.text(), "")

    def test_custom_characters_and_the_cursor(self):
        self.begin()
        self.byte(0x40 | 8)
        for row in (0, 0, 0, 0, 0x1F, 0x1F, 0x1F, 0x1F):
            self.byte(row, 1)
        self.byte(0x80)
        self.byte(0x0E)
        self.write("\x01\x09x")
        self.assertEqual(self.text(), "▄▄x")
        self.assertEqual(self.panel.controller.pattern(1), (0, 0, 0, 0, 0x1F, 0x1F, 0x1F, 0x1F))
        self.assertEqual(self.panel.controller.cursor(), (3, 0))

    def test_busy_flag_address_and_characters_are_read_back_nibble_by_nibble(self):
        self.begin()
        self.write("A")

        def read(select):
            halves = []
            for _ in range(2):
                self.bench.write(0x3B, f"{0xFA | select:02X}")
                self.bench.write(0x3B, f"{0xFE | select:02X}")
                halves.append(self.bench.bus.read(0x3B, 1, self.bench.time, None).data[0] >> 4)
                self.bench.go(self.bench.time + 0.001)
            self.bench.write(0x3B, f"{0xFA | select:02X}")
            return halves[0] << 4 | halves[1]

        self.assertEqual(read(0), 0x01)
        self.byte(0x80)
        self.assertEqual((read(1), read(0)), (0x41, 0x01))

    def test_the_light_is_line_3(self):
        self.begin()
        self.bench.write(0x3B, "00")
        self.assertFalse(self.panel.light)

    def test_a_matrix_shows_its_columns_in_their_odd_order(self):
        bench = self.bench
        bench.write(0x74, "00 02 00 00 00 00 00 00 01")
        self.assertEqual(self.arrow.rows(bench.time), bytes(8))
        bench.write(0x74, "10 01")
        bench.go(bench.time + 0.01)
        self.assertEqual(self.arrow.rows(bench.time), bytes.fromhex("80 00 00 00 00 00 00 01"))
        self.assertEqual(bench.told("moved")[-1], ("moved", "arrow", bytes.fromhex("8000000000000001")))
        bench.write(0x74, "12 01")
        seen = {self.arrow.rows(bench.time + time / 8)[0] for time in range(8)}
        self.assertEqual(seen, {0x00, 0x80})

    def test_a_chain_hands_words_on_from_the_nearest_to_the_farthest(self):
        chain = wired(MatrixChain, "chain", modules=4)
        bench = Small([chain])
        for words in ("2001 2001 2001 2001", "0181 0000 0000 0101"):
            chain.transfer(bytes.fromhex(words), bench.time, None)
        bench.go(0.01)
        rows = chain.rows(0.01)
        self.assertEqual(rows[0], bytes.fromhex("80") + bytes(7))  # the last word is the nearest one's
        self.assertEqual(rows[3], bytes.fromhex("80 00 00 00 00 00 00 80"))
        chain.transfer(bytes.fromhex("2200"), 0.01, None)  # one word alone shifts the others along
        self.assertEqual(chain.rows(0.01)[1], bytes.fromhex("80") + bytes(7))
        chain.transfer(bytes.fromhex("2201" * 4), 0.01, None)
        self.assertEqual(chain.rows(0.01), (b"\xff" * 8,) * 4)


class Converters(unittest.TestCase):
    def setUp(self):
        maps = read_plan_text(shipped_plans()["converters"], "converters")
        measures = {"channel_0": Expression("level / 2"), "channel_3": Expression("level")}
        parts = [
            wired(
                Measuring,
                "adc",
                register_map=maps.map("adc4"),
                address=0x48,
                channels=measures,
                range=(0, 3000),
                bits=12,
            ),
            wired(Giving, "dac", register_map=maps.map("dac2"), address=0x60, bits=10),
            on(wired(Lamp, "lamp", pin=1), "dac"),
        ]
        self.bench = Bench(*parts, quantities=[quantity("level", start=1500.0, low=0, high=3000)])

    def test_channels_measure_the_rig(self):
        self.assertEqual(self.bench.read(0x48, 0, 8), bytes.fromhex("0400 0000 0000 0800"))
        self.bench.world.place("level", 4000)
        self.assertEqual(self.bench.read(0x48, 6, 2), bytes.fromhex("0FFF"))

    def test_outputs_give_a_voltage_when_both_bytes_have_come(self):
        self.bench.write(0x60, "02 02")
        self.assertEqual(self.bench.told("moved"), [])
        self.bench.write(0x60, "02 02 00")
        self.bench.go(self.bench.time + 1)
        ((_, part, glow),) = self.bench.told("moved")
        self.assertEqual(part, "lamp")
        self.assertAlmostEqual(glow, 100 * 0x200 / 0x3FF, 1)


class OverFirmata(unittest.TestCase):
    def setUp(self):
        self.bench = Small(
            [
                wired(Expander, "mast", register_map=shipped("expander16"), address=0x26),
                wired(LatchExpander, "l", address=0x20),
            ]
        )
        self.bench.open()

    def test_the_bus_must_be_begun(self):
        said = bytes.fromhex(self.bench.say("F0 76 26 00 0E 00 F7"))
        self.assertIn(b"i2c-config", said[2:-1][::2])

    def test_writing_and_reading(self):
        self.bench.say("F0 78 00 00 F7")
        self.assertEqual(self.bench.say("F0 76 26 00 02 00 3F 00 F7"), "")
        self.assertEqual(self.bench.say("F0 76 26 08 0E 00 01 00 F7"), "F0 77 26 00 0E 00 5C 00 F7")
        self.assertEqual(self.bench.say("F0 76 26 48 02 00 02 00 F7"), "F0 77 26 00 02 00 3F 00 00 00 F7")
        self.assertEqual(self.bench.say("F0 76 20 08 01 00 F7"), "F0 77 20 00 00 00 7F 01 F7")

    def test_who_does_not_answer_is_told(self):
        self.bench.say("F0 78 00 00 F7")
        said = bytes.fromhex(self.bench.say("F0 76 27 08 0E 00 01 00 F7"))
        self.assertIn(b"0x27", said[2:-1][::2])

    def test_reading_over_and_over_until_it_is_stopped(self):
        bench = self.bench
        bench.say("F0 78 00 00 F7")
        first = bench.say("F0 76 26 10 0E 00 01 00 F7")
        self.assertEqual(first, "F0 77 26 00 0E 00 5C 00 F7")
        bench.go(bench.time + 0.1)
        self.assertEqual(bench.hear().count("F0 77"), 5)
        bench.say("F0 76 26 18 F7")
        bench.hear()
        bench.go(bench.time + 0.1)
        self.assertEqual(bench.hear(), "")


if __name__ == "__main__":
    unittest.main()
