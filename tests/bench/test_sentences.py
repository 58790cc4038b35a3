"""What is said of typical faults: for each protocol the stage at which it stopped, why, and what to do."""

import asyncio
import re
import unittest

from cavet.bench import PastTrails
from cavet.benchfile import check_text, load_bench
from cavet.boards import BoardState
from cavet.demo import demo_path
from cavet.record import Kind, Purpose, Reason, Topic
from tests.bench.benches import in_fast_time

BELIEF = "what the host believes"
TEXT = demo_path().read_text()


def key(section, name, value):
    """Give a table of the demo's file another value."""

    def edit(text):
        table = re.search(rf"^\[{re.escape(section)}\]\n.*?(?=^\[|^# ---|\Z)", text, re.S | re.M)
        body, count = re.subn(rf"^{name} = .*$", f"{name} = {value}", table[0], flags=re.M)
        body = body if count else f"{table[0].rstrip()}\n{name} = {value}\n\n"
        return text[: table.start()] + body + text[table.end() :]

    return edit


def address(device, right, wrong):
    """The host believes that a device has another address."""

    def edit(text):
        truth, belief = text[: text.index(BELIEF)], text[text.index(BELIEF) :]
        return truth + re.sub(rf"^({device} = .*address = ){right}", rf"\g<1>{wrong}", belief, flags=re.M)

    return edit


def defect(name):
    return lambda bench: bench.switch_defect(name, True)


def jam(part):
    return lambda bench: bench.act(part, "jam")


def made(kind, key):
    return lambda text: f'{text}\n[defects.made]\nkind = "{kind}"\nboard = "gatehouse"\n{key}\n'


def deaf_line(bench):
    bench.switch_defect("worn_cable", True)
    bench._traffic["gatehouse"].losses.share = 0.95


FAULTS = [
    # what, what is changed in the file, what happens, the wish, where it stopped, why, what to do
    ("a dead pin", [], defect("dead_walkway"), "walkway=50 %", Kind.DRIVEN, "pin 3 took it", "measure at the pin"),
    ("crossed wires", [], defect("crossed_paddles"), "upper_paddle=60 %", Kind.MOVED,
     "pin 9 was driven, and lower_paddle moved, not upper_paddle", "two wires swapped"),
    ("wired the wrong way round", [made("inverted", "pin = 11")], None, "horn=on", Kind.MOVED,
     "pin 11 was driven, and horn went the wrong way: quiet, asked on", "is it wired the wrong way round?"),
    ("the wrong way round, in steps", [made("inverted", "pin = 2")], None, "beacon=30 %", Kind.MOVED,
     "beacon went the wrong way: 70 %, asked 30 %", "compare [points.beacon]"),
    ("a slow board, and a device on its bus", [made("late", 'delay = "20 s"\non = false')],
     defect("made"), "mast_1=on", Kind.FRAMED,
     "no answer from 0x26 within 0.5 s, 3 times", "0x26 is there: a slow board: raise reply_within"),
    ("the wrong pin", [key("points.beacon", "pin", 6)], None, "beacon=50 %", Kind.MOVED,
     "pin 6 was driven, but beacon has not moved", "is the wire on the right pin?"),
    ("a pin without PWM", [key("points.beacon", "pin", 5)], None, "beacon=50 %", Kind.FRAMED,
     "pin 5 has no pwm on this board", "wire it to one of 2 3 6 7 9 10"),
    ("a part that is held", [], None, "gate=100 %", Kind.MOVED, "gate is held", "take away what holds it"),
    ("a lossy cable", [], deaf_line, "beacon=50 %", Kind.TAKEN,
     "the board made no message of them in 3 tries", "a loose cable?"),
    ("a stuck bus", [], defect("stuck_bus"), "mast_1=on", Kind.FRAMED,
     "0x26 can't be called: the bus is stuck, its clock line stays low", "the bus of mast"),
    ("a stuck bus, text", [], defect("stuck_bus"), "panel=x", Kind.DRIVEN, "the bus is stuck", "the bus of panel"),
    ("a device without supply", [], defect("no_panel"), "panel=x", Kind.DRIVEN,
     "nobody acknowledges 0x3B; there answer 0x26 (mast) and 0x74 (arrow)", "has it its supply?"),
    ("a wrong address", [address("mast", "0x26", "0x21")], None, "mast_1=on", Kind.FRAMED,
     "nobody acknowledges 0x21; there answer 0x26 (mast), 0x3B (panel) and 0x74 (arrow)", "`address` of mast"),
    ("a wrong address, panel", [address("panel", "0x3B", "0x3C")], None, "panel=x", Kind.FRAMED,
     "nobody acknowledges 0x3C; there answer 0x26 (mast)", "`address` of panel"),
    ("a wrong address, matrix", [address("arrow", "0x74", "0x70")], None, "arrow=A", Kind.FRAMED,
     "nobody acknowledges 0x70; there answer 0x26 (mast)", "`address` of arrow"),
    ("a wrong address, the host's own bus", [address("yard", "0x22", "0x2C")], None, "yard_1=on", Kind.FRAMED,
     "nobody acknowledges 0x2C; there answer 0x22 (yard)", "`address` of yard"),
    ("a coil that is not there", [key("points.heater", "address", 9)], None, "heater=on", Kind.FRAMED,
     "exception 02, illegal data address", "[points.heater], and `unit`"),
    ("another unit", [key("hosts.pumphouse", "unit", 9)], None, "heater=on", Kind.FRAMED, "exception 0B", "`unit`"),
    ("a swapped entry", [key("points.heater", "address", 4)], None, "heater=on", Kind.MOVED,
     "pin 15 was driven, and alarm_lamp moved, not heater", "[points.heater]"),
    ("a jam", [key("points.pump_a_speed", "start", '"0 %"')], jam("pumphouse.pump_a"), "pump_a_speed=60 % pump_a=on",
     Kind.MOVED, "pump_a does not turn: jammed, 6 × current", "take away what holds it"),
    ("a header that is not known", [key("points.supply_1_voltage", "set", '"SOUR1:VLT {}"')], None,
     "supply_1_voltage=5 V", Kind.DRIVEN, "-113 Undefined header", "manual: it is set with SOUR1:VLT"),
    ("beyond what it takes", [key("points.supply_1_voltage", "range", '["0 V", "90 V"]')], None,
     "supply_1_voltage=80 V", Kind.DRIVEN, "-222 Data out of range", "manual"),
    ("a query that is not known", [key("points.supply_1_voltage", "ask", '"SOUR1:VLT?"')], None,
     "supply_1_voltage=5 V", Kind.FRAMED, "no answer to SOUR1:VLT?", "asked with SOUR1:VLT?"),
    ("a topic that nobody hears", [key("points.lamp", "command", '"lampe/set"')], None, "lamp=on", Kind.TAKEN,
     "nobody has subscribed to ottersluice/towpath/lampe/set", "compare `command`"),
    ("a topic that says nothing", [key("points.lamp", "state", '"lampe/state"')], None, "lamp=on", Kind.CONFIRMED,
     "lampe/state says nothing", "compare `state`"),
    ("a board that is gone", [], defect("towpath_away"), "lamp=on", Kind.TAKEN, "the board is gone", "its supply"),
    ("a board that says nothing", [], defect("towpath_mute"), "lamp=on", Kind.CONFIRMED,
     "reported nothing on ottersluice/towpath/lamp/state", "set `confirm` to off"),
    ("a payload of other words", [key("points.lamp", "payload_words", '["off", "on"]')], None, "lamp=on", Kind.TAKEN,
     'found "on", expected 0 or 1', "is the payload what the board expects"),
]  # fmt: skip


class Sentences(unittest.TestCase):
    def told(self, edits, happens, wishes):
        text = TEXT
        for edit in edits:
            changed = edit(text)
            self.assertNotEqual(changed, text)
            text = changed

        async def story(bench, standings):
            if happens is not None:
                happens(bench)
            for wish in re.split(r" (?=\w+=)", wishes):
                name, _, value = wish.partition("=")
                point = bench.point(name)
                asked = bench.ask(point, point.parse(value), by="test")
                await asyncio.sleep(7)
            standings.follow()
            past = PastTrails(bench.setup).read(bench.record.since(0))
            (then,) = (past.diagnose(trail) for trail in past.all if trail.number == asked)
            return standings.diagnose(standings.trails.all[asked]), then

        return in_fast_time(story, check_text(text, str(demo_path())))

    def test_each_fault_is_told_where_it_stopped_why_and_what_to_do(self):
        for what, edits, happens, wishes, stage, reason, mend in FAULTS:
            with self.subTest(what):
                diagnosis, then = self.told(edits, happens, wishes)
                self.assertEqual(diagnosis.broken, stage, diagnosis.reason)
                self.assertIn(reason, diagnosis.reason)
                self.assertIn(mend, diagnosis.mend)
                # the record alone tells the same, but for what else is on a bus and was never called
                self.assertEqual((stage, diagnosis.states), (then.broken, then.states))
                self.assertEqual(diagnosis.reason.split(";")[0], then.reason.split(";")[0])

    def test_what_waits_behind_another_question_is_not_stopped(self):
        text = TEXT + '\n[defects.made]\nkind = "late"\nboard = "switchrack"\ndelay = "2 s"\n'

        async def story(bench, standings):
            link = bench.host_links["switchrack"]
            while not link.ready or link.session.is_idle(bench.clock.now()):
                await asyncio.sleep(0.1)
            asked, found = bench.ask(bench.point("relay_101"), True, by="test"), []
            for pause in (1, 14):
                await asyncio.sleep(pause)
                standings.follow()
                trail = standings.trails.all[asked]
                found.append((trail.reached(Kind.FRAMED) is None, standings.diagnose(trail).broken))
            past = PastTrails(bench.setup).read(bench.record.since(0, asked + 2))
            return found, [past.diagnose(trail).broken for trail in past.all if trail.number == asked]

        edited = key("hosts.switchrack", "reply_within", '"3 s"')(text)
        live, then = in_fast_time(story, check_text(edited, str(demo_path())))
        self.assertEqual(([(True, None), (False, None)], [None]), (live, then))

    def test_a_board_that_begins_anew_is_told_as_that(self):
        async def story(bench, standings):
            found, point, board = [], bench.point("beacon"), bench.world.boards["gatehouse"]
            await asyncio.sleep(5)
            for value, pause in ((50.0, 0.0001), (20.0, 0.001)):
                asked = bench.ask(point, value, by="test")
                await asyncio.sleep(pause)
                bench.restart("gatehouse")
                await asyncio.sleep(5)
                standings.follow()
                found.append(standings.diagnose(standings.trails.all[asked]))
            board.restart(bench.clock.now())  # and the host has not noticed
            while board.state is not BoardState.RUNNING:
                await asyncio.sleep(0.001)
            asked = bench.ask(point, 60.0, by="test")
            for pause in (0.002, 1):
                await asyncio.sleep(pause)
                standings.follow()
                found.append(standings.diagnose(standings.trails.all[asked]))
            return [(told.broken, told.reason, told.mend) for told in found]

        lost, undone, refused, forgotten = in_fast_time(story, check_text(TEXT, str(demo_path())))
        again = "ask again; the record tells why it began anew"
        self.assertEqual((Kind.TAKEN, "the board began anew meanwhile, and has not heard it", again), lost)
        self.assertEqual((Kind.MOVED, "the board began anew meanwhile, and its outputs went to rest", again), undone)
        self.assertIn("has begun anew, and is not set up", refused[2])
        self.assertEqual((Kind.DRIVEN, "the board began anew meanwhile, and has forgotten it", again), forgotten)

    def test_bytes_that_were_changed_on_their_way_are_told_as_that(self):
        async def story(bench, standings):
            say, point, found = bench.record.append, Topic.POINT, []
            for heard in (b"SOUR1:VOLT 5\n", b":OUR1:VOLT 5\n"):
                asked = say(Kind.ASKED, "switchrack", point, "supply_1_voltage", 5.0)
                framed = say(Kind.FRAMED, "switchrack", point, "supply_1_voltage", b"SOUR1:VOLT 5\n", asked)
                carried = say(Kind.CARRIED, "switchrack", Topic.LINK, "switchrack", 13, framed)
                taken = say(Kind.TAKEN, "switchrack", Topic.MESSAGE, "x", heard, carried)
                say(Kind.REFUSED, "switchrack", Topic.BOARD, "", -113, taken, "-113 Undefined header")
                standings.follow()
                found.append(standings.diagnose(standings.trails.all[asked]))
            return [(told.broken, told.reason, told.mend[:31]) for told in found]

        right, changed = in_fast_time(story, check_text(TEXT, str(demo_path())))
        self.assertEqual((Kind.DRIVEN, "-113 Undefined header", "compare [points.supply_1_voltag"), right)
        words = "-113 Undefined header: the bytes were changed on the way"
        self.assertEqual((Kind.DRIVEN, words, "same rate and settings at both "), changed)

    def test_what_was_changed_is_no_fault_of_a_device_an_address_or_a_pins_mode(self):
        async def story(bench, standings):
            say, point = bench.record.append, Topic.POINT

            def tries(board, name, said, heard=None):
                asked = say(Kind.ASKED, board, point, name, True)
                framed = say(Kind.FRAMED, board, point, name, said, asked)
                carried = say(Kind.CARRIED, board, Topic.LINK, board, len(said), framed)
                heard = say(Kind.TAKEN, board, Topic.MESSAGE, "x", heard, carried) if heard else None
                return asked, heard

            await asyncio.sleep(3)
            write = bytes.fromhex("F0 76 26 00 02 00 01 00 F7")
            at_device, taken = tries("gatehouse", "mast_1", write, write[:1] + write[2:])
            say(Kind.REFUSED, "gatehouse", Topic.BOARD, "", None, taken, "this board does not know command 26")
            at_address, _ = tries("pumphouse", "pump_a", bytes.fromhex("0001 0000 0006 07 05 0000 FF00"))
            why = {"note": "exception 02, illegal data address: is there such an address?"}
            say(Kind.REFUSED, "pumphouse", point, "pump_a", 2, at_address, **why)
            at_broker, _ = tries("towpath", "lamp", b"\x32\x05\x00\x01t\x00\x01")
            why = {"note": "reason code 97, quota exceeded"}  # the broker's, before any board
            say(Kind.REFUSED, "towpath", point, "lamp", 0x97, at_broker, **why)
            at_pin, _ = tries("gatehouse", "mast_2", write, write[:6] + write[8:])
            await asyncio.sleep(10)
            standings.follow()
            told = [
                standings.diagnose(standings.trails.all[number])
                for number in (at_device, at_address, at_broker, at_pin)
            ]
            return [each.reason for each in told]

        changed = "the bytes were changed on the way"
        self.assertEqual(
            [
                f"this board does not know command 26: {changed}", f"exception 02, illegal data address: {changed}",
                "reason code 97, quota exceeded",
                f"the board took another message than was sent: {changed}",
            ],
            in_fast_time(story, check_text(TEXT, str(demo_path()))),
        )  # fmt: skip

    def test_a_link_that_is_lost_while_a_part_may_still_set_out_says_nothing_of_its_wires(self):
        async def story(bench, standings):
            say, point, found = bench.record.append, Topic.POINT, []
            await asyncio.sleep(3)
            asked = say(Kind.ASKED, "signalpost", point, "post_1", True)
            framed = say(Kind.FRAMED, "signalpost", point, "post_1", b"\1\1\0\2", asked)
            carried = say(Kind.CARRIED, "signalpost", Topic.LINK, "signalpost", 4, framed)
            taken = say(Kind.TAKEN, "signalpost", Topic.FRAME, "order", b"\1\1\0\2", carried)
            say(Kind.DRIVEN, "signalpost", Topic.PIN, "0", True, taken, "output")
            why = {"note": "the link was lost", "reason": Reason.LINK_LOST}
            say(Kind.UNCONFIRMED, "signalpost", point, "post_1", None, asked, **why)
            for pause in (0.01, 1):
                await asyncio.sleep(pause)
                standings.follow()
                found.append(standings.diagnose(standings.trails.all[asked]))
            return [(each.broken, each.reason, each.mend[:25]) for each in found]

        at_once, later = in_fast_time(story, check_text(TEXT, str(demo_path())))
        self.assertEqual((Kind.CONFIRMED, "the link was lost", "is the board there, and i"), at_once)
        self.assertEqual((Kind.MOVED, "pin 0 was driven, but post_1 has not moved"), later[:2])

    def test_a_link_that_is_lost_on_the_way_to_a_device_is_no_fault_of_the_device(self):
        async def story(bench, standings):
            await asyncio.sleep(5)
            asked = bench.ask(bench.point("mast_1"), True, by="test")
            await asyncio.sleep(0.0001)
            bench.memory_link("gatehouse").cut()
            await asyncio.sleep(0.5)
            standings.follow()
            found = standings.diagnose(standings.trails.all[asked])
            return found.reason, found.mend

        reason, mend = in_fast_time(story, check_text(TEXT, str(demo_path())))
        self.assertIn("the link was lost", reason)
        self.assertIn("is the board there, and its plug?", mend)

    def test_what_the_board_could_not_read_is_the_hosts_to_send_again_and_told_where_it_does_not(self):
        async def story(bench, standings):
            say, point, found = bench.record.append, Topic.POINT, []

            def tries(asked, heard):
                framed = say(Kind.FRAMED, "switchrack", point, "supply_1_voltage", b"SOUR1:VOLT 5\n", asked)
                carried = say(Kind.CARRIED, "switchrack", Topic.LINK, "switchrack", 13, framed)
                return say(Kind.TAKEN, "switchrack", Topic.MESSAGE, "x", heard, carried)

            def told(asked):
                standings.follow()
                return standings.diagnose(standings.trails.all[asked])

            await asyncio.sleep(3)
            asked = say(Kind.ASKED, "switchrack", point, "supply_1_voltage", 5.0)
            taken = tries(asked, b":OUR1:VOLT 5\n")
            why = {"note": "-113 Undefined header: OUR1:VOLT", "reason": Reason.UNREADABLE}
            say(Kind.REFUSED, "switchrack", Topic.BOARD, "", -113, taken, **why)
            await asyncio.sleep(1)
            found.append(told(asked))
            await asyncio.sleep(10)
            found.append(told(asked))
            say(Kind.RESENT, "switchrack", point, "supply_1_voltage", 5.0, asked, "try 2")
            driven = say(Kind.DRIVEN, "switchrack", Topic.PIN, "1", 53, tries(asked, b"SOUR1:VOLT 5\n"))
            say(Kind.MOVED, "switchrack", Topic.PART, "supply_1", 5.0, driven)
            say(Kind.CONFIRMED, "switchrack", point, "supply_1_voltage", 5.0, asked)
            found.append(told(asked))
            return [(each.broken, each.reason) for each in found]

        waits, alone, done = in_fast_time(story, check_text(TEXT, str(demo_path())))
        self.assertEqual(((None, ""), (None, "")), (waits, done))
        said = "-113 Undefined header: OUR1:VOLT: the bytes were changed on the way"
        self.assertEqual((Kind.DRIVEN, said), alone)

    def test_a_command_is_stopped_where_that_happened_and_by_whom_it_was_refused(self):
        async def story(bench, standings):
            say, name, found = bench.record.append, "upper_paddle", []

            def begun(frames):
                asked = say(Kind.ASKED, "gatehouse", Topic.POINT, name, 50.0)
                framed = [
                    say(Kind.FRAMED, "gatehouse", Topic.POINT, name, b"\xe9\x5a\x00", asked) for _ in range(frames)
                ]
                carried = say(Kind.CARRIED, "gatehouse", Topic.LINK, "gatehouse", 3, framed[0])
                return asked, say(Kind.TAKEN, "gatehouse", Topic.MESSAGE, "analog-message", b"\xe9\x5a\x00", carried)

            def told(asked):
                standings.follow()
                return standings.diagnose(standings.trails.all[asked])

            asked, taken = begun(2)  # the other frame is still to come
            say(Kind.LOST, "gatehouse", Topic.PIN, "9", 90, taken, "its line stays low", reason=Reason.DEAD)
            found.append(told(asked))
            asked, taken = begun(1)
            driven = say(Kind.DRIVEN, "gatehouse", Topic.PIN, "9", 90, taken, "100 µs")
            why = {"note": "a pulse of 100 µs is not taken", "reason": Reason.NOT_ALLOWED}
            say(Kind.REFUSED, "gatehouse", Topic.PART, name, None, driven, **why)
            found.append(told(asked))
            return [(each.broken, each.reason, each.mend) for each in found]

        dead, refused = in_fast_time(story, check_text(TEXT, str(demo_path())))
        self.assertEqual((Kind.DRIVEN, "its line stays low"), dead[:2])
        self.assertEqual((Kind.MOVED, "a pulse of 100 µs is not taken", "ask for what it takes"), refused)

    def test_a_part_that_stops_at_its_end_is_not_wired_the_wrong_way_round(self):
        wider = [key("points.upper_paddle", "wire", "[0, 180]")]
        for wishes in ("upper_paddle=60 % upper_paddle=0 %", "upper_paddle=100 %", "beacon=50 % beacon=3 %"):
            diagnosis, then = self.told(wider, None, wishes)
            self.assertEqual((None, None), (diagnosis.broken, then.broken), diagnosis.reason)

    def test_a_strangers_frame_is_stopped_at_the_stage_that_it_has_not_reached(self):
        async def story(bench, standings):
            found = []
            for note, then in (("CRC: found 0000, expected 40C2", ()), ("illegal data address", (Kind.TAKEN,))):
                data = bytes.fromhex("07 01 00 00")
                at = bench.record.append(
                    Kind.CARRIED, "pumphouse", Topic.LINK, "pumphouse_line", data, purpose=Purpose.OUTSIDE
                )
                cause = at
                for kind in then:
                    cause = bench.record.append(kind, "pumphouse", Topic.MESSAGE, "read-coils", data, cause)
                bench.record.append(Kind.REFUSED, "pumphouse", Topic.MESSAGE, "read-coils", None, cause, note)
                standings.follow()
                found.append(standings.diagnose(standings.trails.all[at]))
            return found

        wrong, refused = in_fast_time(story, check_text(TEXT, str(demo_path())))
        self.assertEqual((wrong.broken, wrong.reason), (Kind.TAKEN, "CRC: found 0000, expected 40C2"))
        self.assertIn("look at its bytes", wrong.mend)
        self.assertEqual(refused.broken, Kind.DRIVEN)
        self.assertEqual(
            "compare its function, its address and its count with the board's map: `cavet show` lists that",
            refused.mend,
        )

    def test_what_a_board_has_refused_a_stranger_is_compared_with_what_that_board_is(self):
        refusals = {
            "gatehouse": ("set-pin-mode", "there is no pin 40", "the mode of its pins"),
            "switchrack": ("FOO:BAR", "-113 Undefined header: FOO:BAR", "its header and its data"),
            "towpath": ("lamp/set", "payload", "its topic and its payload"),
            "signalpost": ("order", "mask", "those of the board's plan"),
        }

        async def story(bench, standings):
            told = {}
            for board, (message, note, _) in refusals.items():
                link = bench.setup.hosts[board].link
                at = bench.record.append(Kind.CARRIED, board, Topic.LINK, link, b"x", purpose=Purpose.OUTSIDE)
                taken = bench.record.append(Kind.TAKEN, board, Topic.MESSAGE, message, b"x", at)
                bench.record.append(Kind.REFUSED, board, Topic.MESSAGE, message, None, taken, note)
                standings.follow()
                told[board] = standings.diagnose(standings.trails.all[at])
            return told

        for board, diagnosis in in_fast_time(story, load_bench(demo_path()).setup).items():
            _, note, words = refusals[board]
            self.assertEqual((Kind.DRIVEN, note), (diagnosis.broken, diagnosis.reason))
            self.assertIn(words, diagnosis.mend)


if __name__ == "__main__":
    unittest.main()
