"""Any bytes at the exported USB device: none brings it down, the next good importer is served. And a board's features
over Firmata, with any requests."""

import contextlib
import random
import socket
import struct
import time
import unittest

import serial

from tests.commands.test_hostile import MOST_GROWTH_BYTES, mutated, resident
from tests.commands.test_serve import Served
from tests.patience import PATIENCE

CONNECTIONS, TRANSFERS, REQUESTS = 300, 1500, 400
IMPORT = struct.pack(">HHI", 0x0111, 0x8003, 0) + b"1-1".ljust(32, b"\0")
COMMANDS = (0x76, 0x76, 0x76, 0x78, 0x68, 0x7B, 0x60, 0x61, 0x62, 0x73)
IDENTITY = bytes.fromhex("F0 77 26 00 0E 00 5C 00 F7")
SETUPS = ("80 06 00 01 00 00 12 00", "80 06 00 02 00 00 FF 00", "02 03 00 00 81 00 00 00", "00 09 00 00 00 00 00 00")


def submit(sequence, direction, endpoint, length, setup=bytes(8), data=b""):
    head = struct.pack(">IIIII", 1, sequence, 0x10002, direction, endpoint)
    return head + struct.pack(">IiIIi", 0, length, 0, 0xFFFFFFFF, 0) + setup + data


class Hostile(unittest.TestCase):
    def setUp(self):
        self.served = Served("--board", "signalpost", "--board", "gatehouse")
        self.addCleanup(self.served.end)
        self.memory = resident(self.served.process.pid)

    def assert_small(self):
        self.assertLess(resident(self.served.process.pid) - self.memory, MOST_GROWTH_BYTES)

    def connect(self):
        _, host, port = self.served.address("signalpost", "usb").split(":")
        line = socket.create_connection((host, int(port)), PATIENCE)
        line.settimeout(PATIENCE)
        self.addCleanup(line.close)
        return line

    def read(self, line, size):
        data = b""
        while len(data) < size and (more := line.recv(size - len(data))):
            data += more
        return data

    def imported(self):
        """A connection that has the device, as soon as those before it are gone."""
        deadline = time.monotonic() + PATIENCE
        while True:
            line = self.connect()
            with contextlib.suppress(ConnectionError):  # so many callers at once are not let in
                line.sendall(IMPORT)
                if self.read(line, 8)[4:] == bytes(4) and len(self.read(line, 312)) == 312:
                    return line
            line.close()
            self.assertLess(time.monotonic(), deadline, "the device stays taken")

    def assert_served(self):
        line = self.imported()
        line.sendall(submit(1, 0, 2, 4, data=bytes.fromhex("FF 05 00 04")))
        self.assertEqual(struct.unpack(">ii", self.read(line, 48)[20:28]), (0, 4))
        line.sendall(submit(2, 1, 1, 64))
        self.assertEqual(self.read(line, 52)[48:].hex(), "05000005")
        line.close()

    def test_any_bytes_instead_of_an_operation(self):
        noise = random.Random("operations")
        for _ in range(CONNECTIONS):
            line = self.connect()
            line.sendall(mutated(noise, IMPORT))
            line.close()
        self.assert_served()
        self.assert_small()

    def test_any_bytes_instead_of_a_transfer(self):
        noise = random.Random("transfers")
        line = self.imported()
        for number in range(1, TRANSFERS + 1):
            setup = bytes.fromhex(noise.choice(SETUPS))
            good = noise.choice(
                (
                    submit(number, 1, 0, noise.choice((0, 18, 255)), setup),
                    submit(number, 0, 2, 4, data=noise.randbytes(4)),
                    submit(number, 1, 1, 64),
                    struct.pack(">IIIII", 2, number, 0x10002, 0, 0) + struct.pack(">I24x", number - 1),
                )
            )
            try:
                line.sendall(good if noise.random() < 0.7 else mutated(noise, good))
            except OSError:  # it has hung up on what can't be read, as it should
                line.close()
                line = self.imported()
        line.close()
        self.assert_served()
        self.assert_small()

    def test_any_requests_to_features_over_firmata(self):
        noise = random.Random("features")
        with serial.Serial(self.served.address("gatehouse", "serial"), 57600, timeout=PATIENCE) as port:
            self.assertEqual(port.read_until(b"\xf7")[:2], b"\xf9\x02")  # it announces itself
            port.write(bytes.fromhex("F0 78 00 00 F7"))
            for _ in range(REQUESTS):
                body = bytes(noise.randrange(128) for _ in range(noise.randint(0, 40)))
                address = noise.choice((0x26, 0x3B, 0x74, noise.randrange(128)))
                port.write(bytes((0xF0, noise.choice(COMMANDS), address)) + body + b"\xf7")
                port.read(port.in_waiting)
            port.write(bytes.fromhex("F7 FF F0 78 00 00 F7 F0 76 26 48 0E 00 01 00 F7"))
            heard = b""
            deadline = time.monotonic() + PATIENCE
            while IDENTITY not in heard and time.monotonic() < deadline:
                heard = (heard + port.read(max(1, port.in_waiting)))[-4096:]
            self.assertTrue(IDENTITY in heard, "the board does not answer any more")
        self.assert_small()


if __name__ == "__main__":
    unittest.main()
