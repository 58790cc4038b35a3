"""Lines on standard output: whoever does not read them, or has left, holds up nothing."""

import asyncio
import fcntl
import json
import os
import subprocess
import sys
import unittest

import serial

from cavet.serving.output import MAX_WAITING_BYTES, Output
from cavet.wording import WrongError
from tests.commands.test_serve import Served, announced
from tests.patience import PATIENCE

SET_PIPE_SIZE = 1031
"""F_SETPIPE_SZ of fcntl(2)."""


def small(descriptor):
    """Make a pipe hold no more than a page."""
    fcntl.fcntl(descriptor, SET_PIPE_SIZE, 4096)


class Lines(unittest.IsolatedAsyncioTestCase):
    def setUp(self):
        self.inner, self.outer = os.pipe()
        small(self.outer)

    async def asyncSetUp(self):
        asyncio.get_running_loop().slow_callback_duration = PATIENCE  # lines by the thousand are no remark worth

    def make(self, descriptor=None):
        return Output(lambda lines: f"{lines} left out", self.outer if descriptor is None else descriptor)

    def read_all(self):
        os.close(self.outer)
        with os.fdopen(self.inner) as reader:
            return reader.read()

    async def test_lines_come_out_in_their_order(self):
        output = self.make()
        for number in range(100):
            output.say(f"{number} ◆")
        await output.written()
        output.close()
        self.assertEqual(self.read_all(), "".join(f"{number} ◆\n" for number in range(100)))

    async def test_the_last_lines_still_go_out_when_it_is_closed_at_once(self):
        output = self.make()
        output.say("the last")
        output.close()
        self.assertEqual(self.read_all(), "the last\n")

    async def test_who_does_not_read_holds_up_nothing_and_is_told_what_was_left_out(self):
        line = "x" * 1023
        output = self.make()
        for _ in range(MAX_WAITING_BYTES // 1024 + 11):
            output.say(line)
        self.assertFalse(output.gone.is_set())
        reading = asyncio.create_task(asyncio.to_thread(self.read_until, b"left out\n"))
        await output.written()
        output.close()
        lines = (await reading).decode().splitlines()
        self.assertEqual(set(lines[:-1]), {line})
        self.assertEqual(lines[-1], "10 left out")
        self.assertEqual(self.read_all(), "")

    def read_until(self, end):
        heard = bytearray()
        while not heard.endswith(end):
            heard += os.read(self.inner, 65536)
        return bytes(heard)

    async def test_a_reader_that_has_left_is_told_of_and_is_no_error(self):
        output = self.make()
        os.close(self.inner)
        output.say("into nothing")
        async with asyncio.timeout(PATIENCE):
            await output.gone.wait()
        output.close()
        os.close(self.outer)

    async def test_a_place_that_takes_no_lines_is_an_error_in_one_line(self):
        full = os.open("/dev/full", os.O_WRONLY)
        output = self.make(full)
        output.say("too much")
        async with asyncio.timeout(PATIENCE):
            await output.gone.wait()
        with self.assertRaises(WrongError) as caught:
            output.close()
        self.assertIn("No space left on device", str(caught.exception))
        for descriptor in (full, self.inner, self.outer):
            os.close(descriptor)

    async def test_one_that_shall_not_be_waited_on_is_written_to_all_the_same(self):
        os.set_blocking(self.outer, False)
        output = self.make()
        for _ in range(50):
            output.say("y" * 500)
        output.say("end")
        heard = await asyncio.to_thread(self.read_until, b"end\n")
        output.close()
        self.assertEqual(len(heard), 50 * 501 + 4)
        self.assertEqual(self.read_all(), "")


class Boards(unittest.TestCase):
    def test_events_that_nobody_reads_stop_no_board_and_no_end(self):
        served = Served("--events", "--board", "gatehouse")
        self.addCleanup(served.process.kill)
        small(served.process.stdout)
        with serial.Serial(served.endpoint["address"], 57600, timeout=PATIENCE) as port:
            announced(port)
            port.write(bytes.fromhex("F4 09 04") + bytes.fromhex("E9 5C 00 E9 00 00") * 200)
            port.write(bytes.fromhex("F0 6D 0B F7"))
            self.assertEqual(port.read_until(b"\xf7"), bytes.fromhex("F0 6E 0B 00 00 F7"))
        self.assertEqual(served.end()[0], 0)

    def test_it_ends_when_its_reader_has_left(self):
        words = [sys.executable, "-m", "cavet", "serve", "demo", "--json", "--events", "--board", "gatehouse"]
        with subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE) as process:
            self.addCleanup(process.kill)
            self.assertEqual(json.loads(process.stdout.readline())["event"], "endpoint")
            process.stdout.close()
            process.stdin.write(b'{"rig": "chamber", "set": 1500}\n')
            process.stdin.flush()
            self.assertEqual(process.wait(PATIENCE), 0)


if __name__ == "__main__":
    unittest.main()
