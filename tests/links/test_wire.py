"""Wires, ledgers and garbled bytes."""

import asyncio
import unittest

from hypothesis import given
from hypothesis import strategies as some

from cavet import clock
from cavet.links import Ledger, Losses, MemoryLink, Passage, SerialSettings, Wire
from cavet.protocols.characters import garble
from cavet.record import Kind, Purpose, Record
from cavet.wording import UnreachableError, WrongError


def carried(data, byte_seconds, share=0.0, pause=0.0):
    """Send bytes over a wire in fast time; give what arrives, when, and at which offsets."""

    async def send():
        loop = asyncio.get_running_loop()
        arrived = []
        losses = Losses("seed")
        losses.share = share
        wire = Wire(lambda got, offset, at: arrived.append((round(loop.time(), 6), offset, got)), byte_seconds, losses)
        for piece in data:
            wire.send(piece)
            await asyncio.sleep(pause)
        await asyncio.sleep(60)
        return arrived

    return clock.run(send(), fast=True)


class Wires(unittest.TestCase):
    def test_a_byte_takes_ten_bit_times(self):
        byte_seconds = SerialSettings(rate=57600).byte_seconds
        self.assertAlmostEqual(byte_seconds, 10 / 57600)
        arrived = carried([bytes(range(100))], byte_seconds)
        self.assertEqual(b"".join(data for _, _, data in arrived), bytes(range(100)))
        self.assertAlmostEqual(arrived[-1][0], 100 * byte_seconds, places=5)
        for at, offset, data in arrived:
            self.assertAlmostEqual(at, (offset + len(data)) * byte_seconds, places=5)

    def test_what_is_sent_while_it_is_busy_waits(self):
        arrived = carried([b"abc", b"def"], 0.001)
        self.assertEqual([(at, data) for at, _, data in arrived][-1], (0.006, b"f"))

    def test_without_a_pace_bytes_are_there_at_once(self):
        self.assertEqual(carried([b"abc", b"d"], 0.0), [(0.0, 0, b"abc"), (0.0, 3, b"d")])

    def test_losses_are_the_same_for_the_same_seed_and_offsets_stay_right(self):
        data = bytes(range(256)) * 20
        first, second = (carried([data], 1e-5, share=0.1) for _ in range(2))
        self.assertEqual(first, second)
        self.assertTrue(all(data[offset : offset + len(got)] == got for _, offset, got in first))
        share = 1 - sum(len(got) for _, _, got in first) / len(data)
        self.assertAlmostEqual(share, 0.1, delta=0.02)

    def test_parity_and_stop_bits_take_time_too(self):
        self.assertAlmostEqual(SerialSettings.parse(9600, "8E2").byte_seconds, 12 / 9600)
        for text in ("9N1", "8X1", "8N3", ""):
            with self.assertRaises(WrongError):
                SerialSettings.parse(9600, text, "links.a.settings")


class Garbling(unittest.TestCase):
    @given(some.binary(max_size=60))
    def test_the_same_rate_changes_nothing(self, data):
        self.assertEqual(garble(data, 57600, 57600), data)

    @given(some.binary(max_size=60))
    def test_a_rate_a_little_off_changes_nothing_in_a_byte(self, data):
        for byte in data:
            self.assertEqual(garble(bytes([byte]), 57600, 58700), bytes([byte]))

    def test_half_the_rate_sees_each_bit_twice(self):
        # the receiver is twice as fast: start, and four bits of 0x0F each seen twice
        self.assertEqual(garble(b"\x00", 9600, 19200)[:1], b"\x00")
        self.assertEqual(garble(b"\xff", 9600, 19200), b"\xfe")

    def test_a_slow_receiver_swallows_several_bytes_as_one(self):
        self.assertLess(len(garble(bytes(range(40)), 57600, 9600)), 12)

    @given(some.binary(max_size=60), some.sampled_from([300, 9600, 19200, 115200]))
    def test_any_bytes_at_any_rate_give_some_bytes(self, data, rate):
        self.assertIsInstance(garble(data, 57600, rate), bytes)


class Causes(unittest.TestCase):
    def setUp(self):
        self.record = Record(lambda: 0.0)
        self.passage = Passage(self.record, "gatehouse", "serial")

    def framed(self, end):
        number = self.record.append(Kind.FRAMED, "gatehouse", "point", "beacon")
        self.passage.note(end, number)
        return number

    def test_a_ledger_finds_what_ended_at_an_offset(self):
        ledger = Ledger()
        for end in (3, 6, 9):
            ledger.note(end, 100 + end)
        self.assertEqual([ledger.find(end) for end in (3, 5, 6, 9, 9, 10)], [103, None, 106, 109, 109, None])

    def test_a_piece_of_our_own_message_is_not_from_outside(self):
        framed = self.framed(3)
        self.assertEqual([framed, framed], [self.passage.carried(end, b"x") for end in (1, 2)])
        self.assertEqual(Kind.CARRIED, self.record[self.passage.carried(3, b"x")].kind)
        self.assertEqual(Purpose.OUTSIDE, self.record[self.passage.carried(4, b"x")].purpose)

    def test_a_frame_is_carried_when_its_last_byte_has_passed(self):
        framed = self.framed(3)
        self.passage.passed(2)
        self.assertEqual(len(self.record), 1)
        self.passage.passed(3)
        self.assertEqual((self.record[1].kind, self.record[1].cause), (Kind.CARRIED, framed))
        self.passage.passed(3)
        self.assertEqual(len(self.record), 2)

    def test_the_board_finds_the_same_event_whoever_is_first(self):
        self.framed(3)
        self.framed(6)
        first = self.passage.carried(3, b"abc")
        self.passage.passed(6)
        self.assertEqual(self.passage.carried(6, b"def"), first + 1)

    def test_bytes_that_nobody_framed_begin_something_new(self):
        number = self.passage.carried(3, b"abc")
        event = self.record[number]
        self.assertEqual((event.kind, event.cause, event.value), (Kind.CARRIED, None, b"abc"))

    def test_a_lost_frame_does_not_shift_the_later_ones(self):
        self.framed(3)
        second = self.framed(6)
        number = self.passage.carried(6, b"def")
        self.assertEqual(self.record[number].cause, second)


class Listening:
    def __init__(self):
        self.told = []

    def opened(self):
        self.told.append("opened")

    def received(self, data, offset, at):
        self.told.append((offset, data))

    def closed(self, reason):
        self.told.append(reason)


class InMemory(unittest.TestCase):
    def test_both_ends_hear_each_other_and_a_cut(self):
        async def talk():
            link = MemoryLink("a", 0.0, Losses("s"))
            board, host = Listening(), Listening()
            self.assertEqual(await link.board.start(lambda caller: board), "memory:a")
            await link.host.open(host)
            link.host.write(b"ab")
            link.board.write(b"c")
            link.host.write(b"d")
            await asyncio.sleep(0.001)
            link.cut()
            self.assertEqual(board.told, ["opened", (0, b"ab"), (2, b"d"), "the line was cut"])
            self.assertEqual(host.told, ["opened", (0, b"c"), "the line was cut"])
            with self.assertRaises(UnreachableError):
                await link.host.open(host)
            link.mend()
            await link.host.open(host)
            link.host.write(b"e")
            await asyncio.sleep(0.001)
            self.assertEqual(board.told[-1], (0, b"e"))

        clock.run(talk(), fast=True)


if __name__ == "__main__":
    unittest.main()
