"""Typical mistakes, each told at its place with what to write instead; and files of a stranger."""

import time
import unittest

from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.routines import routine_text

SETUP = load_bench(demo_path()).setup
TABLE = (
    # a step of a routine, and what is said of it: column, found, a part of what is expected
    ("wiat 2 s", 5, "wiat", 'did you mean "wait"?'),
    ("wait 2", 10, "2", "a time, such as 2 s"),
    ("wait -2 s", 10, "−2 s", "a time of 0 s or more"),
    ("wait 2 parsecs", 12, "parsecs", "the end of the line"),
    ("wait level", 10, "level", "a number in s"),
    ("wait until level", 16, "level", "a condition, such as `level > 1 m`"),
    ("wait until level > 2 s", 24, "2 s", "a number in mm"),
    ("wait until levl > 1 m", 16, "levl", 'did you mean "level"?'),
    ("wait 1 s extra", 14, "extra", "the end of the line"),
    ("set beacon 5 %", 16, "5 %", "to"),
    ("set beacon to", 18, "the end of the line", "a value"),
    ("set beacon to 120 %", 19, "120 %", "0 % to 100 %"),
    ("set beacon to on", 19, "on", "a number in %"),
    ("set beacon to 5 mm", 19, "5 mm", "a number in %"),
    ("set beacon to (5 %", 23, "the end of the line", ")"),
    ("set beacon to 5 % +", 24, "the end of the line", "a value"),
    ("set beacon to 5 % over 2", 28, "2", "a time, such as 2 s"),
    ("set level to 1 m", 9, "level, an input", "an output"),
    ("set beakon to 5 %", 9, "beakon", 'did you mean "beacon"?'),
    ("set pump_a to 50 %", 19, "50 %", "one of off or on"),
    ("set pump_a to maybe", 19, "maybe", "one of off or on"),
    ("set pump_a to on over 2 s", 27, "over", "a number to go to"),
    ("set lower_paddle to asked level", 31, "level, an input", "an output"),
    ("let beacon = 3", 9, "beacon", "another name for a value: it is a point"),
    ("let set = 3", 9, "set", "a name for the value"),
    ("let x = level + 2 s", 21, "2 s", "a number in mm"),
    ("let x = level * level", 19, "mm * mm", "a number without a unit on one side"),
    ("let x = y", 13, "y", "a point, a tune or a value"),
    ("let x = root(2, 3)", 13, "2 values", "1 in root()"),
    ("repeat 3", 13, "the end of the line", "times"),
    ("repeat\n        let x = 1", 5, "repeat in which nothing waits", "such as `wait 10 ms`"),
    ("repeat\n        set beacon to 5 % without waiting", 5, "repeat in which nothing waits", "such as `wait 10 ms`"),
    ("repeat\n        press stop_button", 5, "repeat in which nothing waits", "such as `wait 10 ms`"),
    ("repeat 2000000 times\n        wait 1 s", 12, "2 000 000", "a whole number, 0 to 1000000"),
    ('while level > 1 m\n        say "x"', 5, "while in which nothing waits", "such as `wait 10 ms`"),
    ("leave", 5, "leave", "it within repeat, while, every or for"),
    ("otherwise\n        wait 1 s", 5, "otherwise", "an `if` before it"),
    ("if stop_button is opened\n        wait 1 s", 23, "opened", "one of released or pressed"),
    ("if level rises\n        wait 1 s", 14, "rises", "`wait until`, `when`"),
    ("for i in 1, 2 s\n        wait 1 s", 17, "2 s", "a number without a unit"),
    ("for i from 1 to 3 step 0\n        wait 1 s", 28, "0", "a step of more than 0"),
    ("for beacon from 1 to 3\n        wait 1 s", 9, "beacon", "it is a point"),
    ("every 0 s\n        wait 1 s", 11, "0 s", "a time of more than 0 s"),
    ("do b", 8, "b", "a routine of this file"),
    ("say hello", 9, "hello", 'a text in "quotes"'),
    ('say "open', 9, "a text without an end", 'a " behind it'),
    ('say "{levl}"', 11, "levl", 'did you mean "level"?'),
    ('say "{level"', 10, "a brace without an end", "a } behind the value"),
    ("expect beacon reads 5 mm", 25, "5 mm", "a number in %"),
    ("expect never level > 1 m", 29, "the end of the line", "for"),
    ("send nobody read-coils", 10, "nobody", "a board, or board.link"),
    ("send gatehouse.seral report-firmware", 10, "gatehouse.seral", 'did you mean "gatehouse.serial"?'),
    ("send pumphouse red-coils", 20, "red-coils", 'did you mean "read-coils"?'),
    ("send pumphouse read-coils address 0 quantity 99999", 41, "quantity 99999", "1 to 2000"),
    ("send pumphouse read-coils address 0 quantty 4", 41, "quantty", 'did you mean "quantity"?'),
    ("send pumphouse read-coils quantity 4", 20, "read-coils without address", "a number 0 to 65535"),
    ("send mast read address 34 count 999999", 31, "count 999999", "1 to"),
    ("send mast read address 34 count 1 answered by acknowleged within 1 s", 51, "acknowleged", '"acknowledged"?'),
    ("send gatehouse pin-state-query pin 9 answered by pin-state-response pn 9 within 1 s", 73, "pn", '"pin"?'),
    ("send gatehouse pin-state-query pin 9 answered by pin-state-response mode x within 1 s", 73, "mode x", "a number"),
    ("press gatehouse.beacon", 11, "gatehouse.beacon, a lamp", "a part that a hand can work"),
    ("press stop_butn", 11, "stop_butn", 'did you mean "stop_button"?'),
    ("work gatehouse.windlass trun", 29, "trun", "one of set or release"),
    ("place chambr at 1 m", 11, "chambr", 'did you mean "chamber"?'),
    ("place chamber at 1 s", 22, "1 s", "a number in mm"),
    ("break gatehouse", 20, "the end of the line", "for"),
    ("fault explode on pumphouse", 11, "explode", "one of lose, garble"),
    ("fault refuse on switchrack", 21, "switchrack", "a board that can refuse: modbus"),
    ("fault nack on pumphouse", 19, "pumphouse", "a board with a bus"),
    ("fault hang-up on gatehouse", 22, "gatehouse", "another link"),
    ("make nothing", 10, "nothing", "a defect of the bench"),
    ("reset nobody", 11, "nobody", "a simulated board"),
    ("toggle panel", 12, "panel, a text", "something with two ends"),
    ('show "x" on beacon', 17, "beacon, a level", "a text or pixels"),
    ('show "x" on panel at row 3', 30, "row 3", "row 1 to 2"),
    ('show "x" on panel at row 1, column 1e9', 40, "column 1000000000", "column 1 to 1000"),
    ('show "x" on arrow at row 1, column 9', 40, "column 9", "column 1 to 8"),
    ("keep level", 10, "level, an input", "an output"),
    ("\twait 1 s", 5, "‹HT›", "four spaces"),
    ("wait until nobody is ready", 16, "nobody", "a board"),
    ("tune x = 3 %\n    set beacon to 3 mm", 19, "3 mm", "a number in %"),
    ("wait 1 s\n        wait 1 s", 1, "8 spaces", "4 spaces: wait has no steps below it"),
)
WHOLE = (
    ("", "f:1:1", "nothing", "a routine"),
    ("x", "f:1:1", "x", "routine, alongside, when, finally or reflex"),
    ("routine a\n    wait 1 s\nset beacon to 1 %", "f:3:1", "set", "indented by four spaces, below its routine"),
    ("tune x = 3", "f:1:1", "tune", "indented by four spaces, below its routine"),
    ("routine set\n    wait 1 s", "f:1:9", "set", "a word of the language"),
    ("routine beacon\n    wait 1 s", "f:1:9", "beacon", "it is a point"),
    ("routine a\nroutine b\n    wait 1 s", "f:1:10", "nothing below it", "steps, indented"),
    ("routine a\n    wait 1 s\nroutine a\n    wait 1 s", "f:3:9", "a", "there is a routine of that one"),
    ("alongside x\n    wait 1 s", "f:1:1", "alongside", "a routine before it"),
    ("routine a\n    tune x = 5 from 6 to 9\n    wait 1 s", "f:2:14", "5", "6 to 9"),
    ("routine a\n    wait 1 s\n   wait 1 s", "f:3:1", "3 spaces", "4 spaces, as the line above it"),
    ("routine a\n    do b\nroutine b\n    do a", "f:1:1", "a, which does itself", "routines that end somewhere"),
    ("routine a\n    wait 1 s\n    tune x = 3", "f:3:1", "tune", "before its steps"),
    ("  wait 1 s", "f:1:1", "an indented line", "routine"),
)


def told(text):
    try:
        routine_text(text, "f", SETUP)
    except ExceptionGroup as group:
        return [str(each) for each in group.exceptions]
    return []


class Mistakes(unittest.TestCase):
    def test_each_is_told_at_its_place_with_what_was_expected(self):
        self.assertGreaterEqual(len(TABLE) + len(WHOLE), 40)
        for step, column, found, expected in TABLE:
            with self.subTest(step):
                line = 3 if ("\n" in step and column == 1) or step.startswith("tune") else 2
                (mistake,) = told(f"routine a\n    {step}\n")
                self.assertTrue(mistake.startswith(f'f:{line}:{column}: found "{found}", expected '), mistake)
                self.assertIn(expected, mistake)

    def test_heads_and_the_file_as_a_whole(self):
        for text, place, found, expected in WHOLE:
            with self.subTest(text):
                mistake = told(text)[0]
                self.assertTrue(mistake.startswith(f'{place}: found "{found}", expected '), mistake)
                self.assertIn(expected, mistake)

    def test_all_are_told_at_once_in_their_order(self):
        text = "routine a\n    set beacon to 120 %\n    wiat 1 s\n    wait levl\nfinally\n    set levl to 3\n"
        places = [mistake.partition(": ")[0] for mistake in told(text)]
        self.assertEqual(places, ["f:2:19", "f:3:5", "f:4:10", "f:6:9"])

    def test_what_a_board_can_not_follow_is_told(self):
        head = "reflex x on towpath\n    when "
        for text, place, words in (
            (head + 'button falls\n        say "x"', "f:3:9", "a board can do no more"),
            (head + "level > 1 m\n        toggle lamp", "f:2:10", "a part of the towpath"),
            (head + "lamp > 1 m\n        toggle lamp", "f:2:17", "a share in %"),
            (head + "lamp is 1\n        toggle lamp", "f:2:18", "=, < or > beside a number"),
            (head + "button > 50 %\n        toggle lamp", "f:2:10", "an output, a gauge or a lever"),
            (head + "lamp > bell\n        toggle lamp", "f:2:17", "a number, such as 50 %"),
            (head + "towpath.pin 99 is low\n        toggle lamp", "f:2:10", "expected "),
            (head + "towpath.pin 2 is low\n        toggle lamp", "f:2:10", "a pin that something hangs on"),
            ("reflex x on gatehouse\n    when windlass is high\n        toggle horn", "f:2:10", "such as `> 2 V`"),
            ("reflex x on gatehouse\n    when level_gauge rises\n        toggle horn", "f:2:10", "it has no level"),
            (
                "reflex x on gatehouse\n    when stop_button falls\n        set upper_paddle to 20 %",
                "f:3:13",
                "goes by a level",
            ),
            ("reflex x on gatehouse\n    when upper_paddle > 20 %\n        toggle horn", "f:2:10", 'found "a servo"'),
            (
                "reflex x on gatehouse\n    when upper_paddle is on\n        toggle horn",
                "f:2:10",
                "a contact, or one that",
            ),
            (head + "1 = 1\n        toggle lamp", "f:2:10", "a part of the towpath"),
            (head + "towpath is ready\n        toggle lamp", "f:2:10", "`PART > 50 %`"),
            (head + "lamp falls\n        toggle lamp", "f:2:10", "something that the board senses"),
            (head + "button falls\n        set lamp to 3 mm", "f:3:21", "0 % to 100 %"),
            (head + "button falls\n        toggle button", "f:3:16", "a part that the board drives"),
            (head + "button falls and lamp is on\n        toggle lamp", "f:2:17", "an edge alone behind `when`"),
            (head + "button falls\n        repeat\n            toggle lamp", "f:3:9", "such as `wait 10 ms`"),
            ("reflex x on nowhere\n    when button falls\n        toggle lamp", "f:1:1", "a simulated board"),
            ("reflex x on towpath\n", "f:1:1", "`when CONDITION`, indented below"),
        ):
            with self.subTest(text):
                (mistake,) = told(text + "\n")
                self.assertTrue(mistake.startswith(place), mistake)
                self.assertIn(words, mistake)


class Strangers(unittest.TestCase):
    def test_whatever_stands_in_a_file_is_a_mistake_told_or_a_routine(self):
        for text in (
            "routine a\n" + "".join(f"{'    ' * (depth + 1)}repeat 2 times\n" for depth in range(300)),
            "routine a\n    let x = " + "(" * 1500,
            "routine a\n    let x = " + "-" * 1500 + "1",
            "routine a\n    let x = " + "1 + " * 480 + "1",
            "routine a\n    let x = " + "1+" * 90 + "1",
            "routine a\n" + "    x\n" * 20000,
            "\x00" * 1000,
            'routine a\n    say "' + "{" * 1500 + '"',
            'routine a\n    say "' + "{1}" * 60 + '"',
            "routine a\n    wait " + "9" * 400 + " s",
            "routine a\n    let x = 1e308 * 1e308",
            "routine \x1b[31m\n    wait 1 s",
            "routine a\n    set " + "b" * 1900 + " to 1",
            "routine a\n    wait 1 s\n" * 3000,
            "routine a\r\n    wait 1 s\r\n",
            'routine a\n    say "\\q"',
            "routine a\n    let ä = 1",
            'routine a\n    wait 1 s # ✕ "',
        ):
            with self.subTest(text[:60]):
                began = time.monotonic()
                mistakes = told(text)
                self.assertLess(time.monotonic() - began, 20)
                self.assertLessEqual(len(mistakes), 51)
                for mistake in mistakes:
                    self.assertNotRegex(mistake, "[\x00-\x1f]")
                    self.assertLess(len(mistake), 900)
