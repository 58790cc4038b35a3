"""Values at pins, as maps, topics and frames keep them: told back as they were told, levels where bits are meant."""

import unittest

from cavet.boards import Circuit, PinMode, PinProfile, PinRefusedError, Profile, Signal, driven_words
from cavet.boards.firmware.modbus import CellSettings, DeviceMap
from cavet.protocols.modbus import ValueForm
from cavet.record import Record, Tell

MODES = {PinMode.OUTPUT: 1, PinMode.PWM: 8, PinMode.TONE: 16, PinMode.INPUT: 1, PinMode.ANALOG: 10}


class Signals(unittest.TestCase):
    def setUp(self):
        self.record = Record(lambda: 0.0)
        self.tell = Tell(self.record, "b")
        pins = {number: PinProfile(number=number, modes=MODES, channel=number) for number in range(4)}
        self.circuit = Circuit(Profile(name="p", pins=pins), [], self.tell)

    def signal(self, mode, span=(0.0, 1.0), named=None):
        self.circuit.set_mode(1, mode, 0.0, None)
        return Signal(self.circuit, 1, span, named)

    def test_a_duty_is_told_back_as_it_was_told_while_the_pin_stands_by_it(self):
        signal = self.signal(PinMode.PWM, (0.0, 100.0))
        signal.write(30.0, 0.0, None)
        self.assertEqual((self.circuit.pins[1].value, signal.read(0.0)), (76, 30.0))
        self.circuit.write_duty(1, 51, 0.0, None)  # somebody else has driven it
        self.assertEqual((signal.read(0.0), signal.level()), (20.0, True))
        signal.write(30.0, 0.0, None)
        signal.forget()
        self.assertAlmostEqual(signal.read(0.0), 100 * 76 / 255)

    def test_a_tone_has_hertz_a_switch_a_level(self):
        tone = self.signal(PinMode.TONE)
        tone.write(440.0, 0.0, None)
        self.assertEqual((tone.read(0.0), tone.level()), (440, True))
        switch = self.signal(PinMode.OUTPUT, (0.0, 100.0))
        switch.write(5.0, 0.0, None)
        self.assertIs(switch.read(0.0), True)

    def test_to_what_a_pin_was_driven_is_said_in_words(self):
        self.signal(PinMode.PWM, (0.0, 100.0)).write(30.0, 0.0, None)
        self.signal(PinMode.TONE).write(440.0, 0.0, None)
        self.signal(PinMode.OUTPUT).write(1.0, 0.0, None)
        told = [driven_words(event.note, event.value) for event in self.record.since(0)]
        expected = ["now pwm", "pwm 30 %", "now tone", "tone 440 Hz", "now output", "output high"]
        self.assertEqual(expected, [words for words in told if words != "output low"])
        self.assertEqual(("1627 µs", "dac, 1 count"), (driven_words("1627 µs", 105), driven_words("dac", 1)))

    def test_it_is_driven_in_no_other_mode_than_the_one_that_is_named(self):
        switch = self.signal(PinMode.PWM, (0.0, 100.0), PinMode.OUTPUT)
        with self.assertRaises(PinRefusedError) as caught:
            switch.write(1.0, 0.0, None)
        self.assertIn("pin 1 is in mode pwm: this needs mode output", str(caught.exception))
        self.assertEqual(self.circuit.pins[1].value, 0)

    def test_what_only_reads_a_driven_pin_reads_how_it_is_driven(self):
        for mode, told, form, read in (
            (PinMode.OUTPUT, 1, ValueForm("bit", bit=15), 0x8000),
            (PinMode.OUTPUT, 1, ValueForm("uint16"), 1),
            (PinMode.PWM, 255, ValueForm("uint16"), 65535),
        ):
            drives = CellSettings(
                name="run", table="holding-registers", address=0, pin=2, mode=mode, high=255, start=told
            )
            reads = CellSettings(name="status", table="input-registers", address=0, form=form, pin=2, mode=mode)
            for order in ((drives, reads), (reads, drives)):
                cells = DeviceMap(order, self.circuit, self.tell, {})
                cells.start(0.0)
                self.assertEqual((read,), cells.read("input-registers", 0, 1, 0.0))
                cells.write("holding-registers", 0, (0,), 0.0, 0)
                self.assertEqual((0,), cells.read("input-registers", 0, 1, 0.0))

    def test_a_coil_is_one_bit_whatever_its_pin_does(self):
        for mode, scale in ((PinMode.TONE, 440.0), (PinMode.PWM, 1.0), (PinMode.OUTPUT, 1.0)):
            with self.subTest(mode=mode):
                cell = CellSettings(
                    name="horn", table="coils", address=0, form=ValueForm("bit"), pin=2, mode=mode, scale=scale
                )
                cells = DeviceMap([cell], self.circuit, self.tell, {})
                cells.start(0.0)
                self.assertEqual(cells.read("coils", 0, 1, 0.0), (0,))
                cells.write("coils", 0, (1,), 0.0, 0)
                self.assertEqual(cells.read("coils", 0, 1, 0.0), (1,))
        self.assertIn(440, [event.value for event in self.record.since(0)])

    def test_a_discrete_input_reads_a_level_also_at_a_converter(self):
        cell = CellSettings(
            name="door", table="discrete-inputs", address=0, form=ValueForm("bit"), pin=3, mode=PinMode.ANALOG
        )
        cells = DeviceMap([cell], self.circuit, self.tell, {})
        cells.start(0.0)
        self.assertEqual(cells.read("discrete-inputs", 0, 1, 0.0), (0,))


if __name__ == "__main__":
    unittest.main()
