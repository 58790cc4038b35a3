"""Routines written out as programs. That each text of the other tests comes to the same as a program, event for event,
is looked at wherever one is run (`tests.routines.running`)."""

import ast
import json
import subprocess
import sys
import tempfile
import textwrap
import unittest
from pathlib import Path

import msgspec

from cavet.record import read_record
from cavet.routines import (
    agree,
    converted,
    differ,
    divided,
    greatest,
    least,
    nan,
    python_of,
    root,
    rounded,
    routine_text,
    told,
)
from tests.patience import PATIENCE
from tests.routines.running import SETUP, run

HOSTILE = (
    r"""
# one@EVIL~
routine a
    # two@    EVIL
    say "EVIL\""  # three@    EVIL
    say "'{level}'EVIL"
reflex b on towpath
    # ''' QUOTES + EVIL + QUOTES \
    when button falls
        toggle lamp
""".replace("@", "\r")
    .replace("~", "\x00\x0b")
    .replace("QUOTES", '"""')
)


def python(text, first=None):
    text = textwrap.dedent(text).strip("\n") + "\n"
    program = routine_text(text, "f.routine", SETUP)
    return python_of(text, program, "demo", first or next(iter(program.routines)))


class Same(unittest.TestCase):
    def test_names_that_python_or_the_program_has_for_something_else(self):
        ran = run(
            """
            routine class
                let run = 2
                let nan = run * 3
                let lambda = min(nan, 100)
                say "{run} {nan} {lambda}"
                do main
                do told
            routine main
                say "main"
            routine told
                let told = 1
                say "told {told}"
            alongside told
                wait 1 s
            when level > told_ * 1 mm
                say "never"
            """.replace("told_", "9 999")
        )
        self.assertEqual(["2 6 6", "main", "told 1"], ran.said)

    def test_words_that_stand_close_together(self):
        text = python(
            """
            routine a
                tune bright=40 %# how bright
                if level>1 mm
                    say "high"
                otherwise# or not
                    set beacon to bright
            """
        )
        self.assertIn("# how bright", text)
        self.assertIn("# or not", text)

    def test_a_value_is_said_as_fine_as_its_wire_can_tell(self):
        ran = run("""
            routine a
                set supply_1_voltage to 5.003 V
                say "{supply_1_voltage} {supply_1_voltage * 2} {supply_1_voltage - 5 V} {2 s / 3} {4 s / 3}"
            """)
        self.assertEqual(["5.003 V 10.006 V 0.003 V 0.666667 s 1.333 s"], ran.said)

    def test_values_that_are_known_only_on_some_ways(self):
        ran = run("""
            routine a
                wait 1 s
                repeat 2 times
                    if level > 9 m
                        let far = 3 mm
                    otherwise if level > 8 m
                        let near = 4 mm
                    otherwise
                        say "far {far}"
                        say "near {far + 1 mm}"
                        if not far > 1 mm
                            let far = 5 mm
                            let word = gate_shut
                say "{far} {word}"
                wait 1 s
            when beacon > 40 %
                if walkway > 40 %
                    let seen = 7
                say "{seen}"
            alongside b
                set beacon to 50 %
                set beacon to 0 %
                set walkway to 50 %
                set beacon to 50 %
                wait 20 ms
                set walkway to 0 %
                set beacon to 0 %
                wait 20 ms
                set beacon to 50 %
            """)
        self.assertEqual(["—", "7", "7"], ran.said[:3])
        self.assertEqual(["far —", "near —", "far 5 mm", "near 6 mm"], ran.said[3:7])
        self.assertRegex(ran.said[7], "^5 mm (open|closed)$")

    def test_what_a_text_may_have_in_it(self):
        ran = run(r"""
            routine a
                let gap = 3 mm
                say "it's \"so\" {gap} and {gate_shut} \\ back"
                say "# no comment"      # but this is "one"
                expect gatehouse.beacon < 1 % and not gate_open is closed
                expect pumphouse.overload != "it's"  within 1 s
                wait until level changes or level rises  at most 1 s  else say "still {gatehouse.beacon}"
                repeat
                    wait 10 ms
                    if elapsed > 2 s
                        leave
            """)
        self.assertEqual("done", ran.end.result, ran.end)
        self.assertIn("it's", ran.said[0])

    def test_sums_have_the_brackets_that_they_need(self):
        ran = run("""
            routine a
                let one = 2 - (3 - 4) * (5 + 6) / (7 - 8) - -(9 - 1)
                let two = 2 * (3 / (4 * 5)) / 6 * 50 %
                let three = round(root(abs(one)) + max(two, 1), 3)
                if not (one > 1 or two < 0) and (one = 1 or two != 5)
                    say "{one}"
                otherwise
                    say "{two} {three}"
                say "{(level + 1 m) / 2} {level / (2 - 2)} {1 m + 20 cm} {elapsed * 2}"
            """)
        self.assertEqual(2, len(ran.said))


class Text(unittest.TestCase):
    def test_comments_stay_where_they_were(self):
        text = python("""
            # above all

            # of a
            routine a    # beside a
                # of the tune
                tune dark = 5 %  from 0 % to 10 %    # beside the tune

                # of set
                set beacon to dark    # beside set
                if level > 1 m        # beside if
                    # of toggle
                    toggle walkway
                otherwise             # beside otherwise
                    toggle beacon
                # the last of a
            # of when
            when stop_button is pressed    # beside when
                stop "so"
            finally                        # beside finally
                clear panel
            # below all
            """)
        for kept in (
            "\n# above all\n\n# of a\n@routine(\n    # of the tune\n",
            '    Tune("dark", 5, "%", low=0, high=10),  # beside the tune\n',
            "async def a(run: Run) -> None:  # beside a\n    # of set\n",
            '    await run.set("beacon", run.tune("dark"), line=9)  # beside set\n',
            '    if await run.holds(run.got("level") > 1000, line=10):  # beside if\n        # of toggle\n',
            "    else:  # beside otherwise\n",
            "    # the last of a\n\n\n# of when\n@a.when(",
            "(run: Run) -> None:  # beside when\n",
            "(run: Run) -> None:  # beside finally\n",
            '\n# below all\n\nif __name__ == "__main__":',
        ):
            self.assertIn(kept, text)

    def test_nothing_of_a_text_becomes_anything_but_what_it_is(self):
        text = python(HOSTILE.replace("EVIL", "raise SystemExit(7)"))
        tree = ast.parse(text)
        self.assertFalse([node for node in ast.walk(tree) if isinstance(node, ast.Raise)])
        self.assertEqual(6, text.count("raise SystemExit(7)"))

    def test_all_that_a_program_does_not_need_is_left_out(self):
        text = python('routine a\n    say "x"\n')
        self.assertIn("\nfrom cavet.script import main, routine, Run\n", text)
        self.assertNotIn("REFLEXES", text)


class Values(unittest.TestCase):
    def test_what_nobody_has_told_yet_is_like_nothing_and_unlike_nothing(self):
        for unknown in (nan, None):
            self.assertFalse(agree(unknown, 1) or agree(1, unknown) or differ(unknown, 1) or differ(1, unknown, 2))
            self.assertEqual("—", told(unknown, "mm"))
        for found in (least(1, nan), greatest(nan, 1), rounded(nan), root(-1), divided(1, 0), converted(nan, 2)):
            self.assertNotEqual(found, found)

    def test_values_agree_within_what_is_said_and_are_told_with_their_words(self):
        self.assertTrue(agree(1.0, 1.4, 0.4) and differ(1.0, 1.5, 0.4) and agree("a", "a"))
        self.assertEqual(("5 mm", "open", "so"), (told(5, "mm"), told(True, words=("shut", "open")), told("so")))


class Programs(unittest.TestCase):
    """Programs as a user runs them."""

    def setUp(self):
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.folder = Path(place.name)

    def call(self, *words):
        return subprocess.run(words, cwd=self.folder, capture_output=True, text=True, timeout=PATIENCE)

    def program(self, text):
        (self.folder / "p.py").write_text(textwrap.dedent(text).lstrip("\n"))
        return lambda *words: self.call(sys.executable, "p.py", *words)

    def test_the_program_takes_what_run_takes_and_leaves_the_same_record(self):
        (self.folder / "f.routine").write_text(
            textwrap.dedent("""
            routine a
                tune bright = 40 %
                set beacon to bright over 500 ms
                say "at {beacon}"
                expect gatehouse.beacon = bright  within 1 s
            alongside b
                every 100 ms
                    toggle walkway
            reflex lamp_by_press on towpath
                when button falls for 20 ms
                    toggle lamp
            finally
                press towpath.button for 200 ms
            """)
        )
        cavet = (sys.executable, "-m", "cavet", "run", "demo", "f.routine")
        options = ("--seed", "q", "--tune", "bright=60 %")
        ran = self.call(*cavet, *options, "--record", "a.record", "--json")
        made = self.call(*cavet, "--to-python")
        self.assertEqual((0, ""), (made.returncode, made.stderr))
        other = self.program(made.stdout)(*options, "--record", "b.record", "--json")
        self.assertEqual((0, 0, ""), (ran.returncode, other.returncode, other.stderr))
        self.assertIn('"text":"at 60 %"', ran.stdout)
        one, two = (
            [msgspec.structs.replace(event, note="") for event in read_record(self.folder / name)]
            for name in ("a.record", "b.record")
        )
        self.assertEqual(one, two)
        ends = [json.loads(each.stdout.splitlines()[-1]) for each in (ran, other)]
        self.assertEqual(*ends)

    def test_a_program_by_hand_tells_its_own_lines_and_what_is_wrong_in_it(self):
        call = self.program("""
            from cavet.script import Run, main, routine

            @routine(boards=["gatehouse"])
            async def well(run: Run) -> None:
                level = await run.set("beacon", "50 %")
                if run.got("beacon") > 40:
                    await run.say("bright")

            @routine()
            async def typing(run: Run) -> None:
                await run.set("beakon", 5)

            @routine()
            async def raising(run: Run) -> None:
                await run.set("beacon", 50)
                raise KeyError("of mine")

            @raising.lastly
            async def at_last(run: Run) -> None:
                await run.say("at last")

            main("demo", well, typing, raising)
            """)
        found = call("--json")
        self.assertEqual((0, ""), (found.returncode, found.stderr))
        lines = [json.loads(line) for line in found.stdout.splitlines()]
        self.assertEqual(
            [(5, 'level = await run.set("beacon", "50 %")'), (7, 'await run.say("bright")')],
            [(line["line"], line["text"]) for line in lines if line["event"] == "step"],
        )
        found = call("typing")
        self.assertEqual(1, found.returncode)
        self.assertRegex(found.stdout, 'failed, line 11: point: found "beakon", expected .* did you mean "beacon"')
        found = call("raising")
        self.assertEqual(1, found.returncode)
        self.assertIn("at last", found.stdout)
        self.assertRegex(found.stdout, "failed, line 16: KeyError: 'of mine'\n$")
        self.assertIn('line 16, in raising\n    raise KeyError("of mine")', found.stderr)
        found = call("elsewhere")
        self.assertEqual((2, 1), (found.returncode, found.stderr.count("\n")))

    def test_a_board_that_is_not_there_is_one_line(self):
        call = self.program("""
            from cavet.script import Run, main, routine

            @routine(boards=["gatehose"])
            async def nowhere(run: Run) -> None:
                await run.wait(1)

            main("demo", nowhere)
            """)
        found = call()
        self.assertEqual((2, ""), (found.returncode, found.stdout))
        self.assertEqual(1, found.stderr.count("\n"))
        self.assertIn('did you mean "gatehouse"?', found.stderr)

    def test_a_bench_beside_the_program_is_found_from_elsewhere(self):
        self.call(sys.executable, "-m", "cavet", "new", "b.toml")
        self.program("""
            from cavet.script import Run, main, routine

            @routine()
            async def well(run: Run) -> None:
                await run.say("here")

            main("b.toml", well)
            """)
        found = subprocess.run(
            [sys.executable, self.folder / "p.py"], cwd="/", capture_output=True, text=True, timeout=PATIENCE
        )
        self.assertRegex(found.stdout, "here")
