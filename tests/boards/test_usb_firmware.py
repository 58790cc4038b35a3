"""The signal post as an importer sees it: USB over IP, byte for byte as the kernel documents it."""

import struct
import unittest

from cavet.benchfile import read_plan_text, shipped_plans
from cavet.boards import Board, Circuit, Client, PinMode, PinProfile, Profile, Rig, World
from cavet.boards.firmware.plans import Answer, Engine, Given, PlanBoard, Taken
from cavet.boards.firmware.usb import Identity, UsbFirmware
from cavet.boards.parts import Lamp
from cavet.record import Record, Tell
from tests.boards.worlds import wired

PINS = tuple(range(8))
EPIPE, ECONNRESET = -32, -104


class Post:
    """A signal post on its own, and one importer of it."""

    def __init__(self, faults=None):
        self.time = 0.0
        self.record = Record(lambda: self.time)
        tell = Tell(self.record, "post")
        plan = read_plan_text(shipped_plans()["signalpost"], "signalpost")
        codecs = {name: plan.codec(name) for name in plan.frames}
        board = PlanBoard(
            codecs=codecs,
            takes={
                "order": (
                    Taken(field="levels", does="set", pins=PINS, mask="mask"),
                    Taken(field="blink", does="blink", pins=PINS, mask="mask"),
                )
            },
            gives=(
                Answer(
                    frame="state",
                    when="taken",
                    fields=(
                        Given(field="levels", of="levels", pins=PINS),
                        Given(field="blink", of="blinks", pins=PINS),
                        Given(field="faults", of="expression" if faults else "faults"),
                    ),
                ),
            ),
        )
        pins = {number: PinProfile(number=number, modes={PinMode.OUTPUT: 1, PinMode.INPUT: 1}) for number in PINS}
        lamps = [wired(Lamp, f"post_{number + 1}", pin=number) for number in PINS]
        self.circuit = Circuit(Profile(name="post", pins=pins), lamps, tell)
        engine = Engine(board, self.circuit, tell, {"state.faults": faults} if faults else {})
        self.firmware = UsbFirmware(Identity(vendor=0x1209, product=0xCA7E, title="Post"), board, engine, tell)
        self.board = Board("post", self.circuit, self.firmware, tell)
        rig = Rig([], {f"post.{lamp.name}": lamp for lamp in lamps})
        for lamp in lamps:
            lamp.join(rig, tell, self.circuit.stir)
        self.world = World([self.board], rig, [], self.record)
        self.world.advance(0.0)

    def go(self, until):
        due = self.world.advance(self.time)
        while due <= until:
            self.time = due
            due = self.world.advance(self.time)
        self.time = until
        self.world.advance(until)

    def levels(self):
        return sum(int(pin.duty > 0) << number for number, pin in self.circuit.pins.items())


class Importer:
    """A program that talks to it."""

    def __init__(self, post):
        self.post = post
        self.client = Client("usbip")
        self.sequence = self.sent = 0
        self.hung_up = False
        post.board.opened(self.client, post.time)

    def say(self, data):
        self.sent += len(data)
        self.post.board.feed(self.client, data, self.sent - len(data), self.post.time, lambda end, frame: 0)
        self.post.world.advance(self.post.time)
        out = [outgoing for outgoing in self.post.board.take_out() if outgoing.client is self.client]
        self.hung_up = any(outgoing.hangs_up for outgoing in out)
        return b"".join(outgoing.data for outgoing in out)

    def import_device(self, bus_id=b"1-1"):
        return self.say(struct.pack(">HHI", 0x0111, 0x8003, 0) + bus_id.ljust(32, b"\0"))

    def submit(self, direction, endpoint, length, setup=bytes(8), data=b""):
        self.sequence += 1
        head = struct.pack(">IIIII", 1, self.sequence, 0x10002, direction, endpoint)
        return self.say(head + struct.pack(">IiIIi", 0, length, 0, 0xFFFFFFFF, 0) + setup + data)

    def control(self, text, length=255, data=b""):
        setup = bytes.fromhex(text)
        return ended(self.submit(setup[0] >> 7, 0, length if setup[0] & 0x80 else len(data), setup, data))[0]

    def out(self, text):
        data = bytes.fromhex(text)
        return self.submit(0, 2, len(data), data=data)

    def unlink(self, victim):
        self.sequence += 1
        return self.say(struct.pack(">IIIII", 2, self.sequence, 0x10002, 0, 0) + struct.pack(">I24x", victim))


def ended(data):
    """The transfers that have ended: status, length, data; those of no IN have none."""
    found = []
    while data:
        command, _, device, direction, endpoint, status, length = struct.unpack(">IIIIIii", data[:28])
        assert (command, device, direction, endpoint) == (3, 0, 0, 0), data
        brings = length if len(data) >= 48 + length and data[48 : 48 + 4] != b"\0\0\0\3" else 0
        found.append((status, length, data[48 : 48 + brings]))
        data = data[48 + brings :]
    return found


class Operations(unittest.TestCase):
    def test_the_list_of_devices(self):
        reply = Importer(Post()).say(struct.pack(">HHI", 0x0111, 0x8005, 0))
        self.assertEqual(reply[:12], struct.pack(">HHII", 0x0111, 0x0005, 0, 1))
        device = reply[12:]
        self.assertEqual(len(device), 312 + 4)
        self.assertEqual(device[256:288].rstrip(b"\0"), b"1-1")
        self.assertEqual(
            struct.unpack(">IIIHHHBBBBBB", device[288:312]), (1, 2, 2, 0x1209, 0xCA7E, 0x0100, 0, 0, 0, 1, 1, 1)
        )
        self.assertEqual(device[312:], b"\xff\0\0\0")

    def test_importing_it_once(self):
        post = Post()
        first, second = Importer(post), Importer(post)
        self.assertEqual(len(first.import_device()), 8 + 312)
        refused = second.import_device()
        self.assertEqual((len(refused), refused[:4]), (8, b"\x01\x11\0\3"))
        self.assertNotEqual(refused[4:], bytes(4))
        post.board.closed(first.client, post.time)
        self.assertEqual(len(second.import_device()), 8 + 312)

    def test_who_has_it_loses_it_when_it_begins_anew(self):
        post = Post()
        holder, other = Importer(post), Importer(post)
        holder.import_device()
        post.board.restart(post.time)
        post.go(post.time + 2.0)
        self.assertEqual([out.client for out in post.board.take_out() if out.hangs_up], [holder.client])
        self.assertIn(b"1-1", other.import_device())

    def test_an_unknown_device_is_refused_and_another_may_be_asked_for(self):
        importer = Importer(Post())
        self.assertNotEqual(importer.import_device(b"9-9")[4:8], bytes(4))
        self.assertEqual(importer.import_device()[4:8], bytes(4))

    def test_requests_are_read_however_they_are_cut(self):
        importer = Importer(Post())
        whole = struct.pack(">HHI", 0x0111, 0x8003, 0) + b"1-1".ljust(32, b"\0")
        whole += struct.pack(">IIIII", 1, 1, 0x10002, 1, 0)
        whole += struct.pack(">IiIIi", 0, 18, 0, 0, 0) + bytes.fromhex("8006000100001200")
        got = b"".join(importer.say(whole[at : at + 1]) for at in range(len(whole)))
        self.assertEqual(len(got), 8 + 312 + 48 + 18)

    def test_what_is_no_such_request_ends_the_connection(self):
        for data in (
            b"GET / HTTP/1.1\r\n\r\n",
            struct.pack(">HHI", 0x0106, 0x8005, 0),
            struct.pack(">HHI", 0x0111, 1, 0),
        ):
            importer = Importer(Post())
            importer.say(data)
            self.assertTrue(importer.hung_up, data)
        for data in (
            struct.pack(">IIIII", 9, 1, 0, 0, 0) + bytes(28),
            struct.pack(">IIIII", 1, 1, 0, 0, 2) + struct.pack(">IiIIi", 0, 1 << 30, 0, 0, 0) + bytes(8),
            struct.pack(">IIIII", 1, 1, 0, 0, 2) + struct.pack(">IiIIi", 0, -1, 0, 0, 0) + bytes(8),
        ):
            importer = Importer(Post())
            importer.import_device()
            importer.say(data)
            self.assertTrue(importer.hung_up, data)


class Control(unittest.TestCase):
    def setUp(self):
        self.post = Post()
        self.importer = Importer(self.post)
        self.importer.import_device()

    def test_descriptors(self):
        for setup, expected in (
            ("80 06 00 01 00 00 12 00", "12 01 00 02 00 00 00 40 09 12 7E CA 00 01 01 02 03 01"),
            ("80 06 00 01 00 00 08 00", "12 01 00 02 00 00 00 40"),
            ("80 06 00 02 00 00 09 00", "09 02 20 00 01 01 00 80 32"),
            (
                "80 06 00 02 00 00 FF 00",
                "09 02 20 00 01 01 00 80 32 09 04 00 00 02 FF 00 00 00 07 05 02 02 40 00 00 07 05 81 02 40 00 00",
            ),
            ("80 06 00 03 00 00 FF 00", "04 03 09 04"),
            ("80 06 02 03 09 04 FF 00", "0A 03 50 00 6F 00 73 00 74 00"),
            ("80 08 00 00 00 00 01 00", "01"),
            ("80 00 00 00 00 00 02 00", "00 00"),
            ("81 0A 00 00 00 00 01 00", "00"),
        ):
            with self.subTest(setup):
                status, length, data = self.importer.control(setup)
                self.assertEqual((status, data.hex(" ").upper()), (0, expected))
                self.assertEqual(length, len(data))

    def test_what_it_has_not_is_stalled(self):
        for setup in (
            "80 06 00 06 00 00 0A 00",
            "80 06 04 03 09 04 FF 00",
            "80 06 01 02 00 00 FF 00",
            "00 09 02 00 00 00 00 00",
            "01 0B 01 00 00 00 00 00",
            "C0 01 00 00 00 00 01 00",
            "82 00 00 00 83 00 02 00",
            "00 03 01 00 00 00 00 00",
            "82 0C 00 00 81 00 02 00",
        ):
            with self.subTest(setup):
                self.assertEqual(self.importer.control(setup), (EPIPE, 0, b""))

    def test_without_a_configuration_it_has_no_endpoints(self):
        self.assertEqual(self.importer.control("00 09 00 00 00 00 00 00"), (0, 0, b""))
        self.assertEqual(self.importer.control("80 08 00 00 00 00 01 00")[2], b"\0")
        self.assertEqual(ended(self.importer.out("01 01 00 02")), [(EPIPE, 0, b"")])

    def test_a_halted_endpoint_stalls_until_that_is_cleared(self):
        self.importer.control("02 03 00 00 02 00 00 00")
        self.assertEqual(self.importer.control("82 00 00 00 02 00 02 00")[2], b"\x01\0")
        self.assertEqual(ended(self.importer.out("01 01 00 02")), [(EPIPE, 0, b"")])
        self.importer.control("02 01 00 00 02 00 00 00")
        self.assertEqual(ended(self.importer.out("01 01 00 02")), [(0, 4, b"")])

    def test_a_transfer_that_waits_ends_when_its_endpoint_is_halted(self):
        self.assertEqual(self.importer.submit(1, 1, 64), b"")
        reply = self.importer.submit(0, 0, 0, bytes.fromhex("0203000081000000"))
        self.assertEqual([status for status, _, _ in ended(reply)], [0, EPIPE])


class Reports(unittest.TestCase):
    def setUp(self):
        self.post = Post()
        self.importer = Importer(self.post)
        self.importer.import_device()

    def read(self, length=64):
        return self.importer.submit(1, 1, length)

    def test_lamps_outside_the_mask_keep_level_and_blink(self):
        self.assertEqual(ended(self.importer.out("0F 05 00 14")), [(0, 4, b"")])
        self.assertEqual(self.post.levels(), 0x05)
        self.importer.out("01 00 00 01")
        self.assertEqual(self.post.levels(), 0x04)
        self.assertEqual([ended(self.read())[0][2].hex(), ended(self.read())[0][2].hex()], ["05000005", "04000004"])

    def test_a_bad_report_changes_nothing_and_is_told_once(self):
        self.importer.out("01 01 00 02")
        for bad in ("FF FF 00 00", "FF FF 00", "FF FF 00 FE 00", ""):
            with self.subTest(bad):
                self.assertEqual(ended(self.importer.out(bad))[0][:2], (0, len(bytes.fromhex(bad))))
                self.assertEqual(self.post.levels(), 0x01)
                self.read()
                report = ended(self.read())[0][2] if bad == "FF FF 00 00" else None
                if report is not None:
                    self.assertEqual(report[:2], b"\x01\0")
                    self.assertNotEqual(report[2], 0)
                    self.assertEqual(report[3], sum(report[:3]) & 0xFF)
                self.importer.out("00 00 00 00")
                report = ended(self.read())[0][2]
        self.importer.out("00 00 00 00")
        while (reply := self.read()) != b"":
            last = ended(reply)[0][2]
        self.assertEqual(last[2], 0)

    def test_a_read_waits_for_the_next_report(self):
        self.assertEqual(self.read(), b"")
        reply = self.importer.out("02 02 02 06")
        self.assertEqual([(status, data.hex()) for status, _, data in ended(reply)], [(0, ""), (0, "02020004")])

    def test_a_read_that_is_taken_back_takes_no_report_with_it(self):
        self.assertEqual(self.read(), b"")
        taken_back = self.importer.unlink(self.importer.sequence)
        self.assertEqual(struct.unpack(">IIIIIi", taken_back[:24]), (4, 2, 0, 0, 0, ECONNRESET))
        self.assertEqual(len(taken_back), 48)
        self.importer.out("01 01 00 02")
        self.assertEqual(ended(self.read())[0][2].hex(), "01000001")
        self.assertEqual(struct.unpack(">i", self.importer.unlink(self.importer.sequence)[20:24]), (0,))

    def test_a_buffer_that_is_too_short_is_told(self):
        self.importer.out("01 01 00 02")
        self.assertEqual(ended(self.read(2))[0][0], -75)

    def test_an_endpoint_that_is_not_there_stalls(self):
        for direction, endpoint in ((0, 1), (1, 2), (0, 15)):
            reply = self.importer.submit(direction, endpoint, 0)
            self.assertEqual(ended(reply), [(EPIPE, 0, b"")])

    def test_a_report_that_its_fields_can_not_hold_is_told_and_the_device_goes_on(self):
        faults = [999, 5]
        post = Post(lambda: faults.pop(0))
        importer = Importer(post)
        importer.import_device()
        self.assertEqual(ended(importer.out("01 01 00 02")), [(0, 4, b"")])
        self.assertEqual(importer.submit(1, 1, 64), b"")
        notes = [event.note for event in post.record.since(0) if event.kind == "refused"]
        self.assertEqual(notes, ["can't be said: state.faults: found 999, expected 0 to 255"])
        reply = importer.out("00 00 00 00")
        self.assertEqual(ended(reply)[1][2].hex(), "01000506")

    def test_lamps_that_blink_go_on_and_off_and_are_told_as_on(self):
        self.importer.out("01 01 01 03")
        seen = set()
        for _ in range(8):
            self.post.go(self.post.time + 0.1)
            seen.add(self.post.levels())
        self.assertEqual(seen, {0, 1})
        self.importer.out("00 00 00 00")
        self.read()
        self.assertEqual(ended(self.read())[0][2].hex(), "01010002")
        self.importer.out("01 01 00 02")
        self.post.go(self.post.time + 1)
        self.assertEqual(self.post.levels(), 1)


if __name__ == "__main__":
    unittest.main()
