"""The bench file: read whole, wrong things told with their place, saved with comments kept."""

import stat
import tempfile
import unittest
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as some

from cavet.benchfile import FIRMWARES, PROTOCOLS, TABLES, check_text, find_places, load_bench, with_addresses
from cavet.demo import demo_path
from cavet.settings import section_of
from cavet.wording import WrongError
from tests.bench.benches import SMALL
from tests.bench_keys import DOCS, PAGES


def errors_of(text):
    """All that is said of a bench file's text."""
    try:
        check_text(text, "small.bench.toml")
    except ExceptionGroup as group:
        return [str(error) for error in group.exceptions]
    except WrongError as error:
        return [str(error)]
    return []


SPOILT = [
    (
        "format = 1",
        "format = 2",
        'small.bench.toml:1 format: found "format 2", expected format 1; this file needs a newer',
    ),
    ("format = 1", "", 'format: found "nothing"'),
    ("format = 1", "format = 1\nformat = 1", "small.bench.toml:2"),
    ('name = "small"', 'nmae = "small"', 'small.bench.toml:2 nmae: found "this key"'),
    ('name = "small"', "name = 5", "small.bench.toml:2 name: found 5, expected a text"),
    ("[boards.hut]", "[boards.Hut]", "expected a name of small letters"),
    ('profile = "wren"', 'profile = "wern"', 'did you mean "wren"?'),
    (
        'firmware = "firmata"',
        'firmware = "firmatta"',
        'small.bench.toml:6 boards.hut.firmware: found "firmatta", expected firmata',
    ),
    ('kind = "lamp", pin = 3', 'kind = "lmap", pin = 3', 'did you mean "lamp"?'),
    (
        'kind = "lamp", pin = 3',
        'kind = "lamp", pin = 20',
        "small.bench.toml:9 boards.hut.parts.lamp.pin: found 20, expected 0 to 19 or A0",
    ),
    ('kind = "lamp", pin = 3', 'kind = "lamp"', 'boards.hut.parts.lamp.pin: found "nothing", expected the pin'),
    ('kind = "lamp", pin = 3', 'kind = "lamp", pin = 3.5', "expected a pin's number or label"),
    ('pin = "A0", of', 'pin = "A7", of', 'found "A7", expected 0 to 19 or A0 to A5'),
    ('of = "level"', 'of = "levle"', 'did you mean "level"?'),
    ('["0 mm", "3 m"]', '["0 mm", "3 V"]', "expected a number in mm"),
    ('["0 mm", "3 m"]', '["0 mm"]', "expected two quantities in brackets, in mm"),
    ('["0 mm", "3 m"]', "[5, 5]", "expected two different ends"),
    ('start = "1.2 m"', 'start = "5 m"', "rig.level.start: found 5000"),
    ('start = "1.2 m"', 'start = "1.2 m"\nrate = "a ** 2"', "rig.level.rate"),
    ('start = "1.2 m"', 'start = "1.2 m"\nrate = "hut.lmap"', 'did you mean "hut.lamp"?'),
    ('start = "1.2 m"', 'start = "1.2 m"\nbasin = 12', "rig.level.basin: found 12, expected 0 to 9"),
    ('kind = "serial"\nboard = "hut"', 'kind = "serial"\nboard = "hat"', 'links.hut.board: found "hat"'),
    ('kind = "serial"', 'kind = "serial"\nsettings = "9N1"', "such as 8N1"),
    ('kind = "serial"', 'kind = "serial"\nrate = 3', "found 3, expected 50 to 4000000"),
    ('kind = "serial"', 'kind = "tcp"\naddress = "nowhere"', "simulated, or HOST:PORT"),
    ('link = "hut"', 'link = "hit"', 'hosts.hut.link: found "hit"'),
    ('protocol = "firmata"', 'protocol = "firmata"\nreply_within = "5 mm"', "expected a number in s"),
    ('kind = "level"\npin = 3', 'kind = "level"\npin = 99', "points.lamp.pin: found 99"),
    ('kind = "level"\npin = 3', 'kind = "level"\npin = 3\nrange = ["0 %", "0 %"]', "two different ends"),
    (
        'kind = "level"\npin = 3',
        'kind = "level"\npin = 3\nrest = "120 %"',
        'points.lamp.rest: found "120 %", expected 0 % to 100 %',
    ),
    ('mode = "pwm"', 'mode = "servoo"', 'did you mean "servo"?'),
    ('mode = "pwm"', "", 'points.lamp.mode: found "nothing"'),
    ('[points.level]\nboard = "hut"', '[points.level]\nboard = "hutt"', 'did you mean "hut"?'),
    (
        'pin = 3\nmode = "pwm"',
        'pin = 3\nmode = "servo"\nunit = "deg"\nrange = [0, 270]',
        'found "0 to 270", expected 0 to 180 deg',
    ),
    (
        'mode = "pwm"',
        'mode = "pwm"\nwire = [0, 20000]',
        'points.lamp.wire: found "0 to 20000", expected what is carried',
    ),
    ('mode = "pwm"', 'mode = "pwm"\nunit = "furlong"', 'points.lamp.unit: found "furlong", expected a unit'),
    ('unit = "mm"\nstart', 'unit = "mmm"\nstart', 'did you mean "mm"?'),
    ('pin = "A0", of', "pin = 7, of", "boards.hut.parts.gauge.pin: found 7, expected a pin with a converter: 14, 15"),
    ("[points.level]", "[points.level", "small.bench.toml:31:14: found"),
    ("[points.level]", "points = 5\n[points.level]", "small.bench.toml"),
]


class Rooms(unittest.TestCase):
    def test_a_key_concerns_all_protocols_that_have_it_and_no_other(self):
        concerns = {key.name: key.concerns for table in TABLES for key in section_of(table).keys if key.concerns}
        of_points = {
            key.name: key.concerns
            for key in section_of(next(table for table in TABLES if table.TITLE == "[points.NAME]")).keys
        }
        self.assertEqual(of_points["device"], ("firmata", "buses"))
        self.assertEqual(of_points["state"], ("mqtt", "plan"))
        self.assertEqual((of_points["address"], of_points["ask"], of_points["kind"]), (("modbus",), ("scpi",), ()))
        self.assertEqual(concerns["takes"], ("plan", "usb", "target"))

    def test_each_room_stands_under_its_own_name(self):
        self.assertEqual([protocol.name for protocol in PROTOCOLS.values()], list(PROTOCOLS))
        self.assertEqual(set(PROTOCOLS) - set(FIRMWARES), set())


class Errors(unittest.TestCase):
    def test_the_small_bench_is_right(self):
        self.assertEqual(errors_of(SMALL), [])

    def test_everything_wrong_is_told_with_its_place_and_what_would_be_right(self):
        for old, new, part in SPOILT:
            with self.subTest(new):
                self.assertIn(old, SMALL)
                errors = errors_of(SMALL.replace(old, new, 1))
                self.assertTrue(any(part in error for error in errors), errors)
                self.assertTrue(all("\n" not in error for error in errors))

    def test_all_mistakes_are_told_at_once_each_with_its_own_line(self):
        text = (
            SMALL.replace("pin = 3 }", "pin = 33 }")
            .replace('mode = "pwm"', 'mood = "pwm"')
            .replace('"1.2 m"', '"1.2 V"')
            .replace('protocol = "firmata"', 'protocol = "firmatta"')
        )
        errors = errors_of(text)
        self.assertEqual([error.split()[0] for error in errors if "level.start" in error], ["small.bench.toml:14"])
        self.assertGreaterEqual(len(errors), 4)

    def test_a_mistake_in_one_place_is_not_told_again_in_others(self):
        errors = errors_of(
            SMALL.replace('unit = "mm"\nstart', 'unit = "mm"\nrange = [1, 1]\nstart', 1).replace(
                "\nrange = [0, 3000]\n\n[links", "\n\n[links"
            )
        )
        self.assertEqual([error for error in errors if "level" in error and "range" not in error], [])

    @given(some.text(alphabet=some.characters(codec="utf-8"), max_size=60), some.integers(0, len(SMALL)))
    def test_any_text_put_anywhere_is_read_or_refused(self, noise, place):
        for error in errors_of(SMALL[:place] + noise + SMALL[place:]):
            self.assertNotIn("\n", error)
            self.assertNotIn("\x1b", error)

    @given(some.integers(0, len(SMALL)))
    def test_a_truncated_file_is_read_or_refused(self, place):
        self.assertIsInstance(errors_of(SMALL[:place]), list)


class OnDisk(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "small.bench.toml"

    def test_what_can_not_be_read_is_told(self):
        with self.assertRaises(WrongError) as caught:
            load_bench(self.path)
        self.assertIn("no such file", str(caught.exception))
        self.path.write_bytes(SMALL.encode() + b"\n# \xff")
        with self.assertRaises(WrongError) as caught:
            load_bench(self.path)
        self.assertIn('small.bench.toml:38: found "byte FF", expected text in UTF-8', str(caught.exception))
        with self.assertRaises(WrongError):
            load_bench(self.path.parent)

    def test_a_change_keeps_comments_order_and_the_rest(self):
        self.path.write_text(SMALL)
        self.path.chmod(0o640)
        load_bench(self.path).changed(("boards", "hut", "parts", "lamp", "pin"), 5).save()
        text = self.path.read_text()
        self.assertEqual(text, SMALL.replace("pin = 3 }", "pin = 5 }"))
        self.assertEqual(stat.S_IMODE(self.path.stat().st_mode), 0o640)
        self.assertEqual([path.name for path in self.path.parent.iterdir()], ["small.bench.toml"])

    def test_lines_that_end_with_cr_lf_and_a_byte_order_mark_are_a_file_like_any_other(self):
        self.path.write_bytes(b"\xef\xbb\xbf" + SMALL.replace("\n", "\r\n").encode())
        keys = (("boards", "hut", "parts", "lamp", "pin"), ("boards", "hut", "parts", "lamp", "current"))
        load_bench(self.path).changed_all([(keys[0], 5), (keys[1], "12 mA")]).save()
        text = self.path.read_bytes()
        self.assertEqual((text.count(b"\n"), text[:1]), (text.count(b"\r\n"), SMALL[:1].encode()))
        self.assertIn(b"pin = 5", text)

    def test_a_change_that_makes_it_wrong_is_refused_and_nothing_is_written(self):
        self.path.write_text(SMALL)
        with self.assertRaises(ExceptionGroup):
            load_bench(self.path).changed(("boards", "hut", "parts", "lamp", "pin"), 50)
        self.assertEqual(self.path.read_text(), SMALL)


class Places(unittest.TestCase):
    def test_every_key_is_found_on_its_line(self):
        lines = (
            "# one", "a = 1", '[b."x.y"]', "c = { d = [1,", ' 2], e = "}#" } # f', "[[g]]", 'h = """', "[not]", '"""',
            "[[g]]", "i.j = 2", "[g.k]", "l = 1",
        )  # fmt: skip
        text = "\n".join(lines)
        self.assertEqual(
            find_places(text),
            {
                ("a",): 2,
                ("b",): 3,
                ("b", "x.y"): 3,
                ("b", "x.y", "c"): 4,
                ("b", "x.y", "c", "d"): 4,
                ("b", "x.y", "c", "d", 0): 4,
                ("b", "x.y", "c", "d", 1): 5,
                ("b", "x.y", "c", "e"): 5,
                ("g",): 6,
                ("g", 0): 6,
                ("g", 0, "h"): 7,
                ("g", 1): 10,
                ("g", 1, "i"): 11,
                ("g", 1, "i", "j"): 11,
                ("g", 1, "k"): 12,
                ("g", 1, "k", "l"): 13,
            },
        )


class Names(unittest.TestCase):
    def test_a_bench_without_a_name_is_called_as_its_file(self):
        for text, file, name in (
            ("format = 1", "lock_keeper.bench.toml", "Lock keeper"),
            ("format = 1", "odd.toml", "Odd"),
            ('format = 1\nname = "Weir"', "odd.bench.toml", "Weir"),
        ):
            self.assertEqual(check_text(text, file).name, name)


class Documentation(unittest.TestCase):
    def test_every_key_is_documented(self):
        for name, of_page in PAGES.items():
            page = (DOCS / name).read_text()
            for section in map(section_of, of_page):
                self.assertIn(section.title, page)
                for key in [*section.keys, *(key for keys in section.variants.values() for key in keys)]:
                    with self.subTest(section.title, key=key.name):
                        self.assertTrue(f"| `{key.name}` |" in page, "no row for it")
                        self.assertTrue(key.doc in page, "another text")

    def test_the_bench_in_the_docs_is_right_and_its_mistakes_are_what_the_page_says(self):
        page = (Path(__file__).parents[2] / "docs" / "bench-of-your-own.md").read_text()
        text = page.partition("```toml\n")[2].partition("```")[0]
        self.assertEqual(errors_of(text), [])
        self.assertEqual(errors_of(text.replace("pin = 3\n", "pin = 5\n")), [])

    def test_of_a_board_that_is_elsewhere_only_the_links_are_known_that_the_address_is_of(self):
        setup = load_bench(demo_path()).setup
        for address, known, unknown in (
            ("127.0.0.1:1502", "pumphouse", "pumphouse_line"), ("/dev/ttyX", "pumphouse_line", "pumphouse"),
        ):  # fmt: skip
            moved = with_addresses(setup, {"pumphouse": address}, "at")
            self.assertEqual((address, ""), (moved.links[known].address, moved.links[unknown].address))
            self.assertFalse(moved.links[known].simulated or moved.links[unknown].simulated)
            self.assertEqual(known, moved.hosts["pumphouse"].link)

    def test_the_demo_holds_nothing_that_is_not_documented(self):
        self.assertEqual(load_bench(demo_path()).setup.name, "Ottersluice")


if __name__ == "__main__":
    unittest.main()
