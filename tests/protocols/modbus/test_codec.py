"""The Modbus codecs against their cases, in all three framings; then any bytes at all."""

import random
import unittest
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as some

from cavet.protocols import FieldError, Side, as_fields, modbus, read_message
from cavet.protocols.modbus import ASCII, RTU, TCP, crc16, encode_unit, lrc8
from tests.protocols.modbus.cases import FRAMES, SPOILT, UNITS

FRAMINGS = (TCP, RTU, ASCII)


def decoded(codec, side, data, cuts=()):
    """Read a whole stream, cut at some places."""
    decoder = codec.decoder(side)
    places = [0, *sorted(min(cut, len(data)) for cut in cuts), len(data)]
    frames = []
    for begin, end in pairwise(places):
        frames += decoder.feed(data[begin:end])
    return frames + decoder.finish()


class Cases(unittest.TestCase):
    def test_every_unit_has_the_bytes_of_the_standard(self):
        for name, _, message, text in UNITS:
            with self.subTest(name):
                self.assertEqual(encode_unit(message).hex(" ").upper(), text)

    def test_every_unit_is_read_back_in_every_framing_wherever_it_is_cut(self):
        for name, side, message, _ in UNITS:
            for codec in FRAMINGS:
                wire = codec.encode(message)
                for cut in range(len(wire) + 1):
                    with self.subTest(name, framing=codec.name, cut=cut):
                        frames = decoded(codec, side, wire, [cut])
                        self.assertEqual([(f.message, f.problems, f.data) for f in frames], [(message, (), wire)])

    def test_whole_frames_have_the_bytes_of_the_standard(self):
        for codec, text, message in FRAMES:
            with self.subTest(codec.name, message=message.NAME):
                self.assertEqual(codec.encode(message), bytes.fromhex(text))

    def test_all_messages_in_one_stream_are_told_apart(self):
        for codec in FRAMINGS:
            for side in Side:
                chosen = [message for _, who, message, _ in UNITS if who is side]
                wires = [codec.encode(message) for message in chosen]
                frames = decoded(codec, side, b"".join(wires))
                with self.subTest(codec.name, side=side):
                    self.assertEqual([frame.message for frame in frames], chosen)
                    self.assertEqual([frame.offset for frame in frames][-1], sum(map(len, wires[:-1])))

    def test_every_message_of_the_catalogue_has_a_case(self):
        for side in Side:
            shown = {message.NAME for _, who, message, _ in UNITS if who is side}
            echoed = {form.NAME for form in modbus.REQUESTS if form in modbus.RESPONSES} | {"other-function"}
            self.assertEqual(set(TCP.forms(side)) - shown - echoed, set())

    def test_spoilt_bytes_come_out_with_the_reason_and_reading_goes_on(self):
        for name, codec, side, text, expected in SPOILT:
            with self.subTest(name):
                data = bytes.fromhex(text)
                frames = decoded(codec, side, data)
                self.assertEqual([frame.message.NAME for frame in frames], [message for message, _ in expected])
                self.assertEqual(b"".join(frame.data for frame in frames), data)
                for frame, (_, problem) in zip(frames, expected, strict=True):
                    self.assertEqual(bool(frame.problems), bool(problem))
                    self.assertIn(problem, "; ".join(frame.problems))


class Limits(unittest.TestCase):
    REFUSED = [
        lambda: modbus.ReadCoils(address=0, quantity=2001),
        lambda: modbus.ReadCoils(address=0, quantity=0),
        lambda: modbus.ReadHoldingRegisters(address=0, quantity=126),
        lambda: modbus.ReadHoldingRegisters(address=65536, quantity=1),
        lambda: modbus.WriteMultipleCoils(address=0, values=(1,) * 1969),
        lambda: modbus.WriteMultipleCoils(address=0, values=()),
        lambda: modbus.WriteMultipleRegisters(address=0, values=(1,) * 124),
        lambda: modbus.WriteMultipleRegisters(address=0, values=(1, 2), quantity=3),
        lambda: modbus.ReadWriteMultipleRegisters(read_address=0, read_quantity=1, write_address=0, values=(1,) * 122),
        lambda: modbus.ReadFifoQueueResponse(values=(1,) * 32),
        lambda: modbus.ReadFileRecord(file_number=(1,) * 36, record_number=(1,) * 36, record_length=(1,) * 36),
        lambda: modbus.ReadFileRecord(file_number=(1, 2), record_number=(1,), record_length=(1, 1)),
        lambda: modbus.WriteFileRecord(file_number=(1,), record_number=(1,), values=((1,) * 123,)),
        lambda: modbus.Diagnostics(sub_function=0, data=b"\x01"),
        lambda: modbus.ReadDeviceIdentification(read_device_id_code=5),
        lambda: RTU.encode(modbus.ReadExceptionStatus(unit=248)),
        lambda: ASCII.encode(modbus.ReadExceptionStatus(unit=255)),
    ]

    def test_what_the_standard_does_not_allow_can_not_be_made(self):
        for place, make in enumerate(self.REFUSED):
            with self.subTest(place), self.assertRaises(FieldError):
                make()

    def test_the_largest_that_are_allowed_fit_into_a_frame(self):
        for message in (
            modbus.WriteMultipleCoils(address=0, values=(1,) * 1968),
            modbus.WriteMultipleRegisters(address=0, values=(0xFFFF,) * 123),
            modbus.ReadWriteMultipleRegisters(read_address=0, read_quantity=125, write_address=0, values=(1,) * 121),
        ):
            for codec in FRAMINGS:
                with self.subTest(message.NAME, framing=codec.name):
                    (frame,) = decoded(codec, Side.HOST, codec.encode(message))
                    self.assertEqual(frame.message, message)
        self.assertLessEqual(len(RTU.encode(modbus.ReadCoilsResponse(values=(1,) * 2000))), 256)

    def test_a_register_too_many_is_read_with_its_problems(self):
        wire = bytes.fromhex("0001 0000 00FF 07 10 0000 007C F8" + "0001" * 124)
        first, second = decoded(TCP, Side.HOST, wire + TCP.encode(modbus.ReadCoils(address=0, quantity=1)))
        self.assertEqual((wire, 124), (first.data, len(first.message.values)))
        self.assertIn("length: found 255, expected 2 to 254", first.problems)
        self.assertEqual(("read-coils", ()), (second.message.NAME, second.problems))


class Written(unittest.TestCase):
    def test_messages_are_written_as_the_contract_has_them(self):
        for form, fields, message in (
            (
                modbus.WriteSingleCoil,
                {"unit": "7", "address": "2", "value": "on"},
                modbus.WriteSingleCoil(unit=7, address=2, value=True),
            ),
            (
                modbus.WriteSingleCoil,
                {"unit": "7", "address": "2", "value": "0xFF00"},
                modbus.WriteSingleCoil(unit=7, address=2, value=True),
            ),
            (
                modbus.WriteMultipleCoils,
                {"address": "0", "values": "1,0,on"},
                modbus.WriteMultipleCoils(address=0, values=(1, 0, 1)),
            ),
            (
                modbus.WriteMultipleRegisters,
                {"address": "0x10", "values": "1,0xFFFF"},
                modbus.WriteMultipleRegisters(address=16, values=(1, 65535)),
            ),
            (
                modbus.WriteFileRecord,
                {"file_number": "4,5", "record_number": "7,8", "values": "1,2/3"},
                modbus.WriteFileRecord(file_number=(4, 5), record_number=(7, 8), values=((1, 2), (3,))),
            ),
            (
                modbus.Diagnostics,
                {"sub_function": "return-query-data", "data": "A537"},
                modbus.Diagnostics(sub_function=0, data=b"\xa5\x37"),
            ),
        ):
            with self.subTest(form.NAME):
                self.assertEqual(read_message(form, fields), message)

    def test_fields_are_told_as_the_contract_has_them(self):
        message = modbus.WriteMultipleRegisters(transaction=5, unit=7, address=1, values=(10, 258))
        self.assertEqual(
            as_fields(message), {"transaction": 5, "unit": 7, "address": 1, "quantity": 2, "values": [10, 258]}
        )
        self.assertNotIn("transaction", as_fields(message, RTU.unused))
        exception = as_fields(modbus.ExceptionResponse(function=3, exception_code=2))
        self.assertEqual((exception["function"], exception["exception_code_name"]), (3, "illegal data address"))

    def test_a_serial_framing_has_no_transaction(self):
        with self.assertRaises(FieldError):
            read_message(modbus.ReadExceptionStatus, {"transaction": "1"}, RTU.unused)


class Checks(unittest.TestCase):
    def test_the_checks_are_those_of_the_standard(self):
        self.assertEqual(crc16(b"\x02\x07"), 0x1241)  # serial line 1.02, section 6.2.2
        self.assertEqual(crc16(b"123456789"), 0x4B37)
        self.assertEqual(lrc8(bytes.fromhex("F7031389000A")), 0x60)

    @given(some.binary(max_size=60))
    def test_a_frame_with_its_own_check_behind_it_checks_to_nothing(self, data):
        self.assertEqual(crc16(data + crc16(data).to_bytes(2, "little")), 0)
        self.assertEqual(lrc8(data + bytes((lrc8(data),))), 0)


def mutated(draw_from):
    """Good frames with a few bytes changed, doubled or left out."""
    return some.lists(some.tuples(some.sampled_from(draw_from), some.binary(max_size=3)), max_size=4).map(
        lambda pairs: b"".join(wire + noise for wire, noise in pairs)
    )


class AnyBytes(unittest.TestCase):
    @given(
        some.data(), some.sampled_from(FRAMINGS), some.sampled_from(Side), some.lists(some.integers(0, 400), max_size=6)
    )
    def test_any_bytes_cut_anywhere_give_the_same_frames_and_lose_none(self, data, codec, side, cuts):
        good = [codec.encode(message) for _, who, message, _ in UNITS if who is side]
        stream = data.draw(some.one_of(some.binary(max_size=300), mutated(good)))
        whole = decoded(codec, side, stream)
        self.assertEqual(decoded(codec, side, stream, cuts), whole)
        self.assertEqual(b"".join(frame.data for frame in whole), stream)
        for before, after in pairwise(whole):
            self.assertEqual(before.end, after.offset)

    def test_a_large_stream_of_noise_is_read_in_bounded_steps(self):
        noise = random.Random("modbus").randbytes(20_000)
        for codec in FRAMINGS:
            frames = decoded(codec, Side.HOST, noise)
            self.assertEqual(b"".join(frame.data for frame in frames), noise)


class Explained(unittest.TestCase):
    def test_a_wrong_check_says_what_would_be_right(self):
        (frame,) = decoded(RTU, Side.HOST, bytes.fromhex("07 05 00 02 FF 00 2D 9D"))
        fields = {field.name: field for field in RTU.explain(frame, Side.HOST)}
        self.assertEqual((fields["crc"].problem, fields["address"].value), ("expected 9C2D", 2))


if __name__ == "__main__":
    unittest.main()
