"""Any bytes at the served boards' real endpoints: none brings them down or makes them grow, the next good request is
answered. And many programs at once."""

import random
import socket
import threading
import time
import unittest
from pathlib import Path

import serial

from tests.boards.devices import rtu, tcp
from tests.commands.test_serve import Served
from tests.patience import PATIENCE

MOST_GROWTH_BYTES = 250_000_000
"""The record keeps the last million events in memory; nothing else may grow."""
TCP_INPUTS, RTU_INPUTS, SCPI_INPUTS, SCPI_LINE_INPUTS = 3000, 300, 3000, 60
GOOD_TCP, GOOD_TCP_ANSWER = tcp("02 0003 0001", 0x4242), tcp("02 01 00", 0x4242)
SCPI_PIECES = (
    b"ROUT:CLOS ", b"(@101:108)", b"SOUR1:VOLT ", b"12.5", b"*IDN?", b"*OPC?", b";", b":", b",", b"\n", b'"', b"'",
    b"#18", b"#0", b"#9999999999", b"MAX", b"1E99999", b"\x00", b"\xff\xfe", b"(@1:99999)", b"[b]", b"\x1b[2J",
    b"STAT:OPER:ENAB ",
)  # fmt: skip


def resident(pid):
    """The memory of a process, in bytes."""
    return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * 4096


def mutated(noise, frame):
    """A frame with something wrong: bits, a length, a piece missing, too much, or all of it chance."""
    data = bytearray(frame)
    for _ in range(noise.randint(1, 3)):
        way = noise.randint(0, 4)
        if way == 0 and data:
            data[noise.randrange(len(data))] ^= 1 << noise.randint(0, 7)
        elif way == 1 and data:
            del data[noise.randrange(len(data)) :]
        elif way == 2:
            data += noise.randbytes(noise.randint(1, 300))
        elif way == 3 and data:
            data[noise.randrange(len(data))] = noise.choice((0x00, 0x7F, 0x80, 0xFF))
        else:
            data = bytearray(noise.randbytes(noise.randint(1, 40)))
    return bytes(data)


REQUESTS = (
    "01 0000 0006", "02 0000 0004", "03 0000 0002", "04 0000 0005", "05 0000 FF00", "06 0000 0100", "07",
    "08 0000 1234", "0B", "0C", "0F 0000 0003 01 05", "10 0000 0002 04 00010002", "11",
    "14 07 06 0001 0000 0001", "16 0000 00F2 0025",
    "15 09 06 0001 0000 0001 1234", "17 0000 0002 0000 0001 02 0064", "18 0000", "2B 0E 01 00",
)  # fmt: skip


class Hostile(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.served = Served()
        cls.before = resident(cls.served.process.pid)

    @classmethod
    def tearDownClass(cls):
        cls.served.end()

    def tearDown(self):
        self.assertIsNone(self.served.process.poll())
        self.assertLess(resident(self.served.process.pid) - self.before, MOST_GROWTH_BYTES)

    def connect(self, board):
        host, _, port = self.served.address(board, "tcp").rpartition(":")
        return socket.create_connection((host, int(port)), timeout=PATIENCE)

    def flood(self, board, count, make):
        """Send so many inputs, over as many connections as the board shuts, or one for a hundred of them."""
        sent = 0
        while sent < count:
            with self.connect(board) as link:
                link.settimeout(0.001)
                for _ in range(100):
                    try:
                        link.sendall(make())
                        link.recv(65536)
                    except TimeoutError:
                        pass
                    except OSError:
                        break
                    finally:
                        sent += 1

    def test_modbus_over_tcp(self):
        noise = random.Random("tcp")
        self.flood("pumphouse", TCP_INPUTS, lambda: mutated(noise, tcp(noise.choice(REQUESTS), noise.getrandbits(16))))
        with self.connect("pumphouse") as link:
            link.sendall(tcp("08 0001 0000") + GOOD_TCP)  # noise may have made it listen only
            heard = b""
            while not heard.endswith(GOOD_TCP_ANSWER):
                heard += link.recv(4096) or self.fail("the connection was shut")

    def test_modbus_rtu_on_its_line(self):
        noise = random.Random("rtu")
        with serial.Serial(self.served.address("pumphouse", "serial"), 19200, timeout=0.1) as port:
            for _ in range(RTU_INPUTS):
                port.write(mutated(noise, rtu(noise.choice(REQUESTS)))[:60])
                time.sleep(noise.choice((0, 0.001, 0.005)))
            for _ in range(100):  # until the line has carried it all, and was quiet for a frame to begin
                port.write(rtu("08 0001 0000"))
                if port.read(20).endswith(rtu("08 0001 0000")):
                    break
            port.reset_input_buffer()
            port.timeout = 10
            port.write(rtu("02 0003 0001"))
            self.assertEqual(port.read(6), rtu("02 01 00"))

    def test_scpi_over_tcp_and_lines_of_a_megabyte(self):
        noise = random.Random("scpi")
        ends = (b"", b"\n", b"\r\n")
        self.flood(
            "switchrack",
            SCPI_INPUTS,
            lambda: b"".join(noise.choices(SCPI_PIECES, k=noise.randint(1, 8))) + noise.choice(ends),
        )
        for line in (
            b"A" * 1_000_000 + b"\n",
            b'"' * 1_000_001 + b"\n",
            b"*CLS;" * 200_000 + b"\n",
            b":" * 1_000_000 + b"\n",
        ):
            with self.connect("switchrack") as link:
                link.sendall(line + b"\n*CLS\nSYST:VERS?\n")
                self.assertEqual(self.line(link)[-6:], b"1999.0")

    def line(self, link):
        heard = b""
        while not heard.endswith(b"\n"):
            heard += link.recv(4096) or self.fail("the connection was shut")
        return heard.strip()

    def test_scpi_on_its_line(self):
        noise = random.Random("line")
        with serial.Serial(self.served.address("switchrack", "serial"), 9600, timeout=PATIENCE) as port:
            for _ in range(SCPI_LINE_INPUTS):
                port.write(b"".join(noise.choices(SCPI_PIECES, k=3))[:30])
            port.write(b'"\n\n')
            for _ in range(50):  # until the line has carried it all
                port.write(b"*CLS\n*RST\nSYST:VERS?\n")
                if port.read_until(b"1999.0\n").endswith(b"1999.0\n"):
                    break
            port.reset_input_buffer()
            port.write(b"SYST:ERR?\n")
            self.assertEqual(port.read_until(b"\n"), b'0,"No error"\n')

    def test_fifty_programs_at_once(self):
        wrong = []

        def talk(number):
            with self.connect("pumphouse") as link:
                for turn in range(20):
                    link.sendall(tcp("04 0001 0001", 1000 * number + turn & 0xFFFF))
                    if link.recv(100)[:2] != (1000 * number + turn & 0xFFFF).to_bytes(2, "big"):
                        wrong.append(number)

        def ask(number):
            with self.connect("switchrack") as link:
                for _ in range(20):
                    link.sendall(b"*IDN?\n")
                    if not self.line(link).startswith(b"Cavet"):
                        wrong.append(number)

        threads = [threading.Thread(target=(talk, ask)[number % 2], args=(number,)) for number in range(50)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(PATIENCE)
        self.assertEqual(wrong, [])


if __name__ == "__main__":
    unittest.main()
