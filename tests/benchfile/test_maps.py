"""Register maps: their files, every mistake in them, and those that come from CMSIS-SVD."""

import tempfile
import unittest
from pathlib import Path

from cavet.benchfile import load_bench, read_plan_text
from cavet.benchfile.svd import SvdReader
from cavet.wording import WrongError

HEAD = "format = 1\n[maps.m]\n"
MISTAKES = [
    # the map, a part of the one line that tells it
    ("registers = { a = { at = 0, rest = 1 } }", 'did you mean "reset"?'),
    (
        "registers = { a = { at = 0 }, b = { at = 0 } }",
        'registers.b.at: found "0x00", expected addresses of its own: a',
    ),
    ("registers = { a = { at = 0, size = 2 }, b = { at = 1 } }", "a has this one"),
    ("registers = { a = { at = 0, reset = 256 } }", "0 to 0xFF: 1 bytes"),
    ("registers = { a = { at = 256 } }", "enough bytes for address 0x100"),
    ("registers = { a = { at = 4 } }\nlast = 3", "0x4 to 0xFF"),
    ("registers = { a = { at = 0, size = 9 } }", "1 to 8"),
    ('registers = { a = { at = 0, access = "read" } }', "read-only"),
    ("registers = { a = { at = 0, fields = { f = { at = 8 } } } }", "bits 0 to 7 of its register"),
    ("registers = { a = { at = 0, fields = { f = { at = 0, bits = 2 }, g = { at = 1 } } } }", "f has it"),
    ("registers = { a = { at = 0, fields = { f = { at = 0, values = { x = 2 } } } } }", "0 to 1"),
    ("registers = { a = { at = 0, bank = 1 } }", "what chooses the bank"),
    ('registers = { a = { at = 0 } }\nbanked_by = "b"', "a register: a"),
    ('registers = { a = { at = 0, bank = 0 } }\nbanked_by = "a"', "in no bank"),
    ('registers = { a = { at = 0 } }\nbanked_by = "a.f"', "a field of a: it has none"),
    ("registers = { a = { at = 0 } }\naddress = 0x21\nstraps = 1", "lower 1 bits are 0"),
    ("registers = { a = { at = 0 } }\naddress = 0x78", "0x08 to 0x77"),
    ("registers = { a = { at = 0 } }\nstraps = 1", "`address` beside it"),
    ("registers = {}", "1 to 4096 registers"),
    ("registers = 1", "a table"),
    ("registers = { a = 1 }", "a table"),
    ("", 'registers: found "nothing"'),
    ('registers = { "a b" = { at = 0 } }', "letters, digits and _"),
]

SVD = """<?xml version="1.0"?>
<device><name>chip</name><size>32</size><access>read-write</access><resetValue>0</resetValue>
<peripherals><peripheral><name>SENSOR</name><description>A
  sensor</description><baseAddress>0</baseAddress><registers>
<register><name>CTRL</name><addressOffset>0x0</addressOffset><size>8</size><resetValue>0x81</resetValue><fields>
<field><name>EN</name><bitRange>[0:0]</bitRange></field>
<field><name>MODE</name><bitOffset>1</bitOffset><bitWidth>2</bitWidth><enumeratedValues>
<enumeratedValue><name>slow</name><value>#01</value></enumeratedValue></enumeratedValues></field>
<field><name>READY</name><lsb>7</lsb><msb>7</msb><access>read-only</access></field></fields></register>
<register><name>FLAGS</name><addressOffset>1</addressOffset><size>8</size>
<modifiedWriteValues>oneToClear</modifiedWriteValues></register>
<register><name>STATUS</name><addressOffset>2</addressOffset><size>16</size><access>read-only</access>
<readAction>clear</readAction></register>
<register><dim>3</dim><dimIncrement>4</dimIncrement><name>DATA[%s]</name><addressOffset>0x10</addressOffset></register>
<cluster><name>CH%s</name><dim>2</dim><dimIncrement>0x10</dimIncrement><dimIndex>A,B</dimIndex>
<addressOffset>0x40</addressOffset><register><name>GAIN</name><addressOffset>4</addressOffset><size>16</size></register>
</cluster></registers></peripheral>
<peripheral derivedFrom="SENSOR"><name>SENSOR2</name></peripheral>
<peripheral derivedFrom="LOOP"><name>LOOP</name></peripheral><peripheral><name>EMPTY</name></peripheral>
</peripherals></device>"""


class Maps(unittest.TestCase):
    def test_every_mistake_is_told_with_its_place(self):
        for text, part in MISTAKES:
            with self.subTest(text), self.assertRaises(ExceptionGroup) as caught:
                read_plan_text(HEAD + text, "own.plan.toml")
            lines = [str(error) for error in caught.exception.exceptions]
            self.assertTrue(any(part in line for line in lines), lines)
            self.assertTrue(all(line.startswith("own.plan.toml") and " maps.m" in line for line in lines), lines)

    def test_banks_may_share_addresses(self):
        text = 'registers = { p = { at = 9 }, a = { at = 0, bank = 0 }, b = { at = 0, bank = 1 } }\nbanked_by = "p"'
        self.assertEqual(len(read_plan_text(HEAD + text, "x").map("m").registers), 3)

    def test_a_point_at_a_register_that_can_t_be_read_in_one_go_is_told(self):
        for size, told in ((1, ""), (2, "reg, of 2 bytes")):
            with self.subTest(size), tempfile.TemporaryDirectory() as folder:
                registers = f"registers = {{ reg = {{ at = 0, size = {size} }} }}\nauto_increment = false"
                (Path(folder) / "m.plan.toml").write_text(f"{HEAD}{registers}\n")
                device = '{ kind = "registers", address = 8, map = "m.plan.toml#m" }'
                bench = Path(folder) / "b.bench.toml"
                bench.write_text(
                    f'format = 1\n[boards.b]\nprofile = "none"\nfirmware = "buses"\n[boards.b.parts]\nd = {device}\n'
                    '[links.b]\nkind = "buses"\nboard = "b"\n[hosts.b]\nlink = "b"\nprotocol = "buses"\n'
                    f'[hosts.b.devices]\nd = {device}\n[points.p]\nboard = "b"\nkind = "level"\ndevice = "d.reg"\n'
                )
                try:
                    load_bench(bench)
                except ExceptionGroup as error:
                    self.assertIn(f'found "{told}"', str(error.exceptions[0]))
                else:
                    self.assertEqual(told, "")

    def test_a_map_that_is_not_there_is_told_at_its_part(self):
        for device, part in (
            ('{ kind = "registers", address = 8, map = "none.plan.toml" }', "no such file"),
            ('{ kind = "registers", address = 8, map = "expander" }', 'did you mean "expander16"?'),
            ('{ kind = "registers", address = 8, map = "expander16#b" }', "a map: expander16"),
            ('{ kind = "matrix", address = 8, map = "expander16" }', 'found "no column_0"'),
            ('{ kind = "expander", address = 0x80 }', "an address of 7 bits"),
            ('{ kind = "lamp", pin = "mast.A0" }', "a part with lines"),
            ('{ kind = "registers", address = 8, map = "chip.svd#SENSORS" }', 'did you mean "SENSOR"?'),
        ):
            with self.subTest(device), tempfile.TemporaryDirectory() as folder:
                (Path(folder) / "chip.svd").write_text(SVD)
                bench = Path(folder) / "b.bench.toml"
                bench.write_text(
                    f'format = 1\n[boards.b]\nprofile = "wren"\nfirmware = "firmata"\n[boards.b.parts]\nd = {device}\n'
                )
                with self.assertRaises(ExceptionGroup) as caught:
                    load_bench(bench)
                self.assertIn(part, str(caught.exception.exceptions[0]))


class Svd(unittest.TestCase):
    def test_registers_fields_and_side_effects_are_taken(self):
        found = SvdReader(SVD, "chip.svd").map("SENSOR")
        control = found.register("CTRL")
        self.assertEqual((found.doc, control.size, control.reset), ("A sensor", 1, 0x81))
        self.assertEqual([(field.name, field.low, field.bits) for field in control.fields],
                         [("EN", 0, 1), ("MODE", 1, 2), ("READY", 7, 1)])  # fmt: skip
        self.assertEqual(control.fields[1].values, {"slow": 1})
        self.assertEqual(control.fields[2].access, "read-only")
        self.assertEqual(found.register("FLAGS").access, "write-one-to-clear")
        self.assertEqual((found.register("STATUS").access, found.register("STATUS").order), ("clear-on-read", "little"))
        self.assertEqual([found.register(f"DATA{n}").at for n in range(3)], [0x10, 0x14, 0x18])
        self.assertEqual(found.register("CHB_GAIN").at, 0x54)
        self.assertEqual(SvdReader(SVD, "chip.svd").map("SENSOR2").registers, found.registers)

    def test_what_is_derived_takes_over_what_it_does_not_say_anew(self):
        more = """<peripheral derivedFrom="SENSOR"><name>WIDER</name><registers>
<register derivedFrom="SENSOR.CTRL"><name>CTRL2</name>
<addressOffset>0x60</addressOffset><resetValue>3</resetValue></register>
<register derivedFrom="CTRL2"><name>CTRL3</name><addressOffset>0x61</addressOffset></register>
<register><name>FLAGS</name><addressOffset>1</addressOffset><size>16</size><fields>
<field><name>LOW</name><bitOffset>0</bitOffset><bitWidth>2</bitWidth><enumeratedValues><name>speeds</name>
<enumeratedValue><name>fast</name><value>2</value></enumeratedValue></enumeratedValues></field>
<field derivedFrom="LOW"><name>HIGH</name><bitOffset>4</bitOffset></field>
<field><name>TOP</name><bitOffset>6</bitOffset><bitWidth>2</bitWidth>
<enumeratedValues derivedFrom="speeds"/></field></fields></register></registers></peripheral>"""
        text = SVD.replace("</peripherals>", more + "</peripherals>")
        base = {each.name: each for each in SvdReader(text, "chip.svd").map("SENSOR").registers}
        wider = {each.name: each for each in SvdReader(text, "chip.svd").map("WIDER").registers}
        self.assertEqual(set(wider), {*base, "CTRL2", "CTRL3"})
        self.assertEqual(wider["STATUS"], base["STATUS"])
        for name, at in (("CTRL2", 0x60), ("CTRL3", 0x61)):
            self.assertEqual((wider[name].at, wider[name].size, wider[name].reset), (at, 1, 3))
            self.assertEqual(wider[name].fields, base["CTRL"].fields)
        flags = wider["FLAGS"]
        self.assertEqual((flags.size, [(each.low, each.bits) for each in flags.fields]), (2, [(0, 2), (4, 2), (6, 2)]))
        self.assertEqual([each.values for each in flags.fields], [{"fast": 2}] * 3)
        for old, new, part in (
            ('derivedFrom="CTRL2"', 'derivedFrom="CTRL9"', "derived from CTRL9, expected a register of this file"),
            ('derivedFrom="SENSOR.CTRL"', 'derivedFrom="CTRL3"', "no loop"),
        ):
            with self.assertRaises(WrongError) as caught:
                SvdReader(text.replace(old, new), "chip.svd").map("WIDER")
            self.assertIn(part, str(caught.exception).replace('"', ""))

    def test_what_is_wrong_with_a_file_is_one_line(self):
        for text, name, part in (
            ("<device>", "X", "chip.svd:1"),
            ("<html/>", "X", "<device>"),
            ('<!DOCTYPE d [<!ENTITY a "b">]><device/>', "X", "a document type"),
            (SVD, "SENSR", 'did you mean "SENSOR"?'),
            (SVD, "LOOP", "no loop"),
            (SVD, "EMPTY", "no registers"),
            (SVD.replace("<size>16</size><access>", "<size>12</size><access>"), "SENSOR", "whole bytes"),
            (SVD.replace("<dim>3</dim>", "<dim>99999999</dim>"), "SENSOR", "at most 4096"),
            (SVD.replace("[0:0]", "[9:9]"), "SENSOR", "0 to 7"),
            (SVD.replace("<lsb>7</lsb>", "<lsb>x</lsb>"), "SENSOR", "a number"),
        ):
            with self.subTest(part), self.assertRaises(WrongError) as caught:
                SvdReader(text, "chip.svd").map(name)
            self.assertIn(part, str(caught.exception))


if __name__ == "__main__":
    unittest.main()
