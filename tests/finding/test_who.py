"""Who is at an address: all boards of the demo on their real endpoints, and others that say nothing, or rubbish."""

import asyncio
import os
import termios
import unittest
from unittest import mock

from cavet import clock
from cavet.bench import RunningBench
from cavet.benchfile import check_text, load_bench, start_text
from cavet.demo import demo_path
from cavet.finding import Found, Line, open_ports, topics_at, who
from cavet.wording import UnreachableError, WrongError
from tests.commands.run import cavet_here

SETUP = load_bench(demo_path()).setup


class OnRealEndpoints(unittest.IsolatedAsyncioTestCase):
    async def asyncSetUp(self):
        self.bench = RunningBench(SETUP, hosts=False)
        await self.bench.start()
        self.addAsyncCleanup(self.bench.stop)
        self.at = {endpoint.link: endpoint.address for endpoint in self.bench.endpoints}

    async def test_every_board_is_known_by_what_it_says(self):
        wanted = {
            "gatehouse": {"protocol": "firmata", "baud": 57600, "version": "2.7", "name": "gatehouse", "pins": 20},
            "pumphouse": {"protocol": "modbus-tcp", "vendor": "Cavet", "product": "Pumphouse"},
            "switchrack": {"protocol": "scpi", "idn": "Cavet,Switchrack,0001,1.0", "version": "1999.0"},
            "switchrack_line": {"protocol": "scpi", "baud": 9600},
            "signalpost": {
                "protocol": "usb", "devices": [{"bus_id": "1-1", "device": "1209:CA7E", "interfaces": 1}],
            },
            "towpath": {"protocol": "mqtt", "versions": ["3.1.1", "5.0"]},
        }  # fmt: skip
        found = await asyncio.gather(*(who(self.at[link], at_most=60) for link in wanted))
        for (link, known), answer in zip(wanted.items(), found, strict=True):
            with self.subTest(link):
                self.assertEqual(answer, answer | known | {"address": self.at[link]})

    async def test_units_are_asked_one_by_one_where_that_is_wanted(self):
        found = await who(self.at["pumphouse"], "modbus-tcp", 60, every_unit=True)
        self.assertEqual(found["units"], [0, 7, 255])

    async def test_two_at_one_broker_do_not_push_each_other_out(self):
        both = await asyncio.gather(*(who(self.at["towpath"], "mqtt", 60) for _ in range(2)))
        for found in both:
            self.assertEqual(found["versions"], ["3.1.1", "5.0"])
            self.assertIn("ottersluice/towpath/presence", found["retained"])
        self.assertIn(
            Found(kind="topic", address="ottersluice/towpath/presence", description="kept by the broker"),
            await topics_at(self.at["towpath"]),
        )

    async def test_no_output_is_driven_by_being_asked(self):
        await asyncio.gather(*(who(self.at[link], at_most=60) for link in ("gatehouse", "pumphouse", "switchrack")))
        driven = [event for event in self.bench.record.since(0) if event.kind.value == "driven" and event.cause]
        self.assertEqual(driven, [])
        self.assertEqual([event for event in self.bench.record.since(0) if event.kind.value == "fault"], [])

    async def test_open_ports_are_found_by_one_connection_each(self):
        host, _, port = self.at["switchrack"].partition(":")
        found = await open_ports(host, int(port), int(port))
        self.assertEqual([each.address for each in found], [self.at["switchrack"]])
        for first, last in ((0, 3), (5, 4), (1, 300), (1, 70000)):
            with self.assertRaises(WrongError):
                await open_ports(host, first, last)
        with self.assertRaisesRegex(UnreachableError, "^nowhere.invalid: "):
            await open_ports("nowhere.invalid", 1, 3)


class Strangers(unittest.IsolatedAsyncioTestCase):
    async def served(self, answer):
        async def serve(reader, writer):
            try:
                await answer(reader, writer)
            except ConnectionError:
                return
            finally:
                writer.close()

        server = await asyncio.start_server(serve, "127.0.0.1", 0)
        self.addCleanup(server.close)
        return f"127.0.0.1:{server.sockets[0].getsockname()[1]}"

    async def nobody(self, answer, at_most=2.0):
        address = await self.served(answer)
        began = asyncio.get_running_loop().time()
        with self.assertRaises(UnreachableError) as caught:
            await who(address, at_most=at_most)
        return str(caught.exception), asyncio.get_running_loop().time() - began

    async def test_who_takes_connections_and_says_nothing_is_left_when_time_is_up(self):
        async def silent(reader, writer):
            await reader.read()

        told, took = await self.nobody(silent)
        self.assertIn("nobody was understood; asked in modbus-tcp", told)
        self.assertLess(took, 20)

    async def test_a_port_that_vanishes_while_it_is_asked_is_told(self):
        master, slave = os.openpty()
        path = os.ttyname(slave)
        asked = asyncio.create_task(who(path, at_most=60))
        await asyncio.to_thread(os.read, master, 1)  # it has begun to ask
        os.close(slave)
        os.close(master)
        with self.assertRaises(UnreachableError) as caught:
            await asked
        self.assertNotIn("\n", str(caught.exception))

    async def test_a_line_is_asked_again_with_more_patience(self):
        master, slave = os.openpty()
        for end in (master, slave):
            self.addCleanup(os.close, end)
        loop = asyncio.get_running_loop()

        def hear():
            if b"*IDN?" in os.read(master, 1000):
                loop.call_later(0.6, tell)

        def tell():
            if termios.tcgetattr(slave)[4] == termios.B9600:  # else it would be noise to who asks
                os.write(master, b"Cavet,Slow,1,1.0\n")

        loop.add_reader(master, hear)
        self.addCleanup(loop.remove_reader, master)
        found = await who(os.ttyname(slave), "scpi", 60)
        self.assertEqual((found["idn"], found["baud"]), ("Cavet,Slow,1,1.0", 9600))

    def test_a_rate_that_is_not_a_usual_one_is_asked_at_where_it_is_named(self):
        text = start_text("slow.bench.toml", "Slow", ["firmata"]).replace("rate = 57600", "rate = 1200")

        async def story():
            bench = RunningBench(check_text(text, "slow.bench.toml"), hosts=False)
            await bench.start()
            try:
                (endpoint,) = bench.endpoints
                return await who(endpoint.address, at_most=60, line=Line(1200))
            finally:
                await bench.stop()

        found = clock.run(story())
        self.assertEqual(("firmata", 20, 1200), (found["protocol"], found["pins"], found["baud"]))

    async def test_every_unit_is_asked_no_longer_than_was_said(self):
        master, slave = os.openpty()
        for end in (master, slave):
            self.addCleanup(os.close, end)
        began = asyncio.get_running_loop().time()
        with self.assertRaisesRegex(UnreachableError, r"no time for the units from \d+ on\) at 2400 8N1$"):
            await who(os.ttyname(slave), "modbus-rtu", 1.0, every_unit=True, line=Line(2400, "8N1"))
        self.assertLess(asyncio.get_running_loop().time() - began, 20)

    async def test_settings_that_a_device_does_not_take_are_told(self):
        master, slave = os.openpty()
        for end in (master, slave):
            self.addCleanup(os.close, end)
        with mock.patch("cavet.links.SerialEnd.change", return_value=False):
            with self.assertRaisesRegex(UnreachableError, "can't be set to 38400 8N1$"):
                await who(os.ttyname(slave), "scpi", 5, line=Line(form="8N1"))

    async def test_a_device_that_never_stops_talking_leaves_time_for_the_other_questions(self):
        master, slave = os.openpty()
        for end in (master, slave):
            self.addCleanup(os.close, end)
        loop = asyncio.get_running_loop()

        async def chatter():
            while True:
                os.write(master, b"$17,4,12.5*61\r\n" * 8)
                await asyncio.sleep(0.02)

        loop.add_reader(master, lambda: os.read(master, 1000))
        self.addCleanup(loop.remove_reader, master)
        talking = asyncio.create_task(chatter())
        self.addCleanup(talking.cancel)
        with self.assertRaisesRegex(UnreachableError, r"scpi at 9600 8N1, 115200 8N1") as caught:
            await who(os.ttyname(slave), "scpi", 8)
        self.assertNotIn("\n", str(caught.exception))

    async def test_only_a_line_has_a_rate(self):
        for address, line, part in (
            ("127.0.0.1:5025", Line(9600), "a serial line"),
            ("usb:1209:CA7E", Line(form="8N1"), "a serial line"),
            ("/dev/null", Line(form="9N1"), "such as 8N1"),
        ):
            with self.assertRaisesRegex(WrongError, part):
                await who(address, line=line)

    async def test_rubbish_is_no_answer(self):
        async def echo(reader, writer):
            while data := await reader.read(1000):
                writer.write(data)

        async def noise(reader, writer):
            writer.write(bytes(range(256)) * 8)
            await reader.read()

        async def banner(reader, writer):
            writer.write(b"220 service ready, please, do, ask\r\n")
            while await reader.readline():
                writer.write(b"500 what?\r\n")

        async def gone(reader, writer):
            del reader, writer

        for stranger in (echo, noise, banner, gone):
            with self.subTest(stranger.__name__):
                told, _ = await self.nobody(stranger)
                self.assertIn("nobody was understood", told)

    async def test_what_is_no_address_is_told(self):
        for address in ("foo", "127.0.0.1:0", "usb:12:34", "usbip:nowhere"):
            with self.subTest(address), self.assertRaises(WrongError):
                await who(address)
        with self.assertRaises(WrongError):
            await who("127.0.0.1:1", "modbuss")
        for address in ("127.0.0.1:1", "/dev/nowhere", "usb:1234:0000"):
            with self.subTest(address), self.assertRaises(UnreachableError):
                await who(address)


class OnABus(unittest.TestCase):
    def test_all_that_acknowledge_are_found(self):
        for board, wanted in (("gatehouse", ["0x26 mast", "0x3B panel", "0x74 arrow"]), ("mast", ["0x22 yard"])):
            ran = cavet_here("find", "bus", "demo", board)
            self.assertEqual(ran.code, 0)
            self.assertEqual([" ".join(line.split()[1:]) for line in ran.out.splitlines()], wanted)

    def test_mistakes_are_one_line_and_code_2(self):
        for words, part in (
            (("find", "seriel"), 'did you mean "serial"?'),
            (("find", "tcp"), "expected HOST:FIRST-LAST"),
            (("find", "tcp", "localhost"), "expected HOST:FIRST-LAST"),
            (("find", "tcp", "localhost:1-2000"), "256 at most"),
            (("find", "broker", "nowhere"), "HOST:PORT"),
            (("find", "bus", "demo"), "BENCH BOARD"),
            (("find", "bus", "demo", "gatehose"), 'did you mean "gatehouse"?'),
            (("find", "bus", "demo", "pumphouse"), "a board with a bus: gatehouse or mast"),
            (("who", "127.0.0.1:1", "--at-most", "0 s"), "more than 0 s"),
        ):
            with self.subTest(words):
                ran = cavet_here(*words)
                self.assertEqual((ran.code, ran.err.count("\n")), (2, 1), ran.err)
                self.assertIn(part, ran.err)
        self.assertEqual(cavet_here("who", "127.0.0.1:1").code, 3)

    def test_what_is_around_is_listed(self):
        for words in ((), ("serial",), ("usb",), ("i2c",)):
            self.assertEqual(cavet_here("find", *words).code, 0)
