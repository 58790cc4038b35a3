"""`cavet serve`: another program, which knows only bytes, drives the board on its device file."""

import json
import random
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path

import serial

from cavet.record import read_record
from tests.bench.benches import gatehouse_text
from tests.commands.run import cavet
from tests.patience import PATIENCE, quickest


class Served:
    """The demo, served in a process of its own."""

    def __init__(self, *more, bench="demo"):
        words = [sys.executable, "-m", "cavet", "serve", bench, "--json", *more]
        self.process = subprocess.Popen(
            words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
        )
        self.endpoints = []
        while (line := self.line())["event"] == "endpoint":
            self.endpoints.append(line)
        self.endpoint = self.endpoints[0]
        self.ready = line

    def address(self, board, link):
        return next(e["address"] for e in self.endpoints if (e["board"], e["link"]) == (board, link))

    def line(self):
        return json.loads(self.process.stdout.readline())

    def tell(self, line):
        self.process.stdin.write(f"{line if isinstance(line, str) else json.dumps(line)}\n")
        self.process.stdin.flush()

    def until(self, holds):
        """Read lines until one holds; give it and those before it."""
        lines = []
        while True:
            lines.append(self.line())
            if holds(lines[-1]):
                return lines[-1], lines

    def port(self, rate=57600):
        return serial.Serial(self.endpoint["address"], rate, timeout=PATIENCE)

    def end(self, number=signal.SIGINT):
        began = time.monotonic()
        self.process.send_signal(number)
        code = self.process.wait(PATIENCE)
        seconds = time.monotonic() - began
        for stream in (self.process.stdin, self.process.stdout, self.process.stderr):
            stream.close()
        return code, seconds


def announced(port):
    """Wait for the board's announcement."""
    return port.read_until(b"\xf7")


class Bytes(unittest.TestCase):
    def setUp(self):
        self.served = Served("--events")
        self.addCleanup(self.served.process.kill)

    def test_the_endpoint_line_says_where_and_how(self):
        endpoint = self.served.endpoint
        self.assertTrue(endpoint.pop("address").startswith("/dev/"))
        self.assertEqual(
            endpoint, {"event": "endpoint", "board": "gatehouse", "link": "serial", "baud": 57600, "settings": "8N1"}
        )
        self.assertEqual(self.served.ready, {"event": "ready"})
        self.assertEqual(self.served.end()[0], 0)

    def test_opening_resets_the_board_which_is_deaf_and_then_announces_itself(self):
        with self.served.port() as port:
            began = time.monotonic()
            port.write(bytes.fromhex("F4 0B 01 F5 0B 01"))
            self.assertTrue(announced(port).startswith(bytes.fromhex("F9 02 07 F0 79 02 07")))
            self.assertGreater(time.monotonic() - began, 1.0)
            port.write(bytes.fromhex("F0 6D 0B F7"))
            self.assertEqual(port.read_until(b"\xf7"), bytes.fromhex("F0 6E 0B 00 00 F7"))
        self.served.end()

    def test_bytes_move_a_part_and_the_events_tell_the_whole_way(self):
        with self.served.port() as port:
            announced(port)
            port.write(bytes.fromhex("F4 09 04 E9 5C 00"))
            moved, lines = self.served.until(lambda line: line.get("kind") == "moved")
            self.assertEqual(
                (moved["part"], moved["value"], moved["board"]), ("gatehouse.upper_paddle", 92.0, "gatehouse")
            )
            events = {line["number"]: line for line in lines if line["event"] == "record"}
            kinds = ["moved"]
            event = moved
            while event["cause"] is not None:
                event = events[event["cause"]]
                kinds.append(event["kind"])
            self.assertEqual(kinds, ["moved", "driven", "taken", "carried"])
            self.assertEqual(event["value"], "E9 5C 00")
            self.assertTrue(all({"t", "board", "kind", "cause"} <= set(line) for line in events.values()))
        self.served.end()

    def test_a_pressed_button_is_reported_to_the_program(self):
        with self.served.port() as port:
            announced(port)
            port.write(bytes.fromhex("F4 04 0B D0 01"))
            self.assertEqual(port.read(3)[0], 0x90)
            self.served.tell({"part": "gatehouse.stop_button", "do": "press", "for": "80 ms"})
            self.served.until(lambda line: line["event"] == "done")
            first = port.read(3)
            self.assertEqual((first[0], first[1] & 0x10), (0x90, 0))
            self.served.until(lambda line: line.get("note") == "released")
        self.served.end()

    def test_a_wrong_rate_is_remarked_and_garbles(self):
        with self.served.port(9600) as port:
            port.write(b"\xf9")
            remark, _ = self.served.until(lambda line: line.get("kind") == "remark")
            self.assertIn("9600 baud at the other end, the board runs at 57600", remark["note"])
            self.served.until(lambda line: line.get("kind") == "told")
            heard = port.read(1)  # as soon as there is any
            self.assertNotIn(b"\xf9\x02\x07", heard + port.read(port.in_waiting))
        self.served.end()

    def test_the_water_is_set_and_the_gauge_reads_it(self):
        self.served.tell({"rig": "chamber", "set": 1500})
        self.served.tell({"rig": "chamber", "set": "1.5 m"})
        for _ in range(2):
            self.served.until(lambda line: line["event"] == "done")
        with self.served.port() as port:
            announced(port)
            port.write(bytes.fromhex("F4 0E 02 C0 01"))
            head, low, high = port.read(3)
            self.assertEqual(head, 0xE0)
            self.assertAlmostEqual(low | high << 7, 511.5, delta=3)
        self.served.end()

    def test_a_defect_that_is_not_in_the_file_is_made(self):
        self.served.tell({"defect": "stuck", "kind": "seized", "board": "gatehouse", "part": "beacon"})
        self.served.until(lambda line: line["event"] == "done")
        with self.served.port() as port:
            announced(port)
            port.write(bytes.fromhex("F4 02 01 F5 02 01"))
            lost, _ = self.served.until(lambda line: line.get("kind") == "lost")
            self.assertIn("beacon is stuck", lost["note"])
            self.served.tell({"defect": "stuck", "on": False})
            self.served.until(lambda line: line["event"] == "done")
            self.served.until(lambda line: line.get("kind") == "moved" and line.get("part") == "gatehouse.beacon")
        self.served.end()

    def test_wrong_input_is_answered_with_one_clear_line(self):
        for line, part in (
            ("bad", "expected JSON"),
            ("[1]", "a JSON object"),
            ({"do": "press"}, "one of the keys fault, pin, point, part, rig, defect or board"),
            (
                {"part": "gatehouse.stop_buton", "do": "press"},
                'did you mean \\"gatehouse.stop_button\\"'.replace("\\", ""),
            ),
            ({"part": "gatehouse.stop_button", "do": "pull"}, "one of press or release"),
            ({"part": "gatehouse.stop_button", "do": "press", "fro": 1}, 'did you mean "for"?'),
            ({"part": "gatehouse.stop_button", "do": "press", "for": "80 mm"}, "a number in s"),
            ({"part": "gatehouse.stop_button", "do": "press", "for": -1}, "0 s or more"),
            ({"rig": "chambre", "set": 5}, 'did you mean "chamber"?'),
            ({"rig": "chamber"}, "where to put it"),
            ({"defect": "dead_walkway", "on": "yes"}, "true or false"),
            ({"defect": "dead_walkway", "kind": "mute"}, "another name: this one is there"),
            ({"defect": "x", "kind": "saging", "board": "gatehouse"}, 'did you mean "sagging"?'),
            ({"defect": "x", "kind": "seized", "board": "gatehouse", "part": "lomp"}, "expected a part of it"),
            ({"defect": "x y", "kind": "sagging", "board": 5, "current": [1]}, "a name of small letters"),
        ):
            with self.subTest(line):
                self.served.tell(line)
                answer, _ = self.served.until(lambda line: line["event"] in ("error", "done"))
                self.assertEqual(answer["event"], "error")
                self.assertIn(part, answer["message"])
        self.served.end()


class Life(unittest.TestCase):
    def test_each_signal_ends_it_within_a_second_with_code_0(self):
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            with self.subTest(number):
                self.assertLess(quickest(lambda number=number: self.seconds_to_end(number), 1.0), 1.0)

    def seconds_to_end(self, number):
        served = Served()
        with served.port():
            code, seconds = served.end(number)
        self.assertEqual(code, 0)
        return seconds

    def test_a_shut_terminal_is_borne_where_that_is_ignored(self):
        before = signal.signal(signal.SIGHUP, signal.SIG_IGN)  # as `nohup` does, for what is started from here
        self.addCleanup(signal.signal, signal.SIGHUP, before)
        served = Served()
        served.process.send_signal(signal.SIGHUP)
        with served.port() as port:
            self.assertTrue(announced(port))
        self.assertEqual(served.end()[0], 0)

    def test_it_goes_on_when_its_input_ends(self):
        served = Served()
        served.process.stdin.close()
        with served.port() as port:
            self.assertTrue(announced(port))
        served.process.stdin = open("/dev/null")  # noqa: SIM115, PTH123
        self.assertEqual(served.end()[0], 0)

    def test_the_record_is_kept_where_it_is_asked_for(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.record"
            served = Served("--record", str(path))
            with served.port() as port:
                announced(port)
            served.end()
            kinds = [event.kind for event in read_record(path)]
        self.assertIn("told", kinds)

    def test_a_board_that_is_not_there_is_told(self):
        ran = cavet("serve", "demo", "--board", "gatehose")
        self.assertEqual((ran.code, ran.err.count("\n")), (2, 1))
        self.assertIn('did you mean "gatehouse"?', ran.err)

    def test_without_json_an_endpoint_is_a_readable_line(self):
        process = subprocess.Popen(
            [sys.executable, "-m", "cavet", "serve", "demo"],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            text=True,
        )
        self.assertRegex(process.stdout.readline(), r"^gatehouse +serial +/dev/\S+  57600 8N1$")
        process.terminate()
        self.assertEqual(process.wait(PATIENCE), 0)
        process.stdout.close()

    def test_drive_works_on_a_served_board(self):
        served = Served()
        ran = cavet("drive", "demo", "--at", f"gatehouse={served.endpoint['address']}", "upper_paddle=40%", "level?")
        self.assertEqual(ran.code, 0, ran)
        self.assertIn("upper_paddle    asked 40 %  confirmed 40 %", ran.out)
        served.end()


class Elsewhere(unittest.TestCase):
    def test_served_boards_are_driven_on_either_of_their_links(self):
        served = Served()
        for board, link, point in (
            ("pumphouse", "tcp", "heater=on"),
            ("pumphouse", "serial", "heater=off"),
            ("switchrack", "serial", "relay_104=closed"),
        ):
            ran = cavet("drive", "demo", "--at", f"{board}={served.address(board, link)}", point)
            self.assertEqual(ran.code, 0, ran)
            self.assertIn("confirmed", ran.out)
        served.end()

    def test_an_address_of_a_kind_that_the_board_has_not_is_told(self):
        ran = cavet("drive", "demo", "--at", "gatehouse=127.0.0.1:5", "beacon=1")
        self.assertEqual(ran.code, 2)
        self.assertIn("the address of a serial link, which is what gatehouse has", ran.err)


class Hostile(unittest.TestCase):
    BYTES = 300_000

    def test_a_flood_of_any_bytes_leaves_a_board_that_answers_and_does_not_grow(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "lock.bench.toml"
            path.write_text(gatehouse_text(0))
            words = [sys.executable, "-m", "cavet", "serve", str(path), "--json"]
            with subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as process:
                address = json.loads(process.stdout.readline())["address"]
                self.flood(address, process.pid)
                process.send_signal(signal.SIGTERM)
                self.assertEqual(process.wait(PATIENCE), 0)

    def flood(self, address, pid):
        host, _, port = address.rpartition(":")
        noise = random.Random("flood").randbytes(self.BYTES)
        with socket.create_connection((host, int(port)), timeout=PATIENCE) as link:
            link.settimeout(PATIENCE)
            self.until(link, b"\xf7")
            before = resident_bytes(pid)
            reader = threading.Thread(target=swallow, args=(link,))
            reader.start()
            for place in range(0, len(noise), 5000):
                link.sendall(noise[place : place + 5000])
            link.shutdown(socket.SHUT_WR)
            reader.join(PATIENCE)
            self.assertFalse(reader.is_alive())
        # what it holds now is the record: some 300 bytes an event, a million of them at most
        self.assertLess(resident_bytes(pid) - before, 150_000_000)
        with socket.create_connection((host, int(port)), timeout=PATIENCE) as link:
            link.settimeout(PATIENCE)
            self.until(link, b"\xf7")
            link.sendall(b"\xf9")
            self.assertEqual(self.until(link, b"\x07")[-3:], b"\xf9\x02\x07")

    def until(self, link, end):
        heard = b""
        while not heard.endswith(end):
            piece = link.recv(4096)
            self.assertTrue(piece, "the board has shut the connection")
            heard += piece
        return heard


def swallow(link):
    """Read until the other side shuts the connection, so that what it says can't hold it up."""
    while link.recv(65536):
        pass


def resident_bytes(pid):
    """The memory that a process holds."""
    line = next(line for line in Path(f"/proc/{pid}/status").read_text().splitlines() if line.startswith("VmRSS"))
    return int(line.split()[1]) * 1024


class Example(unittest.TestCase):
    def test_the_program_in_the_docs_drives_the_board(self):
        page = (Path(__file__).parents[2] / "docs" / "your-own-program.md").read_text()
        program = page.partition("```python\n")[2].partition("```")[0]
        self.assertLessEqual(len(program.strip().splitlines()), 15)
        self.assertNotIn("cavet", program)
        served = Served("--events")
        done = subprocess.run(
            [sys.executable, "-c", program, served.endpoint["address"]],
            capture_output=True,
            text=True,
            timeout=PATIENCE,
            check=True,
        )
        self.assertIn("wren" if "wren" in done.stdout else "gatehouse", done.stdout)
        moved, _ = served.until(
            lambda line: line.get("kind") == "moved" and line.get("part") == "gatehouse.upper_paddle"
        )
        self.assertEqual(moved["value"], 105.0)
        served.end()

    def test_the_program_over_the_network_drives_pumps_and_relays(self):
        page = (Path(__file__).parents[2] / "docs" / "your-own-program.md").read_text()
        program = page.split("```python\n")[2].partition("```")[0]
        self.assertNotIn("cavet", program)
        served = Served("--events")
        addresses = [served.address(board, "tcp") for board in ("pumphouse", "switchrack")]
        done = subprocess.run(
            [sys.executable, "-c", program, *addresses], capture_output=True, text=True, timeout=PATIENCE, check=True
        )
        self.assertIn("echo 00 02 00 00 00 06 07 05 00 00 ff 00", done.stdout)
        self.assertIn("done b'1\\n'", done.stdout)
        moved, _ = served.until(
            lambda line: (
                line.get("kind") == "moved" and line.get("part") == "pumphouse.pump_a" and line["value"] == 60.0
            )
        )
        self.assertEqual(moved["note"], "60 %")
        served.end()


if __name__ == "__main__":
    unittest.main()
