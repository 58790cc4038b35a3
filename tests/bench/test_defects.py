"""Defects: what each makes wrong on a running bench, that a host finds it out, and that it ends when switched off."""

import asyncio
import contextlib
import socket
import tempfile
import unittest
from pathlib import Path

import msgspec
import serial

import cavet
from cavet.bench import RunningBench
from cavet.benchfile import check_text, load_bench
from cavet.boards import DEFECTS
from cavet.demo import demo_path
from cavet.record import Kind, Topic
from cavet.settings import keys_of
from cavet.wording import WrongError
from tests.checks.huts import HUT, SHED


class Defects(unittest.TestCase):
    def bench(self, lines, on=True, seed="a", **kept):
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        path = Path(place.name) / "b.bench.toml"
        path.write_text(f"{HUT}{SHED}\n[defects.x]\n{lines}\non = {'true' if on else 'false'}\n", "utf-8")
        bench = cavet.open(path, seed=seed, **kept)
        self.addCleanup(bench.close)
        return bench

    def test_each_kind_says_in_a_sentence_what_it_does(self):
        for kind, made in DEFECTS.items():
            with self.subTest(kind):
                fields = {"pin": 3, "pins": (3, 5), "share": 0.1, "delay": 0.1, "part": "lamp", "takes": 9, "by": 0.1,
                           "every": 3.0, "current": 0.1}  # fmt: skip
                needed = [key.name for key in keys_of(made) if key.required and key.name in fields]
                defect = made(name="x", board="hut", **{name: fields[name] for name in needed})
                self.assertNotIn("None", defect.tells)
                self.assertTrue(made.__doc__)

    def test_wired_the_wrong_way_round_it_is_on_while_it_should_be_off(self):
        bench = self.bench('kind = "inverted"\nboard = "hut"\npin = 3')
        bench.wait(0.2)
        self.assertEqual(100, bench.part("hut.lamp").state)  # its pin is an output, and low
        for value, glow in (("on", 0), ("off", 100), ("on", 0)):
            bench["lamp"].set(value)
            bench.wait(0.2)
            self.assertEqual(glow, bench.part("hut.lamp").state)
        walked = {each.output: each for each in bench.walk()}
        self.assertFalse(walked["lamp"].held)
        self.assertIn("wrong way", walked["lamp"].why)
        self.assertTrue(walked["shed_lamp"].held)

    def test_a_dead_pin_is_no_matter_where_its_line_is_to_be_low(self):
        bench, found = self.bench('kind = "dead-pin"\nboard = "hut"\npin = 3'), []
        for value in ("on", "off"):
            with contextlib.suppress(cavet.Unconfirmed):
                bench["lamp"].set(value)
            bench.wait(0.5)
            found.append((bench["lamp"].trail.broken_at, bench.part("hut.lamp").state))
        self.assertEqual([("driven", 0), (None, 0)], found)

    def test_an_input_that_nothing_holds_is_chance(self):
        bench = self.bench('kind = "floating"\nboard = "hut"\npin = 4', on=False)
        bench.wait(0.5)
        self.assertEqual([], self.changes(bench, "4"))
        with bench.defect("x"):
            bench.wait(1.0)
            changes = self.changes(bench, "4")
            self.assertGreater(len(changes), 10)
        count = len(self.changes(bench, "4"))
        bench.wait(1.0)
        self.assertLessEqual(len(self.changes(bench, "4")), count + 1)
        again = self.bench('kind = "floating"\nboard = "hut"\npin = 4', on=False)
        again.wait(0.5)
        with again.defect("x"):
            again.wait(1.0)
            self.assertEqual(changes, self.changes(again, "4"))

    def changes(self, bench, pin):
        levels = [event for event in bench.record.events if event.kind is Kind.LEVEL and event.board == "hut"]
        return [(event.t, event.value) for event in levels if event.subject == pin and event.t > 1.3]

    def test_a_stuck_part_stays_and_its_trail_says_so(self):
        bench = self.bench('kind = "seized"\nboard = "shed"\npart = "relay"')
        with self.assertRaises(cavet.Unconfirmed) as caught:
            bench["relay"].set("on")
        self.assertIn("relay is stuck", str(caught.exception))
        self.assertEqual("open", bench.part("shed.relay").state)

    def test_what_moved_before_it_was_stuck_is_not_told_broken_after(self):
        bench = self.bench('kind = "seized"\nboard = "shed"\npart = "relay"', on=False)
        bench["relay"].set("on")
        bench.wait(0.1)
        with bench.defect("x"):
            bench.wait(0.1)
            self.assertEqual("confirmed", bench["relay"].trail.ended)
            self.assertEqual("closed", bench.part("shed.relay").state)

    def test_when_it_is_free_again_it_follows(self):
        bench = self.bench('kind = "seized"\nboard = "shed"\npart = "relay"', on=False)
        with bench.defect("x"):
            with self.assertRaises(cavet.Unconfirmed):
                bench["relay"].set("on")
            self.assertEqual("open", bench.part("shed.relay").state)
        bench.wait(0.1)
        self.assertEqual("closed", bench.part("shed.relay").state)

    def test_what_an_earlier_command_did_stays_told_as_it_was(self):
        with cavet.open("demo", seed="a", defects=()) as bench:
            asked = {"beacon": "50 %", "walkway": "100 %", "upper_paddle": "60 %", "horn": "on", "lamp": "on"}
            for name, value in asked.items():
                bench[name].set(value)
            bench.wait(2)
            before = {name: str(bench[name].trail) for name in asked}
            self.assertFalse([name for name, text in before.items() if "stopped before" in text])
            since = len(bench.record.events)
            for defect in ("dead_walkway", "crossed_paddles", "worn_cable", "towpath_mute"):
                with bench.defect(defect):
                    bench.wait(1)
                    self.assertEqual(before, {name: str(bench[name].trail) for name in asked})
                bench.wait(1)
            self.assertEqual(before, {name: str(bench[name].trail) for name in asked})
            events = bench.record.events[since:]
            switched = {event.number for event in events if event.kind is Kind.DEFECT}
            moved = [event for event in events if event.kind is Kind.MOVED]
            self.assertEqual({"walkway", "upper_paddle", "lower_paddle"}, {event.subject for event in moved})
            self.assertLessEqual({event.cause for event in moved}, switched)

    def test_a_defect_that_meets_a_part_on_its_way_ends_its_command_there(self):
        with cavet.open("demo", seed="a") as bench:
            bench["walkway"].set("100 %")
            self.assertLess(bench.part("gatehouse.walkway").state, 90)  # confirmed, and still on its way
            with bench.defect("dead_walkway"):
                bench.wait(1)
                trail = bench["walkway"].trail
                self.assertEqual((trail.ended, trail.broken_at), ("broken", "moved"))
                self.assertIn("a defect was switched while walkway was on its way", trail.why)
                self.assertEqual("ask again; see which defects are on (d)", trail.mend)
                self.assertEqual(0, bench.part("gatehouse.walkway").state)

    def test_what_broke_stays_told_as_it_was_whatever_becomes_of_its_link(self):
        with cavet.open("demo", seed="a", defects=("crossed_paddles",)) as bench:
            with contextlib.suppress(cavet.Unconfirmed):
                bench["upper_paddle"].set("60 %")
            bench.wait(2)
            told = str(bench["upper_paddle"].trail)
            self.assertIn("lower_paddle moved, not upper_paddle", told)
            with bench.broken("gatehouse"):
                for seconds in (0.01, 1, 10):
                    bench.wait(seconds)
                    self.assertEqual(told, str(bench["upper_paddle"].trail))
            bench.wait(0.5)
            old = next(trail for trail in bench.trails() if trail.point == "upper_paddle")
            self.assertEqual(told, str(old))

    def test_of_two_parts_at_a_pin_only_the_one_that_was_held_follows_it(self):
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        path = Path(place.name) / "b.bench.toml"
        fan, twin = 'fan = { kind = "lamp", pin = 5 }', 'twin = { kind = "lamp", pin = 3 }'
        text = HUT.replace(fan, f"{fan}\n{twin}").replace('failsafe = "300 ms"\n', "")
        path.write_text(f'{text}\n[defects.x]\nkind = "seized"\nboard = "hut"\npart = "twin"\non = false\n', "utf-8")
        with cavet.open(path, seed="a") as bench:
            bench["lamp"].set("on")
            bench.wait(0.5)
            since = len(bench.record.events)
            with bench.defect("x"):
                bench.wait(0.5)
            bench.wait(0.5)
            moved = [event.subject for event in bench.record.events[since:] if event.kind is Kind.MOVED]
        self.assertEqual(["twin"], moved)

    def test_a_supply_that_sags_lets_the_board_start_anew(self):
        bench = self.bench('kind = "sagging"\nboard = "hut"\ncurrent = "10 mA"')
        bench["flag"].set(90)
        bench.wait(0.5)
        self.assertEqual([], self.resets(bench, "sagged"))
        bench["lamp"].set("on")
        bench.wait(8)
        self.assertGreater(len(self.resets(bench, "its supply sagged")), 1)

    def resets(self, bench, word):
        return [event.note for event in bench.record.events if event.kind is Kind.BOARD and word in event.note]

    def test_a_board_that_starts_with_an_output_on(self):
        bench = self.bench('kind = "other-start"\nboard = "shed"\npin = "L5"')
        bench.wait(0.3)
        self.assertEqual(100, bench.part("shed.lamp").state)
        self.assertTrue(bench["shed_lamp"].read())
        bench["shed_lamp"].set("off")
        bench.wait(0.3)
        self.assertEqual(0, bench.part("shed.lamp").state)
        self.assertFalse(bench["shed_lamp"].read())

    def test_a_clock_that_drifts_stretches_what_comes_at_intervals(self):
        counts = []
        for on in (False, True):
            bench = self.bench('kind = "drifting-clock"\nboard = "hut"\nby = 0.25', on=on)
            bench.wait(3)
            begun = [event.t for event in bench.record.events if event.board == "hut" and event.value == "runs"]
            counts.append(begun[0])
        self.assertAlmostEqual(1.25, counts[1] / counts[0], 2)

    def test_an_answer_before_in_the_place_of_this_one_confirms_nothing_wrong(self):
        bench = self.bench('kind = "stale-reply"\nboard = "shed"\nshare = 0.5')
        for value in ("on", "off") * 10:
            try:
                bench["shed_lamp"].set(value)
            except cavet.Unconfirmed:
                continue
            bench.wait(0.1)
            self.assertEqual(100 if value == "on" else 0, bench.part("shed.lamp").state)
        said = [event for event in bench.record.events if "once more" in event.note]
        self.assertGreater(len(said), 5)

    def test_answers_that_come_twice_are_taken_once(self):
        for board, point in (("shed", "shed_lamp"), ("hut", "lamp")):
            bench = self.bench(f'kind = "doubled-reply"\nboard = "{board}"\nshare = 1.0')
            for value in ("on", "off") * 5:
                bench[point].set(value)
                bench.wait(0.1)
                self.assertEqual(100 if value == "on" else 0, bench.part(f"{board}.lamp").state)
            self.assertTrue([event for event in bench.record.events if "said twice" in event.note])

    def test_a_full_receiver_loses_what_comes_too_fast(self):
        bench = self.bench('kind = "full-queue"\nboard = "hut"\nsize = 8\ntakes = 100')
        with self.assertRaises((cavet.Unconfirmed, cavet.Refused, cavet.UnreachableError)):
            for value in ("on", "off") * 10:
                bench["lamp"].set(value)
        lost = [event for event in bench.record.events if event.kind is Kind.LOST and event.topic is Topic.BYTES]
        self.assertIn("the receiver keeps 8, and was full", lost[0].note)

    def test_a_broker_that_drops_sessions_is_come_back_to(self):
        defect = '[defects.forgets]\nkind = "dropped-sessions"\nboard = "towpath"\nevery = "5 s"\n'
        text = f"{demo_path().read_text('utf-8')}\n{defect}"
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder) / "o.bench.toml"
            place.write_text(text, "utf-8")
            with cavet.open(place, seed="a") as bench:
                for value in ("on", "off", "on"):
                    bench["lamp"].set(value)
                    bench.wait(6)
                gone = [e for e in bench.record.events if e.board == "broker" and e.note == "" and e.value == "gone"]
                self.assertGreater(len(gone), 3)

    def test_under_another_name_it_is_not_found_under_the_first_one(self):
        for board, point in (("hut", "lamp"), ("shed", "shed_lamp")):
            bench = self.bench(f'kind = "renamed"\nboard = "{board}"', on=False)
            bench[point].set("on")
            with bench.defect("x"):
                bench.wait(1)
                with self.assertRaises((cavet.Unconfirmed, cavet.UnreachableError)):
                    bench[point].set("off")
            bench.wait(4)
            bench[point].set("on")

    def test_a_link_that_is_mended_meanwhile_is_still_not_to_be_found(self):
        bench = self.bench('kind = "renamed"\nboard = "shed"', on=False)
        with bench.defect("x"):
            with bench.broken("shed"):
                bench.wait(0.2)
            bench.wait(1)
            with self.assertRaises((cavet.Unconfirmed, cavet.UnreachableError)):
                bench["shed_lamp"].set("on")
        bench.wait(4)
        bench["shed_lamp"].set("on")

    def test_on_real_endpoints_the_new_name_answers_and_the_old_one_does_not(self):
        bench = self.bench('kind = "renamed"\nboard = "shed"', on=False, real=True)
        before = bench.endpoints
        with bench.defect("x"):
            bench.wait_until(lambda: bench.endpoints != before, at_most=10)
            host, _, port = bench.endpoints["shed.tcp"].rpartition(":")
            with socket.create_connection((host, int(port)), timeout=10) as shed:
                shed.sendall(bytes.fromhex("0001 0000 0006 07 05 0000 FF00"))
                self.assertEqual(12, len(shed.recv(100)))
            host, _, port = before["shed.tcp"].rpartition(":")
            with self.assertRaises(OSError):
                socket.create_connection((host, int(port)), timeout=10).close()
        bench.wait_until(lambda: bench.endpoints == before, at_most=10)
        hut = self.bench('kind = "renamed"\nboard = "hut"', on=False, real=True)
        before = hut.endpoints
        with hut.defect("x"):
            hut.wait_until(lambda: hut.endpoints != before, at_most=10)
            with serial.Serial(hut.endpoints["hut.serial"], 57600, timeout=10) as port:
                self.assertIn(b"\xf9", port.read_until(b"\xf7"))

    def test_a_broker_that_is_none_of_ours_is_told(self):
        async def story(address):
            forgets = DEFECTS["dropped-sessions"](name="forgets", board="towpath", every=5.0)
            setup = msgspec.structs.replace(load_bench(demo_path()).setup, defects={"forgets": forgets})
            bench = RunningBench(setup.on_broker(address), boards=["towpath"], hosts=False)
            try:
                await bench.start()
                return [event.note for event in bench.record.since(0)]
            finally:
                await bench.stop()

        with socket.create_server(("127.0.0.1", 0)) as broker:  # one that only lets in
            notes = asyncio.run(story(f"127.0.0.1:{broker.getsockname()[1]}"))
        self.assertIn("the broker is none of ours: it can't be made to drop sessions", notes)

    def test_what_does_not_fit_is_told(self):
        for lines, words in (
            ('kind = "seized"\nboard = "hut"\npart = "lomp"', "a part of it"),
            ('kind = "swapped"\nboard = "hut"\npins = [4, 4]', "pin 4 twice"),
            ('kind = "stuck-bus"\nboard = "hut"', "a board with something on its I2C bus"),
            ('kind = "dropped-sessions"\nboard = "hut"\nevery = "5 s"', "one for a board not on a broker"),
            ('kind = "inverted"\nboard = "hut"\npin = 99', "x.pin"),
            ('kind = "sagging"\nboard = "hut"\ncurrent = "5 V"', "current"),
        ):
            with self.subTest(lines), self.assertRaisesRegex((WrongError, ExceptionGroup), "") as caught:
                self.bench(lines)
            self.assertIn(words, str(getattr(caught.exception, "exceptions", caught.exception)))

    def test_what_can_not_happen_on_usb_is_told(self):
        for kind, more in (("lossy", "share = 0.1"), ("doubled-reply", "share = 0.1"), ("full-queue", "takes = 9")):
            text = f'{demo_path().read_text()}\n[defects.x]\nkind = "{kind}"\nboard = "signalpost"\n{more}\n'
            with self.subTest(kind), self.assertRaises(ExceptionGroup) as caught:
                check_text(text, str(demo_path()))
            self.assertIn("one for a board on USB: dead-pin", str(caught.exception.exceptions))

    def test_after_what_a_usb_device_has_not_heard_each_order_is_its_own(self):
        with cavet.open("demo", seed="a") as bench:
            bench.wait(3)
            bench.fault("lose", "signalpost", messages=1)
            bench["post_1"].set(True)
            bench["post_2"].set(True)
            events = bench._running.record.since(0)
            by_number = {event.number: event for event in events}
            orders = [event for event in events if event.kind is Kind.TAKEN and event.subject == "order"][-2:]
            framed = [by_number[by_number[order.cause].cause] for order in orders]
        self.assertEqual([order.value for order in orders], [event.value for event in framed])
        self.assertEqual(["post_1", "post_2"], [event.subject for event in framed])
