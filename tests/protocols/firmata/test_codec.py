"""The Firmata codec against its cases: one table, both directions, every cut; then any bytes at all."""

import itertools
import unittest

from hypothesis import given
from hypothesis import strategies as some

from cavet.protocols import FieldError, Side, Unreadable
from cavet.protocols.firmata import (
    CODEC,
    MAX_SYSEX_BYTES,
    FirmataDecoder,
    StringData,
    Sysex,
    VersionQuery,
    decode_from,
    encode,
    explain,
)
from tests.protocols.firmata.cases import CASES, SPOILT


def plain_frames(frames):
    """What a stream was taken for, without where."""
    return [(frame.message, frame.problems) for frame in frames]


class Cases(unittest.TestCase):
    def test_every_message_has_the_bytes_of_the_standard(self):
        for name, _, message, text in CASES:
            with self.subTest(name):
                self.assertEqual(encode(message), bytes.fromhex(text))

    def test_the_bytes_are_read_as_that_message_wherever_they_are_cut(self):
        for name, side, message, text in CASES:
            wire = bytes.fromhex(text)
            for cut in range(len(wire) + 1):
                with self.subTest(name, cut=cut):
                    decoder = FirmataDecoder(side)
                    frames = [*decoder.feed(wire[:cut]), *decoder.feed(wire[cut:]), *decoder.finish()]
                    self.assertEqual(plain_frames(frames), [(message, ())])

    def test_all_messages_in_one_stream_are_told_apart(self):
        for side in Side:
            chosen = [(message, bytes.fromhex(text)) for _, who, message, text in CASES if who is side]
            stream = b"".join(wire for _, wire in chosen)
            frames = decode_from(side, stream)
            self.assertEqual([frame.message for frame in frames], [message for message, _ in chosen])
            self.assertEqual(b"".join(frame.data for frame in frames), stream)
            self.assertEqual([frame.offset for frame in frames][-1], len(stream) - len(chosen[-1][1]))

    def test_every_message_of_the_catalogue_has_a_case(self):
        for side in Side:
            shown = {message.NAME for _, who, message, _ in CASES if who is side}
            both = {"analog-message", "digital-message", "string-data", "extended-analog", "sysex"}
            self.assertEqual(set(CODEC.forms(side)) - shown - both, set())

    def test_spoilt_bytes_come_out_with_the_reason_and_reading_goes_on(self):
        for name, side, text, expected in SPOILT:
            with self.subTest(name):
                frames = decode_from(side, bytes.fromhex(text))
                self.assertEqual([frame.message.NAME for frame in frames], [message for message, _, _ in expected])
                self.assertEqual([frame.data for frame in frames], [bytes.fromhex(data) for _, data, _ in expected])
                for frame, (_, _, problem) in zip(frames, expected, strict=True):
                    self.assertEqual(bool(frame.problems), bool(problem))
                    self.assertIn(problem, "; ".join(frame.problems))


class LongMessages(unittest.TestCase):
    def sysex(self, size):
        return b"\xf0\x01" + b"\x05" * (size - 3) + b"\xf7"

    def test_the_longest_that_is_read(self):
        (frame,) = decode_from(Side.HOST, self.sysex(MAX_SYSEX_BYTES))
        self.assertEqual(frame.message, Sysex(command=1, data=b"\x05" * (MAX_SYSEX_BYTES - 3)))

    def test_a_longer_one_is_unreadable_and_the_next_is_found(self):
        for size in (MAX_SYSEX_BYTES + 1, MAX_SYSEX_BYTES + 2, 3 * MAX_SYSEX_BYTES, 10 * MAX_SYSEX_BYTES + 17):
            wire = self.sysex(size) + b"\xf9"
            with self.subTest(size):
                whole = decode_from(Side.HOST, wire)
                self.assertTrue(all(isinstance(frame.message, Unreadable) for frame in whole[:-1]))
                self.assertEqual(whole[-1].message, VersionQuery())
                self.assertEqual(b"".join(frame.data for frame in whole), wire)

    def test_a_too_long_one_is_ended_by_a_command_too(self):
        wire = b"\xf0" + b"\x05" * (2 * MAX_SYSEX_BYTES) + b"\xe9\x5c\x00"
        self.assertEqual(decode_from(Side.HOST, wire)[-1].message.NAME, "analog-message")

    def test_what_is_kept_is_bounded(self):
        decoder = FirmataDecoder(Side.HOST)
        decoder.feed(b"\xf0")
        for _ in range(100):
            decoder.feed(b"\x00" * 1000)
        self.assertLessEqual(len(decoder._rest), MAX_SYSEX_BYTES)


class AnyBytes(unittest.TestCase):
    @given(some.binary(max_size=300), some.sampled_from(Side), some.lists(some.integers(0, 300), max_size=8))
    def test_any_bytes_cut_anywhere_give_the_same_frames(self, data, side, cuts):
        whole = decode_from(side, data)
        decoder = FirmataDecoder(side)
        places = [0, *sorted(min(cut, len(data)) for cut in cuts), len(data)]
        pieces = []
        for begin, end in itertools.pairwise(places):
            pieces += decoder.feed(data[begin:end])
        pieces += decoder.finish()
        self.assertEqual(pieces, whole)

    @given(some.binary(max_size=300), some.sampled_from(Side))
    def test_every_byte_is_in_exactly_one_frame(self, data, side):
        frames = decode_from(side, data)
        self.assertEqual(b"".join(frame.data for frame in frames), data)
        for before, after in itertools.pairwise(frames):
            self.assertEqual(before.end, after.offset)

    @given(some.binary(max_size=120), some.sampled_from(CASES))
    def test_a_good_message_behind_any_bytes_is_found(self, noise, case):
        _, side, message, text = case
        wire = noise.replace(b"\xf0", b"") + b"\xf9\x00\x00" + bytes.fromhex(text)
        self.assertEqual(decode_from(side, wire)[-1].message, message)

    @given(some.binary(max_size=200), some.sampled_from(Side))
    def test_what_is_read_without_a_problem_is_written_the_same_way(self, data, side):
        for frame in decode_from(side, data):
            if frame.readable and not frame.problems and all(byte < 0xF8 for byte in frame.data[1:]):
                again = decode_from(side, encode(frame.message))
                self.assertEqual([found.message for found in again], [frame.message])

    @given(some.text(max_size=40))
    def test_any_text_round_trips(self, text):
        message = StringData(text=text)
        try:
            wire = encode(message)
        except UnicodeEncodeError:
            return  # lone surrogates are no text
        self.assertEqual(decode_from(Side.BOARD, wire)[0].message, message)

    def test_a_message_of_another_protocol_is_refused(self):
        with self.assertRaises(FieldError):
            encode(Unreadable(reason=""))


def covered(field):
    """The bits of all innermost fields."""
    if field.fields:
        return [bit for inner in field.fields for bit in covered(inner)]
    return [bit for first, size in field.spans for bit in range(first, first + size)]


class Explained(unittest.TestCase):
    def test_a_value_over_two_bytes_says_where_its_halves_lie(self):
        (frame,) = decode_from(Side.HOST, bytes.fromhex("E9 5C 03"))
        fields = {field.name: field for field in explain(frame)}
        value = fields["value"]
        self.assertEqual((value.raw, value.spans), (0x1DC, ((17, 7), (9, 7))))
        self.assertEqual(list(fields), ["command", "pin", "value", "top_bit"])

    def test_the_bits_of_an_address_byte_are_told_one_by_one(self):
        (frame,) = decode_from(Side.HOST, bytes.fromhex("F0 76 25 2D 00 01 02 00 F7"))
        fields = {field.name: field for field in explain(frame)}
        self.assertEqual(fields["address"].spans, ((29, 3), (17, 7)))
        self.assertEqual(fields["ten_bit"].spans, ((26, 1),))
        self.assertEqual((fields["register"].raw, fields["count"].raw), (0x80, 2))

    def test_real_time_bytes_are_told_and_belong_to_nothing(self):
        (frame,) = decode_from(Side.HOST, bytes.fromhex("F0 F8 6D 09 F7"))
        fields = {field.name: field for field in explain(frame)}
        self.assertEqual((fields["real_time"].raw, fields["pin"].spans), (0xF8, ((25, 7),)))

    def test_what_is_wrong_is_told_at_the_field(self):
        (frame,) = decode_from(Side.HOST, bytes.fromhex("F0 6D 09 0A F7"))
        self.assertIn("1 bytes more", frame.problems[0])
        self.assertIn("belong to no field", next(field.problem for field in explain(frame) if field.name == "more"))

    @given(some.binary(max_size=100), some.sampled_from(Side))
    def test_anything_can_be_explained(self, data, side):
        for frame in decode_from(side, data):
            bits = [bit for field in explain(frame) for bit in covered(field)]
            self.assertTrue(all(0 <= bit < 8 * len(frame.data) for bit in bits))


if __name__ == "__main__":
    unittest.main()
