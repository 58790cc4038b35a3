"""Values that the wire rounds, and frames that work several parts: confirmed as near as the wire can say, and true."""

import asyncio
import json
import tempfile
import unittest
from pathlib import Path

import cavet
from cavet.bench import Tape
from cavet.benchfile import load_bench
from cavet.hosts import PointKind, TopicPoint
from cavet.messaging import PayloadForm
from cavet.record import Kind
from cavet.units import last_place
from tests.bench.benches import in_fast_time
from tests.checks.huts import ONE_LAMP
from tests.commands.run import cavet_here

PORCH = """
format = 1
[boards.porch]
profile = "plover"
firmware = "mqtt"
[boards.porch.parts]
light = { kind = "lamp", pin = 4 }
[boards.porch.topics]
light = { command = "light/set", state = "light", does = "level", pin = 4, %s }
[links.porch]
kind = "mqtt"
board = "porch"
[hosts.porch]
link = "porch"
protocol = "mqtt"
[points.light]
board = "porch"
kind = "level"
command = "light/set"
state = "light"
%s
"""
KILN = """
format = 1
[boards.kiln]
profile = "wren"
firmware = "plan"
plan = "kiln.plan.toml"
[boards.kiln.parts]
glow = { kind = "lamp", pin = 3 }
drive = { kind = "lamp", pin = 5 }
brake = { kind = "relay", pin = 4, operate = "900 ms" }
[boards.kiln.takes.heat]
power = { pins = "3", mode = "pwm", full = %s }
drive = { pins = "5" }
brake = { pins = "4" }
[boards.kiln.gives.state]
fields = { power = { pins = "3", full = %s }, drive = { pins = "5" }, brake = { pins = "4" } }
[links.kiln]
kind = "serial"
board = "kiln"
[hosts.kiln]
link = "kiln"
protocol = "plan"
plan = "kiln.plan.toml"
[points.glow]
board = "kiln"
kind = "level"
field = "heat.power"
state = "state.power"
wire = [0, %s]
[points.drive]
board = "kiln"
kind = "switch"
field = "heat.drive"
state = "state.drive"
[points.brake]
board = "kiln"
kind = "switch"
field = "heat.brake"
state = "state.brake"
"""
SETUP = """
format = 1
[frames.heat]
start = "@<"
end = "@>"
escape = { byte = 0x5C, xor = 0x20 }
fields = [ { name = "power", %s }, { name = "drive", bits = 8 }, { name = "brake", bits = 8 } ]
[frames.state]
start = "@<"
end = "@>"
escape = { byte = 0x5C, xor = 0x20 }
fields = [ { name = "power", %s }, { name = "drive", bits = 8 }, { name = "brake", bits = 8 } ]
"""


def drive(files, *words):
    """Run `cavet drive` on a bench made of these files, the first of them the bench."""
    with tempfile.TemporaryDirectory() as folder:
        for name, text in files.items():
            (Path(folder) / name).write_text(text)
        ran = cavet_here("drive", str(Path(folder) / next(iter(files))), "--json", *words)
    return ran.code, [json.loads(line) for line in ran.out.splitlines()], ran.err


class Rounded(unittest.TestCase):
    def test_a_level_over_topics_is_confirmed_in_every_form(self):
        for board, point in (
            ("range = [0, 255]", "wire = [0, 255]"),
            ("range = [0, 100]", ""),
            ("range = [0, 255], payload = 'raw'", "wire = [0, 255]\npayload = 'raw'"),
            ("range = [0, 1023], payload = 'json', path = 'a.b'", "wire = [0, 1023]\npayload = 'json'\npath = 'a.b'"),
            ("range = [0, 1]", "wire = [0, 1]"),
        ):
            with self.subTest(board):
                code, lines, err = drive({"porch.bench.toml": PORCH % (board, point)}, "light=30%", "light?")
                self.assertEqual((code, err), (0, ""), lines)
                self.assertAlmostEqual(lines[0]["confirmed"], 30, delta=0.4)
                self.assertAlmostEqual(lines[1]["got"], 30, delta=0.4)

    def test_a_level_in_a_frame_is_confirmed_whatever_its_field_can_say(self):
        for field, full in (
            ("bits = 8, max = 100", "100"),
            ("bits = 8", "255"),
            ("bits = 8, scale = 0.5, max = 100", "100"),
            ("bits = 16", "1000"),
            ("bits = 32, type = 'float'", "1"),
            ("bits = 4", "15"),
        ):
            with self.subTest(field):
                files = {"kiln.bench.toml": KILN % (full, full, full), "kiln.plan.toml": SETUP % (field, field)}
                code, lines, err = drive(files, "glow=30%", "glow?", "glow=30%")
                self.assertEqual((code, err), (0, ""), lines)
                self.assertAlmostEqual(lines[0]["confirmed"], 30, delta=7 if "4" in field[:8] else 0.4)
                self.assertEqual(lines[1]["got"], lines[0]["confirmed"])
                self.assertIn("unchanged", lines[2])

    def test_the_last_place_that_a_board_says_is_what_it_can_tell(self):
        for number, place in (("76", 1), ("29.8", 0.1), ("30.00", 0.01), ("3e2", 100), ("1.5E-1", 0.01), ("", 0)):
            self.assertAlmostEqual(last_place(number), place, msg=number)
        fields = {"name": "light", "board": "porch", "kind": PointKind.LEVEL, "low": 0, "high": 100}
        point = TopicPoint(**fields, wire_high=255, form=PayloadForm(kind="number"))
        for payload, same in ((b"76", True), (b"77", True), (b"78", False), (b"76.5", True), (b"76.0", False)):
            value = point.unpack(payload)
            self.assertIs(point.same(value, 30.0, point.told_step(payload)), same, payload)

    def test_a_last_place_that_is_a_great_share_of_the_range_is_another_value(self):
        fields = {"name": "gain", "board": "porch", "kind": PointKind.LEVEL, "low": 0, "high": 100}
        point = TopicPoint(**fields, wire_high=1, form=PayloadForm(kind="number"))
        self.assertFalse(point.same(point.unpack(b"0"), 30.0, point.told_step(b"0")))

    def test_a_tolerance_of_ones_own(self):
        fields = {"name": "gain", "board": "porch", "kind": PointKind.LEVEL, "low": 0, "high": 100, "wire_high": 100}
        self.assertFalse(TopicPoint(**fields).same(29.8, 30.0))
        self.assertTrue(TopicPoint(**fields, tolerance=0.5).same(29.8, 30.0))


class SeveralFields(unittest.TestCase):
    def test_what_a_board_tells_ever_again_is_no_answer_to_the_command_before_it(self):
        tied = []
        for when in ("taken", 'every"\nevery = "50 ms'):
            told = f'[boards.kiln.gives.state]\nwhen = "{when}"\n'
            text = (KILN % ((255,) * 3)).replace("[boards.kiln.gives.state]\n", told)
            with tempfile.TemporaryDirectory() as folder:
                (Path(folder) / "kiln.bench.toml").write_text(text)
                (Path(folder) / "kiln.plan.toml").write_text(SETUP % (("bits = 8",) * 2))
                with cavet.open(Path(folder) / "kiln.bench.toml", seed="tape") as bench:
                    bench["drive"].set(True)
                    bench.wait(0.5)
                    tape = Tape(bench._running.setup, bench._running.record)
                    tape.follow()
            on = tape.links["kiln"]
            orders = [placed for placed in map(on.placed, range(len(on))) if placed.name == "heat"]
            tied.append([placed.partner >= 0 for placed in orders])
        self.assertEqual([[True], [False]], tied)

    def test_a_part_that_another_field_of_the_next_frame_sends_on_was_not_the_wrong_one(self):
        text = (KILN % ((255,) * 3)).replace("[hosts.kiln]\n", '[hosts.kiln]\nretries = 0\nreply_within = "50 ms"\n')
        text = text.replace("gives.state]\n", 'gives.state]\nwhen = "every"\nevery = "2 s"\n')
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "kiln.bench.toml").write_text(text)
            (Path(folder) / "kiln.plan.toml").write_text(SETUP % (("bits = 8",) * 2))
            with cavet.open(Path(folder) / "kiln.bench.toml", seed="tape") as bench:
                running = bench._running
                for name, value in (("glow", 80.0), ("drive", True), ("brake", True)):
                    bench._here(lambda name=name, value=value: running.ask(running.point(name), value, by="test"))
                bench.wait(5)
                bench._standings.follow()
                told = [bench._standings.diagnose(trail) for trail in bench._standings.trails.all.values()]
        self.assertEqual({(Kind.CONFIRMED, "no frame tells of it after 1 try, each within 0.05 s")}, {
            (each.broken, each.reason) for each in told
        })  # fmt: skip

    def test_what_the_next_frame_has_brought_about_is_confirmed_though_the_first_one_was_spoilt(self):
        text = (KILN % ((255,) * 3)).replace("gives.state]\n", 'gives.state]\nwhen = "every"\nevery = "100 ms"\n')
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "kiln.bench.toml").write_text(text)
            (Path(folder) / "kiln.plan.toml").write_text(SETUP % (("bits = 8",) * 2))
            with cavet.open(Path(folder) / "kiln.bench.toml", seed="tape") as bench:
                running = bench._running
                bench.fault("lose", "kiln")
                for name, value in (("glow", 80.0), ("brake", True)):
                    bench._here(lambda name=name, value=value: running.ask(running.point(name), value, by="test"))
                bench.wait(5)
                bench._standings.follow()
                told = [bench._standings.diagnose(trail) for trail in bench._standings.trails.all.values()]
                self.assertAlmostEqual(80, bench.part("kiln.glow").state, delta=0.5)
        self.assertEqual([None, None], [each.broken for each in told], [each.reason for each in told])

    def test_a_part_that_takes_its_time_is_not_taken_for_another(self):
        files = {"kiln.bench.toml": KILN % ((255,) * 3), "kiln.plan.toml": SETUP % (("bits = 8",) * 2)}
        code, lines, _ = drive(files, "glow=40%", "drive=on", "brake=on", "brake=off")
        self.assertEqual((code, [line["holds"] for line in lines]), (0, [True] * 4), lines)
        self.assertEqual(lines[2]["moved"], "closed")

    def test_a_board_that_tells_of_changes_alone_tells_of_those_that_an_order_makes(self):
        on_change = '[boards.kiln.gives.state]\nwhen = "changed"\n'
        text = (KILN % ((255,) * 3)).replace("[boards.kiln.gives.state]\n", on_change).replace('"wren"', '"still"')
        text += '[profiles.still]\npins = "3-5"\noutput = "3-5"\npwm = "3-5"\n'  # its link's opening does not reset it
        files = {"kiln.bench.toml": text, "kiln.plan.toml": SETUP % (("bits = 8",) * 2)}
        code, lines, err = drive(files, "glow=40%", "drive=on", "drive=off", "glow=0%")
        self.assertEqual((code, [line["holds"] for line in lines]), (0, [True] * 4), (lines, err))

        async def story(bench, standings):
            bench.rest(by="test")
            await asyncio.sleep(3)
            bench.rest(by="test")
            await asyncio.sleep(3)
            bench.memory_link("kiln").cut()
            await asyncio.sleep(1)
            bench.memory_link("kiln").mend()
            await asyncio.sleep(8)
            standings.follow()
            self.assertEqual(standings.broken(), [])
            self.assertTrue(
                all(reading.got is not None for reading in bench.host_links["kiln"].session.readings.values())
            )
            return [event.kind for event in bench.record.since(0) if event.kind in (Kind.UNCONFIRMED, Kind.RESENT)]

        with tempfile.TemporaryDirectory() as folder:
            for name, each in files.items():
                (Path(folder) / name).write_text(each)
            self.assertEqual(in_fast_time(story, load_bench(Path(folder) / "kiln.bench.toml").setup), [])

    def test_what_is_told_in_the_place_of_what_was_asked_is_said_and_got(self):
        files = {"kiln.bench.toml": KILN % (100, 100, 255), "kiln.plan.toml": SETUP % (("bits = 8",) * 2)}
        code, lines, _ = drive(files, "glow=80%", "glow?")
        self.assertEqual(
            (code, lines[0]["reason"]),
            (1, "the frames tell 39.2 %, expected 80 %, after 3 tries, each within 0.5 s"),
        )
        self.assertIn("compare [points.glow] with it", lines[0]["mend"])
        self.assertEqual((lines[0]["moved"], lines[1]["got"]), ("100 %", lines[1]["got"]))
        self.assertAlmostEqual(lines[1]["got"], 39.2, delta=0.1)

    def test_a_host_that_begins_anew_leaves_the_other_fields_as_the_board_has_told_them(self):
        async def story(bench, standings):
            bench.ask(bench.point("glow"), 40.0, by="test")
            await asyncio.sleep(1)
            bench.host_links["kiln"].session._wanted.clear()
            bench.ask(bench.point("drive"), True, by="test")
            await asyncio.sleep(1)
            return [bench.world.part(f"kiln.{part}").fraction(bench.clock.now()) for part in ("glow", "drive")]

        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "kiln.bench.toml").write_text(KILN % ((255,) * 3))
            (Path(folder) / "kiln.plan.toml").write_text(SETUP % (("bits = 8",) * 2))
            glow, drives = in_fast_time(story, load_bench(Path(folder) / "kiln.bench.toml").setup)
        self.assertAlmostEqual(glow, 0.4, delta=0.01)
        self.assertEqual(drives, 1)


ARM = 'arm = { kind = "servo", pin = 9 }'
SERVO = (
    ONE_LAMP.partition("[points.lamp]")[0].replace('lamp = { kind = "lamp", pin = 13 }', ARM)
    + """
[points.arm]
board = "hut"
kind = "level"
pin = 9
mode = "servo"
unit = "deg"
range = %s
"""
)


class Degrees(unittest.TestCase):
    def test_degrees_of_a_servo_are_degrees(self):
        for limits, asked, moved in (
            ("[0, 90]", "45", "45°"),
            ("[20, 160]\nrest = 20", "90", "90°"),
            ("[-90, 90]", "0", "90°"),
            ("[-45, 45]", "45", "135°"),
            ("[0, 180]", "45", "45°"),
        ):
            with self.subTest(limits):
                code, lines, err = drive({"hut.bench.toml": SERVO % limits}, f"arm={asked} deg")
                self.assertEqual((code, err), (0, ""), lines)
                self.assertEqual((lines[0]["confirmed"], lines[0]["moved"]), (float(asked), moved))

    def test_a_wire_that_is_given_is_a_gear(self):
        code, lines, _ = drive({"hut.bench.toml": SERVO % "[0, 90]\nwire = [0, 180]"}, "arm=45 deg")
        self.assertEqual((code, lines[0]["moved"]), (0, "90°"))


class Limits(unittest.TestCase):
    def test_a_wish_brought_inside_the_limits_is_said(self):
        ran = cavet_here("drive", "demo", "beacon=130 %")
        self.assertEqual(ran.code, 0)
        self.assertIn("limited: asked 130 %, the limit is 100 %", ran.out)
        line = json.loads(cavet_here("drive", "demo", "--json", "beacon=130 %").out)
        self.assertEqual((line["asked"], line["wanted"]), (100, 130))
        self.assertNotIn("wanted", json.loads(cavet_here("drive", "demo", "--json", "beacon=30 %").out))


class Afresh(unittest.TestCase):
    def test_a_point_is_read_when_it_is_asked_for(self):
        words = ("supply_1_voltage=5V", "supply_1=on", "supply_1_measured?", "beacon=40%", "beacon?", "mast_1=on",
                 "mast_1?", "post_1=on", "post_1?", "lamp=on", "lamp?", "pump_a_speed=30%", "pump_a_speed?", "arrow=A",
                 "arrow?")  # fmt: skip
        ran = cavet_here("drive", "demo", "--json", *words)
        got = {line["point"]: line["got"] for line in map(json.loads, ran.out.splitlines()) if "got" in line}
        self.assertEqual(ran.code, 0)
        self.assertAlmostEqual(got.pop("supply_1_measured"), 5, delta=0.05)
        self.assertAlmostEqual(got.pop("beacon"), 40, delta=0.2)
        self.assertTrue(got.pop("arrow").startswith("rows 00"))
        self.assertEqual(got, {"mast_1": True, "post_1": True, "lamp": True, "pump_a_speed": 30})

    def test_what_can_t_be_read_is_given_as_that(self):
        ran = cavet_here("drive", "demo", "panel=Lock", "panel?")
        self.assertIn("got Lock  it can't be asked how it stands", ran.out)

    def test_what_nobody_tells_is_not_got_though_it_was_asked(self):
        ran = cavet_here("drive", "demo", "bell=3000", "bell?")
        self.assertRegex(ran.out, r"bell +asked 3 000 ms +moved: rings\nbell +got —  it can't be asked how it stands")


if __name__ == "__main__":
    unittest.main()
