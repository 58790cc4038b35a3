"""`cavet serve`: faults made at once, how things stand when asked, devices and ports at places that are named."""

import asyncio
import os
import socket
import tempfile
import unittest
from pathlib import Path

from cavet.bench import RunningBench
from cavet.benchfile import load_bench, start_text
from cavet.demo import demo_path
from cavet.record import Kind
from cavet.serving.outside import act_on
from cavet.wording import WrongError
from tests.commands.run import cavet_here
from tests.commands.test_serve import Served
from tests.patience import PATIENCE

SETUP = load_bench(demo_path()).setup
READ = bytes.fromhex("0001 0000 0006 07 01 0000 0001")
ANSWER = bytes.fromhex("0001 0000 0004 07 01 01 00")


class Faults(unittest.IsolatedAsyncioTestCase):
    async def asyncSetUp(self):
        self.bench = RunningBench(SETUP, hosts=False)
        await self.bench.start()
        self.addAsyncCleanup(self.bench.stop)
        at = next(each for each in self.bench.endpoints if each.link == "pumphouse")
        self.reader, self.writer = await asyncio.open_connection(*at.address.split(":"))
        self.addCleanup(self.writer.close)

    def tell(self, line):
        return act_on(self.bench, line.encode())

    async def ask(self, seconds=PATIENCE):
        self.writer.write(READ)
        try:
            return await asyncio.wait_for(self.reader.read(100), seconds)
        except TimeoutError:
            return None

    async def test_a_fault_meets_so_many_messages_and_then_all_is_well(self):
        self.assertEqual(await self.ask(), ANSWER)
        self.tell('{"fault": "silence", "board": "pumphouse", "link": "pumphouse", "next": 1}')
        self.assertIsNone(await self.ask(0.3))
        self.assertEqual(await self.ask(), ANSWER)
        self.tell('{"fault": "lose", "board": "pumphouse"}')
        self.assertIsNone(await self.ask(0.3))
        self.assertEqual(await self.ask(), ANSWER)

    async def test_garbled_late_and_refused(self):
        self.tell('{"fault": "refuse", "board": "pumphouse", "next": 1}')
        self.assertEqual((await self.ask())[-2:], bytes((0x81, 6)))
        self.tell('{"fault": "delay", "board": "pumphouse", "by": "300 ms"}')
        began = asyncio.get_running_loop().time()
        self.assertEqual(await self.ask(), ANSWER)
        self.assertGreater(asyncio.get_running_loop().time() - began, 0.28)
        self.tell('{"fault": "garble", "board": "pumphouse", "for": "5 s"}')
        self.assertNotEqual(await self.ask(0.3), ANSWER)

    async def test_nothing_overtakes_what_is_held_back(self):
        self.tell('{"fault": "delay", "board": "pumphouse", "next": 1, "by": "300 ms"}')
        for number in (1, 2):
            self.writer.write(bytes([0, number]) + READ[2:])
        heard = b""
        while len(heard) < 2 * len(ANSWER):
            heard += await asyncio.wait_for(self.reader.read(100), PATIENCE)
        self.assertEqual(ANSWER + bytes([0, 2]) + ANSWER[2:], heard)

    async def test_a_message_is_lost_once(self):
        for _ in range(2):
            self.tell('{"fault": "lose", "board": "pumphouse", "link": "tcp", "next": 1}')
        for _ in range(2):
            self.assertIsNone(await self.ask(0.3))
        self.assertEqual(ANSWER, await self.ask())
        lost = [event for event in self.bench.record.since(0) if event.kind is Kind.LOST]
        self.assertEqual([len(READ)] * 2, [len(event.value) for event in lost])

    async def test_hung_up_the_program_is_told(self):
        self.tell('{"fault": "hang-up", "board": "pumphouse", "link": "tcp"}')
        self.assertEqual(await asyncio.wait_for(self.reader.read(), PATIENCE), b"")

    async def test_a_device_that_does_not_acknowledge_and_a_board_that_is_reset(self):
        bus = self.bench.world.boards["gatehouse"].circuit.bus
        self.tell('{"fault": "nack", "board": "gatehouse", "part": "mast", "next": 1}')
        self.assertIn("nobody acknowledges 0x26", bus.read(0x26, 1, 1.0, None).problem)
        self.assertEqual(bus.read(0x26, 1, 1.0, None).problem, "")
        self.assertEqual(bus.read(0x3B, 1, 1.0, None).problem, "")
        self.tell('{"fault": "reset", "board": "gatehouse"}')
        self.assertIn("reset", [event.value for event in self.bench.record.since(0)])

    async def test_what_is_wrong_in_a_line_is_told(self):
        for line, part in (
            ('{"fault": "loose", "board": "pumphouse"}', 'did you mean "lose"?'),
            ('{"fault": "lose"}', "input.board"),
            ('{"fault": "lose", "board": "pumphuse"}', 'did you mean "pumphouse"?'),
            ('{"fault": "lose", "board": "pumphouse", "link": "usb"}', "fault.link"),
            ('{"fault": "lose", "board": "pumphouse", "next": 0}', "1 or more"),
            ('{"fault": "lose", "board": "pumphouse", "for": "-1 s"}', "0 s or more"),
            ('{"fault": "refuse", "board": "gatehouse"}', "a board that can refuse: modbus"),
            ('{"fault": "nack", "board": "pumphouse"}', "a board with a bus"),
            ('{"fault": "nack", "board": "gatehouse", "part": "must"}', 'did you mean "mast"?'),
            ('{"fault": "hang-up", "board": "gatehouse"}', "a device file can't be hung up"),
            ('{"pin": 9, "ask": true}', "BOARD.PIN"),
            ('{"pin": 99, "board": "gatehouse", "ask": true}', "expected 0 to 19"),
            ('{"pin": 9, "board": {"a": 1}, "ask": true}', "BOARD.PIN"),
            ('{"pin": "mast.1", "ask": true}', "expected none: the board has no pins"),
            ('{"rig": "chamber", "set": 1%s}' % ("0" * 400), "expected a quantity in mm"),
            ('{"point": "beacon", "ask": false}', "input.ask"),
            ('{"rig": "chambre", "ask": true}', 'did you mean "chamber"?'),
        ):
            with self.subTest(line), self.assertRaises(WrongError) as caught:
                self.tell(line)
            self.assertIn(part, str(caught.exception))

    async def test_how_it_stands_is_told_when_asked(self):
        self.assertEqual(
            self.tell('{"part": "gatehouse.beacon", "ask": true}'),
            {"part": "gatehouse.beacon", "state": "off", "value": 0},
        )
        self.tell('{"part": "gatehouse.stop_button", "do": "press", "for": "5 s"}')
        pressed = {"point": "stop_button", "state": "pressed", "value": True}
        async with asyncio.timeout(PATIENCE):  # a contact bounces at first
            while self.tell('{"point": "stop_button", "ask": true}') != pressed:
                await asyncio.sleep(0.001)
        self.assertEqual(
            self.tell('{"rig": "upper", "ask": true}'), {"rig": "upper", "state": "2 400 mm", "value": 2400}
        )
        for line in ('{"pin": "gatehouse.4", "ask": true}', '{"pin": 4, "board": "gatehouse", "ask": true}'):
            found = self.tell(line)
            self.assertEqual((found["pin"], found["board"], found["value"]), (4, "gatehouse", False))
        self.assertEqual(self.tell('{"pin": "gatehouse.A0", "ask": true}')["pin"], 14)
        self.assertEqual(self.tell('{"point": "target_level", "ask": true}')["value"], None)


class AtPlacesThatAreNamed(unittest.TestCase):
    def test_a_device_is_linked_and_a_port_fixed_and_the_link_is_gone_in_the_end(self):
        with tempfile.TemporaryDirectory() as folder, socket.create_server(("127.0.0.1", 0)) as free:
            path, port = Path(folder) / "lock", free.getsockname()[1]
            free.close()
            served = Served("--device", f"gatehouse={path}", "--port", f"pumphouse.tcp={port}")
            try:
                self.assertEqual(str(path.readlink()), served.address("gatehouse", "serial"))
                self.assertEqual(served.address("pumphouse", "tcp"), f"127.0.0.1:{port}")
                served.tell({"part": "gatehouse.beacon", "ask": True})
                line, _ = served.until(lambda line: line["event"] == "done")
                self.assertEqual((line["state"], line["value"]), ("off", 0))
            finally:
                served.end()
            self.assertFalse(os.path.lexists(path))

    def test_mistakes_are_one_line_and_code_2(self):
        with tempfile.NamedTemporaryFile() as there:
            for words, part in (
                (("--device", f"gatehouse={there.name}"), "which is there already"),
                (("--device", "gatehouse"), "BOARD[.LINK]=PATH"),
                (("--device", "towpath=x"), "a simulated serial link"),
                (("--board", "pumphouse", "--device", "gatehouse=x"), '--device: found "gatehouse", expected a sim'),
                (
                    ("--board", "pumphouse", "--port", "switchrack=7000"),
                    '--port: found "switchrack", expected a sim',
                ),
                (("--port", "pumphouse=0"), "from 1 to 65535"),
                (("--port", "gatehouse=4000"), "a simulated link that listens on a port"),
            ):
                with self.subTest(words):
                    ran = cavet_here("serve", "demo", *words)
                    self.assertEqual((ran.code, ran.err.count("\n")), (2, 1), ran.err)
                    self.assertIn(part, ran.err)


class Changed(unittest.TestCase):
    def test_a_changed_file_is_taken_over_while_it_is_served(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "lock.bench.toml"
            path.write_text(start_text("lock.bench.toml", "lock", ["firmata", "modbus"]))
            served = Served(bench=str(path))
            try:
                hut, shed = served.address("hut", "serial"), served.address("shed", "tcp")
                path.write_text(path.read_text() + "".join(start_text("x", "x", ["scpi"]).partition("# An instr")[1:]))
                served.tell({"reload": True})
                done, lines = served.until(lambda line: line["event"] != "endpoint")
                self.assertEqual(done, {"event": "done"})
                self.assertEqual([line["board"] for line in lines[:-1]], ["rack"])
                served.tell({"part": "rack.supply", "ask": True})
                self.assertEqual(served.line()["state"], "off")
                self.assertEqual((hut, shed), (served.address("hut", "serial"), served.address("shed", "tcp")))
                path.write_text(path.read_text().replace("pin = 3", "pin = 99"))
                served.tell({"reload": True})
                line = served.line()
                self.assertEqual(line["event"], "error")
                self.assertIn("expected 0 to 19", line["message"])
                served.tell({"part": "hut.lantern", "ask": True})
                self.assertEqual(served.line()["event"], "done")
            finally:
                served.end()
