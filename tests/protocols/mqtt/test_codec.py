"""The MQTT codecs: bytes of each packet in both versions, what the standards forbid, then any bytes at all."""

import random
import unittest
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as some

from cavet.protocols import FieldError, Side, as_fields, find_form, read_message
from cavet.protocols.mqtt import (
    V3,
    V5,
    Auth5,
    Connack,
    Connack5,
    Connect,
    Connect5,
    Disconnect,
    Disconnect5,
    Filter,
    Pingreq,
    Pingresp,
    Property,
    Puback,
    Puback5,
    Pubcomp,
    Pubcomp5,
    Publish,
    Publish5,
    Pubrec,
    Pubrec5,
    Pubrel,
    Pubrel5,
    Suback,
    Suback5,
    Subscribe,
    Subscribe5,
    Unsuback,
    Unsuback5,
    Unsubscribe,
    Unsubscribe5,
)

HOST, BOARD = Side.HOST, Side.BOARD
THREE = [
    (HOST, Connect(client_id="a", keep_alive=10), "10 0D 00 04 4D 51 54 54 04 02 00 0A 00 01 61"),
    (
        HOST,
        Connect(
            client_id="", will_topic="t", will_message=b"x", will_qos=1, will_retain=True, user_name="u", password=b"p"
        ),
        "10 18 00 04 4D 51 54 54 04 EE 00 3C 00 00 00 01 74 00 01 78 00 01 75 00 01 70",
    ),
    (BOARD, Connack(session_present=True), "20 02 01 00"),
    (BOARD, Connack(return_code=5), "20 02 00 05"),
    (HOST, Publish(topic="a/b", payload=b"hi"), "30 07 00 03 61 2F 62 68 69"),
    (BOARD, Publish(topic="a/b", qos=2, dup=True, retain=True, packet_id=10), "3D 07 00 03 61 2F 62 00 0A"),
    (HOST, Puback(packet_id=1), "40 02 00 01"),
    (HOST, Pubrec(packet_id=2), "50 02 00 02"),
    (HOST, Pubrel(packet_id=3), "62 02 00 03"),
    (BOARD, Pubcomp(packet_id=0xFFFF), "70 02 FF FF"),
    (
        HOST,
        Subscribe(packet_id=10, filters=(Filter("a/b", 1), Filter("c/d", 2))),
        "82 0E 00 0A 00 03 61 2F 62 01 00 03 63 2F 64 02",
    ),
    (BOARD, Suback(packet_id=10, reason_codes=(0, 2, 128)), "90 05 00 0A 00 02 80"),
    (HOST, Unsubscribe(packet_id=10, filters=("a/b", "c/d")), "A2 0C 00 0A 00 03 61 2F 62 00 03 63 2F 64"),
    (BOARD, Unsuback(packet_id=10), "B0 02 00 0A"),
    (HOST, Pingreq(), "C0 00"),
    (BOARD, Pingresp(), "D0 00"),
    (HOST, Disconnect(), "E0 00"),
]
FIVE = [
    (HOST, Connect5(client_id="a", keep_alive=10), "10 0E 00 04 4D 51 54 54 05 02 00 0A 00 00 01 61"),
    (
        HOST,
        Connect5(
            client_id="a",
            clean_start=False,
            properties=(Property("receive_maximum", 5), Property("user_property", "k=v")),
            will_topic="t",
            will_payload=b"x",
            will_properties=(Property("will_delay_interval", 3),),
        ),
        "10 24 00 04 4D 51 54 54 05 04 00 3C 0A 21 00 05 26 00 01 6B 00 01 76 00 01 61 05 18 00 00 00 03 "
        "00 01 74 00 01 78",
    ),
    (BOARD, Connack5(reason_code=0x87, properties=(Property("reason_string", "no"),)), "20 08 00 87 05 1F 00 02 6E 6F"),
    (
        BOARD,
        Publish5(
            topic="a",
            payload=b"1",
            properties=(Property("subscription_identifier", 1), Property("subscription_identifier", 200)),
        ),
        "30 0A 00 01 61 05 0B 01 0B C8 01 31",
    ),
    (HOST, Publish5(qos=1, packet_id=1, properties=(Property("topic_alias", 4),)), "32 08 00 00 00 01 03 23 00 04"),
    (HOST, Puback5(packet_id=1), "40 02 00 01"),
    (HOST, Puback5(packet_id=1, reason_code=0x10), "40 03 00 01 10"),
    (
        HOST,
        Pubrec5(packet_id=1, reason_code=0x97, properties=(Property("reason_string", "x"),)),
        "50 08 00 01 97 04 1F 00 01 78",
    ),
    (HOST, Pubrel5(packet_id=1, reason_code=0x92), "62 03 00 01 92"),
    (HOST, Pubcomp5(packet_id=1), "70 02 00 01"),
    (
        HOST,
        Subscribe5(
            packet_id=10, filters=(Filter("$share/g/a/#", 0x2A),), properties=(Property("subscription_identifier", 9),)
        ),
        "82 14 00 0A 02 0B 09 00 0C 24 73 68 61 72 65 2F 67 2F 61 2F 23 2A",
    ),
    (BOARD, Suback5(packet_id=10, reason_codes=(1, 0x9E)), "90 05 00 0A 00 01 9E"),
    (HOST, Unsubscribe5(packet_id=10, filters=("a/b",)), "A2 08 00 0A 00 00 03 61 2F 62"),
    (BOARD, Unsuback5(packet_id=10, reason_codes=(0, 0x11)), "B0 05 00 0A 00 00 11"),
    (HOST, Pingreq(), "C0 00"),
    (BOARD, Pingresp(), "D0 00"),
    (HOST, Disconnect5(), "E0 00"),
    (
        HOST,
        Disconnect5(reason_code=4, properties=(Property("session_expiry_interval", 60),)),
        "E0 07 04 05 11 00 00 00 3C",
    ),
    (
        BOARD,
        Auth5(
            reason_code=0x18,
            properties=(Property("authentication_method", "m"), Property("authentication_data", b"\1")),
        ),
        "F0 0A 18 08 15 00 01 6D 16 00 01 01",
    ),
]
FORBIDDEN = [
    (V3, "11 0D 00 04 4D 51 54 54 04 02 00 0A 00 01 61", "MQTT-2.2.2-2"),
    (V3, "10 0D 00 04 4D 51 54 54 04 03 00 0A 00 01 61", "MQTT-3.1.2-3"),
    (V3, "10 0D 00 04 4D 51 54 54 05 02 00 0A 00 01 61", "MQTT-3.1.2-2"),
    (V3, "10 0D 00 04 4D 51 54 58 04 02 00 0A 00 01 61", "MQTT-3.1.2-1"),
    (V3, "10 0D 00 04 4D 51 54 54 04 0A 00 0A 00 01 61", "MQTT-3.1.2-13"),
    (V3, "10 0D 00 04 4D 51 54 54 04 22 00 0A 00 01 61", "MQTT-3.1.2-15"),
    (V3, "10 0D 00 04 4D 51 54 54 04 1E 00 0A 00 01 61", "MQTT-3.1.2-14"),
    (V3, "10 10 00 04 4D 51 54 54 04 42 00 0A 00 01 61 00 01 70", "MQTT-3.1.2-22"),
    (V3, "10 0C 00 04 4D 51 54 54 04 00 00 0A 00 00", "MQTT-3.1.3-8"),
    (V3, "30 07 00 03 61 2B 62 68 69", "MQTT-3.3.2-2"),
    (V3, "30 02 00 00", "MQTT-4.7.3-1"),
    (V3, "36 07 00 03 61 2F 62 00 0A", "MQTT-3.3.1-4"),
    (V3, "38 05 00 03 61 2F 62", "MQTT-3.3.1-2"),
    (V3, "32 07 00 03 61 2F 62 00 00", "MQTT-2.3.1-1"),
    (V5, "32 08 00 03 61 2F 62 00 00 00", "MQTT-2.2.1-3"),
    (V3, "30 04 00 02 C3 28", "MQTT-1.5.4-1"),
    (V3, "30 05 00 03 ED A0 80", "MQTT-1.5.4-1"),
    (V3, "30 04 00 02 61 00", "MQTT-1.5.4-2"),
    (V3, "60 02 00 01", "MQTT-3.6.1-1"),
    (V3, "80 08 00 0A 00 03 61 2F 62 01", "MQTT-3.8.1-1"),
    (V3, "82 08 00 0A 00 03 61 2F 62 03", "MQTT-3.8.3-4"),
    (V3, "82 08 00 0A 00 03 61 2F 62 05", "MQTT-3.8.3-4"),
    (V3, "82 02 00 0A", "MQTT-3.8.3-3"),
    (V5, "82 03 00 0A 00", "MQTT-3.8.3-2"),
    (V3, "82 08 00 0A 00 03 61 23 62 01", "MQTT-4.7.1-1"),
    (V3, "82 08 00 0A 00 03 61 2B 62 01", "MQTT-4.7.1-2"),
    (V5, "82 09 00 0A 00 00 03 61 2F 62 40", "MQTT-3.8.3-5"),
    (V5, "82 09 00 0A 00 00 03 61 2F 62 30", "retain handling 3"),
    (V5, "82 10 00 0A 00 00 0A 24 73 68 61 72 65 2F 67 2F 61 04", "MQTT-3.8.3-4"),
    (V5, "82 0F 00 0A 00 00 09 24 73 68 61 72 65 2F 2F 61 00", "MQTT-4.8.2-1"),
    (V3, "A0 07 00 0A 00 03 61 2F 62", "MQTT-3.10.1-1"),
    (V3, "A2 02 00 0A", "MQTT-3.10.3-2"),
    (V5, "C0 81 00 00", "MQTT-1.5.5-1"),
    (V5, "40 82 00 00 05", "MQTT-1.5.5-1"),
    (V5, "30 84 00 00 01 61 00", "MQTT-1.5.5-1"),
    (V5, "31 06 00 01 61 02 01 02", "payload_format_indicator: found 2"),
    (V5, "30 08 00 01 61 04 01 00 01 00", "found twice"),
    (V5, "30 07 00 01 61 03 23 00 00", "topic_alias: found 0"),
    (V5, "30 06 00 01 61 02 0B 01", "MQTT-3.3.4-6"),
    (V5, "30 07 00 01 61 03 21 00 05", "not in publish"),
    (V5, "30 06 00 01 61 02 77 00", "there is none of this number"),
    (V5, "40 03 00 01 77", "0x77 is not one of puback"),
    (V3, "F0 00", "packet type 15 is reserved"),
    (V3, "00 00", "packet type 0 is reserved"),
    (V3, "C0 01 00", "bytes more than it has fields"),
    (V3, "20 02 00 00", "not what a client may send"),
    (V3, "40 01 00", "it ends before its packet id"),
]


def decoded(codec, side, data, cuts=()):
    decoder = codec.decoder(side)
    frames = []
    for begin, end in pairwise([0, *sorted(min(cut, len(data)) for cut in cuts), len(data)]):
        frames += decoder.feed(data[begin:end])
    return frames + decoder.finish()


class Cases(unittest.TestCase):
    def test_every_packet_has_its_bytes_and_is_read_back_wherever_it_is_cut(self):
        for codec, cases in ((V3, THREE), (V5, FIVE)):
            for side, message, text in cases:
                wire = bytes.fromhex(text)
                with self.subTest(codec.name, message=message.NAME):
                    self.assertEqual(codec.encode(message).hex(" ").upper(), text)
                    for cut in range(len(wire) + 1):
                        (frame,) = decoded(codec, side, wire, [cut])
                        self.assertEqual((frame.message, frame.problems, frame.data), (message, (), wire))

    def test_all_packets_in_one_stream_are_told_apart(self):
        for codec, cases in ((V3, THREE), (V5, FIVE)):
            for side in Side:
                mine = [(message, bytes.fromhex(text)) for who, message, text in cases if who is side]
                frames = decoded(codec, side, b"".join(wire for _, wire in mine), [7, 30, 31])
                self.assertEqual([frame.message for frame in frames], [message for message, _ in mine])

    def test_every_packet_of_both_versions_has_a_case(self):
        for codec, cases in ((V3, THREE), (V5, FIVE)):
            for side in Side:
                shown = {message.NAME for _, message, _ in cases}
                self.assertLessEqual(set(codec.forms(side)), shown)

    def test_what_is_forbidden_is_told_with_its_statement_and_the_next_packet_is_read(self):
        for codec, text, statement in FORBIDDEN:
            with self.subTest(codec.name, text=text):
                first, second = decoded(codec, HOST, bytes.fromhex(text) + b"\xc0\x00")
                self.assertTrue(any(statement in problem for problem in first.problems), first.problems)
                self.assertEqual(first.data, bytes.fromhex(text))
                self.assertEqual((second.message, second.problems), (Pingreq(), ()))

    def test_what_only_a_client_may_send_is_told_from_a_broker(self):
        (frame,) = decoded(V5, BOARD, bytes.fromhex("E0 07 00 05 11 00 00 00 3C"))
        self.assertTrue(any("MQTT-3.14.2-2" in problem for problem in frame.problems))

    def test_a_packet_that_is_cut_off_or_too_long_or_has_no_length_is_unreadable(self):
        (frame,) = decoded(V3, HOST, bytes.fromhex("30 07 00 03 61"))
        self.assertEqual(frame.problems, ("the stream ends inside a packet",))
        big = bytes.fromhex("30 80 80 80 01") + b"x" * (1 << 21)
        frames = decoded(V3, HOST, big + b"\xc0\x00", range(0, len(big), 300_000))
        self.assertEqual(b"".join(frame.data for frame in frames), big + b"\xc0\x00")
        self.assertEqual(frames[-1].message, Pingreq())
        endless = bytes.fromhex("30 FF FF FF FF 7F") + 3000 * b"rest"
        frames = decoded(V3, HOST, endless)
        self.assertTrue(all(frame.problems for frame in frames))
        self.assertEqual(frames, decoded(V3, HOST, endless, range(1, len(endless))))


THREE_PROPERTIES = "user_property:k=v,user_property:k=w,topic_alias:3"


class Written(unittest.TestCase):
    def made(self, codec, name, **given):
        return read_message(find_form(codec, name, list(given), name in ("suback", "connack")), given)

    def test_packets_are_written_by_people(self):
        message = self.made(
            V5, "subscribe", packet_id="1", filters="a/b:1,c/#:0x2A,plain", properties="subscription_identifier:7"
        )
        self.assertEqual(message.filters, (Filter("a/b", 1), Filter("c/#", 0x2A), Filter("plain", 0)))
        self.assertEqual(as_fields(message)["filters"], ["a/b:1", "c/#:42", "plain:0"])
        self.assertEqual(as_fields(message)["properties"], {"subscription_identifier": 7})
        message = self.made(V5, "disconnect", properties=r"reason_string:so\, then,user_property:a\=b=c")
        self.assertEqual(as_fields(message)["properties"], {"reason_string": "so, then", "user_property": [r"a\=b=c"]})
        message = self.made(
            V5, "publish", topic="t", payload="@né", properties="user_property:k=v,user_property:k=w,topic_alias:3"
        )
        self.assertEqual(as_fields(message)["payload_text"], "né")
        self.assertEqual(as_fields(message)["properties"], {"user_property": ["k=v", "k=w"], "topic_alias": 3})
        self.assertNotIn("payload_text", as_fields(Publish(topic="t", payload=b"\xff")))
        self.assertEqual(self.made(V3, "suback", packet_id="1", reason_codes="0,0x80").reason_codes, (0, 128))
        self.assertEqual(as_fields(Connack5(reason_code=0x87))["reason_code_name"], "not authorized")

    def test_what_may_not_be_sent_is_refused(self):
        for codec, name, fields in (
            (V3, "publish", {"topic": "a/+"}),
            (V3, "publish", {"topic": "a", "qos": "1"}),
            (V3, "publish", {"topic": "a", "packet_id": "1"}),
            (V3, "publish", {"topic": "a", "dup": "1"}),
            (V3, "publish", {"topic": "a", "qos": "3", "packet_id": "1"}),
            (V3, "puback", {"packet_id": "0"}),
            (V3, "subscribe", {"packet_id": "1", "filters": "a#:1"}),
            (V3, "subscribe", {"packet_id": "1", "filters": "a:3"}),
            (V3, "subscribe", {"packet_id": "1", "filters": ""}),
            (V3, "connect", {"clean_session": "0"}),
            (V3, "connect", {"password": "@p"}),
            (V3, "connect", {"will_message": "@p"}),
            (V3, "connect", {"will_qos": "1"}),
            (V3, "connack", {"return_code": "6"}),
            (V3, "connack", {"return_code": "1", "session_present": "1"}),
            (V5, "publish", {}),
            (V5, "publish", {"topic": "a", "properties": "receive_maximum:1"}),
            (V5, "publish", {"topic": "a", "properties": "topic_alias:0"}),
            (V5, "puback", {"packet_id": "1", "reason_code": "1"}),
            (V5, "publish", {"topic": "a", "properties": "topic_alias:1,topic_alias:2"}),
            (V5, "publish", {"topic": "a", "properties": "toipc_alias:1"}),
            (V5, "publish", {"topic": "a", "properties": "topic_alias:x"}),
            (V5, "connect", {"properties": "authentication_data:01"}),
            (V5, "connect", {"properties": "user_property:k"}),
            (V5, "connect", {"will_properties": "will_delay_interval:1"}),
        ):
            with self.subTest(name, **fields), self.assertRaises(FieldError):
                self.made(codec, name, **fields)
        for message in (Publish(topic="a\0"), Publish(topic="\ud800"), Publish(topic="x" * 65536)):
            with self.assertRaises(FieldError):
                V3.encode(message)


class AnyBytes(unittest.TestCase):
    @given(
        some.binary(max_size=200),
        some.lists(some.integers(0, 200), max_size=4),
        some.sampled_from([V3, V5]),
        some.sampled_from(Side),
    )
    def test_every_byte_is_in_one_frame_however_it_is_cut(self, data, cuts, codec, side):
        frames = decoded(codec, side, data, cuts)
        self.assertEqual(b"".join(frame.data for frame in frames), data)
        whole = decoded(codec, side, data)
        self.assertEqual(
            [frame.data for frame in frames if frame.readable], [frame.data for frame in whole if frame.readable]
        )
        for frame in frames:
            codec.explain(frame, side)

    @given(
        some.integers(0x30, 0x3F),
        some.binary(max_size=6) | some.text("ab/+#\0$é", max_size=6).map(str.encode),
        some.binary(max_size=8),
        some.sampled_from([V3, V5]),
    )
    def test_the_short_way_of_a_publish_packet_comes_out_like_the_long_one(self, head, topic, rest, codec):
        body = len(topic).to_bytes(2, "big") + topic + rest
        (frame,) = decoded(codec, Side.HOST, bytes((head, len(body))) + body)
        name = topic.decode("utf-8", "replace")
        wrong = set("+#\0") & set(name) or not topic or "\ufffd" in name or head & 6 == 6 or head & 14 == 8
        if frame.readable and not frame.problems:
            fields = {field.name: field.value for field in codec.explain(frame, Side.HOST)}
            self.assertEqual((frame.message.topic, frame.message.payload), (fields["topic"], fields["payload"]))
            self.assertEqual(frame.message.packet_id, fields.get("packet_id"))
            self.assertEqual((head & 1, head >> 1 & 3), (frame.message.retain, frame.message.qos))
        if codec is V3 and head >> 1 & 3 == 0:
            self.assertEqual(bool(wrong), bool(frame.problems), frame)

    @given(some.text("a=\\é", max_size=6), some.text("a=\\,é", max_size=6))
    def test_a_user_property_goes_on_as_it_came(self, name, value):
        """Source: 5.0, MQTT-3.3.2-17: with its name and value unaltered."""
        pair = b"".join(len(text.encode()).to_bytes(2, "big") + text.encode() for text in (name, value))
        body = b"\0\1t" + bytes((1 + len(pair), 0x26)) + pair
        packet = bytes((0x30, len(body))) + body
        (frame,) = decoded(V5, Side.HOST, packet)
        self.assertEqual(((), packet), (frame.problems, V5.encode(frame.message)))

    def test_spoilt_packets_never_raise_and_what_is_read_without_a_problem_can_be_sent_again(self):
        noise = random.Random("mqtt")
        for codec, cases in ((V3, THREE), (V5, FIVE)):
            for side, _, text in cases:
                for _ in range(60):
                    wire = bytearray(bytes.fromhex(text))
                    wire[noise.randrange(len(wire))] = noise.randrange(256)
                    for frame in decoded(codec, side, bytes(wire)):
                        if not frame.problems:
                            again = decoded(codec, side, codec.encode(frame.message))
                            self.assertEqual([f.message for f in again], [frame.message])


if __name__ == "__main__":
    unittest.main()
