"""Frames of a megabyte, noise, hostile texts: the views and drawings of the Frames screen bear them, and quickly."""

import random
import time
import unittest

from cavet.bench import Tape
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.protocols import Side, codec
from cavet.record import Direction, Record, Seat
from cavet.workbench.drawing.tape import draw_tape
from cavet.workbench.drawing.under import draw_under
from cavet.workbench.frames import views
from cavet.workbench.frames.editing import Editing
from cavet.workbench.frames.reading import Reading
from cavet.workbench.frames.sentence import Sentence
from tests.speed_frames import Looking

SETUP = load_bench(demo_path()).setup
HOSTILE = "\x1b]0;x\x07[bold]{x}\u202e\ud83d\ude00é" + "w" * 300
SLOW_SECONDS = 5.0
"""So slow that somebody waits; what it takes is a hundredth of that."""


class Hostile(unittest.TestCase):
    def reading(self, link, pieces, direction=Direction.TO_BOARD, seat=Seat.BOARD):
        record = Record(now=lambda: 0.0)
        offset = 0
        for number, piece in enumerate(pieces):
            record.carry(link, "", seat, direction, offset, 0.01 * number, 0.01 * number + 0.001, piece)
            offset += len(piece)
        reading = Reading(Tape(SETUP, record), record)
        reading.tape.follow()
        reading.choose(link)
        reading.following = False
        reading.begin = 0.0
        return reading

    def look(self, reading):
        """All that is drawn of the frame under the cursor, and of the tape; in which time."""
        desk = Looking(SETUP)
        desk.meanings = lambda board: None
        desk.bench.record, desk.standings = reading._record, type("S", (), {"trails": type("T", (), {"all": {}})})
        began = time.perf_counter()
        texts = [draw_tape(views.tape_view(desk, reading, 134), 160, 14).text()]
        frame, placed = reading.frame, reading.placed
        editing = Editing(reading.on.tongue, frame, placed.side)
        for _ in range(3):
            view = views.under_view(desk, reading, editing, None, active=True, with_wave=True)
            texts.append(draw_under(view, 106, 22).text())
            editing.move(1)
        self.assertLess(time.perf_counter() - began, SLOW_SECONDS)
        text = "\n".join(texts)
        self.assertEqual({character for character in text if ord(character) < 32} - {"\n"}, set())
        return text

    def test_a_megabyte_in_one_packet(self):
        chosen = codec("mqtt")
        form = chosen.forms(Side.HOST)["publish"]
        data = chosen.encode(form(topic="a", payload=bytes(1_000_000)))
        pieces = [data[at : at + 65536] for at in range(0, len(data), 65536)]
        reading = self.reading("towpath", pieces, seat=Seat.HOST)
        self.assertIn("publish, 10000", self.look(reading))

    def test_hostile_texts_stay_texts(self):
        chosen = codec("mqtt")
        form = chosen.forms(Side.HOST)["publish"]
        topic = HOSTILE.encode("utf-16", "surrogatepass").decode("utf-16")
        data = chosen.encode(form(topic=topic, payload=HOSTILE.encode("utf-8", "replace")))
        text = self.look(self.reading("towpath", [data], seat=Seat.HOST))
        self.assertIn("publish", text)

    def test_nothing_but_noise_on_every_link(self):
        noise = random.Random("frames").randbytes(6000)
        pieces = [noise[at : at + 300] for at in range(0, len(noise), 300)]
        for name, link in SETUP.links.items():
            seat = Seat.HOST if link.broker else Seat.BOARD
            for direction in Direction:
                reading = self.reading(name, pieces, direction, seat)
                with self.subTest(name, direction=direction):
                    if len(reading.on):
                        for number in range(0, len(reading.on), max(1, len(reading.on) // 5)):
                            reading.go_to(number, 134)
                            self.look(reading)

    def test_every_blank_wrong(self):
        for name in SETUP.links:
            tongue = Tape(SETUP, Record(now=lambda: 0.0)).links[name].tongue
            made = Sentence(tongue, None)
            for number in range(len(made.messages)):
                made.chosen = number
                for field in made.fields:
                    made.texts[field.name] = HOSTILE
                view = views.say_view(made, "x", focused=True, entry=None, refused="", ways=(), way=0)
                self.assertTrue(all("\x1b" not in piece.text for piece in view.pieces))


if __name__ == "__main__":
    unittest.main()
