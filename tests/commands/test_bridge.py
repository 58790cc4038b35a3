"""Bridges, and serial lines over the network: in processes of their own, as a user runs them."""

import json
import socket
import ssl
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import serial

from cavet import open as cavet_open
from cavet.demo import demo_path
from cavet.wording import WrongError
from tests.commands.run import cavet
from tests.patience import PATIENCE

WREN_HELLO = bytes.fromhex("F9 02 07 F0 79 02 07")


class Process:
    """A command that runs on; its standard output line by line."""

    def __init__(self, test, *words):
        self.process = subprocess.Popen(
            [sys.executable, "-m", "cavet", *words], stdout=subprocess.PIPE, stdin=subprocess.PIPE, text=True
        )
        test.addCleanup(self.end)

    def line(self):
        return json.loads(self.process.stdout.readline())

    def text_until(self, part):
        """All that it prints up to a line with a part in it."""
        text = ""
        while part not in text:
            text += self.process.stdout.readline()
        return text

    def until(self, holds):
        while not holds(line := self.line()):
            pass
        return line

    def end(self):
        self.process.terminate()
        code = self.process.wait(PATIENCE)
        self.process.stdout.close()
        self.process.stdin.close()
        return code


def self_signed(test, folder):
    """A key and a certificate for 127.0.0.1, made in a folder; the test is skipped where that can't be done."""
    key, certificate = folder / "key.pem", folder / "certificate.pem"
    made = subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", key, "-out", certificate, "-days", "2",
         "-subj", "/CN=localhost", "-addext", "subjectAltName=IP:127.0.0.1"],
        capture_output=True, check=False,
    )  # fmt: skip
    if made.returncode:
        test.skipTest("openssl can't make a certificate here")
    return key, certificate


class Served(unittest.TestCase):
    def serve(self, text, *more):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "lock.bench.toml"
        path.write_text(text)
        process = Process(self, "serve", str(path), "--json", *more)
        endpoints = {}
        while (line := process.line())["event"] == "endpoint":
            endpoints[line["board"], line["link"]] = line
        return process, endpoints, path

    def gatehouse(self, served):
        text = demo_path().read_text().replace('settings = "8N1"', f'settings = "8N1"\nserved = "{served}"', 1)
        return self.serve(text, "--board", "gatehouse", "--events")


class OverUsb(Served):
    def test_a_device_that_is_exported_is_driven_and_asked_at_its_control_pipe(self):
        _, endpoints, _ = self.serve(demo_path().read_text(), "--board", "signalpost")
        at = ("--at", f"signalpost={endpoints['signalpost', 'usb']['address']}")
        ran = cavet("drive", "demo", *at, "post_1=on", "post_1=off")
        self.assertEqual((ran.code, ran.out.count("confirmed")), (0, 2), ran)
        wanted = ("get-descriptor", "descriptor_type=device", "length=18")
        ran = cavet("say", "demo", *at, "signalpost", *wanted)
        self.assertEqual((ran.code, json.loads(ran.out)["fields"]["id_product"]), (0, 0xCA7E), ran)

    def test_parts_of_what_is_elsewhere_are_told_as_that(self):
        _, endpoints, _ = self.serve(demo_path().read_text(), "--board", "signalpost")
        at = {"signalpost": endpoints["signalpost", "usb"]["address"]}
        with cavet_open("demo", at=at) as bench, self.assertRaises(WrongError) as caught:
            bench.part("signalpost.post_1")
        self.assertIn("of signalpost only its points can be looked at", str(caught.exception))

    def test_an_address_of_another_kind_is_told_with_what_it_looks_like(self):
        for board, address, words in (
            ("signalpost", "/dev/ttyUSB0", "a usb link, which is what signalpost has: usbip:HOST:PORT or VENDOR"),
            ("mast", "/dev/ttyUSB0", "a buses link, which is what mast has: /dev/i2c-1"),
            ("gatehouse", "127.0.0.1:99", "a serial link, which is what gatehouse has: /dev/ttyUSB0"),
        ):
            ran = cavet("drive", "demo", "--at", f"{board}={address}", "beacon=1%")
            self.assertEqual((ran.code, ran.err.count("\n")), (2, 1))
            self.assertIn(words, ran.err)

    def test_one_that_is_not_there_is_told_once(self):
        ran = cavet("drive", "demo", "--at", "signalpost=usbip:127.0.0.1:1", "post_1=on")
        self.assertEqual((ran.code, ran.err), (3, "usbip:127.0.0.1:1: Connection refused\n"))


class OverTheNetwork(Served):
    def test_a_serial_line_is_offered_as_raw_bytes_and_driven_through_a_url(self):
        process, endpoints, _ = self.gatehouse("raw")
        endpoint = endpoints["gatehouse", "serial"]
        self.assertTrue(endpoint["address"].startswith("socket://127.0.0.1:"))
        self.assertEqual((endpoint["baud"], endpoint["settings"]), (57600, "8N1"))
        with serial.serial_for_url(endpoint["address"], 57600, timeout=PATIENCE) as port:
            self.assertTrue(port.read(7).startswith(WREN_HELLO))
        process.until(lambda line: line.get("value") == "shut")
        ran = cavet("drive", "demo", "--at", f"gatehouse={endpoint['address']}", "upper_paddle=40%", "level?")
        self.assertEqual(ran.code, 0, ran)
        self.assertIn("confirmed 40 %", ran.out)

    def test_by_rfc2217_the_rate_counts_and_the_lines_are_told(self):
        process, endpoints, _ = self.gatehouse("rfc2217")
        address = endpoints["gatehouse", "serial"]["address"]
        self.assertTrue(address.startswith("rfc2217://"))
        with serial.serial_for_url(address, 57600, timeout=PATIENCE) as port:
            port.write(bytes.fromhex("F9 F0 79 F7"))  # what has come before this end was ready, it has thrown away
            self.assertTrue(port.read_until(WREN_HELLO).endswith(WREN_HELLO))
            port.dtr = False
            process.until(lambda line: line.get("note") == "DTR is off")
            port.baudrate = 9600
            process.until(lambda line: line.get("note") == "9600 baud at the other end")
            port.write(bytes.fromhex("F0 6D 0B F7"))
            port.baudrate = 57600
            port.reset_input_buffer()
            port.write(bytes.fromhex("FF F0 6D 0B F7"))
            self.assertIn(bytes.fromhex("F0 6E 0B 00 00 F7"), port.read_until(b"\x00\x00\xf7"))
        ran = cavet("drive", "demo", "--at", f"gatehouse={address}", "beacon=50%")
        self.assertEqual(ran.code, 0, ran)

    def test_what_is_no_telnet_ends_that_connection_only(self):
        process, endpoints, _ = self.gatehouse("rfc2217")
        host, _, port = endpoints["gatehouse", "serial"]["address"].removeprefix("rfc2217://").rpartition(":")
        for hostile in (b"\xff\xf0", b"\xff\xfa" + b"x" * 5000, b"\xff\xfa\x2c\x01\x00\xff\xf0"):
            with socket.create_connection((host, int(port)), timeout=PATIENCE) as link:
                link.sendall(hostile)
                link.shutdown(socket.SHUT_WR)
                while link.recv(4096):
                    pass
            process.until(lambda line: line.get("value") == "shut")
        self.assertIsNone(process.process.poll())

    def test_a_port_that_is_not_there_is_told_in_one_line(self):
        for url in ("rfc2217://127.0.0.1:9", "socket://127.0.0.1:9"):
            ran = cavet("drive", "demo", "--at", f"gatehouse={url}", "beacon=50%")
            self.assertEqual((ran.code, ran.err.count("\n")), (3, 1), ran)


class Encrypted(Served):
    def test_a_board_behind_tls_is_driven_by_who_trusts_it(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        key, certificate = self_signed(self, Path(folder.name))
        tls = f'tls = true\ncertificate = "{certificate}"\nkey = "{key}"\ntrust = "{certificate}"\n'
        text = (
            demo_path()
            .read_text()
            .replace(
                '[links.pumphouse]\nkind = "tcp"\nboard = "pumphouse"\n',
                f'[links.pumphouse]\nkind = "tcp"\nboard = "pumphouse"\n{tls}',
            )
        )
        _, endpoints, path = self.serve(text, "--board", "pumphouse")
        address = endpoints["pumphouse", "tcp"]["address"]
        ran = cavet("drive", str(path), "--at", f"pumphouse={address}", "heater=on")
        self.assertEqual(ran.code, 0, ran)
        host, _, port = address.rpartition(":")
        context = ssl.create_default_context(cafile=certificate)
        with (
            socket.create_connection((host, int(port))) as plain,
            context.wrap_socket(plain, server_hostname=host) as link,
        ):
            link.sendall(bytes.fromhex("0001 0000 0006 07 01 0003 0001"))
            self.assertEqual(link.recv(100).hex(), "00010000000407010101")
        path.write_text(text.replace(f'trust = "{certificate}"', "", 1))
        ran = cavet("drive", str(path), "--at", f"pumphouse={address}", "heater=off")
        self.assertEqual(ran.code, 3)
        self.assertIn("its certificate is not trusted", ran.err)
        path.write_text(text.replace(str(key), "/nowhere/key.pem"))
        ran = cavet("serve", str(path))
        self.assertEqual((ran.code, ran.err.count("\n")), (2, 1), ran)


class Bridges(Served):
    def test_two_links_are_joined_and_messages_shown(self):
        _, endpoints, _ = self.serve(demo_path().read_text(), "--board", "pumphouse")
        address = endpoints["pumphouse", "tcp"]["address"]
        bridge = Process(self, "bridge", "listen:0", address, "--decode", "modbus-tcp", "--json")
        offered = bridge.until(lambda line: "offered" in line.get("state", ""))["state"].split()[-1]
        host, _, port = offered.rpartition(":")
        with socket.create_connection((host, int(port)), timeout=PATIENCE) as link:
            link.sendall(bytes.fromhex("0007 0000 0006 07 05 0004 FF00"))
            self.assertEqual(link.recv(100).hex(), "00070000000607050004ff00")
            for side in ("host", "board"):
                line = bridge.until(lambda line, side=side: line.get("from") == side)
                self.assertEqual((line["message"], line["fields"]["address"]), ("write-single-coil", 4))
        bridge.until(lambda line: "shut" in line.get("state", ""))
        with socket.create_connection((host, int(port)), timeout=PATIENCE) as link:
            link.sendall(bytes.fromhex("0008 0000 0006 07 01 0004 0001"))
            self.assertEqual(link.recv(100).hex(), "00080000000407010101")
        self.assertEqual(bridge.end(), 0)

    def test_control_codes_from_outside_do_not_reach_the_screen(self):
        _, endpoints, _ = self.serve(demo_path().read_text(), "--board", "switchrack")
        bridge = Process(self, "bridge", "listen:0", endpoints["switchrack", "tcp"]["address"], "--decode", "scpi")
        offered = bridge.text_until("offered").split()[-1]
        host, _, port = offered.rpartition(":")
        with socket.create_connection((host, int(port)), timeout=PATIENCE) as link:
            link.sendall(b'DISP:TEXT "\x1b[2J\x07"\n*IDN?\n')
            self.assertIn(b"\n", link.recv(100))
            shown = bridge.text_until("◂──")
        self.assertIn("[2J", shown)
        self.assertFalse(set(shown) & set("\x1b\x07"), shown)

    def test_a_device_is_offered_for_a_line_on_the_network(self):
        _, endpoints, _ = self.gatehouse("raw")
        bridge = Process(self, "bridge", "device@57600", endpoints["gatehouse", "serial"]["address"], "--json")
        device = bridge.until(lambda line: "offered" in line.get("state", ""))["state"].split()[-1]
        bridge.until(lambda line: line.get("from") == "board")
        with serial.Serial(device, 57600, timeout=PATIENCE) as port:
            port.write(bytes.fromhex("F0 6D 0B F7"))
            self.assertIn(bytes.fromhex("F0 6E 0B 00 00 F7"), port.read_until(b"\x00\x00\xf7"))

    def test_ends_that_make_no_sense_are_told_in_one_line(self):
        for words, code in (
            (("nowhere", "x:1"), 2),
            (("/dev/ttyNONE1", "listen:0"), 3),
            (("listen:0", "127.0.0.1:1"), 3),
        ):
            ran = cavet("bridge", *words)
            self.assertEqual((ran.code, ran.err.count("\n")), (code, 1), ran)
        self.assertEqual(cavet("bridge", "device@ten", "listen:0").code, 2)


if __name__ == "__main__":
    unittest.main()
