"""`cavet look`: a record on the Frames screen, read on while it is written; and what keeps it from being shown."""

import asyncio
import sqlite3
import tempfile
import unittest
from pathlib import Path

import cavet
from cavet.bench import PastBench, Tape
from cavet.benchfile import load_bench, with_addresses
from cavet.commands.look import bench_of
from cavet.demo import demo_path
from cavet.record import Direction, Kind, Record, RecordFile, RecordWriter, Seat, Topic
from cavet.wording import WrongError
from cavet.workbench import PastDesk, RecordApp
from cavet.workbench.widgets.rest import rest_in
from tests.commands.run import cavet_here
from tests.patience import PATIENCE

SETUP = load_bench(demo_path()).setup
READ = bytes.fromhex("07 01 00 00 00 06 BC 6E")


async def until(holds, pause):
    """Wait for what has to come on the screen."""
    async with asyncio.timeout(PATIENCE):
        while not holds():
            await pause(0.01)


class Look(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "x.record"
        self.now = 0.0
        self.record = Record(lambda: self.now)

    def write(self, about=None):
        return RecordWriter(self.record, self.path, about if about is not None else SETUP.about)

    def say(self, data=READ):
        self.now += 1.0
        offset = sum(len(each.data) for each in self.record.transfers.since(0))
        self.record.carry("pumphouse_line", "", Seat.BOARD, Direction.TO_BOARD, offset, self.now - 0.01, self.now, data)
        self.record.append(Kind.TAKEN, "pumphouse", Topic.MESSAGE, "read-coils", data)

    def opened(self):
        file = RecordFile(self.path)
        self.addCleanup(file.close)
        return file

    def test_all_that_is_there_is_read_a_piece_at_a_time(self):
        for _ in range(20):
            self.say()
        self.write().close()
        past = PastBench(SETUP, self.opened())
        self.assertEqual(past.read_on(15), 30)
        self.assertEqual(past.told, "a record, being read: 15 events so far")
        while past.read_on(15):
            pass
        self.assertEqual((past.told, past.clock.now()), ("a record, whole", 20.0))
        self.assertEqual([event.value for event in past.record.since(0)], [READ] * 20)
        self.assertEqual(past.record.transfers.since(0), self.record.transfers.since(0))

    def test_no_transfer_is_there_before_what_was_told_before_it(self):
        for n in range(40):
            self.now += 1.0
            for _ in range(1 + n % 5):
                self.record.append(Kind.TOLD, "pumphouse", Topic.MESSAGE, "x", n)
            self.record.carry("pumphouse_line", "", Seat.BOARD, Direction.TO_BOARD, 8 * n, self.now, self.now, READ)
        self.write().close()
        past = PastBench(SETUP, self.opened())
        while past.read_on(7):
            self.assertTrue(all(each.event <= len(past.record) for each in past.record.transfers.since(0)))
        self.assertEqual((120, 40), (len(past.record), past.record.transfers.next))

    def test_who_at_a_broker_was_the_host_is_known_of_a_record_too(self):
        """A host and a station are at the broker under the names of their sockets, which nobody knows later on."""
        with cavet.open("demo", real=True) as bench:
            bench["lamp"].set(True)
            running = bench._running
            hosts = {link.link.name: link.clients for link in running.host_links.values()}
            live, past = Tape(running.setup, running.record, hosts.__getitem__), Tape(running.setup, running.record)
            for tape in (live, past):
                tape.follow()
        on, then = live.links["towpath"], past.links["towpath"]
        told = [[(of.placed(n).name, of.placed(n).above) for n in range(len(of))] for of in (on, then)]
        self.assertEqual(*told)
        lamp = [
            placed.above
            for placed in map(then.placed, range(len(then)))
            if getattr(past.frame(placed).message, "topic", "").endswith("lamp/set")
        ]
        self.assertEqual([True, True], lamp, "from the host to the broker, and from the broker to the station")

    def test_what_could_not_be_written_leaves_a_gap_and_numbers_stay(self):
        past = PastBench(
            SETUP, self.opened_after(lambda database: database.execute("DELETE FROM events WHERE number=1"))
        )
        past.read_on()
        self.assertEqual([event.number for event in past.record.since(0)], [0, 1, 2])
        self.assertEqual(past.record[1].note, "not in the record")

    def opened_after(self, change):
        for _ in range(3):
            self.say()
        self.write().close()
        with sqlite3.connect(self.path) as database:
            change(database)
        database.close()
        return self.opened()

    def test_it_is_followed_while_it_is_written(self):
        writer = self.write()
        self.addCleanup(writer.close)
        self.say()

        async def look():
            app = RecordApp(PastDesk(PastBench(SETUP, self.opened())))
            async with app.run_test(size=(120, 40)) as pilot:
                reading = app._frame.reading
                reading.choose("pumphouse_line")
                await until(lambda: len(reading.on) == 1, pilot.pause)
                self.say()
                await until(lambda: len(reading.on) == 2, pilot.pause)
                self.assertEqual(reading.frame.data, READ)
                self.assertIsNone(rest_in(app))
                self.assertNotIn("everything to rest", {action.name for action in app._actions()})
                await pilot.press("f12")
                await until(lambda: "this is over" in app._frame._message, pilot.pause)
                await pilot.press("w")
                await pilot.press("ctrl+q")

        asyncio.run(look())

    def test_the_bench_is_the_one_it_names_or_is_named(self):
        self.write().close()
        self.assertEqual(bench_of(self.opened(), self.path).setup.name, SETUP.name)
        for about, part in (({"bench": "x"}, "names no bench file"), ({"file": "/nowhere.toml"}, "which is not there")):
            self.write(about).close()
            with self.assertRaisesRegex(WrongError, part):
                bench_of(self.opened(), self.path)

    def test_boards_are_where_they_were_when_it_was_written(self):
        setup = with_addresses(SETUP.on_broker("127.0.0.1:1884"), {"pumphouse": "/dev/ttyX"}, "at")
        self.record.carry("pumphouse_line", "", Seat.HOST, Direction.TO_BOARD, 0, 0.0, 0.1, READ)
        self.record.append(Kind.ASKED, "pumphouse", Topic.POINT, "heater", True)
        self.write(setup.about).close()
        file = self.opened()
        found = bench_of(file, self.path).setup
        self.assertEqual(setup.links, found.links)
        self.assertEqual("pumphouse_line", found.hosts["pumphouse"].link)
        tape = Tape(found, past := Record(lambda: 0.0))
        for transfer in file.transfers():
            past.restore_transfer(transfer)
        tape.follow()
        self.assertEqual(1, tape.links["pumphouse_line"].kept)  # the bytes of a real board are heard at the host's end
        self.assertEqual(setup.links, bench_of(file, self.path, "demo").setup.links)

    def test_what_is_no_record_is_one_line(self):
        self.path.write_text("no record")
        for words in (
            ("look", str(self.path)),
            ("look", "nowhere.record"),
            ("look", str(self.path), "--bench", "demo"),
        ):
            ran = cavet_here(*words)
            self.assertEqual((ran.code, ran.err.count("\n")), (2, 1), ran.err)
