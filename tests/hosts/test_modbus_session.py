"""The host's side of Modbus: learning, grouping, several requests at once, time-outs, refusals, writes with care."""

import unittest

from cavet.hosts import ModbusSession, PointKind, RegisterPoint, SessionSettings, SessionState, group
from cavet.protocols import FieldError, Side, modbus
from cavet.protocols.modbus import ValueForm
from cavet.record import Record


def point(name, table, address, kind=PointKind.READING, **more):
    return RegisterPoint(
        name=name,
        board="b",
        kind=kind,
        table=table,
        address=address,
        **{"confirm": True, "high": 100, "wire_high": 100, **more},
    )


PUMP = point("pump", "coils", 0, PointKind.SWITCH)
FAN = point("fan", "coils", 1, PointKind.SWITCH)
SPEED = point("speed", "holding-registers", 0, PointKind.LEVEL, unit="%", wire_high=1000)
LEVEL = point("level", "holding-registers", 10, PointKind.LEVEL, form=ValueForm("float32"), high=3000, wire_high=3000)
FLAG = point("flag", "holding-registers", 20, PointKind.SWITCH, form=ValueForm("bit", bit=3))
DOOR = point("door", "discrete-inputs", 2, PointKind.CONTACT)
FLOW = point("flow", "input-registers", 0, form=ValueForm("int16"), low=-100, wire_low=-100)


class Talk:
    """A session and the other end of its link: `asked` gives the requests, `answer` sends one back."""

    def __init__(self, *points, framing="modbus-tcp", character=0.0, **settings):
        self.time = 0.0
        self.record = Record(lambda: self.time)

        def tell(kind, topic, subject, *more, **fields):
            return self.record.append(kind, "b", topic, subject, *more, **fields)

        self.codec = {codec.name: codec for codec in (modbus.TCP, modbus.RTU, modbus.ASCII)}[framing]
        patience = SessionSettings(**{"unit": 7, "reply_within": 0.1, "retries": 1, "poll": 1.0, **settings})
        self.session = ModbusSession("b", points, patience, tell, framing=framing, character=character)
        self._decoder = self.codec.decoder(Side.HOST)
        self._offset = 0

    def open(self):
        self.session.opened(self.time)
        return self

    def asked(self):
        said = self.session.take_out()
        return [frame.message for frame in self._decoder.feed(said.data)] if said else []

    def answer(self, request, form, **fields):
        message = form(transaction=request.transaction, unit=request.unit, **fields)
        self.session.feed(self.codec.encode(message), self.time, lambda end: None)

    def serve(self, memory, rounds=20):
        """Answer everything from tables of words until nothing is asked any more; give the requests."""
        all_asked = []
        for _ in range(rounds):
            asked = self.asked()
            if not asked:
                break
            all_asked += asked
            for request in asked:
                self.answer_from(memory, request)
            self.session.advance(self.time)
        return all_asked

    def answer_from(self, memory, request):
        name = request.NAME
        table = {"read-coils": "c", "read-discrete-inputs": "d", "read-holding-registers": "h"}.get(name, "i")
        if name.startswith("read-"):
            form = {form.NAME: form for form in modbus.RESPONSES}[name]
            places = range(request.address, request.address + request.quantity)
            if any((table, at) not in memory for at in places):
                self.answer(request, modbus.ExceptionResponse, function=request.FUNCTION, exception_code=2)
                return
            self.answer(request, form, values=tuple(memory[table, at] for at in places))
        elif name == "write-single-coil":
            memory["c", request.address] = int(request.value)
            self.answer(request, type(request), address=request.address, value=request.value)
        elif name == "write-single-register":
            memory["h", request.address] = request.value
            self.answer(request, type(request), address=request.address, value=request.value)
        elif name == "mask-write-register":
            memory["h", request.address] = memory["h", request.address] & request.and_mask | request.or_mask
            self.answer(
                request, type(request), address=request.address, and_mask=request.and_mask, or_mask=request.or_mask
            )
        else:
            for at, value in enumerate(request.values, request.address):
                memory["h", at] = value
            self.answer(
                request, modbus.WriteMultipleRegistersResponse, address=request.address, quantity=len(request.values)
            )

    def go(self, until):
        self.time = until
        return self.session.advance(until)

    def kinds(self):
        return [event.kind for event in self.record.since(0) if event.topic == "point"]

    def notes(self, kind):
        return [event.note for event in self.record.since(0) if event.kind == kind]


def memory():
    words = {("c", 0): 0, ("c", 1): 1, ("h", 0): 0, ("h", 20): 0xFFF7, ("i", 0): 0xFFF6, ("d", 2): 1}
    return words | {("h", 10): 0, ("h", 11): 0}


ALL = (PUMP, FAN, SPEED, LEVEL, FLAG, DOOR, FLOW)


class Learning(unittest.TestCase):
    def test_everything_is_read_once_in_few_requests_several_at_once(self):
        talk = Talk(*ALL, in_flight=3).open()
        first = talk.asked()
        self.assertEqual(len(first), 3)
        self.assertEqual(len({request.transaction for request in first}), 3)
        for request in reversed(first):  # answers may come in any order
            talk.answer_from(memory(), request)
        rest = talk.serve(memory())
        self.assertEqual(len(first) + len(rest), 6)
        self.assertIs(talk.session.state, SessionState.READY)
        readings = talk.session.readings
        self.assertEqual([readings[p.name].got for p in ALL], [False, True, 0, 0, False, True, -10])

    def test_neighbours_are_read_together_within_the_limits_and_gaps_are_not_read(self):
        many = [point(f"p{at}", "holding-registers", at) for at in range(300)]
        self.assertEqual([read.quantity for read in group(many)], [125, 125, 50])
        bits = [point(f"c{at}", "coils", at, PointKind.CONTACT) for at in range(2500)]
        self.assertEqual([read.quantity for read in group(bits)], [2000, 500])
        wide = [point("a", "input-registers", 0, form=ValueForm("float64")), point("b", "input-registers", 4)]
        self.assertEqual([(read.address, read.quantity) for read in group(wide)], [(0, 5)])
        self.assertEqual(len(group([many[0], many[2]])), 2)

    def test_an_address_that_is_missing_is_told_at_its_own_point_only(self):
        talk = Talk(PUMP, FAN).open()
        words = memory()
        del words["c", 1]
        talk.serve(words)
        self.assertIs(talk.session.state, SessionState.READY)
        self.assertEqual(talk.session.readings["pump"].refusal, "")
        self.assertIn("exception 02, illegal data address", talk.session.readings["fan"].refusal)
        self.assertIn("from 0 on the wire", talk.session.readings["fan"].refusal)
        talk.session.ask("fan", True, 0.0)
        self.assertEqual(talk.kinds()[-1], "refused")

    def test_a_device_that_never_answers_is_silent_and_taken_up_when_it_does(self):
        talk = Talk(*ALL, boot_wait=2.0).open()
        asked = 0
        for tenth in range(1, 60):
            asked += len(talk.asked())
            talk.go(tenth / 10)
        self.assertIs(talk.session.state, SessionState.SILENT)
        self.assertLess(asked, 30)
        for tenth in range(60, 120):
            talk.serve(memory())
            talk.go(tenth / 10)
        self.assertIs(talk.session.state, SessionState.READY)

    def test_everything_is_read_again_and_again_and_changes_are_heard(self):
        talk = Talk(DOOR, FLOW, PUMP).open()
        words = memory()
        talk.serve(words)
        words["d", 2] = 0
        words["c", 0] = 1  # another program has switched it
        talk.go(1.0)
        names = [request.NAME for request in talk.serve(words)]
        self.assertEqual(names, ["read-coils", "read-discrete-inputs", "read-input-registers"])
        self.assertIs(talk.session.readings["door"].got, False)
        self.assertIs(talk.session.readings["pump"].got, True)
        talk.session.ask("pump", False, 1.0)
        self.assertEqual([request.NAME for request in talk.serve(words)], ["write-single-coil", "read-coils"])
        self.assertEqual(words["c", 0], 0)

    def test_a_wish_in_hand_is_not_taken_back_by_an_older_reading(self):
        talk = Talk(PUMP).open()
        words = memory()
        talk.serve(words)
        talk.go(1.0)
        (poll,) = talk.asked()
        talk.session.ask("pump", True, 1.0)
        (write,) = talk.asked()
        talk.answer_from(words, poll)
        talk.answer_from(words, write)
        talk.serve(words)
        self.assertEqual(talk.kinds(), ["heard", "asked", "framed", "framed", "confirmed"])

    def test_a_device_that_hangs_is_noticed_without_an_input_and_taken_up_again(self):
        talk = Talk(PUMP).open()
        talk.serve(memory())
        states = []
        for tenth in range(1, 40):
            talk.asked()
            talk.go(tenth / 10)
            states.append(talk.session.state)
        self.assertIs(states[-1], SessionState.SILENT)
        for tenth in range(40, 80):
            talk.serve(memory())
            talk.go(tenth / 10)
        self.assertIs(talk.session.state, SessionState.READY)

    def test_a_read_that_fails_for_now_is_asked_again_and_one_that_is_missing_is_not(self):
        for code, again in ((4, True), (11, True), (1, False), (2, False), (3, False)):
            with self.subTest(code):
                talk = Talk(DOOR).open()
                (first,) = talk.asked()
                talk.answer(first, modbus.ExceptionResponse, function=2, exception_code=code)
                self.assertIn(f"exception {code:02X}", talk.session.readings["door"].refusal)
                talk.go(1.1)
                self.assertEqual(len(talk.serve(memory())), int(again))
                self.assertEqual(talk.session.readings["door"].refusal == "", again)
                self.assertEqual(talk.session.readings["door"].got, True if again else None)

    def test_a_float_that_is_no_number_is_none(self):
        talk = Talk(LEVEL).open()
        for high in (0x7FC0, 0x7F80, 0xFF80):
            with self.subTest(f"{high:04X}"):
                talk.serve(memory() | {("h", 10): high})
                self.assertIsNone(talk.session.readings["level"].got)
                talk.go(talk.time + 1.1)
                talk.serve(memory() | {("h", 10): 0x44B5, ("h", 11): 0x4000})
                self.assertEqual(talk.session.readings["level"].got, 1450.0)
                talk.go(talk.time + 1.1)

    def test_the_greatest_of_64_bits_are_met_without_harm(self):
        for kind in ("uint64", "int64"):
            with self.subTest(kind):
                wide = point("wide", "holding-registers", 0, PointKind.LEVEL, form=ValueForm(kind), confirm=True)
                talk = Talk(wide).open()
                words = {("h", at): 0xFFFF if at or kind == "uint64" else 0x7FFF for at in range(4)}
                talk.serve(words)
                talk.session.ask("wide", 5.0, 0.0)
                talk.serve(words)
                self.assertEqual((talk.kinds()[-1], words["h", 3]), ("confirmed", 5))


class Asking(unittest.TestCase):
    def ready(self, *points, words=None, **settings):
        talk = Talk(*points, **settings).open()
        self.words = words or memory()
        talk.serve(self.words)
        self.assertIs(talk.session.state, SessionState.READY)
        return talk

    def test_a_wish_is_written_in_the_shortest_way_and_read_back(self):
        for wanted, value, name, found in (
            (PUMP, True, "write-single-coil", {("c", 0): 1}),
            (SPEED, 60.0, "write-single-register", {("h", 0): 600}),
            (LEVEL, 1450.0, "write-multiple-registers", {("h", 10): 0x44B5, ("h", 11): 0x4000}),
            (FLAG, True, "mask-write-register", {("h", 20): 0xFFFF}),
        ):
            with self.subTest(wanted.name):
                talk = self.ready(wanted)
                talk.session.ask(wanted.name, value, talk.time)
                asked = talk.serve(self.words)
                self.assertEqual(asked[0].NAME, name)
                self.assertTrue(asked[1].NAME.startswith("read-"))
                self.assertEqual({key: self.words[key] for key in found}, found)
                self.assertEqual(talk.kinds()[-1], "confirmed")
                talk.session.ask(wanted.name, value, talk.time)
                self.assertEqual((talk.asked(), talk.kinds()[-1]), ([], "unchanged"))

    def test_what_the_wire_has_rounded_is_confirmed_as_it_came_back(self):
        talk = self.ready(SPEED)
        talk.session.ask("speed", 33.333, talk.time)
        talk.serve(self.words)
        told = [(event.kind, event.value) for event in talk.record.since(0) if event.topic == "point"]
        self.assertEqual((("confirmed", 33.3), 33.3), (told[-1], talk.session.readings["speed"].got))
        talk.session.ask("speed", 33.333, talk.time)
        self.assertEqual(([], "unchanged"), (talk.asked(), talk.kinds()[-1]))

    def test_a_write_whose_answer_is_lost_is_not_repeated_but_read_back(self):
        talk = self.ready(PUMP)
        talk.session.ask("pump", True, 0.0)
        (write,) = talk.asked()
        self.words["c", write.address] = 1  # it was done; its answer is lost
        talk.go(0.2)
        self.assertEqual([request.NAME for request in talk.serve(self.words)], ["read-coils"])
        self.assertEqual(talk.kinds()[-1], "confirmed")

    def test_one_that_was_not_done_is_given_up_unless_it_may_be_repeated(self):
        for repeat, last in ((False, "unconfirmed"), (True, "confirmed")):
            with self.subTest(repeat=repeat):
                talk = self.ready(PUMP, repeat_writes=repeat)
                talk.session.ask("pump", True, 0.0)
                talk.asked()
                talk.go(0.2)
                asked = [request.NAME for request in talk.serve(self.words)]
                self.assertEqual(asked.count("write-single-coil"), int(repeat))
                self.assertEqual(talk.kinds()[-1], last)
        self.assertTrue(any("unless repeat_writes" in n for n in self.given_up()))

    def given_up(self):
        talk = self.ready(PUMP)
        talk.session.ask("pump", True, 0.0)
        talk.asked()
        talk.go(0.2)
        talk.serve(self.words)
        return talk.notes("unconfirmed")

    def test_an_exception_refuses_in_words_and_busy_is_tried_again(self):
        talk = self.ready(PUMP)
        talk.session.ask("pump", True, 0.0)
        (write,) = talk.asked()
        talk.answer(write, modbus.ExceptionResponse, function=5, exception_code=6)
        self.assertEqual([], talk.asked())  # it is busy: it needs a while
        talk.go(0.11)
        (again,) = talk.asked()
        self.assertEqual(["try 2"], talk.notes("resent"))
        self.assertEqual(again.NAME, "write-single-coil")
        talk.answer(again, modbus.ExceptionResponse, function=5, exception_code=4)
        self.assertEqual(talk.kinds()[-1], "refused")
        self.assertIn("exception 04, server device failure", talk.notes("refused")[-1])

    def test_busy_with_an_older_wish_leaves_it_to_the_newer_one(self):
        talk = self.ready(PUMP)
        for value in (True, False):
            talk.session.ask("pump", value, 0.0)
        older, newer = talk.asked()
        talk.answer(older, modbus.ExceptionResponse, function=5, exception_code=6)
        talk.answer(newer, modbus.ExceptionResponse, function=5, exception_code=6)
        self.assertEqual("overtaken", [kind for kind in talk.kinds() if kind in ("overtaken", "refused")][-1])
        talk.go(0.11)
        self.assertEqual([False], [again.value for again in talk.asked()])

    def test_a_newer_wish_overtakes_one_that_waits(self):
        talk = self.ready(SPEED, in_flight=1)
        for value in (10.0, 20.0, 30.0):
            talk.session.ask("speed", value, 0.0)
        asked = talk.serve(self.words)
        written = [request.value for request in asked if request.NAME == "write-single-register"]
        self.assertEqual((written[0], written[-1], len(written)), (100, 300, 2))
        self.assertIn("overtaken", talk.kinds())
        self.assertEqual(self.words["h", 0], 300)

    def test_what_was_asked_is_asked_again_when_the_link_is_back(self):
        talk = self.ready(PUMP)
        talk.session.ask("pump", True, 0.0)
        talk.serve(self.words)
        talk.session.lost("pulled")
        self.words["c", 0] = 0
        talk.session.opened(1.0)
        talk.serve(self.words)
        self.assertEqual(self.words["c", 0], 1)


class Lines(unittest.TestCase):
    def test_on_a_serial_line_one_request_at_a_time_with_silence_between(self):
        for framing in ("modbus-rtu", "modbus-ascii"):
            with self.subTest(framing):
                talk = Talk(PUMP, SPEED, framing=framing, character=10 / 9600).open()
                (first,) = talk.asked()
                talk.answer_from(memory(), first)
                self.assertEqual(talk.asked(), [])
                due = talk.session.advance(talk.time)
                self.assertAlmostEqual(due, 3.5 * 10 / 9600, places=6)
                talk.go(due)
                self.assertEqual(len(talk.asked()), 1)

    def test_a_refusal_that_a_lost_pair_of_zeros_may_have_caused_is_asked_for_once_more(self):
        for framing, asks_again in (("modbus-ascii", True), ("modbus-rtu", False), ("modbus-tcp", False)):
            with self.subTest(framing):
                talk = Talk(SPEED, framing=framing).open()
                (request,) = talk.asked()
                talk.answer(request, modbus.ExceptionResponse, function=3, exception_code=3)
                talk.go(talk.time + 0.01)
                again = talk.asked()
                self.assertEqual([request.NAME] if asks_again else [], [each.NAME for each in again])
                for each in again:
                    talk.answer(each, modbus.ReadHoldingRegistersResponse, values=(500,))
                self.assertEqual(not asks_again, bool(talk.session.readings["speed"].refusal))

    def test_on_a_serial_line_a_late_answer_is_not_taken_for_that_to_the_next_request(self):
        late = Talk(SPEED, framing="modbus-rtu", character=0.0002, retries=0).open()
        (request,) = late.asked()
        late.time = 0.11
        late.session.advance(late.time)
        self.assertEqual([], late.asked())
        late.time = 0.2
        late.answer(request, modbus.ReadHoldingRegistersResponse, values=(500,))  # nothing waits for it
        self.assertIsNone(late.session.readings["speed"].got)
        late.time = late.session.advance(late.time)
        late.session.advance(late.time)
        (request,) = late.asked()
        late.answer(request, modbus.ReadHoldingRegistersResponse, values=(700,))
        self.assertEqual(70, late.session.readings["speed"].got)

    def test_what_was_told_soon_after_another_wish_may_be_from_before_it(self):
        talk = Talk(PUMP).open()
        talk.serve(memory())
        for now, value, sent in ((1.0, False, False), (1.05, True, True), (5.0, True, False), (5.1, False, True)):
            talk.go(now)
            talk.session.readings["pump"].hear(value, now)  # as if it stood there
            talk.session.ask("pump", value, now)
            with self.subTest(now):
                self.assertEqual(sent, "write-single-coil" in [each.NAME for each in talk.serve(memory())])

    def test_what_is_told_to_all_is_not_answered_and_followed_by_a_pause(self):
        talk = Talk(PUMP, SPEED, DOOR, framing="modbus-rtu", character=10 / 9600, unit=0, turnaround=0.2).open()
        self.assertIs(talk.session.state, SessionState.READY)
        self.assertIn("none answers", talk.session.readings["door"].refusal)
        talk.session.ask("pump", True, 0.0)
        talk.session.ask("speed", 50.0, 0.0)
        (first,) = talk.asked()
        self.assertEqual((first.NAME, first.unit), ("write-single-coil", 0))
        self.assertEqual(talk.session.advance(0.1), 0.2)
        self.assertEqual(talk.asked(), [])
        talk.go(0.2)
        self.assertEqual([request.NAME for request in talk.asked()], ["write-single-register"])
        reading = talk.session.readings["pump"]
        self.assertEqual((reading.got, reading.stands), (None, True))  # it is taken for granted, and nobody told it

    def test_strange_answers_are_passed_over(self):
        talk = Talk(PUMP).open()
        (request,) = talk.asked()
        for other in (
            modbus.ReadCoilsResponse(transaction=99, unit=7, values=(1,)),
            modbus.ReadCoilsResponse(transaction=request.transaction, unit=8, values=(1,)),
            modbus.ReadHoldingRegistersResponse(transaction=request.transaction, unit=7, values=(1,)),
            modbus.ReadCoilsResponse(transaction=request.transaction, unit=7, values=(1,) * 20),
        ):
            talk.session.feed(modbus.TCP.encode(other), 0.0, lambda end: None)
        self.assertIs(talk.session.state, SessionState.LEARNING)
        talk.session.feed(b"\x00\x01\x00\x00\xff\xff noise", 0.0, lambda end: None)
        talk.go(0.5)
        talk.serve(memory())


class Values(unittest.TestCase):
    def test_all_kinds_in_all_four_orders_come_back(self):
        for kind, value in (
            ("int16", -5), ("uint16", 65535), ("int32", -70000), ("uint32", 4_000_000_000), ("int64", -(2**62)),
            ("uint64", 2**63), ("float32", 1.5), ("float64", -2.25e99), ("text", "Lock 7"),
        ):  # fmt: skip
            for words in ("high-first", "low-first"):
                for octets in ("high-first", "low-first"):
                    with self.subTest(kind, words=words, octets=octets):
                        form = ValueForm(kind, words, octets, 4)
                        self.assertEqual(form.unpack(form.pack(value)), value)
                        self.assertEqual(len(form.pack(value)), form.size)

    def test_a_float_of_32_bits_has_no_more_digits_than_tell_it(self):
        form = ValueForm("float32")
        for value in (1450.7, 12.3, 0.0042, -1e-45, 3.4028235e38, 1 / 3, 16777216.0, 1199.9993):
            read = form.unpack(form.pack(value))
            self.assertEqual(form.pack(value), form.pack(read))
            self.assertLessEqual(len(repr(read)), len("-3.4028235e+38"))
        self.assertEqual([1450.7, 12.3, 0.0042], [form.unpack(form.pack(value)) for value in (1450.7, 12.3, 0.0042)])
        self.assertEqual(float("inf"), form.unpack((0x7F80, 0)))

    def test_the_four_orders_on_the_wire(self):
        found = {
            (words, octets): [f"{word:04X}" for word in ValueForm("uint32", words, octets).pack(0x11223344)]
            for words in ("high-first", "low-first")
            for octets in ("high-first", "low-first")
        }
        self.assertEqual(found["high-first", "high-first"], ["1122", "3344"])
        self.assertEqual(found["low-first", "high-first"], ["3344", "1122"])
        self.assertEqual(found["high-first", "low-first"], ["2211", "4433"])
        self.assertEqual(found["low-first", "low-first"], ["4433", "2211"])

    def test_what_does_not_fit_is_refused(self):
        for kind, value in (
            ("int16", 40000),
            ("uint16", -1),
            ("float32", 1e300),
            ("text", "x" * 9),
            ("int32", float("nan")),
        ):
            with self.subTest(kind), self.assertRaises(FieldError):
                ValueForm(kind, length=4).pack(value)
