"""`cavet say` and `cavet explain`: a message said by hand, right and wrong; frames taken apart."""

import json
import unittest

from tests.commands.run import cavet, cavet_here


def say(*words):
    ran = cavet_here("say", "demo", *words)
    return ran.code, [json.loads(line) for line in ran.out.splitlines()], ran.err


COILS = ("read-coils", "address=0", "quantity=6")


class Say(unittest.TestCase):
    def test_every_protocol_is_answered(self):
        for place, message, fields, name, value in (
            ("pumphouse", "write-single-register", ("address=0", "value=600"), "write-single-register", ("value", 600)),
            ("pumphouse", "write-single-register", ("address=9", "value=1"), "exception", ("exception_code", 2)),
            ("pumphouse.serial", *(COILS[0], COILS[1:]), "read-coils", ("unit", 7)),
            ("gatehouse", "pin-state-query", ("pin=9",), "pin-state-response", ("mode", 4)),
            ("signalpost", "order", ("mask=4", "levels=4", "blink=0"), "state", ("levels", 4)),
            ("mast", "read", ("address=0x22", "count=1"), "read", ("address", 0x22)),
            ("mast", "write", ("address=0x25", "data=01"), "not-acknowledged", ("reason", "nobody acknowledges 0x25")),
            ("mast", "transfer", ("data=0102",), "transfer", ("data", "08 00")),
            ("towpath", "publish", ("topic=a", "qos=1", "packet_id=77"), "puback", ("packet_id", 77)),
        ):
            with self.subTest(place, message=message):
                code, (answer,), err = say(place, message, *fields)
                self.assertEqual((code, answer["message"], err), (0, name, ""))
                self.assertEqual(answer["fields"][value[0]], value[1])
                self.assertGreaterEqual(answer["answer_s"], 0)

    def test_a_usb_device_is_asked_at_its_control_pipe(self):
        for message, fields, name, value in (
            ("get-descriptor", ("descriptor_type=device", "length=18"), "device-descriptor", ("id_product", 0xCA7E)),
            ("get-descriptor", ("descriptor_type=9", "length=18"), "status-stage", ("stalled", True)),
            ("get-status", ("recipient=device",), "data-stage", ("data", "00 00")),
            (
                "set-feature",
                ("recipient=endpoint", "feature_selector=0", "index=0x81"),
                "status-stage",
                ("stalled", False),
            ),
            ("setup", ("request_type=0xC0", "request=1", "length=4"), "status-stage", ("stalled", True)),
        ):
            with self.subTest(message, fields=fields):
                code, (answer,), err = say("signalpost", message, *fields)
                self.assertEqual((code, answer["message"], err), (0, name, ""))
                self.assertEqual(answer["fields"][value[0]], value[1])
        _, answers, _ = say("signalpost", "get-descriptor", "descriptor_type=2", "length=255")
        self.assertEqual(len(answers), 4)
        code, _, err = say("signalpost", "setup", "request_type=0x40", "request=1", "length=4")
        self.assertEqual((code, err.count("\n")), (2, 1))
        self.assertEqual(say("signalpost", "get-status", "recipient=device", "--wrong", "cut=3")[0], 2)

    def test_no_answer_where_none_is_due_is_well(self):
        for place, message, *fields in (
            ("gatehouse", "set-digital-pin-value", "pin=2", "value=1"),
            ("pumphouse.serial", "write-single-coil", "unit=0", "address=0", "value=on"),
            ("towpath", "publish", "topic=a"),
            ("switchrack", "command", "header=OUTP1", "values=ON"),
        ):
            with self.subTest(place):
                code, answers, err = say(place, message, *fields)
                self.assertEqual((code, answers), (0, []))
                self.assertIn("no answer is due", err)

    def test_no_answer_where_one_was_due_is_told(self):
        code, answers, err = say("pumphouse.serial", *COILS, "unit=9", "--wait", "300 ms")
        self.assertEqual((code, answers), (1, []))
        self.assertIn("no answer to read-coils, 09 01 00 00 00 06 BD 40 within 300 ms", err)

    def test_said_wrong_it_is_not_answered_and_that_is_right(self):
        for wrong in ("check", "cut=3", "flip=47", "late=10 ms", "bytes=07 01"):
            with self.subTest(wrong):
                code, answers, err = say("pumphouse.serial", *COILS, "--wrong", wrong)
                self.assertEqual((code, answers), (0, []))
                self.assertRegex(err, "no answer|no answer is due")

    def test_on_a_bus_the_bytes_go_out_as_they_were_spoiled(self):
        write = ("write-byte", "address=0x22", "register=6", "value=0", "pec=on")
        for words, name, part in (
            ((*write, "--wrong", "flip=1"), "not-acknowledged", "nobody acknowledges 0x02"),
            ((*write, "--wrong", "flip=7"), "read", ""),
            ((*write, "--wrong", "check"), "acknowledged", ""),
            ((*write, "--wrong", "cut=2"), "acknowledged", ""),
            (("read-byte", "address=0x22", "register=2", "--wrong", "cut=2"), "acknowledged", ""),
            (("read-byte", "address=0x22", "register=2", "--wrong", "flip=2"), "not-acknowledged", "0x32"),
        ):
            with self.subTest(words):
                code, (answer,), _ = say("mast", *words)
                self.assertEqual((code, answer["message"]), (0, name))
                self.assertIn(part, str(answer["fields"]))
        for words, part in (
            ((*write, "--wrong", "late=5 ms"), "the link takes it whole"),
            (("read-byte", "address=0x22", "register=2", "--wrong", "flip=18"), "the same: a call has one"),
            (("read-byte", "address=0x22", "register=2", "--wrong", "check"), "has no check"),
        ):
            with self.subTest(words):
                code, answers, err = say("mast", *words)
                self.assertEqual((code, answers, err.count("\n")), (2, [], 1))
                self.assertIn(part, err)

    def test_twice_is_answered_twice_each_with_its_delay(self):
        for place in ("pumphouse", "pumphouse.serial"):
            code, answers, _ = say(place, *COILS, "--wrong", "twice")
            self.assertEqual((code, len(answers)), (0, 2))
        self.assertEqual(len({answer["answer_s"] for answer in answers}), 1)
        self.assertGreater(answers[0]["answer_s"], 0.002)

    def test_what_is_late_where_nothing_is_parted_by_time_is_answered(self):
        code, (answer,), _ = say("gatehouse", "pin-state-query", "pin=9", "--wrong", "late=1 s")
        self.assertEqual(code, 0)
        self.assertAlmostEqual(answer["answer_s"], 6 * 10 / 57600, delta=1e-5)

    def test_mistakes_are_one_line_and_code_2(self):
        for words, part in (
            (("pumphuse", "read-coils"), 'found "pumphuse"'),
            (("pumphouse.usb", "read-coils"), "expected pumphouse.tcp or pumphouse.serial"),
            (("gatehouse", "pin-state-response", "pin=9"), 'did you mean "pin-state-query"?'),
            (("gatehouse", "pin-state-query", "pin=900"), "found 900, expected 0 to 127"),
            (("pumphouse", *COILS, "--wrong", "check"), "read-coils of modbus-tcp has no check"),
            (("pumphouse", *COILS, "--wrong", "chek"), 'did you mean "check"?'),
            (("pumphouse", *COILS, "--wrong", "cut=12"), "expected 1 to 11 bytes"),
            (("pumphouse", *COILS, "--wrong", "flip=96"), "expected 0 to 95"),
            (("pumphouse", *COILS, "--wrong", "bytes=0"), "expected hex pairs"),
            (("pumphouse", *COILS, "--wait", "0 s"), "expected more than 0 s"),
        ):
            with self.subTest(words):
                code, answers, err = say(*words)
                self.assertEqual((code, answers, err.count("\n")), (2, [], 1))
                self.assertIn(part, err)

    def test_without_a_message_those_are_listed_that_can_be_said(self):
        out = cavet_here("say", "demo", "signalpost").out
        self.assertIn("order", out)
        self.assertNotIn("state", out.splitlines())

    def test_nobody_at_the_address_is_code_3(self):
        ran = cavet("say", "demo", "pumphouse", *COILS, "--at", "pumphouse=127.0.0.1:1")
        self.assertEqual((ran.code, ran.err.count("\n")), (3, 1))


class Explain(unittest.TestCase):
    FRAME = ("07", "06", "00", "00", "02", "58", "89", "36")

    def test_a_ruler_has_bytes_bits_fields_values_and_meanings_in_line(self):
        ran = cavet("explain", "modbus-rtu", *self.FRAME, "--bench", "demo", "pumphouse")
        lines = ran.out.splitlines()
        self.assertEqual(ran.code, 0)
        self.assertLessEqual(max(map(len, lines)), 80)
        rows = {
            word: next(line for line in lines if word in line) for word in ("58", "01011000", "value", "600", "60 %")
        }
        columns = [rows["01011000"].index("00000010"), *(rows[word].index(word) for word in ("value", "600", "60 %"))]
        self.assertEqual(len(set(columns)), 1, ran.out)

    def test_as_json_each_bit_is_in_one_field(self):
        ran = cavet_here("explain", "modbus-rtu", *self.FRAME, "--bench", "demo", "pumphouse", "--json")
        line = json.loads(ran.out)
        fields = {field["name"]: field for field in line["fields"]}
        self.assertEqual((line["message"], line["hex"]), ("write-single-register", " ".join(self.FRAME)))
        self.assertEqual(fields["value"] | {"means": ""}, {
            "name": "value", "value": 600, "bits": [[32, 47]], "means": "", "problem": None,
        })  # fmt: skip
        self.assertEqual(
            (fields["value"]["means"], fields["address"]["means"]), ("60 % at pump_a_speed", "pump_a_speed")
        )
        self.assertEqual(fields["crc"]["bits"], [[56, 63], [48, 55]])

    def test_what_is_wrong_is_told_at_its_field_and_is_code_1(self):
        ran = cavet_here("explain", "modbus-rtu", *self.FRAME[:-1], "00", "--json")
        fields = {field["name"]: field for field in json.loads(ran.out)["fields"]}
        self.assertEqual((ran.code, fields["crc"]["problem"]), (1, "expected 3689"))
        self.assertIn(
            "✕ CRC: found 0089, expected 3689", cavet_here("explain", "modbus-rtu", *self.FRAME[:-1], "00").out
        )

    def test_each_board_of_the_demo_says_what_is_meant(self):
        publish = cavet_here("encode", "mqtt", "publish", "topic=ottersluice/towpath/lamp/set", "payload=@1").out
        supply = cavet_here("encode", "scpi", "command", "header=SOUR1:VOLT", "values=5").out
        for protocol, board, data, side, told in (
            ("firmata", "gatehouse", "E9 69 00", "host", "60 % at upper_paddle"),
            ("firmata", "gatehouse", "91 04 00", "host", "high: "),
            ("mqtt", "towpath", publish, "host", "on at lamp"),
            ("scpi", "switchrack", supply, "host", "5 V at supply_1_voltage"),
            ("i2c", "mast", "44 02", "host", "0x22, yard"),
            ("modbus-rtu", "pumphouse", "07 01 01 01 90 C0", "board", None),
        ):
            with self.subTest(board, data=data):
                ran = cavet_here("explain", protocol, data, "--from", side, "--bench", "demo", board, "--json")
                means = [field["means"] for field in json.loads(ran.out)["fields"]]
                if told is not None:
                    self.assertTrue(any(told in (text or "") for text in means), means)
        answer = cavet_here("explain", "modbus-rtu", "07 01 01 01 90 C0", "--from", "board", "--bench", "demo",
                            "pumphouse", "--address", "0", "--json")  # fmt: skip
        self.assertIn("at pump_a", answer.out)

    def test_columns_are_those_that_there_are(self):
        narrow = cavet("explain", "modbus-rtu", *self.FRAME, environment={"COLUMNS": "40"}).out
        self.assertLessEqual(max(map(len, narrow.splitlines())), 40)
        wide = cavet("explain", "mqtt", "30 20", *["61"] * 32, environment={"COLUMNS": "160"}).out
        self.assertGreater(max(map(len, wide.splitlines())), 120)

    def test_control_codes_and_long_frames_do_no_harm(self):
        hostile = "30 0A 00 04 1B 5B 32 4A 1B 5D 30 3B"
        self.assertNotIn("\x1b", cavet_here("explain", "mqtt", hostile).out)
        ran = cavet_here("explain", "spi", "00" * 5000)
        self.assertIn("bytes more", ran.out)
        self.assertLess(len(ran.out.splitlines()), 600)

    def test_a_bench_that_does_not_fit_is_told(self):
        ran = cavet_here("explain", "firmata", "F9", "--bench", "demo", "gatehuose")
        self.assertEqual((ran.code, ran.err.count("\n")), (2, 1))
        self.assertIn('did you mean "gatehouse"?', ran.err)


if __name__ == "__main__":
    unittest.main()
