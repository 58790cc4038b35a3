"""What the standards say at their edges, as `encode` and `decode` tell it; and streams, as they come."""

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from cavet.protocols import Side, mqtt
from tests.commands.run import cavet_here
from tests.patience import PATIENCE

GOOD, BAD = "07 05 00 02 FF 00 2D 9C", "07 05 00 02 FF 00 2D 9D"


def decoded(*words):
    ran = cavet_here("decode", *words)
    return ran.code, [json.loads(line) for line in ran.out.splitlines()]


class WrongChecks(unittest.TestCase):
    """A frame with a wrong CRC is taken apart: its function and its byte count say how long it is."""

    def test_a_good_frame_behind_a_wrong_one_hides_nothing(self):
        code, (wrong, good) = decoded("modbus-rtu", f"{BAD} {GOOD}")
        self.assertEqual((code, wrong["hex"], wrong["message"]), (1, BAD, "write-single-coil"))
        self.assertEqual(wrong["problems"], ["CRC: found 9D2D, expected 9C2D"])
        self.assertEqual((good["offset"], good["problems"]), (8, []))

    def test_three_wrong_frames_in_a_row_each_of_its_own_length(self):
        frames = (BAD, "07 10 00 00 00 01 02 00 05 00 00", "07 03 00 00 00 01 00 00")
        _, lines = decoded("modbus-rtu", " ".join(frames))
        self.assertEqual([line["hex"] for line in lines], list(frames))
        self.assertTrue(all("CRC" in line["problems"][0] for line in lines))

    def test_stray_bytes_before_a_good_frame_are_no_frame(self):
        _, (stray, good) = decoded("modbus-rtu", f"01 02 {GOOD}")
        self.assertEqual((stray["message"], stray["hex"], good["hex"]), ("unreadable", "01 02", GOOD))

    def test_an_answer_by_its_byte_count(self):
        _, (line,) = decoded("modbus-rtu", "--from", "board", "07 03 04 00 01 00 02 AA BB")
        self.assertEqual((line["fields"]["values"], len(line["problems"])), ([1, 2], 1))


LONG = 5000 * "9"


class Long(unittest.TestCase):
    """Numbers of more digits than Python's own take, and names that no system takes."""

    def test_they_are_one_line_of_a_readable_length(self):
        with tempfile.TemporaryDirectory() as folder:
            record = str(Path(folder) / "a.record")
            self.assertEqual(cavet_here("drive", "demo", "beacon=5", "--record", record).code, 0)
            for words, code in (
                (("draw", "trail", record, LONG), 2),
                (("bridge", f"/dev/null@{LONG}", "127.0.0.1:1"), 2),
                (("trails", LONG), 2),
                (("compare", record, LONG), 2),
                (("export", record, "--as", "csv", "-o", LONG), 2),
                (("encode", "mqtt", "puback", f"packet_id={LONG}"), 2),
                (("serve", "demo", "--port", f"pumphouse={LONG}"), 2),
                (("say", "demo", "pumphouse", "read-coils", "address=0", "quantity=1", "--wrong", f"flip={LONG}"), 2),
                (("find", "i2c", LONG), 3),
            ):
                with self.subTest(words[0]):
                    ran = cavet_here(*words)
                    self.assertEqual((ran.code, ran.err.count("\n")), (code, 1), ran.err[:300])
                    self.assertLess(len(ran.err), 1000)
                    self.assertNotIn("fault of", ran.err)


class Refused(unittest.TestCase):
    def test_what_can_not_be_sent_is_refused_with_its_field(self):
        for words, part in (
            ("scpi command header=ABCDEFGHIJKLM:VOLT", "mnemonics of at most 12 characters"),
            ("mqtt publish topic=a qos=1 packet_id=0 payload=@x", "publish.packet_id: found 0, expected 1 to 65535"),
            ("mqtt5 publish topic=a qos=2 packet_id=0 payload=@x", "publish.packet_id: found 0, expected 1 to 65535"),
            ("mqtt subscribe packet_id=0 filters=a:1", "expected 1 to 65535"),
            ("mqtt puback packet_id=0", "expected 1 to 65535"),
            ("mqtt5 unsubscribe packet_id=0 filters=a", "expected 1 to 65535"),
            ("mqtt5 publish topic=a payload=@x properties=response_topic:a/+/b", "without wildcards (MQTT-3.3.2-14)"),
            ("mqtt5 publish topic=a payload=@x properties=response_topic:a/#", "without wildcards"),
            ("usb set-interface interface=1 alternate_setting=256", "alternate_setting: found 256, expected 0 to 255"),
        ):
            with self.subTest(words):
                ran = cavet_here("encode", *words.split())
                self.assertEqual((ran.code, ran.out, ran.err.count("\n")), (2, "", 1), ran)
                self.assertIn(part, ran.err)

    def test_mnemonics_of_twelve_characters_are_not(self):
        self.assertEqual(cavet_here("encode", "scpi", "command", "header=ABCDEFGHIJKL:VOLT").code, 0)
        self.assertEqual(cavet_here("encode", "scpi", "query", "header=*ABCDEFGHIJKL").code, 0)


class Told(unittest.TestCase):
    def test_what_was_read_though_it_is_wrong(self):
        for words, part in (
            ("mqtt5 30 0D 00 01 61 08 08 00 05 61 2F 2B 2F 62 78", "response_topic: found a/+/b"),
            ("usb 01 0B 00 01 01 00 00 00", "alternate_setting: found 256, expected 0 to 255"),
        ):
            code, (line,) = decoded(*words.split())
            self.assertEqual(code, 1)
            self.assertIn(part, line["problems"][0])

    def test_marks_of_a_bus(self):
        for text, messages, problems in (
            ("4C 12", ["write"], [[]]),
            ("S 4C A 12 A P", ["write"], [[]]),
            ("4C 12 S 4C A P", ["unreadable", "write"], [["bytes without a start before them"], []]),
            ("S 4C A P 33 S 4C A P", ["write", "unreadable", "write"], [[], ["bytes without a start before them"], []]),
            ("S 4C A 12 A", ["write"], [["no stop: the transaction is not ended"]]),
            ("S 4C A 12 A S 4C A P", ["write", "write"], [["no stop: the transaction is not ended"], []]),
            ("4C A P", ["unreadable"], [["bytes without a start before them"]]),
        ):
            with self.subTest(text):
                _, lines = decoded("i2c", text)
                self.assertEqual([line["message"] for line in lines], messages)
                self.assertEqual([line["problems"] for line in lines], problems)
                self.assertEqual("".join(line["hex"] for line in lines).replace(" ", ""),
                                 "".join(word for word in text.split() if len(word) == 2 and word != "Sr"))  # fmt: skip

    def test_one_bit_of_a_plan_takes_on_and_off(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.plan.toml"
            path.write_text(
                'format = 1\n[frames.f]\nfields = [ { name = "go", bits = 1 }, { name = "n", bits = 7 } ]\n'
            )
            for word, data in (("on", "83"), ("off", "03"), ("true", "83"), ("1", "83"), ("0x0", "03")):
                self.assertEqual(cavet_here("encode", f"{path}#f", f"go={word}", "n=3").out.strip(), data)
            self.assertIn("expected on or off", cavet_here("encode", f"{path}#f", "go=maybe", "n=3").err)
            self.assertEqual(cavet_here("encode", f"{path}#f", "go=1", "n=on").code, 2)


class LongPackets(unittest.TestCase):
    def test_packets_are_read_up_to_the_standards_greatest_in_pieces(self):
        size = 3_000_000
        packet = mqtt.V5.encode(mqtt.Publish5(topic="a", payload=bytes(size)))
        decoder = mqtt.V5.decoder(Side.HOST)
        frames = []
        for at in range(0, len(packet), 65536):
            frames += decoder.feed(packet[at : at + 65536])
        frames += decoder.feed(packet[:0]) + decoder.finish()
        self.assertEqual([len(frame.message.payload) for frame in frames], [size])

    def test_a_link_has_a_limit_and_goes_on_behind_it(self):
        long, short = (mqtt.V5.encode(mqtt.Publish5(topic="a", payload=bytes(size))) for size in (5000, 5))
        decoder = mqtt.V5.decoder(Side.HOST, most=1000)
        frames = decoder.feed(long + short)
        self.assertEqual(frames[-1].message.payload, bytes(5))
        self.assertIn("a packet of more than 1000 bytes", frames[0].problems[0])


class Streams(unittest.TestCase):
    def follow(self, *words):
        decoding = subprocess.Popen(
            [sys.executable, "-m", "cavet", "decode", *words], stdin=subprocess.PIPE, stdout=subprocess.PIPE
        )
        self.addCleanup(decoding.wait, PATIENCE)
        self.addCleanup(decoding.stdout.close)
        self.addCleanup(decoding.stdin.close)
        return decoding

    def test_each_frame_is_printed_as_soon_as_it_is_whole(self):
        decoding = self.follow("modbus-rtu", "-")
        for text in (f"{GOOD}\n", GOOD.replace(" ", ""), f" {GOOD} "):
            decoding.stdin.write(text.encode())
            decoding.stdin.flush()
            self.assertEqual(json.loads(decoding.stdout.readline())["hex"], GOOD)

    def test_raw_bytes_both_ways(self):
        decoding = self.follow("modbus-rtu", "--binary", "-")
        for _ in range(2):
            decoding.stdin.write(bytes.fromhex(GOOD))
            decoding.stdin.flush()
            self.assertEqual(json.loads(decoding.stdout.readline())["hex"], GOOD)
        words = ("encode", "--binary", "modbus-rtu", "write-single-coil", "unit=7", "address=2", "value=on")
        raw = subprocess.run([sys.executable, "-m", "cavet", *words], capture_output=True, check=True, timeout=PATIENCE)
        self.assertEqual(raw.stdout, bytes.fromhex(GOOD))
        self.assertEqual(cavet_here("decode", "modbus-rtu", "--binary", "07 05").code, 2)

    def test_the_short_word_for_help_is_known_everywhere(self):
        self.assertIn("Commands:", cavet_here("-h").out)
        for name in ("drive", "encode", "decode", "serve", "open", "reckon", "show", "completion"):
            ran = cavet_here(name, "-h")
            self.assertEqual((ran.code, ran.err), (0, ""))
            self.assertIn(f"Usage: cavet {name}", ran.out)


if __name__ == "__main__":
    unittest.main()
