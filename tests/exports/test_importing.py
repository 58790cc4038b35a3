"""Captures of others as records: TCP in any order, lines of text, files that are cut or lie."""

import random
import struct
import subprocess
import sys
import tempfile
import unittest
import unittest.mock
from pathlib import Path

import cavet
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.exports import Cut, Importing, pcapng
from cavet.library.past import past_trails
from cavet.record import Direction, Kind, RecordFile
from cavet.wording import WrongError
from tests.exports import test_exports
from tests.patience import PATIENCE

ASK = bytes.fromhex("0001 0000 0006 07 03 0000 0002")
ANSWER = bytes.fromhex("0001 0000 0007 07 03 04 000A 0102")
HOST, BOARD = ("10.0.0.9", 50000), ("10.0.0.5", 502)
SYN, ACK, FIN = 2, 16, 1


def tcp(source, target, sequence, data=b"", flags=ACK):
    """An IPv4 packet with TCP in it; its sums are left out, as cards do."""
    segment = struct.pack(">HHIIBBHHH", source[1], target[1], sequence % (1 << 32), 0, 0x50, flags, 1000, 0, 0) + data
    addresses = b"".join(bytes(map(int, end[0].split("."))) for end in (source, target))
    return struct.pack(">BBHHHBBH", 0x45, 0, 20 + len(segment), 0, 0, 64, 6, 0) + addresses + segment


def ethernet(packet):
    return bytes(12) + b"\x81\x00\x00\x05\x08\x00" + packet


def cooked(packet):
    return bytes(14) + b"\x08\x00" + packet


def pcap(packets, link_type=101, order="<", sign=0xA1B2C3D4, unit=1e-6):
    """A file of the older format."""
    whole = struct.pack(order + "IHHiIII", sign, 2, 4, 0, 0, 65535, link_type)
    for t, data in packets:
        whole += struct.pack(order + "IIII", int(t), round(t % 1 / unit), len(data), len(data)) + data
    return whole


SETUP = """
format = 1
[frames.packet]
start = "02"
end = "03"
fields = [
  { name = "kind", bits = 8, values = { set = 1, told = 2 } },
  { name = "length", bits = 8, length_of = "payload" },
  { name = "payload", type = "bytes" },
  { name = "crc", bits = 16, check = "crc", polynomial = 0x1021, initial = 0xFFFF },
]
"""


class OnFiles(unittest.TestCase):
    def setUp(self):
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.folder = Path(place.name)

    def read(self, data, protocol="modbus-tcp", host=None):
        path = self.folder / "x"
        path.write_bytes(data)
        made = Importing(path, protocol, host)
        return made, made.read()

    def said(self, made):
        """The bytes of each direction, by the events of their messages."""
        found = {Direction.TO_BOARD: b"", Direction.TO_HOST: b""}
        for transfer in made.record.transfers.since(0):
            found[transfer.direction] += transfer.data
        return found[Direction.TO_BOARD], found[Direction.TO_HOST]


class Tcp(OnFiles):
    TALK = (
        (1000.0, tcp(HOST, BOARD, 99, flags=SYN)), (1000.1, tcp(BOARD, HOST, 499, flags=SYN | ACK)),
        (1000.2, tcp(HOST, BOARD, 100)), (1000.3, tcp(HOST, BOARD, 100, ASK)), (1000.4, tcp(BOARD, HOST, 500, ANSWER)),
        (1000.5, tcp(HOST, BOARD, 112, flags=FIN | ACK)),
    )  # fmt: skip

    def test_each_kind_of_file_and_link_is_read(self):
        for wrap, link_type in ((lambda packet: packet, 101), (ethernet, 1), (cooked, 113)):
            packets = [(t, wrap(packet)) for t, packet in self.TALK]
            for order, sign, unit in (("<", 0xA1B2C3D4, 1e-6), (">", 0xA1B2C3D4, 1e-6), ("<", 0xA1B23C4D, 1e-9)):
                with self.subTest(link_type=link_type, order=order, unit=unit):
                    made, counts = self.read(pcap(packets, link_type, order, sign, unit))
                    self.assertEqual((ASK, ANSWER), self.said(made))
                    self.assertEqual((6, 2, 0, 0, 0), tuple(counts))
                    asked, told = made.record.since(0)
                    self.assertEqual((Kind.CARRIED, Kind.TOLD, asked.number), (asked.kind, told.kind, told.cause))
                    self.assertAlmostEqual(0.3, asked.t, 5)
                    self.assertIn('address = "10.0.0.5:502"', made.bench)

    def test_segments_in_any_order_doubled_and_overlapping_are_put_together(self):
        whole = b"".join(struct.pack(">HHHBBHH", number, 0, 6, 7, 3, number, 1) for number in range(200))
        for seed in range(20):
            chance = random.Random(seed)
            start = chance.choice([1, (1 << 32) - 700])
            pieces, at = [], 0
            while at < len(whole):
                size = chance.randint(1, 90)
                pieces += [(at, whole[at : at + size + chance.randint(0, 9)])] * chance.choice([1, 1, 2])
                at += size
            order = sorted(range(len(pieces)), key=lambda place: place + chance.uniform(0, 8))
            packets = [(0, tcp(HOST, BOARD, start - 1, flags=SYN))]
            packets += [
                (n / 1000, tcp(HOST, BOARD, start + pieces[place][0], pieces[place][1]))
                for n, place in enumerate(order)
            ]
            made, counts = self.read(pcap(packets))
            self.assertEqual(whole, self.said(made)[0], seed)
            self.assertEqual((200, 0), (counts.frames, counts.lost))
            self.assertGreater(counts.repeated, 0)

    def test_what_is_missing_is_told_and_what_follows_is_read(self):
        packets = [*self.TALK[:4], (1001, tcp(HOST, BOARD, 124, ASK)), (1002, tcp(HOST, BOARD, 136, ASK))]
        made, counts = self.read(pcap(packets))
        self.assertEqual((12, 3), (counts.lost, counts.frames))
        lost = [event for event in made.record.since(0) if event.kind is Kind.LOST]
        self.assertEqual(["12 bytes are not in the capture"], [event.note for event in lost])

    def test_who_is_the_host_is_seen_by_who_opens_it_or_named(self):
        later = self.TALK[3:5]
        made, _ = self.read(pcap(later))
        self.assertEqual((ASK, ANSWER), self.said(made))
        turned = [
            (t, tcp(BOARD, HOST, 1, ASK) if n == 0 else tcp(HOST, BOARD, 1, ANSWER)) for n, (t, _) in enumerate(later)
        ]
        made, _ = self.read(pcap(turned), host="10.0.0.5")
        self.assertEqual((ASK, ANSWER), self.said(made))


class Others(OnFiles):
    def test_lines_of_text_have_a_time_and_hex(self):
        text = b"# a line\n0.0 > 01 03 00 00 00 02 C4 0B\n.02 < 0103040006 0005DA31\n\n"
        text += b"1.5 0103000000 02C40B\n1.6 s 018302C0F1"
        made, counts = self.read(text, "modbus-rtu")
        self.assertEqual((4, 4), counts[:2])
        kinds = [(event.kind, event.cause) for event in made.record.since(0)]
        self.assertEqual(
            [(Kind.CARRIED, None), (Kind.TOLD, 0), (Kind.CARRIED, None), (Kind.TOLD, 2), (Kind.REFUSED, 2)], kinds
        )
        for wrong in (b"0.1 > 01 0\n", b"hello\n", b"\x00\xff\n", b"0.1 > xx\n"):
            with self.assertRaises(WrongError) as caught:
                self.read(wrong, "modbus-rtu")
            self.assertIn("x:1", str(caught.exception))

    def test_what_gets_no_answer_or_a_refusal_breaks_and_an_answer_has_its_time(self):
        text = b"""\
0.000 > 00 01 00 00 00 06 07 05 00 01 FF 00
0.010 < 00 01 00 00 00 06 07 05 00 01 FF 00
1.000 > 00 02 00 00 00 06 07 05 00 02 FF 00
3.000 > 00 03 00 00 00 06 07 05 00 09 FF 00
3.020 < 00 03 00 00 00 03 07 85 02
"""
        made, _ = self.read(text)
        found = past_trails(made.record.since(0), None)
        self.assertEqual(
            [(trail.ended, trail.broken_at, trail.why, trail.answered) for trail in found],
            [
                ("done", None, "", 0.01),
                ("broken", "confirmed", "no answer to it is in the capture, which ends 2 s behind it", None),
                ("broken", "taken", "exception 02, illegal data address", unittest.mock.ANY),
            ],
        )
        self.assertAlmostEqual(found[2].answered, 0.02)
        self.assertIn("compare what it asks for", found[2].mend)
        made, _ = self.read(b"0.0 > 000100000006070500 01FF00\n0.1 < 000100000003 07 85 00\n")  # none of the standard's
        self.assertEqual("exception 00", past_trails(made.record.since(0), None)[0].why)

    def test_a_broker_that_refuses_breaks_what_it_refuses(self):
        ask, no = cavet.encode("mqtt", "connect", client_id="a"), cavet.encode("mqtt", "connack", return_code=5)
        some = cavet.encode("mqtt", "subscribe", packet_id=7, filters="a:0,b:0")
        half = cavet.encode("mqtt", "suback", packet_id=7, reason_codes="0,128")
        lines = [f"{n}.0 {'<>'[n % 2 == 0]} {data.hex()}\n" for n, data in enumerate((ask, no, some, half))]
        made, _ = self.read("".join(lines).encode(), "mqtt")
        why = [trail.why for trail in past_trails(made.record.since(0), None)]
        self.assertEqual(why, ["return code 05, not authorized", "reason code 80, failure"])

    def test_each_protocol_is_read_as_what_it_is(self):
        for protocol, data in (
            ("firmata", "F9 02 07"), ("modbus-tcp", "000100000006070300000002"), ("modbus-rtu", "010300000002C40B"),
            ("modbus-ascii", b":010300000002FA\r\n".hex()), ("scpi", b"*IDN?\n".hex()), ("mqtt", "C0 00"),
            ("mqtt5", cavet.encode("mqtt5", "connect", client_id="a").hex()), ("i2c", "4C 10"), ("spi", "01 02"),
            ("usb", ""),
        ):  # fmt: skip
            with self.subTest(protocol):
                made = Importing(self.folder / "x", protocol, None)
                line = made._line("there")
                tongue = made._heard_on(line)._tongue
                self.assertEqual(tongue.name, {"spi": "i2c"}.get(protocol, protocol))
                if data and protocol != "usb":
                    found, counts = self.read(f"0.5 > {data}\n".encode(), protocol)
                    self.assertGreaterEqual(counts.frames, 1)
                    kinds = {event.kind for event in found.record.since(0)}
                    self.assertIn(Kind.CARRIED, kinds)
                    self.assertNotIn(Kind.LOST, kinds)

    def test_transfers_over_usb_are_read_with_how_they_ended(self):
        def event(kind, number, endpoint, is_in, status=0, setup=None, data=b""):
            transfer = 2 if setup is not None else 3
            head = struct.pack("<QcBBBHcc", number, kind, transfer, endpoint | is_in << 7, 1, 1, b"\0", b"\0")
            length = 64 if is_in and kind == b"S" else len(data)  # what it may bring, what it brought
            head += struct.pack("<qiiII", 0, 0, status, length, len(data)) + (setup or bytes(8)) + bytes(16)
            return head + data

        configure, ask = bytes.fromhex("0009010000000000"), bytes.fromhex("C005000000000400")
        packets = [
            event(b"S", 1, 0, 0, setup=configure), event(b"C", 1, 0, 0, setup=b""),
            event(b"S", 2, 0, 1, setup=ask), event(b"C", 2, 0, 1, -32, setup=b""),
            event(b"S", 3, 1, 0, data=b"\x01\x02"), event(b"C", 3, 1, 0),
            event(b"S", 4, 1, 1), event(b"C", 4, 1, 1, data=b"\x03"), event(b"S", 5, 1, 1),
        ]  # fmt: skip
        made, counts = self.read(pcap([(1.0 + n, packet) for n, packet in enumerate(packets)], 220), "usb")
        self.assertEqual(9, counts.packets)
        said = [(each.subject, each.value) for each in made.record.since(0) if each.kind in (Kind.CARRIED, Kind.TOLD)]
        self.assertEqual(
            said,
            [
                ("set-configuration", configure), ("status-stage", b""), ("setup", ask), ("status-stage", b""),
                ("transfer-data", b"\x01\x02"), ("transfer-data", b"\x03"),
            ],
        )  # fmt: skip
        found = [(trail.ended, trail.why) for trail in past_trails(made.record.since(0), None)]
        self.assertEqual(found, [("done", ""), ("broken", "the control pipe has stalled"), ("done", "")])

    def test_what_a_record_was_exported_to_comes_back(self):
        test_exports.setUpModule()
        file = RecordFile(test_exports.PATH)
        setup = load_bench(demo_path()).setup
        whole = b"".join(pcapng(file, setup, Cut()))
        links = {"firmata": "gatehouse", "modbus-tcp": "pumphouse", "scpi": "switchrack"}
        places = {"firmata": "gatehouse.gatehouse", "modbus-tcp": "127.0.1.2:502", "scpi": "127.0.1.4:5025"}
        for protocol, link in links.items():
            path = self.folder / "x"
            path.write_bytes(whole)
            made = Importing(path, protocol, None, {places[protocol]})
            made.read()
            wanted = [b"".join(each.data for each in file.transfers() if (each.link, each.direction) == (link, way))
                      for way in (Direction.TO_BOARD, Direction.TO_HOST)]  # fmt: skip
            self.assertEqual(wanted, list(self.said(made)), protocol)
        for protocol in ("i2c", "spi", "usb", "mqtt"):
            _, counts = self.read(whole, protocol)
            self.assertGreater(counts.frames, 5, protocol)
        file.close()

    def test_a_file_cut_anywhere_or_with_bits_turned_never_raises_more_than_a_line(self):
        whole = pcap(Tcp.TALK)
        newer = b"".join(pcapng_of([packet for _, packet in Tcp.TALK]))
        for data in (whole, newer):
            for end in range(1, len(data)):
                self.quiet(data[:end])
            chance = random.Random(7)
            for _ in range(1500):
                turned = bytearray(data)
                for _ in range(chance.randint(1, 4)):
                    turned[chance.randrange(len(turned))] ^= 1 << chance.randrange(8)
                self.quiet(bytes(turned))

    def quiet(self, data):
        try:
            self.read(data)
        except WrongError as error:
            self.assertNotIn("\n", str(error))


def pcapng_of(packets):
    yield struct.pack("<IIIHHqI", 0x0A0D0D0A, 28, 0x1A2B3C4D, 1, 0, -1, 28)
    yield struct.pack("<IIHHII", 1, 20, 101, 0, 0, 20)
    for number, data in enumerate(packets):
        size = 32 + len(data) + -len(data) % 4
        yield struct.pack("<IIIIIII", 6, size, 0, 0, number * 1000, len(data), len(data))
        yield data + bytes(-len(data) % 4) + struct.pack("<I", size)


class Commands(OnFiles):
    def call(self, *words):
        return subprocess.run(
            [sys.executable, "-m", "cavet", *words], cwd=self.folder, capture_output=True, text=True, timeout=PATIENCE
        )

    def test_from_a_capture_to_its_trails_and_its_drawing(self):
        (self.folder / "c.pcap").write_bytes(pcap(Tcp.TALK))
        found = self.call("import", "c.pcap", "-o", "r.record", "--as", "modbus-tcp")
        self.assertEqual((0, ""), (found.returncode, found.stderr))
        self.assertIn("6 packets, 2 messages of modbus-tcp", found.stdout)
        self.assertEqual(2, self.call("import", "c.pcap", "-o", "r.record", "--as", "modbus-tcp").returncode)
        found = self.call("trails", "r.record", "--json")
        self.assertIn('"message":"read-holding-registers"', found.stdout)
        self.assertEqual(0, self.call("compare", "r.record", "r.record").returncode)
        found = self.call("import", "c.pcap", "-o", "s.record", "--as", "mqtt")
        self.assertEqual((2, 1), (found.returncode, found.stderr.count("\n")))
        self.assertEqual(2, self.call("export", "r.record", "--as", "pdfx").returncode)
        found = self.call("export", "r.record", "--as", "csv", "-o", "o.csv")
        self.assertEqual((0, ""), (found.returncode, found.stderr))
        self.assertEqual(2, self.call("export", "r.record", "--as", "csv", "-o", "o.csv").returncode)
        self.assertEqual(3, len((self.folder / "o.csv").read_bytes().splitlines()))

    def test_a_format_of_ones_own_is_read_by_its_plan(self):
        (self.folder / "my.plan.toml").write_text(SETUP, "utf-8")
        name = f"{self.folder}/my.plan.toml#packet"
        frames = [
            cavet.encode(name, "packet", kind=kind, payload=data) for kind, data in (("set", b"a"), ("told", b"bc"))
        ]
        lines = [f"{n}.5 > {data.hex()}\n" for n, data in enumerate(frames)]
        (self.folder / "c.txt").write_text("".join(lines), "utf-8")
        found = self.call("import", "c.txt", "-o", "r.record", "--as", "my.plan.toml")
        self.assertEqual((0, ""), (found.returncode, found.stderr))
        self.assertIn("2 packets, 2 messages of my.plan.toml", found.stdout)
        found = self.call("trails", "r.record", "--json")
        self.assertEqual(2, found.stdout.count('"message":"packet"'))
        for wrong in ("my.plan.toml#packet", "nowhere.plan.toml", "my.plan"):
            found = self.call("import", "c.txt", "-o", "t.record", "--as", wrong)
            self.assertEqual((2, 1), (found.returncode, found.stderr.count("\n")), found.stderr)
