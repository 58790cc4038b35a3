"""A record in other formats, read back by readers of the tests' own, equal to what is in it."""

import contextlib
import csv
import io
import json
import tempfile
import unittest
from collections import defaultdict
from pathlib import Path

import msgspec

import cavet
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.exports import Cut, compare, jsonl, pcapng, points_csv, vcd
from cavet.exports import csv as as_csv
from cavet.library.past import delays_of, past_trails, percentile
from cavet.record import Event, Kind, RecordFile, Topic
from tests.bench.random_benches import Lots
from tests.bench.test_random_benches import written
from tests.exports.reading import read_pcapng, read_tcp, read_vcd

SETUP = load_bench(demo_path()).setup
WHOLE = Cut()
FIN, SYN, ACK = 1, 2, 16


def setUpModule():
    """One record of the demo, with wishes, faults, texts, and everybody spoken with."""
    global FOLDER, PATH
    FOLDER = tempfile.TemporaryDirectory()
    unittest.addModuleCleanup(FOLDER.cleanup)
    PATH = Path(FOLDER.name) / "a.record"
    with cavet.open("demo", seed="a") as bench:
        bench["beacon"].set("50 %")
        bench["pump_a"].set(True)
        bench["upper_paddle"].set(60, over=0.5)
        bench["panel"].set("=1+1; “so”, \x1b[31m")
        bench["lamp"].set(True)
        bench["relay_101"].set(True)
        bench["yard_1"].set(True)
        bench["post_1"].set(True)
        bench.part("gatehouse.stop_button").press(0.1)
        with bench.broken("pumphouse"):
            bench.wait(0.2)
        bench.send("pumphouse", "read-coils", address=900, quantity=6)
        bench.wait(2)
        bench.record.save(PATH)


class OnRecord(unittest.TestCase):
    def setUp(self):
        self.file = RecordFile(PATH)
        self.addCleanup(self.file.close)
        self.events = list(self.file.since(0))


class Lines(OnRecord):
    def test_each_event_is_a_line_of_json(self):
        lines = [json.loads(line) for line in jsonl(self.file, SETUP, WHOLE)]
        self.assertEqual([(e.number, round(e.t, 6), e.kind) for e in self.events],
                         [(line["number"], line["t"], line["kind"]) for line in lines])  # fmt: skip

    def test_each_event_is_a_row(self):
        text = "".join(as_csv(self.file, SETUP, WHOLE))
        rows = list(csv.DictReader(io.StringIO(text, newline="")))
        self.assertEqual(len(self.events), len(rows))
        for event, row in zip(self.events, rows, strict=True):
            self.assertEqual((str(event.number), f"{event.t:.6f}", event.kind.value, event.board, event.topic.value),
                             (row["number"], row["t"], row["kind"], row["board"], row["topic"]))  # fmt: skip
            if isinstance(event.value, float):
                self.assertEqual(event.value, float(row["value"]))
            if isinstance(event.value, bytes):
                self.assertEqual(event.value, bytes.fromhex(row["value"]))
        self.assertNotIn("\x1b", text)

    def test_only_what_is_wanted(self):
        cut = Cut(begin=1.5, end=2.0, boards=frozenset({"gatehouse"}))
        rows = list(csv.DictReader(io.StringIO("".join(as_csv(self.file, SETUP, cut)), newline="")))
        wanted = [str(e.number) for e in self.events if 1.5 <= e.t <= 2.0 and e.board == "gatehouse"]
        self.assertTrue(wanted)
        self.assertEqual(wanted, [row["number"] for row in rows])

    def test_points_at_each_change_and_sampled(self):
        rows = list(csv.DictReader(io.StringIO("".join(points_csv(self.file, SETUP, WHOLE)), newline="")))
        last = rows[-1]
        names = ("beacon.asked", "beacon.got", "pump_a.asked", "pump_a.got")
        self.assertEqual(["50", "50", "true", "true"], [last[name] for name in names])
        times = [float(row["t"]) for row in rows]
        self.assertEqual(times, sorted(set(times)))
        sampled = list(
            csv.DictReader(io.StringIO("".join(points_csv(self.file, SETUP, Cut(begin=1, end=2), 0.1)), newline=""))
        )
        self.assertEqual([f"{1 + n / 10:.6f}" for n in range(11)], [row["t"] for row in sampled])
        for row in sampled:
            heard = [e.value for e in self.events if e.t <= float(row["t"]) + 1e-9 and e.subject == "level"
                     and e.kind in (Kind.HEARD, Kind.CONFIRMED)]  # fmt: skip
            self.assertEqual(repr(heard[-1]) if heard else "", row["level.got"])


class Waveforms(OnRecord):
    def test_a_dump_says_what_the_record_says(self):
        found = read_vcd("".join(vcd(self.file, SETUP, WHOLE)))
        kind, changes = found["Ottersluice", "gatehouse", "points", "beacon_asked"]
        self.assertEqual("real", kind)
        wished = [(round(e.t * 1e6), e.value) for e in self.events if e.kind is Kind.ASKED and e.subject == "beacon"]
        self.assertEqual(wished, [(t, float(value)) for t, value in changes])
        kind, changes = found["Ottersluice", "gatehouse", "points", "stop_button_got"]
        heard = [e for e in self.events if e.kind is Kind.HEARD and e.subject == "stop_button"]
        self.assertEqual("wire", kind)
        self.assertEqual([str(int(e.value)) for e in heard], [value for _, value in changes if value != "x"])
        self.assertEqual((0, "x"), changes[0])
        duty = found["Ottersluice", "gatehouse", "pins", "_2"][1]
        self.assertEqual("50.196", duty[-1][1])
        self.assertIn(("Ottersluice", "rig", "chamber"), found)
        self.assertIn(("Ottersluice", "pumphouse", "parts", "pump_a"), found)
        self.assertFalse([path for path in found if "panel" in path[-1]])

    def test_it_begins_where_it_is_wanted_with_how_things_stand(self):
        found = read_vcd("".join(vcd(self.file, SETUP, Cut(begin=2.0, end=2.5))))
        changes = found["Ottersluice", "gatehouse", "points", "beacon_got"][1]
        self.assertEqual((2_000_000, 50.0), (changes[0][0], float(changes[0][1])))
        for _, changes in found.values():
            self.assertTrue(all(2_000_000 <= t <= 2_500_000 for t, _ in changes))

    def test_what_changes_several_times_at_one_moment_ends_as_it_stands(self):
        with tempfile.TemporaryDirectory() as folder:
            drawn = Lots(3).drawn  # a format of its own whose frames set three pins of a lamp at once
            record = Path(folder) / "lot.record"
            with cavet.open(written(drawn, folder)) as bench:
                for colour in ("#9a9a80", "#d6645f", "#000001", "#102030"):
                    bench["colour_0"].set(colour)
                bench.record.save(record)
                setup = bench._running.setup
            with contextlib.closing(RecordFile(record)) as file:
                found = read_vcd("".join(vcd(file, setup, WHOLE)))
        for group, name in (("parts", "colour_0"), ("points", "colour_0_asked"), ("points", "colour_0_got")):
            kind, changes = next(each for path, each in found.items() if path[-2:] == (group, name))
            self.assertEqual(("wire", f"{0x102030:b}"), (kind, changes[-1][1]))

    def test_names_are_such_as_they_may_be(self):
        for path in read_vcd("".join(vcd(self.file, SETUP, WHOLE))):
            for name in path:
                self.assertRegex(name, "^[A-Za-z_][A-Za-z0-9_]*$")


class Captures(OnRecord):
    def setUp(self):
        super().setUp()
        self.interfaces, self.packets = read_pcapng(b"".join(pcapng(self.file, SETUP, WHOLE)))
        self.transfers = list(self.file.transfers())

    def said(self, link, way):
        return b"".join(each.data for each in self.transfers if each.link == link and each.direction == way)

    def test_each_link_is_an_interface(self):
        kinds = dict(self.interfaces)
        for name, kind in (
            ("gatehouse.gatehouse", 147), ("pumphouse.pumphouse", 101), ("switchrack.switchrack", 101),
            ("signalpost.signalpost", 220), ("mast.mast", 209), ("towpath.towpath", 101), ("gatehouse.i2c", 209),
            ("mast.spi", 148),
        ):  # fmt: skip
            self.assertEqual(kind, kinds[name], name)
        times = [packet[0] for packet in self.packets]
        self.assertEqual(times, sorted(times))

    def test_every_byte_of_a_serial_line_is_there(self):
        for way, direction in ((1, "to-host"), (2, "to-board")):
            found = b"".join(p[3] for p in self.packets if p[1] == "gatehouse.gatehouse" and p[2] == way)
            self.assertEqual(self.said("gatehouse", direction), found)
        asked = next(e for e in self.events if e.kind is Kind.ASKED and e.subject == "beacon")
        comments = [p[4] for p in self.packets if p[1] == "gatehouse.gatehouse" and p[2] == 2]
        self.assertTrue([each for each in comments if each.startswith(f"trail {asked.number}; ")], comments[-5:])

    def test_connections_open_speak_in_order_and_close(self):
        for interface, link in (("pumphouse.pumphouse", "pumphouse"), ("switchrack.switchrack", "switchrack")):
            segments = [(read_tcp(p[3]), p[2]) for p in self.packets if p[1] == interface]
            talks = defaultdict(list)
            for segment, way in segments:
                host = segment[0] if way == 2 else segment[1]
                self.assertEqual("127.0.0.1", host[0])
                talks[host].append((segment, way))
            said = {1: b"", 2: b""}
            for talk in talks.values():
                self.assertEqual([SYN, SYN | ACK, ACK], [segment[4] for segment, _ in talk[:3]])
                self.assertEqual(2, len([1 for segment, _ in talk if segment[4] & FIN]))
                due = {1: 1, 2: 1}
                for segment, way in talk[2:]:
                    self.assertEqual(due[way], segment[2])
                    self.assertEqual(due[3 - way], segment[3])
                    due[way] += len(segment[5]) + bool(segment[4] & FIN)
                    said[way] += segment[5]
            self.assertEqual((self.said(link, "to-host"), self.said(link, "to-board")), (said[1], said[2]))
        self.assertEqual(2, len({read_tcp(p[3])[p[2] == 1] for p in self.packets if p[1] == "pumphouse.pumphouse"}))

    def test_a_connection_that_had_begun_before_has_no_beginning(self):
        _, packets = read_pcapng(b"".join(pcapng(self.file, SETUP, Cut(begin=2.0, end=2.2))))
        segments = [read_tcp(p[3]) for p in packets if p[1] == "switchrack.switchrack"]
        self.assertTrue(segments)
        self.assertFalse([segment for segment in segments if segment[4] & (SYN | FIN)])
        self.assertGreater(segments[0][2], 1)
        self.assertTrue(all(2_000_000 <= packet[0] <= 2_200_000 for packet in packets))

    def test_transfers_over_usb_have_their_heads(self):
        packets = [p for p in self.packets if p[1] == "signalpost.signalpost"]
        self.assertTrue(packets)
        for _, _, way, data, _ in packets:
            self.assertEqual("S" if way == 2 else "C", chr(data[8]))
            self.assertEqual(len(data) - 64, int.from_bytes(data[36:40], "little"))
            self.assertEqual(int(data[10] & 0x7F != 0) + 2, data[9])


class Trails(OnRecord):
    def test_what_became_of_each_is_as_it_was_while_it_ran(self):
        trails = past_trails(self.events, SETUP)
        beacon = [trail for trail in trails if trail.is_command and trail.point == "beacon"]
        self.assertEqual(["confirmed"], [trail.ended for trail in beacon])
        self.assertEqual(
            ["asked", "framed", "carried", "taken", "driven", "moved", "confirmed"], [s[0] for s in beacon[0].stages]
        )
        self.assertFalse([trail.point for trail in trails if trail.is_command and trail.ended == "broken"])
        refused = [trail for trail in trails if trail.ended == "broken"]
        self.assertEqual(["read-coils"], [trail.message or trail.point for trail in refused])

    def test_delays_add_up(self):
        (one,) = [each for each in delays_of(past_trails(self.events, SETUP))
                  if (each.board, each.begin, each.end) == ("gatehouse", "carried", "taken")]  # fmt: skip
        self.assertEqual(one.count, len(one.all))
        self.assertLessEqual(one.median, one.p95)
        self.assertEqual(one.most, max(one.all))
        self.assertEqual((2.5, 1, 4), tuple(percentile([1, 2, 3, 4], share) for share in (0.5, 0, 1)))


class Compared(unittest.TestCase):
    @staticmethod
    def event(number, t, value, subject="beacon"):
        return Event(number, t, Kind.ASKED, "hut", None, Topic.POINT, subject, value)

    def test_what_differs_is_only_in_one_or_later(self):
        a = [self.event(0, 1.0, 1), self.event(1, 2.0, 2), self.event(2, 3.0, 3), self.event(3, 4.0, 3)]
        b = [self.event(9, 1.0, 1), self.event(10, 2.5, 2), self.event(11, 4.0, 3), self.event(12, 5.0, True)]
        found = compare(a, b)
        self.assertEqual((2.0, (a[2],), (b[3],), ((a[1], 0.5),)), tuple(msgspec.structs.astuple(found)))
        self.assertEqual(2, compare(a, b, 0.5).count)
        self.assertRegex(compare(a, a[:-1]).words, "^the same up to [0-9.]+ s, then 1 event differs$")
        self.assertIsNone(compare(a, [msgspec.structs.replace(e, number=e.number + 5, note="x") for e in a]).same_until)
        self.assertIsNone(compare(a, [msgspec.structs.replace(e, t=e.t + 7) for e in a], shift=-7).same_until)
