"""`cavet draw`: frames and levels as SVG and PDF."""

import re
import tempfile
import unittest
from pathlib import Path
from xml.etree import ElementTree

from tests.checks.huts import hut
from tests.commands.run import cavet_here

FRAME = ("07", "06", "00", "00", "02", "58", "89", "36")
SVG = "{http://www.w3.org/2000/svg}"


class Svg(unittest.TestCase):
    def drawn(self, *words):
        ran = cavet_here("draw", *words)
        self.assertEqual((ran.code, ran.err), (0, ""))
        return ElementTree.fromstring(ran.out), ran.out

    def test_a_ruler_holds_its_texts_as_text_and_says_what_it_shows(self):
        tree, _ = self.drawn("frame", "modbus-rtu", *FRAME)
        texts = [element.text for element in tree.iter(f"{SVG}text")]
        for word in ("58", "01011000", "value", "600", "crc 7…0"):
            self.assertIn(word, texts)
        self.assertIn("write-single-register", tree.find(f"{SVG}title").text)
        self.assertIn("value 600", tree.find(f"{SVG}desc").text)

    def test_what_it_shows_is_said_in_words(self):
        tree, _ = self.drawn("frame", "mqtt", "30 04 00 01 61 78")
        self.assertTrue(
            tree.find(f"{SVG}desc").text.endswith(
                'dup 0, qos 0, retain 0, continuation 0, remaining_length 4, topic_length 1, topic "a", payload 78'
            )
        )
        tree, _ = self.drawn("pins", "demo", "gatehouse")
        self.assertIn("it can 0 the link's receiver", tree.find(f"{SVG}desc").text)

    def test_each_trace_is_a_path_with_its_name(self):
        for words, names in (
            (("waveform", "uart", "58", "--rate", "19200"), ["TXD"]),
            (("waveform", "i2c", "S 4C A 04 A Sr 4D A 12 N P"), ["SCL", "SDA"]),
            (("waveform", "spi", "9F 00", "--mode", "3"), ["CS", "SCLK", "MOSI"]),
        ):
            with self.subTest(names):
                tree, _ = self.drawn(*words)
                paths = [path for path in tree.iter(f"{SVG}path") if path.get("data-line")]
                self.assertEqual([path.get("data-line") for path in paths], names)

    def test_the_edges_are_where_the_rate_has_them(self):
        tree, _ = self.drawn("waveform", "uart", "58", "--rate", "19200")
        (path,) = [path for path in tree.iter(f"{SVG}path") if path.get("data-line")]
        xs = sorted({float(x) for x, _ in re.findall(r"([\d.]+) ([\d.]+)", path.get("d"))})
        bit = xs[1] - xs[0]  # the silence before the start bit is one bit long
        self.assertEqual([round((x - xs[0]) / bit, 2) for x in xs[:7]], [0, 1, 5, 7, 8, 9, 10])

    def test_the_same_input_gives_the_same_bytes_light_or_dark(self):
        for words in (("frame", "firmata", "E9 69 00"), ("waveform", "uart", "58")):
            light = [self.drawn(*words)[1] for _ in range(2)]
            dark = self.drawn(*words, "--dark")[1]
            self.assertEqual(light[0], light[1])
            self.assertNotEqual(light[0], dark)

    def test_hostile_texts_stay_texts(self):
        hostile = b'<script>"&\x00\x1b'.hex()
        tree, out = self.drawn("frame", "mqtt", "30 0F 00 01 61", hostile)
        self.assertNotIn("<script>", out)
        self.assertNotIn("\x1b", out)
        self.assertIsNotNone(tree)


class Files(unittest.TestCase):
    def test_a_pdf_has_its_fonts_in_it_and_is_the_same_each_time(self):
        with tempfile.TemporaryDirectory() as folder:
            found = []
            for name in ("a.pdf", "b.pdf"):
                path = Path(folder, name)
                self.assertEqual(cavet_here("draw", "frame", "modbus-rtu", *FRAME, "-o", str(path)).code, 0)
                found.append(path.read_bytes())
        self.assertEqual(found[0], found[1])
        self.assertTrue(found[0].startswith(b"%PDF"))
        self.assertIn(b"/FontFile2", found[0])
        self.assertIn(b"/Creator (Cavet)", found[0])

    def test_a_walk_is_drawn_with_what_is_wrong_in_words(self):
        with tempfile.TemporaryDirectory() as folder:
            path = hut(Path(folder), "")
            drawn = cavet_here("draw", "walk", str(path)).out
            self.assertIn("each output moves what it names, and nothing else", drawn)
            path.write_text(path.read_text("utf-8").replace("on = false", "on = true"), "utf-8")
            self.assertIn("lamp: ", cavet_here("draw", "walk", str(path)).out)

    def test_mistakes_are_one_line(self):
        for words, part in (
            (("walk",), "expected BENCH"),
            ((), "expected frame, waveform, wiring, pins, map, walk, trail or delays"),
            (("fram", "mqtt", "00"), 'did you mean "frame"?'),
            (("frame",), "a protocol and bytes"),
            (("frame", "modbus-rtu", "-o", "x.png", *FRAME), ".svg or .pdf"),
            (("frame", "modbus-rtu", "-o", "/no/such/folder/x.svg", *FRAME), "No such file"),
            (("waveform", "mqtt", "30 00"), "what has levels in time"),
            (("waveform", "uart", "58", "--rate", "0 Bd"), "more than 0"),
            (("waveform", "uart", "58", "--settings", "9N1"), "such as 8N1"),
            (("waveform", "uart", "00" * 300), "1 to 256"),
        ):
            with self.subTest(words):
                ran = cavet_here("draw", *words)
                self.assertEqual((ran.code, ran.out, ran.err.count("\n")), (2, "", 1))
                self.assertIn(part, ran.err)


if __name__ == "__main__":
    unittest.main()
