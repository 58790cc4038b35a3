"""Routines at work: steps, loops, tracks, how they end; on the demo, in fast time."""

import asyncio
import json
import re
import tempfile
import textwrap
import unittest
from pathlib import Path
from unittest import mock

import cavet
from cavet import clock
from cavet.bench import Carrier, RunningBench, until_ready
from cavet.benchfile import BenchFile, changes_between, check_text, load_bench
from cavet.demo import demo_path, find_routines
from cavet.record import Kind
from cavet.routines import KEYWORDS, Runner, python_of, routine_text, written_value
from cavet.wording import UnreachableError
from tests.checks.huts import ONE_LAMP
from tests.routines.running import SETUP, run


class Steps(unittest.TestCase):
    def test_values_loops_and_branches(self):
        ran = run("""
            routine a
                let x = 3
                for i from 1 to 3
                    let x = x * 2
                for v in 10 %, 20 %
                    set beacon to v
                    say "{v} {beacon} {asked beacon}"
                for n from 5 to 1 step 2
                    say "{n}"
                if beacon > 25 %
                    say "high"
                otherwise if beacon > 15 %
                    say "middle"
                otherwise
                    say "low"
                repeat 5 times
                    let x = x + 1
                    if x > 25
                        leave
                say "{x} {min(x, 7)} {root(16)} {round(2.567, 1)} {1 m / 20 cm}"
                while x < 30
                    let x = x + 1
                    wait 10 ms
                say "{x}"
        """)
        self.assertEqual(
            ran.said,
            ["10 % 10 % 10 %", "20 % 20 % 20 %", "5", "3", "1", "middle", "26 7 4 2.6 5", "30"],
        )
        self.assertEqual((ran.end.result, ran.end.why), ("done", ""))

    def test_it_goes_on_where_a_change_of_the_bench_opens_its_link_anew(self):
        before = load_bench(demo_path())
        text = before.text.replace("[points.horn]", "[points.hooter]")
        after = BenchFile(before.path, text, check_text(text, "x.bench.toml", before.path.parent))
        changes = changes_between(before, after)
        self.assertIn("gatehouse", changes.hosts)

        async def during(bench, runner):
            await asyncio.sleep(1)
            await bench.take_over(after.setup, changes)

        async def lost(bench, runner):
            await during(bench, runner)
            await asyncio.sleep(2)
            bench.break_link("gatehouse")

        steps = "routine a\n    set beacon to 50 %\n    wait 60 s\n    set beacon to 20 %\n"
        for meanwhile, result, until in ((during, "done", 60), (lost, "lost", 20)):
            ran = run(steps, during=meanwhile)
            self.assertEqual(result, ran.end.result)
            self.assertLess(ran.of("end")[0]["t"], until + 15)

    def test_every_kind_of_output_is_set_and_goes_to_rest(self):
        ran = run("""
            routine a
                set upper_paddle to 40 % over 500 ms
                expect elapsed >= 0.5 s
                set pump_a_speed to 50 %
                set pump_a to on
                expect pumphouse.pump_a = 50 % within 3 s
                toggle pump_a
                expect pump_a is off
                show "Hello" on panel
                show "X" on panel at row 2, column 3
                expect asked panel = "Hello\\n  X"
                clear panel
                pulse horn for 100 ms
                set lamp to on
                set relay_101 to closed
                set supply_1_voltage to 5 V
                set post_1 to on
                set yard_1 to on
                ask level
                set walkway to 30 % without waiting
                keep walkway
        """)
        self.assertEqual((ran.end.result, ran.end.why), ("done", ""))
        (end,) = ran.of("end")
        self.assertTrue(end["at_rest"])
        self.assertEqual(len(end["touched"]), 11)
        asked = [
            event.value for event in ran.record.since(0) if event.kind is Kind.ASKED and event.subject == "upper_paddle"
        ]
        on_the_way = [value for value in asked if 0 < value < 40]
        self.assertGreater(len(on_the_way), 10)
        self.assertEqual(on_the_way, [round(value, 2) for value in on_the_way])  # the wire tells 0.67 % apart
        later = [
            event for event in ran.record.since(0) if event.kind == Kind.ASKED and event.note == "routine, at its end"
        ]
        self.assertEqual({event.subject for event in later}, set(end["touched"]) - {"walkway"})

    def test_texts_are_written_into_what_is_shown(self):
        ran = run("""
            routine a
                let y = 1
                show "abcdef" on panel
                show "X" on panel at row y, column 3
                expect asked panel = "abXdef"
                show "1" on arrow at row 2, column 4
                expect asked arrow = "rows 00 08 18 08 08 08 00 00"
                show "." on arrow at row y, column 1
                expect asked arrow = "rows 00 08 18 08 88 08 00 00"
                let y = 3
                show "X" on panel at row y
        """)
        self.assertEqual((ran.end.result, ran.end.line), ("failed", 11))
        self.assertEqual(ran.end.why, 'gatehouse.panel: found "row 3", expected row 1 to 2')

    def test_waiting_and_expecting(self):
        ran = run("""
            routine a
                wait until stop_button is pressed at most 100 ms else say "nobody"
                press gatehouse.stop_button for 300 ms without waiting
                wait until stop_button is pressed for 50 ms at most 1 s
                expect stop_button is pressed
                wait until stop_button falls
                expect never stop_button is pressed for 1 s
                place chamber at 1450 mm
                expect level > 1400 mm within 2 s
                set beacon to 20 %
                expect beacon reads 20 % within 500 ms
                expect gatehouse.pin 2 > 0
                expect gatehouse is ready and not gatehouse is lost
                expect level > 2 m
        """)
        self.assertEqual(ran.said, ["nobody"])
        self.assertEqual((ran.end.result, ran.end.line), ("failed", 14))
        self.assertRegex(ran.end.why, r"^expected level .*, found 1 4\d\d mm$")
        self.assertEqual([line["held"] for line in ran.of("expected")], [True] * 6 + [False])

    def test_a_pulse_of_a_pin_is_seen_however_short_it_is(self):
        strobe = """

            alongside strobe
                wait 100 ms
                send gatehouse set-pin-mode pin 3 mode pwm
                send gatehouse analog-message pin 3 value 255
                send gatehouse analog-message pin 3 value 0
        """
        for step, result, why in (
            ("expect never gatehouse.pin 3 = 255 for 1 s", "failed", r"expected never .*, found it after 1\d\d ms"),
            ("expect gatehouse.pin 3 = 0 for 1 s", "failed", r".*, found it otherwise for a moment, after 1\d\d ms"),
            ("wait until gatehouse.pin 3 rises at most 1 s", "done", ""),
            ("wait until gatehouse.pin 3 > 200 at most 1 s", "done", ""),
            ("wait until gatehouse.pin 3 > 200 for 5 ms at most 1 s", "failed", "it has not come within 1 s"),
            ("expect never (gatehouse.pin 3 = 255 and gatehouse.pin 2 > 0) for 1 s", "done", ""),
            ("expect never (gatehouse.pin 3 = 255 and gatehouse.beacon > 0) for 1 s", "done", ""),
            ("expect never (walkway > 50 % or gatehouse.pin 3 = 254) for 1 s", "done", ""),
        ):
            with self.subTest(step=step):
                ran = run(f"""
            routine a
                {step}
                {strobe}""")
                self.assertEqual(result, ran.end.result, ran.end.why)
                self.assertRegex(ran.end.why or "", f"^{why}$")
        ran = run(f"""
            routine a
                wait 1 s
                expect beacon > 0 %

            when gatehouse.pin 3 rises
                set beacon to 50 %
                {strobe}""")
        self.assertEqual("done", ran.end.result, ran.end.why)

    def test_what_nobody_tells_is_not_read(self):
        ran = run("""
            routine a
                set bell to 300 ms
                expect bell reads 300 ms within 100 ms
        """)
        self.assertEqual(("failed", 3), (ran.end.result, ran.end.line))
        self.assertIn("it can't be asked how it stands", ran.end.why)

    def test_a_limit_holds_for_the_whole_of_what_is_waited_for(self):
        ran = run("""
            routine a
                press gatehouse.stop_button for 5 s without waiting
                wait until stop_button is pressed for 2 s at most 1 s else say "too late"
                wait until stop_button is pressed for 500 ms at most 1 s
                say "{elapsed}"
        """)
        self.assertEqual((ran.said[0], ran.end.result), ("too late", "done"))

    def test_what_is_divided_by_nothing_is_no_number_and_is_told(self):
        ran = run("""
            routine a
                ask level
                set beacon to level / (level - level)
        """)
        self.assertEqual((ran.end.result, ran.end.line), ("failed", 3))
        self.assertIn("divided by 0", ran.end.why)
        self.assertEqual(
            [
                event.value
                for event in ran.record
                if event.kind is Kind.ASKED and event.subject == "beacon" and event.value
            ],
            [],
        )

    def test_of_a_value_that_is_not_known_it_is_told_what_is_not(self):
        for value, why in (
            ("asked walkway * 2", "it gives no number: asked walkway is not known yet"),
            ("10 % * (level / 1 m)", "it gives no number: level is not known yet: `ask level` before"),
            ("min(asked walkway, asked beacon)", "asked walkway and asked beacon are not known yet"),
        ):
            with self.subTest(value):
                ran = run(f"routine a\n    set beacon to {value}")
                self.assertEqual((ran.end.result, ran.end.line), ("failed", 2))
                self.assertIn(why, ran.end.why)

    def test_a_loop_that_takes_no_time_after_all_is_ended(self):
        ran = run("""
            routine a
                repeat
                    if level > 9 m
                        wait 1 s
        """)
        self.assertEqual((ran.end.result, ran.end.line), ("failed", 2))
        self.assertIn("took no time", ran.end.why)

    def test_messages_and_their_answers(self):
        ran = run("""
            routine a
                let speed = 600
                send pumphouse write-single-register address 0 value speed answered by write-single-register within 1 s
                send pumphouse read-holding-registers address 0 quantity 1 answered by read-holding-registers within 1 s
                send gatehouse pin-state-query pin 9 answered by pin-state-response pin 9 within 1 s
                send pumphouse write-single-register address 99 value 1 answered by write-single-register within 1 s
        """)
        self.assertEqual((ran.end.result, ran.end.line), ("failed", 6))
        self.assertIn("found exception", ran.end.why)

    def test_an_answer_is_held_against_the_values_of_its_fields_however_they_are_written(self):
        for message, answer, found in (
            ("pumphouse write-single-coil address 0 value on", "write-single-coil value on", ""),
            ("pumphouse write-single-coil address 0 value on", "write-single-coil value off", "value on"),
            ("pumphouse read-coils address 0 quantity 2", 'read-coils values "off,off"', ""),
            ("pumphouse read-coils address 0 quantity 2", 'read-coils values "0,1"', "read-coils values 0,0"),
            ("pumphouse read-coils address 0 quantity 6", 'read-coils values "0,0"', "values 0,0,0,0,0,0"),
            ("pumphouse read-coils address 999 quantity 2", "exception exception_code 2", ""),
            ("pumphouse read-coils address 999 quantity 2", "read-coils", "exception_code 2"),
            ("gatehouse version-query", "report-version major 2", ""),
            ("gatehouse pin-state-query pin 9", "pin-state-response mode servo", ""),
            ('switchrack query header "*OPC"', "response values 1.0", ""),
            ('switchrack query header "*OPC"', "response values 2", "response values 1"),
            ("mast write-read address 34 register 0 count 2", "read data ffff", ""),
            ("mast write address 90 register 0 data 02", "acknowledged", "reason nobody acknowledges 0x5A"),
            ("signalpost get-status recipient 0", "data-stage", ""),
        ):
            with self.subTest(message, answer=answer):
                ran = run(f"routine a\n    send {message} answered by {answer} within 1 s")
                self.assertEqual("failed" if found else "done", ran.end.result, ran.end.why)
                self.assertIn(found, ran.end.why or "")

    def test_what_a_board_says_in_the_place_of_an_answer_is_told_plainly(self):
        hostile = load_bench(demo_path()).changed_all(
            [(("boards", "gatehouse", "firmware_name"), "a\x1b[31m" + 500 * "b")]
        )
        text = "routine a\n    send gatehouse report-firmware answered by report-firmware name x within 1 s"
        why = run(text, setup=hostile.setup).end.why
        self.assertIn("found report-firmware name a‹ESC›[31mb", why)
        self.assertLess(len(why), 250)

    def test_a_refusal_that_tells_no_message_is_of_the_one_before_where_an_answer_comes_behind_it(self):
        ran = run("""
            routine a
                send gatehouse set-pin-mode pin 0 mode 1
                send gatehouse pin-state-query pin 9 answered by pin-state-response pin 9 within 1 s
                send gatehouse set-pin-mode pin 0 mode 1
                send gatehouse encoder-report-position encoder 0 answered by string-data within 1 s
                send gatehouse encoder-report-position encoder 0 answered by encoder-position within 1 s
        """)
        self.assertEqual(("failed", 6), (ran.end.result, ran.end.line))
        self.assertIn("found string-data", ran.end.why)

    def test_the_name_of_a_field_behind_a_number_is_no_unit_and_bytes_are_no_number(self):
        ran = run("""
            routine a
                send mast write-read address 34 register 0 count 2 answered by read within 1 s
                send mast write address 34 register 2 data "01" answered by acknowledged within 1 s
                send mast write address 34 register 2 data 03 answered by acknowledged within 1 s
                send mast write address 0x22 register 2 data 1e05 answered by acknowledged within 1 s
                send gatehouse sampling-interval interval 40 ms
                send pumphouse read-coils address 0 quantity 5e0 answered by read-coils within 1 s
        """)
        self.assertEqual("done", ran.end.result, ran.end.why)
        written = [event.note for event in ran.record.since(0) if event.kind is Kind.TAKEN and event.board == "mast"]
        self.assertLessEqual({"0x22: write 02 01", "0x22: write 02 03", "0x22: write 02 1E 05"}, set(written))

    def test_a_fault_on_one_link_of_a_board_spares_its_others(self):
        ran = run("""
            routine a
                fault lose on pumphouse_line next 1
                fault lose on pumphouse.serial next 1
                set pump_a to on
                fault lose on pumphouse.tcp next 1
                set pump_b to on
        """)
        self.assertEqual(("failed", 6), (ran.end.result, ran.end.line), ran.end.why)

    def test_faults_and_defects_and_what_a_hand_does(self):
        ran = run("""
            routine a
                break gatehouse for 500 ms
                set beacon to 20 %
                make dead_walkway
                set walkway to 50 %
                expect gatehouse.walkway = 0 %
                mend dead_walkway
                reset gatehouse
                set beacon to 40 %
                fault silence on pumphouse next 1
                set heater to on
                work gatehouse.windlass set 0.5 for 200 ms
                press towpath.button for 50 ms
                release gatehouse.windlass
        """)
        self.assertEqual((ran.end.result, ran.end.why), ("done", ""))

    def test_each_wish_follows_from_its_step(self):
        ran = run("""
            routine blink
                set beacon to 50 %
        """)
        asked = next(event for event in ran.record.since(0) if event.kind == Kind.ASKED and event.subject == "beacon")
        step = ran.record[asked.cause]
        self.assertEqual(
            (step.kind, step.subject, step.value, asked.note), (Kind.STEP, "blink", 2, "routine blink, line 2")
        )


class Tracks(unittest.TestCase):
    def test_what_runs_alongside_ends_with_the_routine(self):
        ran = run("""
            routine a
                wait 1 s
            alongside blink
                every 200 ms
                    toggle walkway
        """)
        toggled = [
            line["t"] for line in ran.of("step") if line["text"] == "toggle walkway" and line["result"] == "done"
        ]
        self.assertEqual(len(toggled), 5)
        self.assertEqual(ran.steps[-1], (4, "left"))

    def test_a_rule_listens_and_its_delay_is_told(self):
        ran = run("""
            routine a
                press gatehouse.stop_button for 100 ms
                wait 300 ms
                press gatehouse.stop_button for 100 ms
                wait 300 ms
            when stop_button is pressed for 30 ms
                set beacon to 80 %
                set beacon to 0 %
        """)
        self.assertEqual([line["line"] for line in ran.of("when")], [6, 6])
        for line in ran.of("when"):
            self.assertGreater(line["delay"], 0.03)
            self.assertLess(line["delay"], 0.06)

    def test_one_edge_during_a_turn_is_kept_and_no_more(self):
        ran = run("""
            routine a
                repeat 3 times
                    press gatehouse.stop_button for 50 ms
                    wait 50 ms
                wait 2 s
            when stop_button is pressed
                say "turn"
                wait 500 ms
        """)
        self.assertEqual(ran.said, ["turn", "turn"])

    def test_a_turn_that_takes_too_long_is_told_once_and_keeps_the_period(self):
        ran = run("""
            routine a
                every 100 ms
                    if elapsed > 1 s
                        leave
                    wait 250 ms
        """)
        self.assertEqual(len(ran.said), 1)
        self.assertIn("a turn took longer than 100 ms", ran.said[0])
        began = [round(line["began"] - ran.lines[0]["t"], 3) for line in ran.of("step") if line["line"] == 5]
        self.assertTrue(all(abs(one - round(one, 1)) < 0.06 for one in began), began)


class Reflexes(unittest.TestCase):
    def test_a_board_follows_a_rule_step_by_step_and_its_delay_is_told(self):
        ran = run("""
            routine a
                press gatehouse.stop_button for 100 ms
                wait 300 ms
                expect gatehouse.beacon = 100 %
                wait 1 s
                expect gatehouse.beacon = 0 %
            reflex glow on gatehouse
                when stop_button falls for 20 ms
                    repeat 2 times
                        toggle beacon
                        wait 500 ms
        """)
        self.assertEqual((ran.end.result, ran.end.why), ("done", ""))
        (turn,) = ran.of("reflex")
        self.assertEqual((turn["name"], turn["delay"]), ("glow", 0.02))

    def test_it_goes_on_when_the_link_is_cut_and_chooses_by_its_own_pins(self):
        ran = run("""
            routine a
                break gatehouse for 3 s without waiting
                press gatehouse.stop_button for 100 ms
                wait 500 ms
                expect gatehouse.beacon = 50 %
                press gatehouse.stop_button for 100 ms
                wait 500 ms
                expect gatehouse.beacon = 0 %
            reflex x on gatehouse
                when stop_button is pressed for 20 ms
                    if beacon is off
                        set beacon to 50 %
                    otherwise
                        set beacon to off
                        pulse horn for 200 ms
        """)
        self.assertEqual((ran.end.result, ran.end.why), ("done", ""))
        self.assertEqual(len(ran.of("reflex")), 2)

    def test_it_looks_at_outputs_and_at_what_its_converter_reads(self):
        ran = run(
            """
            routine a
                wait 500 ms
                set horn to on
                wait 60 ms
                set beacon to 40 %
                wait 100 ms
                say "{gatehouse.walkway}"
                set beacon to 60 %
                wait 100 ms
                say "{gatehouse.walkway}"
                place chamber at 2 m
                wait 100 ms
                say "{gatehouse.horn}"
                work gatehouse.windlass set 50 %
                wait 100 ms
                say "{gatehouse.horn}"
                work gatehouse.windlass set -50 %
                wait 100 ms
                say "{gatehouse.walkway}"
            reflex a_lamp on gatehouse
                when beacon > 50 % and horn is on
                    set walkway to 50 %
            reflex by_level on gatehouse
                when level_gauge >= 1 900 mm
                    set horn to off
            reflex by_hand on gatehouse
                when 20 % < gatehouse.windlass for 35 ms
                    if not beacon = 60 %
                        set beacon to off
                    set horn to on
                when gatehouse.pin A1 < 2 V and gatehouse.pin 4 is high
                    set walkway to off
        """
        )
        self.assertEqual((ran.end.result, ran.end.why), ("done", ""))
        self.assertEqual(ran.said, ["0 %", "50.2 %", "quiet", "sounds", "0 %"])
        told = [line["name"] for line in ran.of("reflex")]
        self.assertEqual(told, ["a_lamp", "a_lamp"])  # a converter's reading has no edge that could be timed
        self.assertTrue(all(0 < line["delay"] <= 0.0101 for line in ran.of("reflex")), ran.of("reflex"))

    def test_a_pin_that_the_host_has_given_another_mode_is_told_and_the_board_goes_on(self):
        ran = run("""
            routine a
                send gatehouse set-pin-mode pin 2 mode input
                wait 100 ms
                press gatehouse.stop_button for 100 ms
                wait 300 ms
                expect gatehouse is ready
                say "{gatehouse.horn}"
            reflex r on gatehouse
                when stop_button is pressed for 20 ms
                    set beacon to on
                    set horn to on
        """)
        self.assertEqual((ran.end.result, ran.said), ("done", ["sounds"]))
        refused = [event.note for event in ran.record if event.kind is Kind.REFUSED]
        self.assertEqual(refused, ["pin 2 is in mode input: it can't be switched on and off"])

    def test_a_gauge_whose_voltage_falls_is_compared_as_it_stands(self):
        usual, turned = 'range = ["0 mm", "3000 mm"]', 'range = ["3000 mm", "0 mm"]'
        text = demo_path().read_text()
        self.assertIn(usual, text)
        setup = check_text(text.replace(usual, turned, 1), "turned", demo_path().parent)
        rules = "reflex r on gatehouse\n    when level_gauge >= 1 900 mm\n        set horn to on\n"
        says = '    say "{gatehouse.horn}"\n'
        steps = f"    wait 300 ms\n{says}    place chamber at 2 m\n    wait 300 ms\n{says}"
        ran = run(f"routine a\n{steps}{rules}", setup=setup)
        self.assertEqual(ran.said, ["quiet", "sounds"])

    def test_the_same_rule_on_either_side_tells_which_delay_it_has(self):
        rule = "when stop_button falls for 20 ms\n        toggle walkway\n"
        text = "routine a\n    press gatehouse.stop_button for 100 ms\n    wait 1 s\n"
        by_board = run(f"{text}reflex r on gatehouse\n    {rule}").of("reflex")
        by_host = run(f"{text}{rule}".replace("falls", "is pressed").replace("        toggle", "    toggle")).of("when")
        self.assertEqual((len(by_board), len(by_host)), (1, 1))
        self.assertLess(by_board[0]["delay"], by_host[0]["delay"])

    def test_rules_are_gone_when_the_run_is_over_and_those_of_the_bench_stay(self):
        ran = run("""
            routine a
                set lamp to on
                press towpath.button for 100 ms
                wait 300 ms
        """)
        self.assertEqual([line["name"] for line in ran.of("reflex")], ["lamp_by_button"])


class Ends(unittest.TestCase):
    def test_however_it_ends_finally_runs_and_all_goes_to_rest(self):
        for step, result, why in (
            ('fail "so"', "failed", "so"), ('stop "so"', "stopped", "so"), ("end", "done", ""),
            ("expect level > 9 m", "failed", "found"), ("wait until level > 9 m at most 1 s", "failed", "not come"),
        ):  # fmt: skip
            with self.subTest(step):
                ran = run(f"""
                    routine a
                        set beacon to 50 %
                        {step}
                        say "never"
                    finally
                        say "finally"
                """)
                self.assertEqual((ran.end.result, ran.said), (result, ["finally"]))
                self.assertIn(why, ran.end.why)
                self.assertTrue(ran.of("end")[0]["at_rest"])

    def test_a_routine_in_a_routine_ends_alone_and_its_failure_ends_all(self):
        ran = run("""
            routine a
                do b with lvl = 30 %
                say "after {beacon}"
                do b with lvl = 40 %
                do c
                say "never"
            routine b
                tune lvl = 10 % from 0 % to 50 %
                set beacon to lvl
                end
            finally
                set beacon to 5 %
            routine c
                fail "deep"
        """)
        self.assertEqual(ran.said, ["after 5 %"])
        self.assertEqual((ran.end.result, ran.end.line, ran.end.why), ("failed", 14, "deep"))

    def test_told_to_stop_it_stops_at_its_wait_also_twice_and_finally_goes_on(self):
        async def stop(bench, runner):
            await asyncio.sleep(2)
            runner.stop("enough")
            await asyncio.sleep(0.05)
            runner.stop("again")

        ran = run(
            """
            routine a
                set beacon to 50 %
                wait 1 h
            alongside b
                repeat
                    wait 100 ms
            finally
                wait 200 ms
                say "finally"
            """,
            during=stop,
        )
        self.assertEqual((ran.end.result, ran.end.why, ran.said), ("stopped", "enough", ["finally"]))
        self.assertTrue(ran.of("end")[0]["at_rest"])

    def test_finally_goes_on_where_it_is_stopped_for_the_first_time_in_it(self):
        async def stop(bench, runner):
            await asyncio.sleep(1.2)
            runner.stop("enough")

        for step, result in (("wait 10 ms", "stopped"), ('fail "so"', "failed")):
            with self.subTest(step):
                text = f'routine a\n    set beacon to 50 %\n    {step}\nfinally\n    wait 3 s\n    say "finally"\n'
                ran = run(text, during=stop)
                self.assertEqual((ran.end.result, ran.said), (result, ["finally"]))
                self.assertTrue(ran.of("end")[0]["at_rest"])

    LASTS = 'routine a\n    set beacon to 50 %\n    wait 1 h\nfinally\n    say "finally"\n'

    def test_a_bench_that_is_closed_under_it_waits_for_finally_and_rest(self):
        async def close(bench, runner):
            await asyncio.sleep(2)
            await bench.stop()

        ran = run(self.LASTS, during=close)
        self.assertEqual((ran.end.result, ran.end.why, ran.said), ("stopped", "the bench was closed", ["finally"]))
        self.assertTrue(ran.of("end")[0]["at_rest"])

    def test_who_ran_it_may_give_it_up_and_it_ends_in_good_order(self):
        lines = []

        async def story():
            bench = RunningBench(SETUP, carrier=Carrier.MEMORY)
            await bench.start()
            await until_ready(bench.host_links["gatehouse"])
            work = asyncio.ensure_future(Runner(bench, routine_text(self.LASTS, "f", SETUP), lines.append).run("a"))
            await asyncio.sleep(2)
            work.cancel()
            with self.assertRaises(asyncio.CancelledError):
                await work
            await bench.stop()

        clock.run(story(), fast=True)
        self.assertIn("finally", [line.get("text") for line in lines])
        self.assertEqual((lines[-1]["result"], lines[-1]["at_rest"]), ("stopped", True))

    def test_an_error_of_our_own_is_told_and_it_ends_in_good_order(self):
        async def fails(runner, step, track):
            raise KeyError("nobody thought of it")

        with mock.patch.object(Runner, "_mark", fails), self.assertLogs("cavet", "ERROR"):
            ran = run(self.LASTS.replace("wait 1 h", 'mark "x"'))
        self.assertEqual((ran.end.result, ran.said), ("failed", ["finally"]))
        self.assertIn("nobody thought of it", ran.end.why)
        self.assertTrue(ran.of("end")[0]["at_rest"])

    def test_what_never_should_have_happened_is_told_with_when_it_did(self):
        ran = run("""
            routine a
                wait 5 s
                press gatehouse.stop_button for 1 s without waiting
                expect never stop_button is pressed for 2 s
        """)
        self.assertRegex(ran.end.why, r"^expected never stop_button is pressed for 2 s, found it after \d+(\.\d)? ms$")

    def test_finally_takes_30_s_at_most(self):
        ran = run("""
            routine a
                wait 10 ms
            finally
                repeat
                    wait 1 s
        """)
        self.assertEqual((ran.end.result, ran.end.why), ("failed", "finally took more than 30 s"))

    def test_what_is_under_way_when_its_link_is_lost_is_done_when_it_is_back(self):
        for step in ("set walkway to 30 %", "pulse walkway for 100 ms", "ask walkway", "expect walkway reads 0 %"):
            for away in ("20 ms", "1 s"):
                with self.subTest(step, away=away):
                    ran = run(f"""
                        routine a
                            {step}
                        alongside b
                            break gatehouse for {away}
                    """)
                    self.assertEqual(("done", True), (ran.end.result, ran.of("end")[0]["at_rest"]), ran.end.why)

    def test_a_message_whose_link_is_lost_is_not_said_again(self):
        for away, result, why in (("20 ms", "failed", "found nothing"), ("1 h", "failed", "nothing: gatehouse: ")):
            with self.subTest(away):
                ran = run(f"""
                    routine a
                        send gatehouse pin-state-query pin 9 answered by pin-state-response within 500 ms
                    alongside b
                        break gatehouse for {away} without waiting
                        wait 1 s
                """)
                self.assertEqual((result, 2), (ran.end.result, ran.end.line), ran.end.why)
                self.assertIn(why, ran.end.why)
                said = [event for event in ran.record.since(0) if event.subject == "pin-state-query"]
                self.assertEqual(1, sum(event.kind is Kind.ASKED for event in said))

    def test_a_message_that_waits_for_its_turn_while_the_link_is_lost_fails(self):
        ran = run("""
            routine a
                wait 50 ms
                send gatehouse report-digital port 1 value 1
            alongside b
                fault silence on gatehouse for 1 s
                send gatehouse pin-state-query pin 9
            alongside c
                wait 100 ms
                break gatehouse for 2 s
        """)
        self.assertEqual(("failed", 3), (ran.end.result, ran.end.line), ran.end.why)
        self.assertIn("the link was lost while report-digital-port was said", ran.end.why)

    def test_a_session_that_a_fault_has_stopped_keeps_no_run_from_its_end(self):
        async def stop(bench, runner):
            await asyncio.sleep(0.5)
            link = bench.host_links["gatehouse"]
            with self.assertLogs("cavet"), mock.patch.object(link.session, "look", side_effect=ZeroDivisionError):
                link.look("beacon")

        ran = run("routine a\n    set beacon to 10 %\n    set lamp to on\n    wait 2 s\n", during=stop)
        (end,) = ran.of("end")
        self.assertEqual(("done", False), (end["result"], end["at_rest"]))
        (*_, lamp) = [event for event in ran.record.since(0) if event.subject == "lamp"]
        self.assertEqual((Kind.CONFIRMED, False), (lamp.kind, lamp.value))

    def test_at_the_end_a_link_that_is_away_is_waited_for_not_for_ever(self):
        for away, at_rest in (("3 s", True), ("1 h", False)):
            with self.subTest(away):
                ran = run(f"""
                    routine a
                        set beacon to 30 %
                        set walkway to 30 %
                        break gatehouse for {away} without waiting
                """)
                (end,) = ran.of("end")
                self.assertEqual(("done", at_rest), (end["result"], end["at_rest"]))
                self.assertLess(end["t"], 10)

    def test_a_link_that_is_lost_for_good_ends_it_in_each_step_that_needs_it(self):
        for step in (
            "set beacon to 20 %",
            "ask beacon",
            "pulse horn for 1 s",
            "toggle beacon",
            "expect beacon reads 5 %",
        ):
            with self.subTest(step):

                async def lose(bench, runner):
                    await asyncio.sleep(0.5)
                    bench.break_link("gatehouse")

                ran = run(f"routine a\n    set beacon to 10 %\n    wait 1 s\n    {step}\n", during=lose)
                self.assertEqual((ran.end.result, ran.end.line), ("lost", 4))
                self.assertFalse(ran.of("end")[0]["at_rest"])

    def test_a_link_that_is_lost_for_good_ends_it_whatever_it_waits_for(self):
        patient = load_bench(demo_path()).changed_all([(("hosts", "gatehouse", "lost_after"), "3 s")]).setup
        for setup, after in ((SETUP, 30.0), (patient, 3.0)):
            for step in ("wait 1 h", "wait until level > 9 m", "wait until towpath is lost"):
                with self.subTest(after=after, step=step):
                    gone = []

                    async def lose(bench, runner, gone=gone):
                        await asyncio.sleep(0.5)
                        bench.break_link("gatehouse")
                        gone.append(bench.clock.now())

                    ran = run(f"routine a\n    set beacon to 10 %\n    {step}\n", during=lose, setup=setup)
                    self.assertEqual(ran.end.result, "lost")
                    self.assertIn("gatehouse", ran.end.why)
                    self.assertAlmostEqual(ran.of("step")[-1]["t"] - gone[0], after, delta=0.5)

    def test_a_link_that_it_does_not_need_may_be_away(self):
        async def lose(bench, runner):
            bench.break_link("towpath")

        text = """
            routine a
                wait until towpath is lost
                wait 40 s
                do b
            routine b
                set beacon to 10 %
            routine c
                set lamp to on
        """
        ran = run(text, during=lose)
        self.assertEqual((ran.end.result, ran.end.why), ("done", ""))
        self.assertEqual(run(text, "c", during=lose).end.result, "lost")
        routines = routine_text(textwrap.dedent(text), "f", SETUP).routines
        self.assertEqual([sorted(routines[name].hosts) for name in "abc"], [["gatehouse"]] * 2 + [["towpath"]])

    def test_an_answer_that_does_not_come_fails_it_while_the_link_is_there(self):
        async def mute(bench, point):
            raise UnreachableError(bench.host_links[point.board].address, f"nothing was heard of {point.name}")

        with mock.patch("cavet.routines._working.read_afresh", mute):
            ran = run("routine a\n    ask level\n")
        self.assertEqual((ran.end.result, ran.end.line), ("failed", 2))
        self.assertIn("nothing was heard of level", ran.end.why)

    def test_a_message_waits_for_its_link_too(self):
        async def lose(bench, runner):
            await asyncio.sleep(0.5)
            bench.break_link("pumphouse")
            await asyncio.sleep(5)
            bench.mend_link("pumphouse")

        said = "send pumphouse read-coils address 0 quantity 1 answered by read-coils within 2 s"
        ran = run(f"routine a\n    wait 1 s\n    {said}\n", during=lose)
        self.assertEqual((ran.end.result, ran.end.why), ("done", ""))

    def test_tunes_are_turned_within_their_range(self):
        async def turn(bench, runner):
            await asyncio.sleep(1.5)
            runner.tune("lvl", 40.0)
            for name, value in (("lvl", 90.0), ("nobody", 1.0)):
                with self.assertRaises(cavet.WrongError):
                    runner.tune(name, value)

        ran = run(
            """
            routine a
                tune lvl = 10 % from 0 % to 50 %
                repeat 2 times
                    set beacon to lvl
                    say "{beacon}"
                    wait 2 s
            """,
            during=turn,
        )
        self.assertEqual(ran.said, ["10 %", "40 %"])
        self.assertEqual([(line["name"], line["value"]) for line in ran.of("tune")], [("lvl", 40.0)])


class Again(unittest.TestCase):
    TEXT = """
        routine a
            set upper_paddle to 60 % over 1 s
            repeat 5 times
                pulse horn for 100 ms
                set pump_a to on
                wait 50 ms
                toggle pump_a
        alongside b
            every 70 ms
                toggle beacon
        when level > 1 m
            say "{level}"
    """

    def test_the_same_seed_gives_the_same_record_event_for_event(self):
        first, second = run(self.TEXT), run(self.TEXT)
        self.assertEqual(first.lines, second.lines)
        self.assertEqual(first.record.since(0), second.record.since(0))


def is_lamp(part):
    return part.kind == "lamp"


class OfTheDemo(unittest.TestCase):
    def test_each_of_the_demos_routines_ends_well(self):
        text = find_routines("demo").read_text("utf-8")
        for name in ("locking", "blink_while_driving", "lever_to_pumps", "lamp_by_level", "all_lamps"):
            with self.subTest(name):
                ran = run(text, name)
                self.assertEqual((ran.end.result, ran.end.why), ("done", ""))
                self.assertTrue(ran.of("end")[0]["at_rest"])

    def test_open_is_said_of_links_and_of_parts(self):
        lines = ["pumphouse.tcp is open", "pumphouse.door is shut", "switchrack.relay_101 is open"]
        text = "routine a\n" + "".join(f"    expect {line}\n" for line in lines)
        self.assertEqual("done", run(text).end.result)
        ran = run("routine a\n    expect pumphouse.door is open\n")
        self.assertIn("expected pumphouse.door is open, found shut", ran.end.why)

    def test_the_lever_gives_the_pumps_its_share(self):
        ran = run(find_routines("demo").read_text("utf-8"), "lever_to_pumps")
        asked = {
            (event.subject, round(event.value, -1))
            for event in ran.record.since(0)
            if event.kind is Kind.ASKED and "_speed" in event.subject and event.note.endswith(("77", "81"))
        }
        self.assertEqual({("pump_a_speed", 60), ("pump_b_speed", 40)}, asked)

    def test_each_lamp_that_the_demo_has_is_seen_on_and_off(self):
        setup = load_bench(demo_path()).setup
        boards = setup.boards.values()
        lamps = {f"{board.name}.{part}" for board in boards for part in board.parts if is_lamp(board.parts[part])}
        ran = run(find_routines("demo").read_text("utf-8"), "all_lamps")
        told = " and ".join(line["text"].removeprefix("expect ") for line in ran.of("expected"))
        for sign in (">", "<"):
            self.assertEqual({lamp for lamp in lamps if re.search(rf"{lamp} {sign} ", told)}, lamps)
        self.assertIn(f"all {len(lamps)} lamps glow, and go out", ran.said)

    def test_what_goes_wrong_in_a_locking_is_told(self):
        text = find_routines("demo").read_text("utf-8")

        async def press(bench, runner):
            await asyncio.sleep(6)
            bench.act("gatehouse.stop_button", "press", seconds=0.2)

        async def cross(bench, runner):
            bench.switch_defect("crossed_paddles", True)

        async def hold(bench, runner):
            gate = bench.host_links["gatehouse"].session.readings["gate"]
            while gate.asked != 100:
                await asyncio.sleep(0.01)
            bench.place("chamber", 1500)

        for during, result, why in (
            (press, "stopped", "the stop button"), (cross, "failed", "found"), (hold, "failed", "does not open"),
        ):  # fmt: skip
            with self.subTest(why):
                ran = run(text, "locking", during=during)
                self.assertEqual(ran.end.result, result)
                self.assertIn(why, ran.end.why)

    def test_the_example_of_the_page_runs(self):
        page = (Path(__file__).parents[2] / "docs" / "routines.md").read_text("utf-8")
        example = next(part for part in page.split("```") if part.startswith("\nroutine glow"))
        ran = run(example)
        self.assertEqual((ran.end.result, ran.end.why), ("done", ""))
        written = next(part for part in page.split("```") if part.startswith("python\n"))
        example = example.lstrip("\n")
        program = routine_text(example, "glow.routine", SETUP)
        self.assertEqual(python_of(example, program, "demo", "glow"), written.removeprefix("python\n"))


class Words(unittest.TestCase):
    """What the two values of a switch are called in a bench is what a routine calls them, whatever else it means."""

    def test_words_that_are_none_of_the_languages_or_some_of_them(self):
        for off, on in (
            ("shut", "open"), ("lost", "ready"), ("stop", "go"), ("at", "over"), ("min", "max"), ("and", "is"),
            ("0", "1"), ("AUS", "EIN"), ("aus", "l\u00e4uft"), ("wide shut", "wide open"), ("at-rest", 'a "b" {c} \\'),
        ):  # fmt: skip
            setup = check_text(ONE_LAMP + f"words = {json.dumps([off, on])}\n", "hut.bench.toml")
            lamp = setup.points["lamp"]
            one, other = written_value(lamp, True), written_value(lamp, False)
            forms = {(one, other)} | ({(on, off)} if on.isascii() and on.isalnum() else set())
            for one, other in forms:
                with self.subTest(one=one):
                    ran = run(
                        f"""
                        routine a
                            set lamp to {one}
                            expect lamp is {one} and lamp = {one} and lamp != {other} and asked lamp is {one}
                            expect not lamp is {other}
                            set lamp to {other}
                            wait until lamp is {other}  at most 1 s
                            say "{{lamp}}"
                        """,
                        setup=setup,
                    )
                    self.assertEqual(("done", [off]), (ran.end.result, ran.said), ran.end)

    def test_what_the_bench_calls_by_a_word_of_the_language_can_be_spoken_of(self):
        """But for four, which can be read as something else wherever a value is."""
        for name in sorted({*KEYWORDS, "class", "mm"} - {"asked", "elapsed", "never", "not"}):
            text = ONE_LAMP.replace("[points.lamp]", f"[points.{name}]").replace("lamp = {", f"{name} = {{")
            with self.subTest(name):
                ran = run(
                    f"""
                    routine a
                        set {name} to on
                        wait until {name} = on and hut.{name} > 90 %  at most 1 s
                        expect {name} is on and asked {name} = on
                        toggle {name}
                        ask {name}
                        expect {name} reads off
                        say "{{{name}}}"
                        keep {name}
                    when {name} falls
                        mark "fallen"
                    """,
                    setup=check_text(text, "hut.bench.toml"),
                )
                self.assertEqual(("done", ["off"]), (ran.end.result, ran.said), ran.end)

    def test_such_a_word_is_no_name_for_anything_in_the_routine(self):
        setup = check_text(ONE_LAMP.replace("[points.lamp]", "[points.stop]"), "hut.bench.toml")
        for line in ("let stop = 3", "for stop in 1, 2\n        wait 1 s", "tune stop = 3"):
            with self.subTest(line), self.assertRaises(ExceptionGroup) as caught:
                routine_text(f"routine a\n    {line}\n", "f", setup)
            self.assertIn('found "stop", expected another name', str(caught.exception.exceptions[0]))

    def test_what_was_asked_is_written_as_it_was(self):
        for name, value in (
            ("supply_1_voltage", 12.345), ("target_level", 1200.5), ("beacon", 33.3), ("gate", -12.25), ("bell", 1234),
            ("supply_1_limit", 0.3000000000004), ("supply_2_limit", 1e-7),
        ):  # fmt: skip
            with self.subTest(name):
                written = written_value(SETUP.points[name], value)
                ran = run(f"routine a\n    set {name} to {written} without waiting\n    keep {name}\n")
                asked = [event.value for event in ran.record.since(0) if event.kind is Kind.ASKED]
                self.assertEqual([value], asked)

    def test_a_board_is_ready_and_so_may_be_a_point(self):
        ran = run(
            """
            routine a
                wait until overload = ready and overload is ready  at most 5 s
                expect pumphouse is ready and not overload is tripped and not pumphouse is lost
            """
        )
        self.assertEqual("done", ran.end.result, ran.end)

    def test_what_is_no_word_of_it_is_told_with_what_are(self):
        setup = check_text(ONE_LAMP + 'words = ["wide shut", "open"]\n', "hut.bench.toml")
        for word in ('"wide"', "2"):
            with self.assertRaises(ExceptionGroup) as caught:
                routine_text(f"routine a\n    set lamp to {word}\n", "f", setup)
            self.assertIn('expected one of "wide shut" or open', str(caught.exception.exceptions[0]))


class ConditionsAsValues(unittest.TestCase):
    def test_a_condition_in_brackets_is_on_where_it_holds(self):
        ran = run(
            """
            routine a
                ask level
                let wet = (level > 1 m)
                set horn to (not wet)
                set mast_1 to (wet and beacon < 3 % or (horn is on))
                say "{wet} {(horn)} {mast_1} {(mast_1 and level > 9 m)} {(gatehouse is ready)}"
                expect (level > 1 m) = wet and horn != (1 m < level)
                if (level > 1 m) = (2 > 1) and not (wet = (level > 9 m))
                    say "so"
                set spare_relay to (level > 1 m)
                say "{spare_relay}"
                for each in (wet and horn), (wet or horn)
                    say "{each}"
            """
        )
        self.assertEqual(
            ("done", ["on off on off on", "so", "closed", "off", "on"]), (ran.end.result, ran.said), ran.end
        )

    def test_where_none_belongs_it_is_told(self):
        for line, found in (
            ("let x = (level > 1 m) + 1", 'found "a condition", expected a number'),
            ("let x = -(not horn)", 'found "a condition", expected a number'),
            ("set beacon to (horn is on)", 'found "a condition", expected a number in %'),
            ("wait (gatehouse is ready)", 'found "a condition", expected a time'),
            ("repeat (horn or horn) times\n        wait 1 s", 'found "a condition", expected a number'),
            ("let x = min((horn is on), 2)", 'found "a condition", expected a number'),
            ("for v in 1, (horn is on)\n        wait 1 s", 'found "a condition", expected a number'),
            ("let x = (stop_button rises)", 'found "rises", expected `wait until`'),
            ("expect mast.pin 3 = 1", 'found "3", expected a pin of the mast: none: the board has no pins'),
            ("set horn to (beacon reads 3 %)", 'found "reads", expected `expect POINT reads VALUE`'),
        ):
            with self.subTest(line), self.assertRaises(ExceptionGroup) as caught:
                routine_text(f"routine a\n    {line}\n", "f", SETUP)
            self.assertIn(found, str(caught.exception.exceptions[0]))


class InPython(unittest.TestCase):
    def test_a_bench_in_a_script_runs_one(self):
        with tempfile.TemporaryDirectory() as folder, cavet.open("demo") as bench:
            path = Path(folder) / "glow.routine"
            path.write_text(
                'routine glow\n    tune lvl = 10 %\n    set beacon to lvl\n    say "{beacon}"\n    keep beacon\n'
            )
            ran = bench.run(path, tunes={"lvl": "25 %"})
            self.assertEqual((ran.result, ran.said, ran.why), ("done", ["25 %"], ""))
            bench.wait(0.5)
            self.assertAlmostEqual(bench.part("gatehouse.beacon").state, 25, delta=0.5)
            for routine, tunes in (("nobody", {}), (None, {"x": 1}), (None, {"lvl": 200}), (None, {"lvl": True})):
                with self.assertRaises(cavet.WrongError):
                    bench.run(path, routine, tunes=tunes)
