"""What frames mean on a bench: which points they are about, and what the values there stand for."""

import random
import tempfile
import unittest

import cavet
from cavet.bench import Meanings, spoken
from cavet.benchfile import check_text, load_bench
from cavet.colours import CHANNELS, channels_of
from cavet.demo import demo_path
from cavet.protocols import Side
from cavet.record import Kind, Purpose, Topic
from tests.bench.random_benches import Lots
from tests.bench.test_random_benches import written

DEMO = load_bench(demo_path()).setup
SEEDS = range(20)
TWINS = """
format = 1
[boards.{name}]
profile = "heron"
firmware = "modbus"
unit = 7
[boards.{name}.parts]
{name}_lamp = {{ kind = "lamp", pin = "L1" }}
[boards.{name}.map]
{name}_lamp = {{ table = "coils", address = 0, pin = "L1" }}
{name}_limit = {{ table = "holding-registers", address = 4 }}
[links.{name}]
kind = "tcp"
board = "{name}"
[hosts.{name}]
link = "{name}"
protocol = "modbus"
unit = 7
[points.{name}_lamp]
board = "{name}"
kind = "switch"
table = "coils"
address = 0
"""


def told(setup, board, data, side=Side.HOST, link=""):
    """What the fields of the frames in some bytes mean at a board, by their names."""
    tongue = spoken(setup, setup.links[link or setup.hosts[board].link])
    decoder, meanings = tongue.decoder(side), Meanings(setup, board)
    return [
        {field.name: field.meaning for field in meanings.tell(frame, tongue.explained(frame, side), side)}
        for frame in [*decoder.feed(data), *decoder.finish()]
    ]


class Meaning(unittest.TestCase):
    def test_each_frame_that_is_sent_for_a_point_names_it_and_what_was_asked(self):
        for seed in SEEDS:
            with self.subTest(seed), tempfile.TemporaryDirectory() as folder:
                drawn, lot = Lots(seed).drawn, random.Random(seed)
                with cavet.open(written(drawn, folder)) as bench:
                    for name in drawn.switches:
                        bench[name].set(lot.random() < 0.5)
                    for name, (_, (low, high), _) in drawn.levels.items():
                        bench[name].set(lot.choice((low, high)))
                    for name in drawn.colours:
                        bench[name].set(f"#{lot.getrandbits(24):06x}")
                    self.look(bench._running)

    def look(self, running):
        for event in running.record.since(0):
            if event.kind is Kind.FRAMED and event.topic is Topic.POINT and event.purpose is Purpose.NONE:
                point = running.setup.points[event.subject]
                meant = [words for each in told(running.setup, point.board, event.value) for words in each.values()]
                asked = running.record[event.cause].value
                wanted = [f"{point.show(asked)} at {point.name}"]
                if point.kind.value == "colour" and running.setup.hosts[point.board].protocol == "firmata":
                    shares = zip(CHANNELS, channels_of(asked), strict=True)
                    wanted = [f"{channel} {share} at {point.name}" for channel, share in shares]
                self.assertTrue(any(words in text for words in wanted for text in meant if text), (wanted, meant))

    def test_two_boards_with_one_unit_are_not_taken_for_each_other(self):
        text = TWINS.format(name="hut") + TWINS.format(name="shed").replace("format = 1", "")
        setup = check_text(text, "twins.bench.toml")
        for board in ("hut", "shed"):
            (coil,) = told(setup, board, bytes.fromhex("0001 0000 0006 07 05 0000 FF00"))
            (register,) = told(setup, board, bytes.fromhex("0001 0000 0006 07 06 0004 0001"))
            self.assertEqual((coil["address"], coil["value"]), (f"{board}_lamp", f"on at {board}_lamp"))
            self.assertEqual(register["address"], f"{board}_limit")

    def test_scpi_by_what_switches_and_by_channels(self):
        for text, header, value in (
            ("OUTP1 ON", "supply_1", "on at supply_1"), ("OUTP2 0", "supply_2", "off at supply_2"),
            ("ROUT:CLOS (@101,103)", "relay_101, relay_103", "closed at relay_101, closed at relay_103"),
            ("ROUT:OPEN (@104)", "relay_104", "open at relay_104"), ("ROUT:CLOS? (@102)", "relay_102", "relay_102"),
            ("OUTP1 (@1)", "supply_1", "channels"), ("SOUR1:VOLT MAX", "supply_1_voltage", "keyword"),
            ("SOUR1:VOLT 5", "supply_1_voltage", "5 V at supply_1_voltage"),
        ):  # fmt: skip
            with self.subTest(text):
                (found,) = told(DEMO, "switchrack", f"{text}\n".encode())
                self.assertEqual(found["header"], header)
                self.assertIn(value, found["value"])

    def test_a_bridge_is_told_its_power_and_its_directions_are_its_own(self):
        power, direction = told(DEMO, "gatehouse", bytes.fromhex("E7 00 01 F5 0C 01"))
        self.assertIn("50.2 % of power at gate", power.values())
        self.assertEqual(direction["pin"], "gate")


if __name__ == "__main__":
    unittest.main()
