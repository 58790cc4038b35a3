"""USB from the host's side: pyusb over our backend, and the end that a session uses, against a real endpoint."""

import asyncio
import errno
import socket
import threading
import unittest

import usb.core

from cavet.links import StalledError, UsbEnd, words
from cavet.links.usb_backend import UsbIpBackend, exported_devices
from cavet.wording import UnreachableError
from tests.commands.test_serve import Served
from tests.patience import PATIENCE


class Heard:
    """A listener that keeps what it is told."""

    def __init__(self):
        self.data = b""
        self.reason = None
        self.changed = asyncio.Event()

    def opened(self):
        pass

    def received(self, data, offset, at):
        self.data += data
        self.changed.set()

    def closed(self, reason):
        self.reason = reason
        self.changed.set()


class Usb(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        served = Served("--board", "signalpost")
        cls.addClassCleanup(served.end)
        _, cls.host, port = served.address("signalpost", "usb").split(":")
        cls.port = int(port)

    def find(self, vendor=0x1209, product=0xCA7E):
        return usb.core.find(backend=UsbIpBackend(self.host, self.port), idVendor=vendor, idProduct=product)

    def opened(self):
        device = self.find()
        self.addCleanup(usb.util.dispose_resources, device)
        device.set_configuration()
        return device

    def test_a_program_that_uses_pyusb_finds_it_and_reads_its_strings(self):
        self.assertEqual([device.bus_id for device in exported_devices(self.host, self.port)], ["1-1"])
        device = self.opened()
        self.assertEqual((device.manufacturer, device.product, device.serial_number), ("Cavet", "Signalpost", "0001"))
        interface = device.get_active_configuration()[(0, 0)]
        self.assertEqual([endpoint.bEndpointAddress for endpoint in interface], [0x02, 0x81])
        self.assertIsNone(self.find(product=1))

    def test_reports_go_both_ways_with_their_counts(self):
        device = self.opened()
        self.assertEqual(device.write(0x02, bytes.fromhex("FF 80 00 7F")), 4)
        self.assertEqual(bytes(device.read(0x81, 64, 1000)).hex(), "80000080")

    def test_time_outs_and_stalls_are_errors_of_pyusb(self):
        device = self.opened()
        with self.assertRaises(usb.core.USBTimeoutError):
            device.read(0x81, 64, 50)
        device.write(0x02, bytes.fromhex("FF 00 00 FF"))
        self.assertEqual(bytes(device.read(0x81, 64, 1000)).hex(), "00000000")
        with self.assertRaises(usb.core.USBError) as caught:
            device.ctrl_transfer(0xC0, 1, 0, 0, 1)
        self.assertEqual((caught.exception.errno, words(caught.exception)), (errno.EPIPE, "the endpoint has stalled"))

    def test_one_thread_reads_while_another_writes(self):
        device = self.opened()
        read = []

        def reading():
            while len(read) < 60:
                read.append(bytes(device.read(0x81, 64, 10_000))[0])

        reader = threading.Thread(target=reading, daemon=True)
        reader.start()
        levels = [number % 251 for number in range(1, 61)]
        for number, level in enumerate(levels):
            self.assertEqual(device.write(0x02, bytes((255, level, 0, (255 + level) % 256)), 10_000), 4)
            while len(read) <= number and reader.is_alive():  # one report is ready after each
                reader.join(0.001)
        reader.join(PATIENCE)
        self.assertEqual(read, levels)

    def test_who_waits_is_told_when_the_device_is_given_back(self):
        device = self.opened()
        handle = device._ctx.handle
        told = []

        def reading():
            try:
                handle.transfer(0x81, 64, 0)
            except usb.core.USBError as error:
                told.append(error.errno)

        reader = threading.Thread(target=reading, daemon=True)
        reader.start()
        with self.assertRaises(usb.core.USBTimeoutError):  # by then the other one waits, too
            handle.transfer(0x81, 64, 50)
        handle.close()
        reader.join(PATIENCE)
        self.assertEqual(told, [errno.ENODEV])

    def test_who_comes_second_is_told_that_it_is_busy(self):
        self.opened()
        with self.assertRaises(usb.core.USBError) as caught:
            UsbIpBackend(self.host, self.port).open_device(
                next(iter(UsbIpBackend(self.host, self.port).enumerate_devices()))
            )
        self.assertEqual(caught.exception.errno, errno.EBUSY)

    def test_the_end_of_a_session_works_on_what_pyusb_finds(self):
        async def story():
            end = UsbEnd("1209:CA7E", 0x02, 0x81, self.find)
            heard = Heard()
            await end.open(heard)
            try:
                self.assertEqual(end.write(bytes.fromhex("FF 03 00 02")), 4)
                async with asyncio.timeout(PATIENCE):
                    await heard.changed.wait()
                return heard.data.hex()
            finally:
                end.close()

        self.assertEqual(asyncio.run(story()), "03000003")

    def test_the_control_pipe_of_a_device_that_is_plugged_in_answers_or_stalls(self):
        async def story():
            end = UsbEnd("1209:CA7E", 0x02, 0x81, self.find)
            await end.open(Heard())
            try:
                descriptor = await end.control(bytes.fromhex("80 06 00 01 00 00 12 00"))
                with self.assertRaises(StalledError):
                    await end.control(bytes.fromhex("C0 01 00 00 00 00 04 00"))
                return descriptor
            finally:
                end.close()

        self.assertEqual(asyncio.run(story())[:2].hex(), "1201")

    def test_what_can_not_be_opened_is_one_line(self):
        for address, endpoints, part in (
            ("1209:0001", (0x02, 0x81), "there is no such device"),
            ("1209:CA7E", (0x03, 0x81), "it has no endpoint 0x03: it has 0x02, 0x81"),
        ):
            with self.subTest(address), self.assertRaises(UnreachableError) as caught:
                asyncio.run(UsbEnd(address, *endpoints, self.find).open(Heard()))
            self.assertIn(part, str(caught.exception))
        self.assertIn("access refused", words(usb.core.USBError("no", None, errno.EACCES)))


class Strangers(unittest.TestCase):
    """Servers that are none, or that leave."""

    def listed(self, answer):
        with socket.create_server(("127.0.0.1", 0)) as server:

            def serve():
                line, _ = server.accept()
                with line:
                    line.recv(64)
                    line.sendall(answer)

            stranger = threading.Thread(target=serve)
            stranger.start()
            with self.assertRaises(usb.core.USBError) as caught:
                exported_devices(*server.getsockname()[:2])
            stranger.join()
            return str(caught.exception)

    def test_a_list_without_an_end_is_none(self):
        words = self.listed(bytes.fromhex("0111 0005 00000000 FFFFFFFF"))
        self.assertIn("found a list of 4294967295 devices, expected at most 1024", words)

    def test_who_leaves_in_the_middle_of_its_list_is_told(self):
        self.assertIn(
            "the server has shut the connection", self.listed(bytes.fromhex("0111 0005 00000000 00000002 00"))
        )

    def test_another_version_is_told(self):
        self.assertIn("found version 0x0222", self.listed(bytes.fromhex("0222 0005 00000000")))


if __name__ == "__main__":
    unittest.main()
