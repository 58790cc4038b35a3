"""A program that does something else than it has to: the check tells what, and its record is kept and looked at."""

import json
import unittest

from cavet.benchfile import load_bench
from cavet.checks import Case, host
from cavet.demo import demo_path
from cavet.record import RecordFile
from tests.checks import test_campaigns
from tests.checks.huts import Folder

CONNECT = "100D00044D515454040200000001 68"
TO_TCP = """
import os, socket, time
place, _, port = os.environ["{place}"].rpartition(":")
line = socket.create_connection((place, int(port)), timeout=5)
for text in {texts}:
    line.sendall(bytes.fromhex(text))
    time.sleep(0.02)
line.settimeout(0.2)
try:
    line.recv(1000)
except TimeoutError:
    pass
"""
TO_LINE = """
import os
line = os.open(os.environ["CAVET_GATEHOUSE_SERIAL"], os.O_RDWR | os.O_NOCTTY)
os.write(line, bytes.fromhex("F40E0103"))
"""


def publish(topic):
    body = len(topic).to_bytes(2, "big") + topic.encode() + b"1"
    return (bytes((0x30, len(body))) + body).hex()


class Deeds(Folder, unittest.TestCase):
    """Each program is run on the demo's boards; something is expected that does not come."""

    def came(self, text, expect):
        words = json.dumps(["python", "-c", text])
        path = self.folder / "d.bench.toml"
        check = f'[checks.mine]\nprogram = {words}\nexpect = ["{expect}"]\n'
        path.write_text(f"{demo_path().read_text('utf-8')}\n{check}", "utf-8")
        setup = load_bench(path).setup
        came = host(setup, setup.checks["mine"], Case(check="mine", seed="s"))
        self.assertFalse(came.held)
        self.assertIn(f"this did not come: {expect}", came.why)
        return came.trail

    def test_what_came_of_each_thing_that_it_has_said_is_told(self):
        pumps, rack, water = "CAVET_PUMPHOUSE_TCP", "CAVET_SWITCHRACK_TCP", "CAVET_TOWPATH_MQTT"
        expected = {
            pumps: "pumphouse.pump_a > 50 %", rack: "switchrack.supply_1 > 5 V", water: "towpath.lamp > 50 %",
        }  # fmt: skip
        for place, texts, told in (
            (pumps, ["0001 0000 0006 07 05 0001 FF00"], "write-single-coil (address 1, value on): pumphouse.pump_b on"),
            (pumps, ["0001 0000 0006 07 03 0000 0001"], "read-holding-registers (address 0, quantity 1): answered"),
            (pumps, ["0001 0000 0008 07 05 0000 FF00"], "12 bytes are no whole message: the program has left"),
            (pumps, ["0100 0000 0600 07 05 0000 FF00"], "length: found 1536, expected 2 to 254"),
            (pumps, [], "nothing was said to pumphouse"),
            (rack, [b"OUTP1 ON".hex()], "8 bytes are no whole message: the program has left"),
            (water, [CONNECT, publish("ottersluice/towpath/Lamp/set")], "; did you mean ottersluice/towpath/lamp/set?"),
            (water, [publish("lock/towpath/mast/set")], "hangs up on a program: 30 "),
            (water, ["100D00044D515454070200000001 68"], "does not let in a program: unsupported protocol version"),
        ):  # fmt: skip
            with self.subTest(told=told):
                self.assertIn(told, self.came(TO_TCP.format(place=place, texts=texts), expected[place]))

    def test_bytes_that_a_board_was_deaf_for_are_not_done(self):
        trail = self.came(TO_LINE, "gatehouse.beacon > 50 %")
        self.assertIn("gatehouse F4 0E 01 03: 4 bytes not heard: the board boots", trail)
        self.assertIn("wait for its announcement", trail)

    def test_many_messages_are_told_by_what_they_did(self):
        reads = ["0001 0000 0006 07 03 0000 0001", *(f"0001 0000 0006 07 01 0000 {n:04X}" for n in range(1, 7))]
        texts = [*reads, "0001 0000 0006 07 05 0001 FF00", "0001 0000 0006 07 05 0001 0000"]
        trail = self.came(TO_TCP.format(place="CAVET_PUMPHOUSE_TCP", texts=texts), "pumphouse.pump_a > 50 %")
        self.assertIn("but for 7 more:", trail)
        self.assertEqual(3, len(trail.splitlines()), trail)


class Kept(Folder, unittest.TestCase):
    call = test_campaigns.TheCommand.call

    def test_the_record_of_a_program_that_fails_is_its_own(self):
        write = "import os; f = os.open(os.environ['CAVET_HUT_SERIAL'], os.O_RDWR); os.write(f, b'mine'); exit({code})"
        checks = "\n".join(
            f'[checks.p{code}]\nprogram = ["python", "-c", {json.dumps(write.format(code=code))}]' for code in (0, 3)
        )
        done = self.call("--allow-programs", "--json", "--records", ".", checks=checks)
        good, bad, _ = map(json.loads, done.stdout.splitlines())
        self.assertEqual((True, None), (good["held"], good["record"]))
        self.assertEqual((False, "p3-hut.record"), (bad["held"], bad["record"]))
        self.assertEqual(["p3-hut.record"], [path.name for path in self.folder.glob("*.record*")])
        file = RecordFile(self.folder / "p3-hut.record")
        self.addCleanup(file.close)
        self.assertIn(b"mine", b"".join(transfer.data for transfer in file.transfers()))
