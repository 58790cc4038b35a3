"""What has lain for a while is kept in columns: it comes back as it was, and takes little room."""

import random
import tracemalloc
import unittest

from cavet.record import Direction, Kind, Purpose, Reason, Record, Seat, Topic

MANY = 30_000
VALUES = (None, True, False, 0, 1, -(1 << 70), 1.0, -0.0, float("inf"), "", "a word", b"", bytes(range(256)))


def filled():
    """A record with all there can be in an event and a transfer, and what was put into it, as it was just then."""
    chance, now = random.Random("packed"), [0.0]
    record = Record(lambda: now[0])
    events, transfers = [], []
    for number in range(MANY):
        now[0] += chance.choice((0.0, 1e-6, 3.7))
        cause = chance.randrange(number) if number and chance.random() < 0.8 else None
        note, purpose, reason = chance.choice(("", "why")), chance.choice(list(Purpose)), chance.choice(list(Reason))
        about = chance.choice(list(Kind)), f"board {number % 7}", chance.choice(list(Topic)), f"{number % 31}"
        record.append(*about, chance.choice(VALUES), cause, note, purpose, reason)
        events.append(record[number])
        way = f"link {number % 5}", f"1:{number % 50}", chance.choice(list(Seat)), chance.choice(list(Direction))
        sent = chance.choice((None, b"", b"other bytes"))
        record.carry(*way, chance.randrange(1 << 60), now[0], now[0] + number % 2, chance.randbytes(number % 9), sent)
        transfers.append(record.transfers[number])
    return record, events, transfers


class Packed(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.record, cls.events, cls.transfers = filled()

    def rows(self):
        return ((self.record, self.events), (self.record.transfers, self.transfers))

    def test_all_comes_back_as_it_was(self):
        for row, put in self.rows():
            self.assertEqual(row.since(0), put)
            for number in (0, 1, 4095, 4096, 12_345, MANY - 1):
                self.assertEqual(row[number], put[number])
        self.assertEqual(
            [type(each.value) for each in self.record.since(0)], [type(each.value) for each in self.events]
        )

    def test_so_many_from_a_number_on(self):
        for row, put in self.rows():
            for number, most in ((0, 0), (0, 5), (4090, 10), (4096, 4096), (8000, 9000), (MANY - 3, 10), (MANY, 10)):
                self.assertEqual(row.since(number, most), put[number : number + most], (number, most))

    def test_what_is_not_there_is_no_item(self):
        for row, _ in self.rows():
            for number in (-1, MANY):
                with self.assertRaisesRegex(IndexError, f"{number} is not in memory"):
                    row[number]


class Room(unittest.TestCase):
    def grown(self, add):
        tracemalloc.start()
        try:
            for number in range(MANY):
                add(number)
            return tracemalloc.get_traced_memory()[0] / MANY
        finally:
            tracemalloc.stop()

    def test_an_event_and_a_transfer_take_little(self):
        record = Record(lambda: 0.0)
        event = self.grown(
            lambda n: record.append(Kind.HEARD, "hut", Topic.POINT, f"p{n % 50}", n / 7, n - 1 if n else None)
        )
        self.assertLess(event, 110)  # of which the last chunks, that are not packed yet, are half
        way = "hut", "1:2", Seat.BOARD, Direction.TO_BOARD
        transfer = self.grown(lambda n: record.carry(*way, 8 * n, n / 7, n / 7, n.to_bytes(8, "big")))
        self.assertLess(transfer, 120)


if __name__ == "__main__":
    unittest.main()
