"""A frame as a ruler: every bit in one field, for all protocols; bits changed, and what follows from them set right."""

import unittest

import msgspec
from hypothesis import given
from hypothesis import strategies as some

from cavet.protocols import (
    PROTOCOLS,
    Role,
    Side,
    bits_of,
    codec,
    find_form,
    read_message,
    read_whole,
    ruler,
    ruler_json,
    set_right,
    with_bits,
)

MESSAGES = (
    ("modbus-rtu", Side.HOST, "write-single-register", {"unit": "7", "address": "0", "value": "600"}),
    ("modbus-rtu", Side.HOST, "write-multiple-coils", {"address": "19", "values": "1,0,1,1,0,0,1,1,1,0"}),
    ("modbus-rtu", Side.BOARD, "exception", {"function": "3", "exception_code": "2"}),
    ("modbus-tcp", Side.HOST, "read-write-multiple-registers",
     {"read_address": "3", "read_quantity": "6", "write_address": "14", "values": "255,255,255"}),
    ("modbus-tcp", Side.BOARD, "read-file-record", {"values": "3582,32/13261,64"}),
    ("modbus-tcp", Side.HOST, "write-file-record",
     {"file_number": "4", "record_number": "7", "values": "1711,4,4109"}),
    ("modbus-tcp", Side.BOARD, "read-fifo-queue", {"values": "440,4740"}),
    ("modbus-ascii", Side.BOARD, "read-device-identification", {"read_device_id_code": "1", "objects": "0:@A,1:@Bc"}),
    ("firmata", Side.HOST, "analog-message", {"pin": "9", "value": "476"}),
    ("firmata", Side.HOST, "i2c-request", {"address": "32", "mode": "0", "data": "0102FF"}),
    ("firmata", Side.HOST, "i2c-request", {"address": "0x2AB", "mode": "1", "ten_bit": "1", "count": "2"}),
    ("firmata", Side.BOARD, "capability-response", {"pins": "0:1,1:1/2:10"}),
    ("firmata", Side.BOARD, "string-data", {"text": "é!"}),
    ("firmata", Side.HOST, "stepper-step", {"device": "1", "steps": "-300"}),
    ("firmata", Side.HOST, "stepper-set-speed", {"device": "1", "speed": "12.5"}),
    ("firmata", Side.HOST, "steppers-to", {"group": "1", "positions": "5,-6"}),
    ("firmata", Side.HOST, "onewire-command", {"does": "32", "pin": "4", "data": "0102030405"}),
    ("firmata", Side.BOARD, "encoder-position", {"positions": "1:5,2:-7"}),
    ("scpi", Side.HOST, "query", {"header": "SOUR2:VOLT"}),
    ("scpi", Side.HOST, "command", {"header": "DATA", "values": "1.5 mV", "block": "010203"}),
    ("mqtt", Side.HOST, "connect",
     {"client_id": "c", "will_topic": "w", "will_message": "@gone", "user_name": "u", "password": "@p"}),
    ("mqtt", Side.HOST, "publish", {"topic": "a/b", "payload": "@" + 200 * "x", "qos": "1", "packet_id": "5"}),
    ("mqtt", Side.HOST, "publish", {"topic": "a"}),
    ("mqtt", Side.BOARD, "suback", {"packet_id": "1", "reason_codes": "0,128"}),
    ("mqtt5", Side.HOST, "publish",
     {"topic": "a", "properties": "user_property:k=v,correlation_data:0102,message_expiry_interval:4"}),
    ("mqtt5", Side.HOST, "subscribe", {"packet_id": "1", "filters": "a/+:1,b:44"}),
    ("mqtt5", Side.BOARD, "connack", {"reason_code": "0", "properties": "receive_maximum:9"}),
    ("i2c", Side.HOST, "write", {"address": "0x20", "data": "12FF"}),
    ("spi", Side.HOST, "transfer", {"data": "0123"}),
    ("usb", Side.HOST, "get-descriptor", {"descriptor_type": "1", "length": "18"}),
    ("usb", Side.BOARD, "endpoint-descriptor",
     {"endpoint_address": "0x81", "attributes": "1", "max_packet_size": "64"}),
    ("usb", Side.BOARD, "string-descriptor", {"string": "Ottersluice"}),
)  # fmt: skip


def made(protocol, side, name, fields):
    """The codec, and the one frame that a message makes."""
    chosen = codec(protocol)
    form = find_form(chosen, name, list(fields), side is Side.BOARD)
    (frame,) = read_whole(chosen, chosen.encode(read_message(form, fields, chosen.unused)), side)
    return chosen, frame


class Bits(unittest.TestCase):
    def check(self, frame, fields):
        places = [bit for field in fields for begin, count in field.spans for bit in range(begin, begin + count)]
        self.assertEqual(sorted(places), list(range(8 * len(frame.data))), fields)

    def test_each_bit_of_every_message_is_in_one_field_and_none_is_unread(self):
        for protocol, side, name, given_fields in MESSAGES:
            with self.subTest(protocol, message=name):
                chosen, frame = made(protocol, side, name, given_fields)
                fields = ruler(chosen, frame, side)
                self.check(frame, fields)
                self.assertEqual(frame.message.NAME, name)
                self.assertNotIn(Role.UNREAD, [field.role for field in fields])
                self.assertEqual([field.name for field in fields if field.problem], [])
                if not name.startswith("read-device"):
                    self.assertLessEqual(
                        {*given_fields} & {"unit", "address", "pin", "topic"}, {f.name for f in fields}
                    )

    def test_all_protocols_are_among_them(self):
        self.assertEqual({protocol for protocol, *_ in MESSAGES}, set(PROTOCOLS))

    @given(some.sampled_from(sorted(PROTOCOLS)), some.sampled_from(Side), some.binary(max_size=60))
    def test_each_bit_of_any_bytes_is_in_one_field(self, protocol, side, data):
        chosen = codec(protocol)
        for frame in read_whole(chosen, data, side):
            self.check(frame, ruler(chosen, frame, side))

    @given(some.sampled_from(MESSAGES), some.data())
    def test_each_bit_is_in_one_field_where_one_bit_or_the_end_is_wrong(self, message, data):
        chosen, frame = made(*message)
        place = data.draw(some.integers(0, 8 * len(frame.data) - 1))
        spans = ((place, 1),)
        wrong = with_bits(frame.data, spans, 1 - bits_of(frame.data, spans))
        wrong = wrong[: data.draw(some.integers(1, len(wrong)))]
        for found in read_whole(chosen, wrong, message[1]):
            self.check(found, ruler(chosen, found, message[1]))

    def test_a_numbers_bits_are_told_from_its_most_significant_one_down(self):
        for protocol, side, name, given_fields in MESSAGES:
            if protocol == "modbus-ascii":
                continue  # written as digits: its bits are those of the digits
            chosen, frame = made(protocol, side, name, given_fields)
            for field in ruler(chosen, frame, side):
                if (
                    type(field.value) is int
                    and isinstance(field.raw, int)
                    and field.value >= 0
                    and field.name != "count"
                ):
                    with self.subTest(protocol, message=name, field=field.name):
                        self.assertEqual(bits_of(frame.data, field.spans), field.raw)


class Fields(unittest.TestCase):
    def fields(self, protocol, data, side=Side.HOST):
        chosen = codec(protocol)
        (frame,) = read_whole(chosen, bytes.fromhex(data), side)
        return {field["name"]: field for field in ruler_json(ruler(chosen, frame, side))}

    def test_the_exception_bit_is_a_field_of_its_own(self):
        fields = self.fields("modbus-rtu", "07 83 02 20 F0", Side.BOARD)
        self.assertEqual((fields["exception"]["value"], fields["exception"]["bits"]), (True, [[8, 8]]))
        self.assertEqual((fields["function"]["value"], fields["function"]["bits"]), (3, [[9, 15]]))
        self.assertEqual(fields["exception_code"]["means"], "illegal data address")

    def test_continuation_bits_and_lengths_are_fields(self):
        fields = self.fields("mqtt", "30 83 01 00 01 61" + 128 * " 78")
        self.assertEqual(fields["remaining_length"]["bits"], [[17, 23], [9, 15]])
        self.assertEqual((fields["remaining_length"]["value"], fields["continuation"]["bits"]), (131, [[16, 16]]))
        self.assertEqual((fields["topic_length"]["bits"], fields["topic"]["bits"]), ([[24, 39]], [[40, 47]]))

    def test_a_text_in_pairs_says_where_each_octet_lies(self):
        fields = self.fields("firmata", "F0 71 41 01 F7")
        self.assertEqual(fields["text"]["bits"], [[31, 31], [17, 23]])
        self.assertEqual(fields["unused"]["bits"], [[25, 30]])

    def test_what_can_not_be_read_says_why(self):
        fields = self.fields("mqtt", "30 03 00 03 61")
        self.assertEqual(fields["topic_length"]["value"], 3)
        self.assertIn("ends before its topic", fields["unread"]["problem"])

    def test_an_empty_payload_is_a_field_without_bits(self):
        payload = self.fields("mqtt", "30 03 00 01 61")["payload"]
        self.assertEqual((payload["value"], payload["bits"]), ("", []))


class Changes(unittest.TestCase):
    @given(some.binary(min_size=1, max_size=12), some.data())
    def test_bits_that_were_put_are_found_again_and_all_others_stay(self, data, draw):
        size = 8 * len(data)
        begin = draw.draw(some.integers(0, size - 1))
        spans = ((begin, draw.draw(some.integers(1, size - begin))),)
        value = draw.draw(some.integers(0, (1 << spans[0][1]) - 1))
        changed = with_bits(data, spans, value)
        self.assertEqual(bits_of(changed, spans), value)
        self.assertEqual(with_bits(changed, spans, bits_of(data, spans)), data)

    def test_lengths_and_checks_follow(self):
        for protocol, side, name, given_fields in MESSAGES:
            chosen, frame = made(protocol, side, name, given_fields)
            with self.subTest(protocol, message=name):
                self.assertEqual(set_right(chosen, frame.data, side), frame.data)
                for field in ruler(chosen, frame, side):
                    if field.role is Role.CHECK:
                        wrong = with_bits(frame.data, field.spans, bits_of(frame.data, field.spans) ^ 1)
                        self.assertEqual(set_right(chosen, wrong, side), frame.data)

    def test_a_changed_value_gets_its_check(self):
        chosen, frame = made("modbus-rtu", Side.HOST, "write-single-register", {"address": "0", "value": "600"})
        value = next(field for field in ruler(chosen, frame, Side.HOST) if field.name == "value")
        changed = set_right(chosen, with_bits(frame.data, value.spans, 725), Side.HOST)
        (found,) = read_whole(chosen, changed, Side.HOST)
        self.assertEqual((found.problems, found.message), ((), msgspec.structs.replace(frame.message, value=725)))


if __name__ == "__main__":
    unittest.main()
