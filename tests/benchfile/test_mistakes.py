"""Mistakes in what boards and hosts speak that are told when the file is read, not while it runs."""

import json
import unittest

from cavet.benchfile import check_text
from tests.bench.test_devices import BOARD
from tests.bench.test_values import KILN, PORCH, SETUP, drive
from tests.benchfile.test_file import errors_of
from tests.checks.huts import ONE_LAMP
from tests.commands.run import cavet_here

RACK = """
format = 1
[boards.rack]
profile = "rack"
firmware = "scpi"
[boards.rack.parts]
supply = { kind = "supply", enable = 1, level = 2, limit = 3 }
[boards.rack.commands.level]
header = "SOURce:VOLTage[:LEVel]"
does = "set"
takes = "number"
range = [0, 24]
pins = "2"
%s
[links.rack]
kind = "tcp"
board = "rack"
[hosts.rack]
link = "rack"
protocol = "scpi"
[points.level]
board = "rack"
kind = "level"
set = "SOUR:VOLT {}"
unit = "V"
range = ["0 V", "24 V"]
%s
"""
ASK = 'ask = "SOUR:VOLT?"'


def second(header):
    return f'[boards.rack.commands.other]\nheader = "{header}"\ndoes = "set"\ntakes = "number"\npins = "2"'


class Scpi(unittest.TestCase):
    def test_it_is_right_as_it_stands(self):
        self.assertEqual(errors_of(RACK % ("", ASK)), [])
        self.assertEqual(errors_of(RACK % ("", "confirm = false")), [])

    def test_a_set_without_a_query_is_told(self):
        (error,) = errors_of(RACK % ("", ""))
        self.assertIn(
            'points.level.ask: found "nothing", expected the query for its value, or `confirm = false`', error
        )

    def test_two_commands_with_one_header_in_any_of_its_forms(self):
        for header, clashes in (
            ("SOURce:VOLTage", True),
            ("SOUR:VOLTage:LEVel", True),
            ("SOURce<1-2>:VOLTage", True),
            ("SOURce:VOLTage:RANGe", False),
            ("SOURce:CURRent[:LEVel]", False),
            ("SOURce<2-3>:VOLTage", False),
        ):
            with self.subTest(header):
                errors = [error for error in errors_of(RACK % (second(header), ASK)) if "header" in error]
                self.assertEqual(bool(errors), clashes, errors)
                if clashes:
                    self.assertIn("a header of its own: level has SOURce:VOLTage[:LEVel]", errors[0])

    def test_units_that_scpi_has_or_cavet_knows(self):
        bench = RACK.replace("range = [0, 24]", 'unit = "%s"\nrange = [0, 24]')
        for unit in ("V", "HZ", "mV", "CEL", "WB", "rpm", ""):
            with self.subTest(unit):
                self.assertEqual(errors_of(bench % (unit, "", ASK)), [])
        (error,) = errors_of(bench % ("parsec", "", ASK))
        self.assertIn('boards.rack.commands.level.unit: found "parsec", expected a unit that SCPI has', error)

    def test_a_wire_without_a_span_is_told(self):
        (error,) = errors_of(RACK % ("", f"{ASK}\nwire = [5, 5]"))
        self.assertIn('points.level.wire: found "[5, 5]", expected two different ends', error)


class Tables(unittest.TestCase):
    def test_each_mistake_is_told_once_whatever_else_is_wrong(self):
        """Keys of a board's firmware beside its own, a link that defects are at, a list where a name belongs."""
        text = (
            RACK % (ASK, "")
            + "[defects.a]\nkind = 'mute'\nboard = 'rack'\n[defects.b]\nkind = 'away'\nboard = 'rack'\n"
        )
        text = text.replace('firmware = "scpi"', 'firmware = "scpi"\nunit = 300\nnowhere = 1')
        text = text.replace('board = "rack"\n[hosts', 'board = ["rack"]\nspeed = 1\n[hosts')
        told = [str(error) for error in errors_of(text)]
        for words in ("boards.rack.unit: found 300", "boards.rack.nowhere", "links.rack.board", "links.rack.speed"):
            self.assertEqual(1, sum(words in line for line in told), (words, told))

    def test_what_two_values_are_called_can_be_told_apart_and_typed(self):
        """Words the wrong way round would do the opposite of what is asked, and confirm it."""
        for words, expected in (
            (["on", "off"], "the word for off first, then the one for on"),
            (["1", "0"], "the word for off first, then the one for on"),
            (["shut", "Off"], "the word for off first, then the one for on"),
            (["shut", "Shut"], "two words that differ"),
            (["a", "a"], "two words that differ"),
            (["", "a"], "two words in brackets"),
            (["a\nb", "c"], "words that can be printed, without spaces around them"),
            (["a ", "c"], "words that can be printed, without spaces around them"),
            (["a" * 41, "c"], "words of 40 characters at most"),
            (["off", "open"], ""),
            (["läuft nicht", "läuft"], ""),
        ):
            with self.subTest(words):
                found = errors_of(ONE_LAMP + f"words = {json.dumps(words)}\n")
                self.assertEqual(bool(expected), bool(found))
                self.assertIn(expected, "".join(found))

    def test_rest_and_start_are_said_in_the_words_of_the_switch(self):
        words = 'words = ["shut", "wide open"]\n'
        lamp = check_text(ONE_LAMP + words + 'rest = "wide open"\nstart = "Shut"\n', "x").points["lamp"]
        self.assertEqual((1.0, 0.0), (lamp.rest, lamp.start))
        lamp = check_text(ONE_LAMP + words + "rest = true\nstart = 'on'\n", "x").points["lamp"]
        self.assertEqual((1.0, 1.0), (lamp.rest, lamp.start))
        (error,) = errors_of(ONE_LAMP + words + 'rest = "open"\n')
        self.assertIn('points.lamp.rest: found "open", expected shut or wide open', error)
        found = errors_of(ONE_LAMP + 'words = ["a"]\nrest = "b"\nstart = 3\n')
        self.assertEqual(3, len(found), found)


class Payloads(unittest.TestCase):
    def test_words_inside_json_are_heard_and_said(self):
        board = 'range = [0, 1], payload = "json", path = "is", payload_words = ["OFF", "ON"]'
        text = (PORCH % (board, 'path = "is"\npayload_words = ["OFF", "ON"]')).replace('"level"', '"switch"')
        text = text.replace('does = "level"', 'does = "switch"').replace("range = [0, 1], ", "")
        code, lines, err = drive({"porch.bench.toml": text}, "light=on", "light=off")
        self.assertEqual((code, err, [line["holds"] for line in lines]), (0, "", [True, True]))
        self.assertEqual([line["moved"] for line in lines], ["100 %", "off"])

    def test_what_a_payload_does_not_use_is_told(self):
        for point, part in (
            ('payload_words = ["a", "b"]', "none: the payload is number, not words"),
            ('payload = "raw"\npayload_unit = "V"', "none: the payload is raw, not a number"),
            ("size = 4", "none: the payload is number, not raw"),
        ):
            errors = errors_of(PORCH % ("range = [0, 100]", point))
            self.assertTrue(any(part in error for error in errors), errors)


class Places(unittest.TestCase):
    def level_at(self, address, data):
        return f"""
[points.other]
board = "hut"
kind = "level"
table = "holding-registers"
address = {address}
data = "{data}"
unit = "V"
range = ["0 V", "5 V"]
"""

    def test_points_that_lie_over_each_other_are_told(self):
        for address, data, clashes in ((5, "float32", False), (6, "uint16", True), (4, "float32", True),
                                       (7, "uint16", False), (5, "uint16", True)):  # fmt: skip
            with self.subTest(address=address, data=data):
                errors = errors_of(BOARD + self.level_at(address, data))
                self.assertEqual(len(errors), int(clashes), errors)
                if clashes:
                    self.assertIn("expected a place of its own: level lies at holding register 5 to 6", errors[0])

    def test_the_unit_of_a_range_is_that_of_its_point(self):
        for ends, unit, told in (
            ('["0 A", "2 A"]', "A", ""),
            ('["0 mA", "20 mA"]', "mA", ""),
            ("[0, 5]", "%", ""),
            ('["0 %", "50 %"]', "%", ""),
            ('["0 A", "20 mA"]', "", 'found "0 A", expected a number in %; `unit` says another'),
            ('["0 furlong", "1 furlong"]', "", "expected a number in %; `unit` says another"),
        ):
            text = BOARD + self.level_at(9, "float32").replace('unit = "V"\nrange = ["0 V", "5 V"]', f"range = {ends}")
            with self.subTest(ends):
                errors = errors_of(text)
                self.assertEqual(bool(told), bool(errors), errors)
                if told:
                    self.assertIn(told, errors[0])
                else:
                    self.assertEqual(unit, check_text(text, "x.bench.toml").points["other"].unit)

    def test_one_pin_in_two_modes_is_told(self):
        head = 'format = 1\n[boards.hut]\nprofile = "heron"\nfirmware = "modbus"\n[boards.hut.map]\n'
        run = 'run = { table = "coils", address = 0, pin = "L1" }\n'
        status = 'status = { table = "input-registers", address = 0, data = "bit", pin = "L1"%s }\n'
        speed = 'speed = { table = "holding-registers", address = 0, pin = "L14" }\n'
        for cells, errors in (
            (run + status % "", []),
            (run + status % ', mode = "output"', []),
            (
                run + status % ', mode = "input"',
                ['map.status.mode: found "input", expected output, as run drives its pin'],
            ),
            (
                run.replace("L1", "L14") + speed,
                ['map.speed.pin: found "pwm", expected output, as run drives it'],
            ),
        ):
            found = errors_of(head + cells)
            self.assertEqual(len(errors), len(found), found)
            for part, error in zip(errors, found, strict=True):
                self.assertIn(part, error)

    def test_one_pin_in_two_modes_is_told_behind_topics_and_headers_too(self):
        topic = '%s = { command = "%s", does = "%s", pin = 4 }\n'
        path = 'format = 1\n[boards.hut]\nprofile = "plover"\nfirmware = "mqtt"\n[boards.hut.topics]\n'
        order = '%s = { header = "%s", does = "set", takes = "boolean", pins = "3", mode = "%s" }\n'
        rack = 'format = 1\n[boards.hut]\nprofile = "wren"\nfirmware = "scpi"\n[boards.hut.commands]\n'
        for head, line, modes, told in (
            (path, topic, ("switch", "pulse"), []),
            (rack, order, ("output", "output"), []),
            (path, topic, ("switch", "level"), ['topics.b.pin: found "pwm", expected output, as a drives it']),
            (rack, order, ("output", "pwm"), ['commands.b.pins: found "pwm", expected output, as a drives it']),
        ):
            found = errors_of(head + line % ("a", "AA", modes[0]) + line % ("b", "BB", modes[1]))
            self.assertEqual(told, [error.partition(".hut.")[2] for error in found])

    def test_a_wire_that_its_type_can_t_hold_is_told(self):
        errors = errors_of(BOARD + self.level_at(9, "int16") + "wire = [0, 40000]\n")
        self.assertIn(
            'points.other.wire: found "0 to 40000", expected what is carried there: -32768 to 32767', errors[0]
        )
        errors = errors_of(PORCH % ("range = [0, 255]", 'payload = "raw"\nwire = [0, 256]'))
        self.assertIn("expected what is carried there: 0 to 255", errors[0])
        code, _, err = drive(
            {"kiln.bench.toml": KILN % ((255,) * 3), "kiln.plan.toml": SETUP % (("bits = 4",) * 2)}, "glow?"
        )
        self.assertEqual(code, 2)
        self.assertIn('points.glow.wire: found "0 to 255", expected what is carried there: 0 to 15', err)

    def test_a_reflex_that_watches_an_output_or_drives_an_input_is_told(self):
        text = """
format = 1
[boards.hut]
profile = "wren"
firmware = "firmata"
parts.lamp = { kind = "lamp", pin = 3 }
parts.knob = { kind = "button", pin = 4 }
reflexes.r = { %s }
"""
        self.assertEqual(errors_of(text % 'pin = 4, mode = "pull-up", target = 3'), [])
        self.assertEqual(errors_of(text % "pin = 5, target = 6"), [])
        (error,) = errors_of(text % "pin = 3, target = 6")
        self.assertIn("reflexes.r.pin: found 3, expected another pin: lamp, a lamp, is driven there", error)
        (error,) = errors_of(text.replace("lamp", "servo", 2) % 'pin = 4, mode = "pull-up", target = 3')
        self.assertIn(
            "reflexes.r.target: found 3, expected another pin: servo, a servo, wants more than a level", error
        )
        (error,) = errors_of(text % "pin = 5, target = 4")
        self.assertIn("reflexes.r.target: found 4, expected another pin: knob, a button, senses there", error)

    def test_a_pin_that_is_kept_for_something_else_is_told_wherever_it_is_named(self):
        text = """
format = 1
[boards.porch]
profile = "plover"
firmware = "mqtt"
[boards.porch.topics]
light = { command = "light/set", does = "switch", pin = %s }
"""
        self.assertEqual(errors_of(text % 4), [])
        (error,) = errors_of(text % 1)
        self.assertIn("topics.light.pin: found 1, expected a pin with output: 2, 4, 5", error)

    def test_a_key_that_means_nothing_where_it_stands_is_told(self):
        firmata, modbus, rack, porch, plan = (
            f'[boards.hut]\nprofile = "{profile}"\nfirmware = "{firmware}"\n{{}}[links.hut]\nkind = "{kind}"\n'
            f'board = "hut"\n{{}}[hosts.hut]\nlink = "hut"\nprotocol = "{firmware}"\n{{}}[points.it]\nboard = "hut"\n'
            for profile, firmware, kind in (
                ("wren", "firmata", "serial"), ("heron", "modbus", "tcp"), ("wren", "scpi", "tcp"),
                ("plover", "mqtt", "mqtt"), ("wren", "plan", "serial"),
            )
        )  # fmt: skip
        pin, coil = 'kind = "switch"\npin = 3\n', 'kind = "switch"\ntable = "coils"\naddress = 0\n'
        word = 'kind = "level"\ntable = "holding-registers"\naddress = 0\n'
        header = 'kind = "switch"\nset = "OUTP {}"\nask = "OUTP?"\n'
        measured, told = 'kind = "reading"\nrange = [0, 9]\nask = "MEAS?"\n', 'kind = "contact"\nstate = "a"\n'
        order, cell = "[boards.hut.commands.a]\nheader = 'A'\n", '[boards.hut.map.a]\ntable = "%s"\naddress = 0\n'
        given = 'plan = "signalpost"\n[boards.hut.gives.state]\nwhen = "changed"\nevery = "2 s"\nfields = {}\n'
        for bench, board, link, host, point, place, expected in (
            (firmata, "unit = 7\n", "", "", pin, "boards.hut.unit", "the board speaks firmata, and this is for modbus"),
            (firmata, "[boards.hut.map]\na = 1\n", "", "", pin, "boards.hut.map", "and this is for modbus"),
            (firmata, 'identity = { vendor = "x" }\n', "", "", pin, "boards.hut.identity", "for modbus or scpi"),
            (firmata, "", "", "in_flight = 2\n", pin, "hosts.hut.in_flight", "the host speaks firmata"),
            (firmata, "", "listen = 700\n", "", pin, "links.hut.listen", 'goes with served = "raw" or "rfc2217"'),
            (firmata, "", "", "", pin + "retain = true\n", "points.it.retain", "its host speaks firmata"),
            (firmata, "", "", "", pin.replace("switch", "level") + 'mode = "pwm"\nfastest = 9\n',
             "points.it.fastest", 'it goes with mode = "stepper"'),
            (modbus, 'firmware_name = "x"\n', "", "", coil, "boards.hut.firmware_name", "this is for firmata"),
            (modbus, 'identity = { serial = "x" }\n', "", "", coil, "boards.hut.identity.serial", "this is for scpi"),
            (modbus, "", 'key = "a.pem"\n', "", coil, "links.hut.key", "it goes with tls = true"),
            (modbus, "", "", 'sampling = "1 s"\n', coil, "hosts.hut.sampling", "this is for firmata"),
            (modbus, "", "", "", coil + "qos = 2\n", "points.it.qos", "its host speaks modbus, and this is for mqtt"),
            (modbus, "", "", "", coil + 'data = "int16"\n', "points.it.data", 'table = "holding-registers" or "input'),
            (modbus, "", "", "", word + "bit = 2\n", "points.it.bit", 'it goes with data = "bit"'),
            (modbus, "", "", "", word + "length = 2\n", "points.it.length", 'it goes with data = "text"'),
            (modbus, cell % "coils" + "length = 2\n", "", "", coil, "boards.hut.map.a.length", 'with data = "text"'),
            (modbus, cell % "holding-registers" + 'mode = "pwm"\n', "", "", coil, "hut.map.a.mode", "goes with `pin`"),
            (rack, order + 'does = "set"\nmeasures = "current"\n', "", "", header, "a.measures", '"measure"'),
            (rack, order + 'does = "set"\nchoices = ["a"]\n', "", "", header, "commands.a.choices", '"keyword"'),
            (rack, "", "", "", header + "address = 0\n", "points.it.address", "its host speaks scpi"),
            (rack, "", "", "", measured + 'set = "V {}"\n', "points.it.set", "none: a reading is not set"),
            (rack, "", "", "", header + 'on = "ON"\n', "points.it.off", "what is sent beside `on`, or `set` for both"),
            (rack, "", "", "", header.replace("switch", "level") + 'off = "X"\n', "points.it.off", "set by `set`"),
            (rack, "", "", "", header + 'on = "ON"\noff = "OFF"\n', "points.it.set", "none: `on` and `off` are sent"),
            (porch, "[boards.hut.station]\nhere = 'x'\n", "", "", told, "station.here", "it goes with `presence`"),
            (porch, "", "", "", told + 'command = "a"\n', "points.it.command", "none: a contact is not set"),
            (plan, given, "", "", 'kind = "contact"\n', "boards.hut.gives.state.every", 'it goes with when = "every"'),
        ):  # fmt: skip
            with self.subTest(place=place):
                errors = errors_of("format = 1\n" + bench.format(board, link, host) + point)
                there = [error for error in errors if f"{place}: found" in error]
                self.assertEqual(1, len(there), errors)
                self.assertIn(expected, there[0])

    def test_what_a_key_says_anyway_may_be_said_where_it_means_nothing(self):
        self.assertEqual([], errors_of(BOARD + self.level_at(9, "uint16") + "retain = false\nqos = 1\nlength = 1\n"))

    def test_an_interval_is_0_for_never_or_one_that_can_be_kept(self):
        host = 'format = 1\n[hosts.hut]\nlink = "hut"\nprotocol = "firmata"\nalive = "%s"\n'
        for alive, told in (("0 s", False), ("20 ms", False), ("1 us", True), ("1e-320 s", True)):
            errors = [error for error in errors_of(host % alive) if "alive" in error]
            self.assertEqual(bool(errors), told, errors)
            self.assertTrue(all("expected 0, or 0.01 or more" in error for error in errors), errors)

    def test_a_stepper_is_not_told_of_speeds_that_its_numbers_can_t_hold(self):
        point = 'format = 1\n[points.table]\nboard = "hut"\nkind = "level"\nmode = "stepper"\npin = 2\n%s\n'
        for key, told in (("fastest = 1e300", True), ("acceleration = 1e-12", True), ("acceleration = 0", False)):
            errors = [error for error in errors_of(point % key) if key.partition(" ")[0] in error]
            self.assertEqual(bool(errors), told, errors)

    def test_the_demo_has_none_of_these(self):
        self.assertEqual(cavet_here("drive", "demo", "beacon?").code, 0)


if __name__ == "__main__":
    unittest.main()
