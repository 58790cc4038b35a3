"""Every byte that passes a link is in the record: both ways, each program's own, with what was lost on the way."""

import asyncio
import socket
import unittest

from cavet import clock
from cavet.bench import RunningBench
from cavet.benchfile import check_text
from cavet.protocols import Side, codec
from cavet.record import Direction, Kind, Purpose, Seat
from tests.bench.benches import demo, gatehouse, gatehouse_text, in_fast_time

PROTOCOLS = {
    "gatehouse": "firmata", "pumphouse": "modbus-tcp", "switchrack": "scpi", "broker": "mqtt",
}  # fmt: skip


def streams(transfers):
    """The bytes of each link, program and direction, put together by their offsets."""
    found = {}
    for transfer in transfers:
        key = (transfer.link, transfer.client, transfer.seat, transfer.direction)
        stream = found.setdefault(key, bytearray())
        assert transfer.offset == len(stream), (key, transfer.offset, len(stream))
        stream += transfer.sent if transfer.sent is not None else transfer.data
    return found


def heard(bench):
    """How many bytes have gone to a board."""
    passed = bench.record.transfers.since(0)
    return sum(len(transfer.data) for transfer in passed if transfer.direction is Direction.TO_BOARD)


class InMemory(unittest.TestCase):
    def test_every_link_of_the_demo_both_ways_and_it_can_be_read(self):
        async def story(bench, standings):
            for name, value in (
                ("beacon", 40.0),
                ("pump_a", True),
                ("relay_101", True),
                ("lamp", True),
                ("post_1", True),
            ):
                bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(3)
            return bench.record.transfers.since(0), bench.record.since(0)

        transfers, events = in_fast_time(story, demo())
        found = streams(transfers)
        self.assertEqual({link for link, *_ in found}, {*PROTOCOLS, "signalpost", "mast"})
        for (link, client, _, direction), data in found.items():
            if link not in PROTOCOLS:
                continue
            decoder = codec(PROTOCOLS[link]).decoder(Side.HOST if direction is Direction.TO_BOARD else Side.BOARD)
            frames = [*decoder.feed(bytes(data)), *decoder.finish()]
            with self.subTest(link, client=client, direction=direction):
                self.assertGreater(len(frames), 1)
                self.assertEqual([frame.problems for frame in frames if frame.problems], [])
                self.assertEqual(b"".join(frame.data for frame in frames), bytes(data))
        names = {frame.message.NAME for frame in codec("mqtt").decoder(Side.HOST).feed(
            bytes(next(data for (link, client, _, direction), data in found.items()
                       if link == "broker" and "host" in client and direction is Direction.TO_BOARD)))}  # fmt: skip
        self.assertTrue({"connect", "subscribe", "publish"} <= names, names)
        said = [event for event in events if event.kind == Kind.FRAMED and event.board == "pumphouse"]
        whole = next(
            data for (link, *_, way), data in found.items() if (link, way) == ("pumphouse", Direction.TO_BOARD)
        )
        self.assertEqual(b"".join(event.value for event in said), bytes(whole))

    def test_times_are_those_of_the_line(self):
        async def story(bench, standings):
            asked = bench.ask(bench.point("beacon"), 40.0, by="test")
            await asyncio.sleep(1)
            standings.follow()
            carried = standings.trails.all[asked].reached(Kind.CARRIED)
            return carried.t, bench.record.transfers.since(0)

        at, transfers = in_fast_time(story)
        near = [t for t in transfers if t.direction is Direction.TO_BOARD and t.begin < at <= t.end + 1e-9]
        self.assertEqual(len(near), 1)
        self.assertAlmostEqual(near[0].end - near[0].begin, len(near[0].data) * 10 / 57600, delta=1e-6)

    def test_what_was_lost_on_the_way_is_there_too(self):
        async def story(bench, standings):
            bench._traffic["gatehouse"].losses.share = 0.2
            for value in range(0, 100, 5):
                bench.ask(bench.point("beacon"), float(value), by="test")
                await asyncio.sleep(0.2)
            return bench.record.transfers.since(0), bench.record.since(0)

        transfers, _ = in_fast_time(story, gatehouse())
        spoilt = [transfer for transfer in transfers if transfer.sent is not None]
        self.assertGreater(len(spoilt), 10)
        for transfer in spoilt:
            self.assertLess(len(transfer.data), len(transfer.sent))
            rest = iter(transfer.sent)
            self.assertTrue(all(byte in rest for byte in transfer.data))
        streams(transfers)


class OnEndpoints(unittest.TestCase):
    def test_each_program_at_a_served_board_has_its_own_with_questions_and_answers(self):
        async def run():
            bench = RunningBench(demo(), boards=["pumphouse"], hosts=False)
            await bench.start()
            address = next(each.address for each in bench.endpoints if each.kind == "tcp")
            host, port = address.split(":")
            request = bytes.fromhex("00 01 00 00 00 06 07 03 00 00 00 02")
            writers = []
            for count in (3, 5):
                reader, writer = await asyncio.open_connection(host, int(port))
                writers.append(writer)
                for _ in range(count):
                    writer.write(request)
                    await reader.readexactly(13)
            for writer in writers:
                writer.close()
            await bench.stop()
            return bench.record.transfers.since(0), bench.record.since(0)

        transfers, events = clock.run(run())
        found = streams(transfers)
        sizes = sorted((direction, len(data)) for (*_, direction), data in found.items())
        self.assertEqual(sizes, [("to-board", 36), ("to-board", 60), ("to-host", 39), ("to-host", 65)])
        self.assertEqual(len({client for _, client, *_ in found}), 2)
        self.assertTrue(all(seat is Seat.BOARD for _, _, seat, _ in found))
        self.assertTrue(any(event.purpose is Purpose.OUTSIDE for event in events))

    def test_our_own_host_at_a_board_elsewhere_hears_both_ways_at_its_seat(self):
        async def run():
            with socket.create_server(("127.0.0.1", 0)) as free:
                port = free.getsockname()[1]
            text = gatehouse_text(port)
            board = RunningBench(check_text(text, "a.bench.toml"), hosts=False)
            await board.start()
            far = text.replace(f"port = {port}", f'address = "127.0.0.1:{port}"')
            host = RunningBench(check_text(far, "b.bench.toml"))
            await host.start()
            async with asyncio.timeout(60):
                while not host.host_links["gatehouse"].ready:
                    await asyncio.sleep(0.01)
            await host.stop()
            async with asyncio.timeout(60):
                while heard(board) < heard(host):  # what was on its way comes to its end
                    await asyncio.sleep(0.01)
            await board.stop()
            return host.record.transfers.since(0), board.record.transfers.since(0)

        ours, theirs = clock.run(run())
        ours = {direction: bytes(data) for (*_, direction), data in streams(ours).items()}
        theirs = {direction: bytes(data) for (*_, direction), data in streams(theirs).items()}
        self.assertEqual(ours[Direction.TO_BOARD], theirs[Direction.TO_BOARD])
        self.assertTrue(theirs[Direction.TO_HOST].startswith(ours[Direction.TO_HOST]))


if __name__ == "__main__":
    unittest.main()
