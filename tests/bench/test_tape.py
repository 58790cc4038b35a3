"""The tape: every frame of every link, its time, its answer; read again when it is looked at."""

import random
import unittest

import cavet
from cavet.bench import Tape
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.protocols import Side, codec
from cavet.record import Direction, Record, Seat

WISHES = {"beacon": 30, "pump_a": True, "lamp": True, "post_2": True, "yard_3": True, "relay_101": True}


def demo_tape(seconds=4.0):
    with cavet.open("demo", seed="tape") as bench:
        for name, value in {
            "beacon": 30,
            "pump_a": True,
            "lamp": True,
            "post_2": True,
            "yard_3": True,
            "relay_101": 1,
        }.items():
            bench[name].set(value)
        bench.wait(seconds)
        running = bench._running
        tape = Tape(running.setup, running.record)
        tape.follow()
        boards = {name: bench.frames(name) for name in running.setup.boards}
        return tape, running.record, boards


class Demo(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.tape, cls.record, cls.boards = demo_tape()

    def test_every_frame_is_on_it_and_comes_out_again_as_it_was(self):
        for board, passed in self.boards.items():
            links = [on for name, on in self.tape.links.items() if name.partition("_")[0] == board]
            found = [on.frame(number, self.record) for on in links for number in range(len(on))]
            with self.subTest(board):
                self.assertTrue(found)
                self.assertNotIn(None, found)
                for on in links:
                    for number in range(len(on)):
                        placed = on.placed(number)
                        self.assertEqual(placed.name, on.frame(number, self.record).message.NAME)
                        self.assertLessEqual(placed.begin, placed.end)
                if board != "towpath":  # the station's own are on the tape, too
                    self.assertEqual(sorted(frame.data for frame in found), sorted(message.wire for message in passed))

    def test_an_answer_is_tied_to_what_it_answers(self):
        for name, least in (("pumphouse", 0.95), ("switchrack", 0.9), ("mast", 0.9), ("signalpost", 0.5)):
            on = self.tape.links[name]
            asked = [on.placed(number) for number in range(len(on)) if on.placed(number).side is Side.HOST]
            tied = [placed for placed in asked if placed.partner >= 0]
            with self.subTest(name):
                self.assertGreater(len(tied), least * len(asked))
                for placed in tied:
                    answer = on.placed(placed.partner)
                    self.assertEqual((answer.partner, answer.side), (placed.number, Side.BOARD))
                    self.assertGreaterEqual(answer.end, placed.end)

    def test_a_frame_is_as_long_as_its_bytes_take(self):
        on = self.tape.links["gatehouse"]
        for number in range(0, len(on), 50):
            placed = on.placed(number)
            self.assertAlmostEqual(
                placed.end - placed.begin, placed.size * on.byte_seconds, delta=on.byte_seconds * 1.01
            )

    def test_what_is_in_a_time_is_found_and_counted(self):
        on = self.tape.links["pumphouse"]
        begin, end = 2.5, 3.5
        seen = [
            number for number in range(len(on)) if on.placed(number).end >= begin and on.placed(number).begin <= end
        ]
        self.assertEqual(list(on.within(begin, end)), seen)
        above = sum(1 for number in range(len(on)) if begin <= on.placed(number).end < end and on.placed(number).above)
        self.assertEqual(on.count(begin, end, above=True), above)

    def test_what_the_board_says_to_the_broker_stands_below_the_line(self):
        on = self.tape.links["towpath"]
        sides = {(on.client(number).rpartition("/")[2], on.placed(number).side, on.placed(number).above)
                 for number in range(len(on))}  # fmt: skip
        self.assertIn(("host", Side.HOST, True), sides)
        self.assertIn(("station", Side.HOST, False), sides)


class Bounded(unittest.TestCase):
    def test_the_oldest_are_left_out_and_the_others_are_what_they_were(self):
        whole, record, _ = demo_tape()
        tape = Tape(load_bench(demo_path()).setup, record, kept=400)
        while tape.follow(100):
            self.assertLessEqual(sum(on.kept for on in tape.links.values()), 400)
        self.assertGreater(sum(len(on) for on in whole.links.values()), 800)
        cut = min(on.end_of(on.first) for on in tape.links.values() if on.kept)
        for name, on in tape.links.items():
            other = whole.links[name]
            self.assertEqual(len(other), len(on))
            for number in range(on.first, len(on)):
                here, there = on.placed(number), other.placed(number)
                if there.partner < on.first:
                    there = there._replace(partner=-1)
                self.assertEqual(there, here)
                self.assertEqual(other.frame(number, record).data, on.frame(number, record).data)
                self.assertEqual(other.client(number), on.client(number))
            later = cut + 0.3
            for above in (False, True):
                self.assertEqual(other.count(later, 9.0, above=above), on.count(later, 9.0, above=above))
            self.assertEqual(other.within(later, 9.0), on.within(later, 9.0))
            self.assertEqual(other.nearest(later), on.nearest(later))

    def test_programs_that_come_and_go_are_forgotten(self):
        setup, record = load_bench(demo_path()).setup, Record(now=lambda: 0.0)
        tape = Tape(setup, record, kept=1000)
        wire = bytes.fromhex("00 01 00 00 00 06 07 06 00 00 02 58")
        for program in range(70_000):
            record.carry("pumphouse", f"p{program}", Seat.BOARD, Direction.TO_BOARD, 0, program, program + 0.1, wire)
            if program % 1000 == 999:
                tape.follow()
        on = tape.links["pumphouse"]
        self.assertEqual((70_000, "p69999"), (len(on), on.client(len(on) - 1)))
        self.assertLessEqual(on.kept, 1000)


class Streams(unittest.TestCase):
    def setUp(self):
        self.setup = load_bench(demo_path()).setup
        self.record = Record(now=lambda: 0.0)
        self.tape = Tape(self.setup, self.record)
        self.rtu = codec("modbus-rtu")

    def carry(self, data, offset, t=0.0, direction=Direction.TO_BOARD, seat=Seat.BOARD, link="pumphouse_line"):
        self.record.carry(link, "", seat, direction, offset, t, t + 0.001, data)

    def names(self, link="pumphouse_line"):
        self.tape.follow()
        on = self.tape.links[link]
        return [on.placed(number).name for number in range(len(on))]

    def test_a_frame_in_pieces_is_one_and_read_again_from_them(self):
        wire = bytes.fromhex("07 06 00 00 02 58 89 36")
        for place in range(len(wire)):
            self.carry(wire[place : place + 1], place, 0.01 * place)
        self.assertEqual(self.names(), ["write-single-register"])
        on = self.tape.links["pumphouse_line"]
        self.assertEqual(on.frame(0, self.record).data, wire)
        self.assertEqual((on.placed(0).begin, round(on.placed(0).end, 6)), (0.0, 0.071))

    def test_a_link_that_was_opened_anew_begins_anew(self):
        wire = bytes.fromhex("07 06 00 00 02 58 89 36")
        self.carry(wire[:5], 0)
        self.carry(wire, 0, 1.0)
        self.assertEqual(self.names(), ["write-single-register"])

    def test_both_ends_of_a_link_count_once(self):
        wire = bytes.fromhex("07 06 00 00 02 58 89 36")
        self.carry(wire, 0)
        self.carry(wire, 0, seat=Seat.HOST)
        self.assertEqual(self.names(), ["write-single-register"])

    def test_an_answer_is_the_newest_questions_where_one_is_under_way_at_a_time(self):
        asked, answer = bytes.fromhex("07 01 00 00 00 06 BC 6E"), bytes.fromhex("07 01 01 00 51 00")
        self.carry(asked, 0, 0.0)  # it was lost: nobody answers
        self.carry(asked, 8, 1.0)
        self.carry(answer, 0, 1.1, Direction.TO_HOST)
        self.names()
        on = self.tape.links["pumphouse_line"]
        self.assertEqual([on.placed(number).partner for number in range(3)], [-1, 2, 1])

    def test_problems_are_found_at_once(self):
        good, bad = bytes.fromhex("07 06 00 00 02 58 89 36"), bytes.fromhex("07 06 00 00 02 58 89 37")
        offset = 0
        for number in range(50):
            data = bad if number == 30 else good
            self.carry(data, offset, number)
            offset += len(data)
        for _ in range(40):  # a wrong check is told when no good frame can begin inside it any more
            self.carry(good, offset, 60.0)
            offset += len(good)
        self.names()
        on = self.tape.links["pumphouse_line"]
        self.assertEqual(len(on.problems), 1)
        self.assertEqual(on.problems_within(0.0, 100.0), 1)

    def test_noise_and_long_frames_do_no_harm(self):
        noise = random.Random("tape").randbytes(20_000)
        for place in range(0, len(noise), 500):
            self.carry(noise[place : place + 500], place, place / 1000)
            self.record.carry(
                "towpath", "x", Seat.HOST, Direction.TO_BOARD, place, 0.0, 0.0, noise[place : place + 500]
            )
        self.names()
        on = self.tape.links["pumphouse_line"]
        whole = b"".join(on.frame(number, self.record).data for number in range(len(on)))
        self.assertTrue(noise.startswith(whole))
        self.assertGreater(len(whole), 18_000)


if __name__ == "__main__":
    unittest.main()
