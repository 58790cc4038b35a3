"""`cavet encode` and `cavet decode`, as a script uses them."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.commands.run import cavet, cavet_here
from tests.patience import PATIENCE
from tests.protocols.firmata.cases import CASES


class Encode(unittest.TestCase):
    def test_a_message_is_one_line_of_upper_case_pairs(self):
        ran = cavet("encode", "firmata", "analog-message", "pin=9", "value=92")
        self.assertEqual(ran, (0, "E9 5C 00\n", ""))

    def test_the_response_is_chosen_where_it_differs(self):
        self.assertEqual(cavet_here("encode", "firmata", "protocol-version").out, "F9\n")
        ran = cavet_here("encode", "firmata", "protocol-version", "--response", "major=2", "minor=7")
        self.assertEqual(ran.out, "F9 02 07\n")

    def test_without_a_message_the_messages_are_listed(self):
        ran = cavet_here("encode", "firmata")
        self.assertEqual(ran.code, 0)
        self.assertIn("set-pin-mode", ran.out)
        self.assertIn("from the board:", ran.out)

    def test_without_fields_the_fields_are_listed(self):
        ran = cavet_here("encode", "firmata", "servo-config")
        self.assertEqual(ran.code, 0)
        self.assertIn("min_pulse: a number 0 to 16383", ran.out)
        self.assertEqual(cavet_here("encode", "firmata", "i2c-config").out, "F0 78 00 00 F7\n")
        ran = cavet_here("encode", "firmata", "i2c-config", "--fields")
        self.assertIn("delay: a number 0 to 16383, else 0", ran.out)

    def test_what_is_wrong_is_one_line_on_standard_error_and_code_2(self):
        for words, part in (
            (["firmatta", "x"], 'did you mean "firmata"?'),
            (["firmata", "set-pin-mod"], 'did you mean "set-pin-mode"?'),
            (["firmata", "set-pin-mode", "pin=200", "mode=1"], "set-pin-mode.pin: found 200, expected 0 to 127"),
            (["firmata", "set-pin-mode", "pin=9"], "the fields are pin and mode"),
            (["firmata", "set-pin-mode", "9"], "expected FIELD=VALUE"),
            (["firmata", "set-pin-mode", "pin=1", "pin=2"], "this field twice"),
            ([], 'found "no PROTOCOL", expected cavet encode'),
            (["firmata", "sysex", "--nonsense"], "--nonsense"),
        ):
            with self.subTest(words):
                ran = cavet_here("encode", *words)
                self.assertEqual((ran.code, ran.out, ran.err.count("\n")), (2, "", 1), ran)
                self.assertIn(part, ran.err)


class Decode(unittest.TestCase):
    def test_a_frame_is_a_json_object_with_all_that_is_promised(self):
        ran = cavet("decode", "firmata", "E9", "5C", "00")
        self.assertEqual(ran.code, 0)
        self.assertEqual(
            json.loads(ran.out),
            {
                "protocol": "firmata",
                "message": "analog-message",
                "fields": {"pin": 9, "value": 92},
                "hex": "E9 5C 00",
                "offset": 0,
                "problems": [],
            },
        )

    def test_hex_may_be_written_in_any_usual_way(self):
        for words in (["E95C00"], ["e9 5c 00"], ["0xE9,0x5C,0x00"], ["E9:5C:00"], ["E9", "5C00"]):
            with self.subTest(words):
                self.assertEqual(json.loads(cavet_here("decode", "firmata", *words).out)["hex"], "E9 5C 00")

    def test_a_stream_comes_from_standard_input(self):
        ran = cavet("decode", "firmata", "-", given="E9 5C\n00 F9 05")
        lines = [json.loads(line) for line in ran.out.splitlines()]
        self.assertEqual([line["message"] for line in lines], ["analog-message", "protocol-version", "unreadable"])
        self.assertEqual((ran.code, lines[2]["offset"], lines[2]["problems"]), (1, 4, ["outside any message"]))

    def test_both_sides_are_read(self):
        self.assertEqual(
            json.loads(cavet_here("decode", "firmata", "--from", "board", "F9 02 07").out)["fields"]["minor"], 7
        )

    def test_what_only_the_other_side_says_is_told(self):
        for command in ("decode", "explain"):
            ran = cavet_here(command, "modbus-rtu", "018302C0F1")
            self.assertEqual((1, "said by the board it reads without a fault: --from board\n"), (ran.code, ran.err))
            self.assertEqual("", cavet_here(command, "modbus-rtu", "018302C0F0").err)  # nobody says that
            self.assertEqual("", cavet_here(command, "scpi", b"FOO??\n".hex()).err)  # a command, if a wrong one
        self.assertIn("suback  from the board", cavet_here("explain", "mqtt", "9003000780").out)
        self.assertIn("publish  from the host", cavet_here("explain", "mqtt", "30 03 00 01 61").out)

    def test_all_messages_in_one_stream(self):
        stream = " ".join(text for _, side, _, text in CASES if side.value == "host")
        ran = cavet_here("decode", "firmata", "-", given=stream)
        self.assertEqual(ran.code, 0)
        self.assertEqual(" ".join(json.loads(line)["hex"] for line in ran.out.splitlines()), stream)

    def test_a_large_stream_is_read_in_pieces(self):
        ran = cavet_here("decode", "firmata", "-", given="E9 5C 00 " * 60_000)
        self.assertEqual((ran.code, ran.out.count("\n")), (0, 60_000))

    def test_what_is_no_hex_is_told(self):
        for words in (["E9 5"], ["xyz"], ["--from", "nobody", "F9"]):
            with self.subTest(words):
                ran = cavet_here("decode", "firmata", *words)
                self.assertEqual((ran.code, ran.err.count("\n")), (2, 1), ran)


class Modbus(unittest.TestCase):
    def test_the_three_framings_are_written_and_read(self):
        for protocol, wire in (
            ("modbus-tcp", "00 05 00 00 00 06 07 05 00 02 FF 00"),
            ("modbus-rtu", "07 05 00 02 FF 00 2D 9C"),
            ("modbus-ascii", b":07050002FF00F3\r\n".hex(" ").upper()),
        ):
            with self.subTest(protocol):
                more = ["transaction=5"] if protocol == "modbus-tcp" else []
                ran = cavet_here("encode", protocol, "write-single-coil", "unit=7", "address=2", "value=on", *more)
                self.assertEqual(ran, (0, f"{wire}\n", ""))
                line = json.loads(cavet_here("decode", protocol, wire).out)
                self.assertEqual(
                    (line["message"], line["fields"]["address"], line["problems"]), ("write-single-coil", 2, [])
                )

    def test_the_boards_side_is_chosen_by_response_and_from(self):
        ran = cavet_here("encode", "modbus-rtu", "read-holding-registers", "--response", "unit=1", "values=555,0,100")
        self.assertEqual(ran.out, "01 03 06 02 2B 00 00 00 64 05 7A\n")
        line = json.loads(cavet_here("decode", "modbus-rtu", "--from", "board", ran.out.strip()).out)
        self.assertEqual(line["fields"]["values"], [555, 0, 100])


class Scpi(unittest.TestCase):
    def test_messages_are_written_and_read_unit_by_unit(self):
        ran = cavet_here("encode", "scpi", "query", "header=MEAS:VOLT", "channels=1,2")
        self.assertEqual(bytes.fromhex(ran.out), b"MEAS:VOLT? (@1,2)\n")
        ran = cavet_here("encode", "scpi", "command", "header=SOUR2:VOLT", "values=12500 mV")
        more = b"SOUR:VOLT 1;CURR".hex()
        lines = [json.loads(line) for line in cavet_here("decode", "scpi", ran.out.strip(), more).out.splitlines()]
        self.assertEqual(lines[0]["fields"]["values"], [{"type": "number", "value": 12.5, "unit": "V"}])
        self.assertEqual([line["fields"]["nodes"] for line in lines[1:]], [["SOUR", "VOLT"], ["SOUR", "CURR"]])
        self.assertEqual(lines[0]["fields"]["suffixes"], [2, None])

    def test_a_problem_bears_the_standards_number_and_makes_code_1(self):
        ran = cavet_here("decode", "scpi", b"ABCDEFGHIJKLM 1\n".hex())
        self.assertEqual(ran.code, 1)
        self.assertTrue(json.loads(ran.out)["problems"][0].startswith("-112 Program mnemonic too long"))

    def test_responses_are_written_and_read(self):
        ran = cavet_here("encode", "scpi", "response", "values=0", "text=No error")
        self.assertEqual(bytes.fromhex(ran.out), b'0,"No error"\n')
        line = json.loads(cavet_here("decode", "scpi", "--from", "board", ran.out.strip()).out)
        self.assertEqual((line["message"], line["fields"]["values"][1]["value"]), ("response", "No error"))


class Buses(unittest.TestCase):
    def test_a_bus_is_read_with_marks_codes_and_times(self):
        ran = cavet_here("decode", "i2c", "S 4C A 04 A Sr 4D A 12 N P", "--rate", "100 kHz")
        line = json.loads(ran.out)
        self.assertEqual((ran.code, line["message"], line["fields"]["reply"]), (0, "write-read", "12"))
        self.assertEqual((line["hex"], line["wire_us"]), ("4C 04 4D 12", 390))
        ran = cavet_here("decode", "i2c", "--pec", "-", given="S B4 80 92 P S B4 80 83 P\n")
        codes = [json.loads(line)["fields"]["pec"] for line in ran.out.splitlines()]
        self.assertEqual((ran.code, codes), (1, [0x92, 0x83]))
        self.assertEqual(json.loads(cavet_here("decode", "spi", "01 02", "--rate", "1 MHz").out)["wire_us"], 16)

    def test_wrong_calls_are_one_line(self):
        for words, part in (
            (["decode", "i2c", "A 4C"], "a byte before"),
            (["decode", "i2c", "4C", "--rate", "1 V"], "a number in Hz"),
            (["decode", "scpi", "4C", "--rate", "1 Hz"], "i2c or spi"),
            (["decode", "spi", "4C", "--pec"], "i2c only"),
        ):
            with self.subTest(words):
                ran = cavet_here(*words)
                self.assertEqual((ran.code, ran.out, ran.err.count("\n")), (2, "", 1), ran)
                self.assertIn(part, ran.err)


class Plans(unittest.TestCase):
    TEXT = """format = 1
[frames.order]
text = "lamp={lamp} gate={gate}"
end = "0A"
fields = [{ name = "lamp", max = 7 }, { name = "gate", values = { open = 1, shut = 0 } }]
[frames.fixed]
fields = [{ name = "head", bits = 8, const = 0x55 }]
"""

    def test_frames_are_written_and_read(self):
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "own.plan.toml"
            file.write_text(self.TEXT)
            ran = cavet_here("encode", f"{file}#order", "lamp=3", "gate=open")
            self.assertEqual(bytes.fromhex(ran.out), b"lamp=3 gate=open\n")
            line = json.loads(cavet_here("decode", f"{file}#order", ran.out.strip()).out)
            self.assertEqual((line["message"], line["fields"]), ("order", {"lamp": 3, "gate": "open"}))
            self.assertEqual(cavet_here("encode", f"{file}#fixed").out, "55\n")
            self.assertIn("lamp: a number 0 to 7", cavet_here("encode", f"{file}#order").out)
            for words, part in (
                ([f"{file}#ordr", "lamp=1"], 'did you mean "order"?'),
                ([str(file)], "FILE#FRAME"),
                ([f"{file}#order", "lamp=8", "gate=open"], "0 to 7"),
                ([f"{folder}/none.plan.toml#x"], "no such file"),
            ):
                ran = cavet_here("encode", *words)
                self.assertEqual((ran.code, ran.err.count("\n")), (2, 1), ran)
                self.assertIn(part, ran.err)
            file.write_text(self.TEXT.replace("max = 7", "mx = 7"))
            ran = cavet_here("decode", f"{file}#order", "00")
            self.assertEqual((ran.code, ran.err.count("\n")), (2, 1))
            self.assertIn('own.plan.toml:5 frames.order.fields.lamp.mx: found "this key"', ran.err)


class CommandLine(unittest.TestCase):
    def test_the_version_and_the_help(self):
        self.assertEqual(cavet("--version").out, "cavet 0.1.0\n")
        ran = cavet("--help")
        self.assertEqual(ran.code, 0)
        self.assertIn("serve", ran.out)

    def test_without_a_bench_used_before_the_benches_are_named(self):
        with tempfile.TemporaryDirectory() as folder:
            ran = cavet(environment={"XDG_STATE_HOME": folder})
        self.assertEqual((ran.code, ran.err.count("\n")), (2, 1))
        self.assertIn("`cavet open BENCH`: demo", ran.err)

    def test_the_workbench_needs_a_terminal_and_says_so(self):
        for words in (["demo"], ["open", "demo"]):
            ran = cavet(*words)
            self.assertEqual((ran.code, ran.out, ran.err.count("\n")), (2, "", 1), ran)
            self.assertIn("no terminal", ran.err)

    def test_a_place_that_takes_no_lines_is_told_in_one_line(self):
        with open("/dev/full", "w") as full:  # noqa: PTH123
            told = (["decode", "firmata", "E95C00"], ["--help"], ["-V"], ["serve", "demo"], ["drive", "demo", "level?"])
            for words in told:
                with self.subTest(words):
                    done = subprocess.run(
                        [sys.executable, "-m", "cavet", *words], stdin=subprocess.DEVNULL, stdout=full,
                        stderr=subprocess.PIPE, text=True, timeout=PATIENCE, check=False,
                    )  # fmt: skip
                    self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
                    self.assertIn("No space left on device", done.stderr)

    def test_a_reader_that_has_left_is_not_told_as_something_that_does_not_hold(self):
        routine = ["run", "demo", "demo", "blink_while_driving"]
        for words in (["decode", "firmata", "E95C00"], ["--help"], ["--version"], ["drive", "demo", "level?"], routine):
            with self.subTest(words):
                reader, writer = os.pipe()
                os.close(reader)
                done = subprocess.run(
                    [sys.executable, "-m", "cavet", *words], stdin=subprocess.DEVNULL, stdout=writer,
                    stderr=subprocess.PIPE, text=True, timeout=PATIENCE, check=False,
                )  # fmt: skip
                os.close(writer)
                self.assertEqual((done.returncode, done.stderr), (141, ""))

    def test_it_works_where_the_standard_streams_are_shut(self):
        words = [sys.executable, "-m", "cavet", "drive", "demo", "--at", "gatehouse=/dev/ttyNONE7", "beacon=50%"]
        done = subprocess.run(["sh", "-c", '"$@" <&- >&- 2>&-', "sh", *words], timeout=PATIENCE, check=False)
        self.assertEqual(done.returncode, 3)

    def test_an_unknown_command_is_told_with_the_nearest(self):
        ran = cavet("sevre", "demo")
        self.assertEqual((ran.code, ran.err.count("\n")), (2, 1))
        self.assertIn('did you mean "serve"?', ran.err)

    def test_a_wrong_bench_is_told_with_every_mistake(self):
        for words in (["serve", "none.toml"], ["drive", "none.toml", "a=1"], ["open", "none.toml"]):
            with self.subTest(words):
                ran = cavet(*words)
                self.assertEqual((ran.code, ran.err), (2, 'none.toml: found "no such file", expected a bench file\n'))


if __name__ == "__main__":
    unittest.main()
