"""`import cavet` as a script uses it."""

import asyncio
import itertools
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import cavet
import cavet.aio
from cavet.record import RecordFile
from tests.patience import PATIENCE


class OnTheDemo(unittest.TestCase):
    def setUp(self):
        self.bench = cavet.open("demo", seed="a")
        self.addCleanup(self.bench.close)

    def test_a_wish_ends_when_it_is_confirmed_and_belief_and_truth_can_be_looked_at(self):
        beacon = self.bench["beacon"]
        trail = beacon.set("50 %")
        self.assertEqual((beacon.asked, beacon.got, beacon.unit, trail.ended), (50.0, 50.0, "%", "confirmed"))
        self.bench.wait(0.2)
        lamp = self.bench.part("gatehouse.beacon")
        self.assertAlmostEqual(lamp.state, 50, delta=0.3)
        self.assertEqual((lamp.unit, lamp.kind, lamp.words), ("%", "lamp", "50 %"))

    def test_what_is_no_number_is_told_and_nothing_moves(self):
        nan, inf, lever = float("nan"), float("inf"), self.bench.part("gatehouse.windlass")
        voltage = self.bench["supply_1_voltage"].set(5)
        for wrong in (nan, inf, None, [], b"5", 10**400, "x", True):
            for attempt in (
                lambda wrong=wrong: self.bench["supply_1_voltage"].set(wrong),
                lambda wrong=wrong: self.bench["beacon"].set(5, over=wrong if wrong else "x"),
                lambda wrong=wrong: self.bench.rig.__setitem__("chamber", wrong),
                lambda wrong=wrong: lever.set(wrong), lambda wrong=wrong: self.bench.wait(wrong),
                lambda wrong=wrong: lever.do("set", value=0.1, seconds=wrong if wrong is not None else -1),
                lambda wrong=wrong: self.bench.part("gatehouse.stop_button").press(wrong),
                lambda wrong=wrong: self.bench.fault("lose", "pumphouse", messages=wrong if wrong is not None else 0),
                lambda wrong=wrong: self.bench.fault("lose", "pumphouse", seconds=wrong if wrong is not None else -1),
                lambda wrong=wrong: self.bench.fault("delay", "pumphouse", by=wrong if wrong is not None else -1),
            ):  # fmt: skip
                with self.subTest(wrong), self.assertRaises(cavet.WrongError):
                    attempt()
        for messages in (0, 1.5):
            with self.subTest(messages), self.assertRaises(cavet.WrongError):
                self.bench.fault("lose", "pumphouse", messages=messages)
        self.assertEqual((voltage.ended, self.bench["supply_1_voltage"].read()), ("confirmed", 5.0))
        self.assertEqual(self.bench["beacon"].asked, None)
        self.assertAlmostEqual(self.bench.rig["chamber"], 1200, delta=1)
        self.assertEqual(self.bench.part("gatehouse.windlass").state, 0)

    def test_a_script_that_closes_nothing_ends_in_order(self):
        script = "import cavet; bench = cavet.open('demo', real={}); print([bench['beacon'].set(30)]); {}"
        for real, last in ((True, ""), (False, ""), (True, "bench = None"), (False, "raise SystemExit(0)")):
            with self.subTest(real=real, last=last):
                done = subprocess.run(
                    [sys.executable, "-c", script.format(real, last)], capture_output=True, text=True, timeout=PATIENCE
                )
                said = "[<gatehouse.beacon = 30 %, confirmed>]\n"
                self.assertEqual((0, said, ""), (done.returncode, done.stdout, done.stderr))

    def test_a_process_that_is_forked_off_leaves_the_bench_alone(self):
        script = """
import cavet, os, sys
bench = cavet.open("demo", real=True)
child = os.fork()
if not child:
    sys.exit(0)
assert os.waitpid(child, 0)[1] == 0
print(bench["beacon"].set(30).ended)
"""
        done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=PATIENCE)
        self.assertEqual((0, "confirmed\n", ""), (done.returncode, done.stdout, done.stderr))

    def test_what_is_no_bytes_is_told(self):
        for data in ("E9 5C 00", 5):
            with self.assertRaises(cavet.WrongError):
                cavet.decode("firmata", data)
        self.assertEqual(cavet.decode("firmata", bytearray(b"\xe9\x5c\x00"))[0].fields, {"pin": 9, "value": 92})

    def test_what_is_brought_inside_a_limit_is_told(self):
        trail = self.bench["beacon"].set(300)
        self.assertEqual((trail.ended, trail.value, trail.wanted), ("confirmed", 100.0, 300.0))
        self.assertEqual("asked 300 %, the limit is 100 %", trail.limited)
        for shown in (repr(trail), str(trail)):
            self.assertIn("limited: asked 300 %, the limit is 100 %", shown)
        trail = self.bench["beacon"].set(30)
        self.assertEqual((trail.limited, trail.wanted), ("", 30.0))
        self.assertEqual("<gatehouse.beacon = 30 %, confirmed>", repr(trail))

    def test_what_there_is_can_be_looked_through(self):
        self.assertEqual(self.bench.points, list(self.bench))
        self.assertEqual((True, True, False, False), tuple(
            name in self.bench for name in ("beacon", "gatehouse.beacon", "pumphouse.beacon", 3)
        ))  # fmt: skip
        states = {path: self.bench.part(path).state for path in self.bench.parts}
        self.assertEqual((0.0, "released"), (states["gatehouse.beacon"], states["gatehouse.stop_button"]))
        self.assertRegex(repr(self.bench), r"<bench Ottersluice, at 1\.\d{3} s>")

    def test_numbers_of_parts_and_of_the_rig_may_have_a_unit(self):
        self.bench.rig["chamber"] = "1.45 m"
        self.assertEqual(1450.0, self.bench.rig["chamber"])
        lever = self.bench.part("gatehouse.windlass")
        for value, state in ((0.5, 50), ("-0.25", -25), ("75 %", 75)):
            lever.set(value)
            self.assertEqual(state, lever.state)
        for far in (50, "150 %"):
            with self.assertRaisesRegex(cavet.WrongError, "−1 to 1"):
                lever.set(far)
        self.assertEqual(75, lever.state)
        self.bench.part("switchrack.supply_1").do("load", value="2 kΩ")
        with self.assertRaises(KeyError):
            self.bench.rig["chambre"]
        self.assertEqual((False, None), ("chambre" in self.bench.rig, self.bench.rig.get("chambre")))

    def test_a_trail_has_its_stages_and_the_delays_between_them(self):
        self.bench["beacon"].set(20)
        self.bench.wait(0.2)
        trail = self.bench["beacon"].trail
        names = ["asked", "framed", "carried", "taken", "driven", "moved", "confirmed"]
        self.assertEqual([stage.stage for stage in trail.stages], names)
        self.assertEqual("pwm 20 %", trail.stages[4].note)
        self.assertEqual(trail.by, "script")
        self.assertGreater(trail.delays["framed", "carried"], 0)
        self.assertIsNone(trail.broken_at)

    def test_a_ramp_takes_its_time_and_passes_what_lies_between(self):
        paddle, began = self.bench["upper_paddle"], self.bench.t
        paddle.set(60, over=2.0)
        self.assertAlmostEqual(self.bench.t - began, 2.0, delta=0.1)
        asked = [event.value for event in self.bench.record.events if event.subject == "upper_paddle"]
        self.assertTrue(any(20 < value < 40 for value in asked if isinstance(value, float)))
        self.assertEqual(paddle.got, 60)

    def test_a_ramp_ends_confirmed_at_its_end_however_near_the_last_step_came(self):
        paddle = self.bench["upper_paddle"]
        for wanted, over in ((10, 0.7), (37, 1.3), (5, 1.0), (99.7, 2.0)):
            with self.subTest(wanted=wanted, over=over):
                trail = paddle.set(wanted, over=over)
                self.assertEqual(("confirmed", wanted, wanted), (trail.ended, paddle.asked, paddle.got))

    def test_inputs_are_read_and_waited_for_and_worked_by_hand(self):
        self.assertAlmostEqual(self.bench["level"].read(), 1200, delta=15)
        self.bench.rig["chamber"] = 1450.0
        self.assertEqual(self.bench.rig["chamber"], 1450.0)
        took = self.bench.wait_until(lambda: self.bench["level"].got > 1400, at_most=1.0)
        self.assertLess(took, 0.1)
        with self.assertRaises(cavet.TooLate):
            self.bench.wait_until(lambda: self.bench["level"].got > 2900, at_most=0.5)
        button = self.bench.part("gatehouse.stop_button")
        began = self.bench.t
        button.press(0.08)
        self.assertAlmostEqual(self.bench.t - began, 0.08, places=6)
        pressed = [e for e in self.bench.record.events if e.kind == "heard" and e.subject == "stop_button"]
        self.assertGreaterEqual(len(pressed), 2)
        self.assertEqual(button.state, "released")

    def test_what_is_wrong_is_told_with_what_would_be_right(self):
        for wrong, words in (
            (lambda: self.bench["becon"], 'did you mean "beacon"'),
            (lambda: self.bench["beacon"].set("3 V"), "%"),
            (lambda: self.bench["level"].set(3), "an output"),
            (lambda: self.bench["pump_a"].set(30), "true or false"),
            (lambda: self.bench["panel"].set(30), "a text"),
            (lambda: self.bench["pump_a"].set(1, over=2.0), "numbers"),
            (lambda: self.bench.part("gatehouse.becon"), "gatehouse.beacon"),
            (lambda: self.bench.part("gatehouse.beacon").do("kick"), "by hand"),
            (lambda: self.bench.defect("worn").__enter__(), "worn_cable"),
            (lambda: self.bench.broken("gatehose").__enter__(), "gatehouse"),
            (lambda: self.bench.frames("gatehose"), "gatehouse"),
            (lambda: self.bench[3], "a name"),
            (lambda: self.bench.part(b"gatehouse.beacon"), "a name"),
            (lambda: self.bench.rig["chambre"], 'did you mean "chamber"'),
            (lambda: self.bench.rig.__setitem__("chamber", "3 V"), "mm"),
            (lambda: self.bench.walk("level"), "outputs"),
            (lambda: self.bench.endpoints, "real=True"),
            (lambda: self.bench.send("pumphouse", "read-coils", address=0, quantity=1, within="2 s"), "seconds"),
            (lambda: self.bench.wait_until(lambda: False, at_most="2 s"), "seconds"),
        ):
            with self.subTest(words), self.assertRaises(cavet.WrongError) as caught:
                wrong()
            self.assertIn(words, str(caught.exception))

    def test_a_refusal_and_what_is_not_confirmed_come_with_their_trail(self):
        for defect, point, value, error, broken_at, why in (
            ("towpath_mute", "lamp", "on", cavet.Unconfirmed, "confirmed", "reported nothing"),
            ("dead_walkway", "walkway", 30, cavet.Unconfirmed, "driven", "stays low"),
            ("stuck_bus", "mast_1", True, cavet.Refused, "driven", "the bus is stuck"),
            ("no_panel", "panel", "hello", cavet.Refused, "driven", "nobody acknowledges 0x3B"),
        ):
            with self.subTest(defect), self.bench.defect(defect):
                with self.assertRaises(error) as caught:
                    self.bench[point].set(value)
                trail = caught.exception.trail
                self.assertEqual((trail.point, trail.ended, trail.broken_at), (point, "broken", broken_at))
                self.assertIn(why, trail.why)
                self.assertIn(why, str(caught.exception))
        with self.bench.broken("pumphouse"), self.assertRaises(cavet.UnreachableError):
            self.bench["pump_a"].set("on")

    def test_a_link_that_was_cut_comes_back_and_what_was_asked_is_sent_anew(self):
        self.bench["beacon"].set(50)
        with self.bench.broken("gatehouse"):
            self.bench.wait(1.0)
        self.assertEqual(self.bench["beacon"].set(20).ended, "confirmed")
        self.assertEqual(self.bench["beacon"].got, 20)

    def test_rest_sends_all_to_rest(self):
        self.bench["pump_a"].set(True)
        self.bench["beacon"].set(70)
        self.bench.rest()
        self.assertEqual((self.bench["pump_a"].got, self.bench["beacon"].got), (False, 0.0))

    def test_what_does_not_come_to_rest_is_told(self):
        self.bench["mast_1"].set(True)
        with self.bench.defect("stuck_bus"), self.assertRaises(cavet.Unconfirmed) as caught:
            self.bench.rest()
        self.assertIn("the bus is stuck", str(caught.exception))

    def test_the_record_can_be_saved_and_is_the_same_for_the_same_seed(self):
        def story(seed):
            with cavet.open("demo", seed=seed) as bench, tempfile.TemporaryDirectory() as folder:
                bench["beacon"].set(30)
                bench.wait(1.0)
                path = Path(folder) / "a.record"
                bench.record.save(path)
                with self.assertRaisesRegex(cavet.WrongError, "expected a new one, or force=True"):
                    bench.record.save(path)
                bench.record.save(path, force=True)
                kept = RecordFile(path)
                self.addCleanup(kept.close)
                return list(kept.since(0)), len(bench.record)

        (first, count), (second, _), (other, _) = story("a"), story("a"), story("b")
        self.assertEqual(len(first), count)
        self.assertEqual(first, second)
        self.assertNotEqual(first, other)


class Saying(unittest.TestCase):
    def setUp(self):
        self.bench = cavet.open("demo", seed="a")
        self.addCleanup(self.bench.close)

    def test_what_answers_a_message_comes_back_with_it(self):
        for board, message, fields, answer, told in (
            (
                "pumphouse",
                "write-single-register",
                {"address": 0, "value": 600},
                "write-single-register",
                ("value", 600),
            ),
            ("pumphouse", "read-coils", {"address": 900, "quantity": 6}, "exception", ("exception_code", 2)),
            ("switchrack", "query", {"header": "*IDN"}, "response", None),
            ("switchrack", "query", {"header": "SYST:VERS"}, "response", None),
            ("gatehouse", "pin-state-query", {"pin": 9}, "pin-state-response", ("mode", 4)),
            (
                "gatehouse",
                "i2c-request",
                {"address": 0x26, "mode": "read", "register": 0, "count": 2},
                "i2c-reply",
                None,
            ),
            (
                "gatehouse",
                "i2c-request",
                {"address": 0x21, "mode": "read", "register": 0, "count": 2},
                "string-data",
                None,
            ),
            ("towpath", "publish", {"topic": "a/b", "payload": b"1", "qos": 1, "packet_id": 999}, "puback", None),
        ):
            with self.subTest(message, board=board):
                sent = self.bench.send(board, message, **fields)
                self.assertEqual((sent.due, sent.answer.name), (True, answer))
                self.assertGreaterEqual(sent.delay, 0)
                if told is not None:
                    self.assertEqual(sent.answer.fields[told[0]], told[1])
        self.assertEqual(
            [e.note for e in self.bench.record.events if "nothing waits" in e.note and e.board != "towpath"], []
        )

    def test_where_none_is_due_none_is_waited_for_and_where_none_comes_that_is_told(self):
        sent = self.bench.send("gatehouse", "set-digital-pin-value", pin=4, value=1)
        self.assertEqual((sent.due, sent.answer, sent.wire), (False, None, bytes.fromhex("F50401")))
        self.assertEqual(self.bench.send("switchrack", "command", header="OUTP1", values="ON").answer, None)
        self.bench.wait(0.1)
        self.assertEqual(self.bench["supply_1"].read(), True)
        with self.assertRaises(cavet.UnreachableError) as caught:
            self.bench.send("switchrack", "query", header="NOSUCH", within=0.3)
        self.assertIn("no answer to query within 0.3 s", str(caught.exception))
        for wrong in (
            lambda: self.bench.send("pumphose", "read-coils"),
            lambda: self.bench.send("pumphouse", "read-coilz"),
            lambda: self.bench.send("signalpost", "order"),
        ):
            with self.assertRaises(cavet.WrongError):
                wrong()

    def test_on_a_line_for_one_question_the_session_goes_on_behind_it(self):
        heard = sum(event.kind == "framed" for event in self.bench.record.events if event.board == "switchrack")
        for _ in range(20):
            self.bench.send("switchrack", "query", header="*IDN")
        self.bench.wait(1.0)
        after = sum(event.kind == "framed" for event in self.bench.record.events if event.board == "switchrack")
        self.assertGreater(after, heard + 25)
        self.assertEqual(self.bench["supply_1"].set(True).ended, "confirmed")


SERIAL_MODBUS = """\
format = 1
name = "line"
[boards.hut]
profile = "heron"
firmware = "modbus"
unit = 7
parts.lamp = { kind = "lamp", pin = 5 }
map.lamp = { table = "coils", address = 0, pin = 5 }
[links.hut]
kind = "serial"
board = "hut"
rate = 9600
[hosts.hut]
link = "hut"
protocol = "modbus"
unit = 7
poll = "20 ms"
[points.lamp]
board = "hut"
kind = "switch"
table = "coils"
address = 0
confirm = true
"""


class OnALineForOneQuestion(unittest.TestCase):
    """Modbus RTU: frames are told apart by the silence between them, and one question is under way."""

    def setUp(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "line.bench.toml"
            path.write_text(SERIAL_MODBUS)
            self.bench = cavet.open(path, seed="a")
        self.addCleanup(self.bench.close)

    def test_polls_wishes_and_what_is_said_by_hand_keep_out_of_each_others_way(self):
        for number in range(20):
            sent = self.bench.send("hut", "write-single-coil", address=0, value=number % 2)
            self.assertEqual((sent.answer.name, sent.answer.fields["value"]), ("write-single-coil", number % 2))
            self.bench.wait(0.013 * (number % 3))
        self.assertEqual(self.bench["lamp"].set(False).ended, "confirmed")
        self.assertEqual(self.bench.send("hut", "write-single-coil", unit=0, address=0, value=1).due, False)
        self.bench.wait(1.0)
        self.assertEqual(self.bench["lamp"].got, True)
        frames = self.bench.frames("hut")
        self.assertEqual([frame for frame in frames if frame.problems], [])
        character = 10 / 9600
        for one, other in itertools.pairwise(frames):
            begins = other.t - len(other.wire) * character
            self.assertGreaterEqual(begins - one.t, 3.5 * character - 1e-6, f"{one} {one.t}, {other} {other.t}")

    def test_who_is_broken_off_leaves_the_session_its_say(self):
        async def main():
            async with cavet.aio.open("demo", seed="a") as bench:
                with self.assertRaises(TimeoutError):
                    async with asyncio.timeout(0.01):
                        await bench.send("switchrack", "query", header="NOSUCH")
                before = len(bench.frames("switchrack"))
                await bench.wait(1.0)
                return len(bench.frames("switchrack")) - before

        self.assertGreater(cavet.aio.run(main()), 5)


class AwaitedAndReal(unittest.TestCase):
    def test_each_message_is_told_once_though_both_ends_of_its_link_are_ours(self):
        with cavet.open("demo", real=True) as bench:
            bench["pump_a"].set(True)
            bench["beacon"].set(30)
            bench["lamp"].set(True)
            for board, protocol in (("pumphouse", "modbus-tcp"), ("gatehouse", "firmata"), ("towpath", "mqtt")):
                frames = [frame for frame in bench.frames(board) if frame.protocol == protocol]
                self.assertEqual([frame for frame in frames if frame.problems], [])
                said = [frame.wire for frame in frames if frame.side == "host"]
                telling = {"modbus-tcp": "write-single-coil", "firmata": "analog-message", "mqtt": "publish"}[protocol]
                self.assertEqual(sum(frame.name == telling and frame.side == "host" for frame in frames), 1, said)

    def test_a_bench_that_was_closed_says_so(self):
        bench = cavet.open("demo", seed="a")
        bench.close()
        bench.close()
        for use in (
            lambda: bench.wait(1),
            lambda: bench["beacon"].set(3),
            lambda: bench.part("gatehouse.beacon").state,
        ):
            with self.assertRaises(cavet.WrongError) as caught:
                use()
            self.assertIn("closed", str(caught.exception))

    def test_the_same_names_can_be_awaited(self):
        async def main():
            async with cavet.aio.open("demo", seed="a") as bench:
                await bench["beacon"].set("50 %")
                await bench.wait_until(lambda: bench.part("gatehouse.beacon").state > 49, at_most=1.0)
                await bench.part("gatehouse.stop_button").press(0.05)
                async with bench.broken("gatehouse"):
                    await bench.wait(0.1)
                return bench["beacon"].got, bench.t

        got, t = cavet.aio.run(main())
        self.assertEqual(got, 50.0)
        self.assertGreater(t, 1.0)

    def test_on_real_endpoints_other_programs_find_the_boards(self):
        with cavet.open("demo", real=True) as bench:
            self.assertEqual(bench["beacon"].set(30).ended, "confirmed")
            self.assertTrue(Path(bench.endpoints["gatehouse.serial"]).exists())
            with bench.broken("gatehouse"):
                bench.wait(0.05)
                self.assertIsNot(bench._running.host_links["gatehouse"].ready, True)
            self.assertEqual(bench["beacon"].set(40).ended, "confirmed")

    def test_a_file_with_mistakes_is_told_whole(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.bench.toml"
            path.write_text("format = 1\nnme = 3\n[bords.x]\n")
            with self.assertRaises(BaseException) as caught:
                cavet.open(path)
        self.assertIn("nme", str(caught.exception) + repr(getattr(caught.exception, "exceptions", "")))


class Messages(unittest.TestCase):
    def test_there_and_back(self):
        data = cavet.encode("modbus-rtu", "read-coils", unit=7, address=0, quantity=6)
        (message,) = cavet.decode("modbus-rtu", data)
        self.assertEqual((message.name, message.fields["quantity"], message.wire), ("read-coils", 6, data))
        self.assertRegex(message.explain(), r"(?s)unit +│ +address +quantity.*7 +│ +0 +6")

    def test_fields_are_given_as_python_has_them(self):
        for protocol, name, fields, response in (
            ("modbus-tcp", "write-multiple-registers", {"address": 3, "values": [1, 2]}, False),
            ("mqtt", "publish", {"topic": "a/b", "payload": b"on"}, False),
            ("mqtt", "subscribe", {"packet_id": 3, "filters": [("a/#", 1)]}, False),
            ("firmata", "i2c-request", {"address": 0x22, "mode": "write", "data": b"\x01\x02"}, False),
            ("firmata", "encoder-position", {"positions": [(0, 5), (1, -7)]}, True),
        ):
            with self.subTest(name):
                data = cavet.encode(protocol, name, response=response, **fields)
                (message,) = cavet.decode(protocol, data, side="board" if response else "host")
                self.assertEqual((message.name, message.problems), (name, []))

    def test_what_is_wrong_has_its_place(self):
        with self.assertRaises(cavet.WrongError):
            cavet.encode("modbus-rtu", "read-coilz")
        with self.assertRaises(Exception) as caught:
            cavet.encode("modbus-rtu", "read-coils", adress=0)
        self.assertIn("adress", str(caught.exception))
        with self.assertRaises(cavet.WrongError):
            cavet.decode("firmata", b"", side="me")
        (broken,) = cavet.decode("modbus-rtu", b"\x07\x01\x00\x00\x00\x06\x00\x00")
        self.assertTrue(broken.problems)


class Importing(unittest.TestCase):
    def test_the_package_itself_imports_nothing_until_it_is_asked(self):
        code = "import sys, cavet; print([m for m in sys.modules if m.startswith('cavet.')], 'open' in dir(cavet))"
        told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
        self.assertEqual(told.strip(), "[] True")
        with self.assertRaises(AttributeError):
            cavet.opne  # noqa: B018


if __name__ == "__main__":
    unittest.main()
