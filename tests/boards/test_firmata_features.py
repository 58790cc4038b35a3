"""What a board does over Firmata beyond its pins: steppers, encoders, OneWire, serial ports, tasks."""

import itertools
import unittest

from cavet.boards import (
    Board,
    Cable,
    Circuit,
    DeadPin,
    Firmware,
    Outgoing,
    PinMode,
    PinProfile,
    Profile,
    World,
    stop,
    travel,
)
from cavet.boards.buses import OneWireDevice
from cavet.boards.parts import Encoder, Lamp, Stepper
from cavet.expressions import Expression
from cavet.protocols import Side, firmata
from cavet.protocols.registers import Register, RegisterMap
from cavet.record import Kind, Tell
from tests.boards.worlds import Small, quantity, wired

MODES = {PinMode.INPUT: 1, PinMode.OUTPUT: 1, PinMode.STEPPER: 21, PinMode.ENCODER: 28, PinMode.ONEWIRE: 1}
PROFILE = Profile(
    name="shop",
    pins={
        **{number: PinProfile(number=number, modes=MODES) for number in range(2, 10)},
        **{number: PinProfile(number=number, modes={PinMode.SERIAL: number - 8}) for number in (10, 11, 12, 13)},
    },
)
DRIVER, FOUR_WIRE, ENABLED, HALF = 0x10, 0x40, 0x01, 0x02


class Shop(Small):
    """A board with all features. `tell` speaks in messages, and gives those that come back."""

    def __init__(self, *parts, quantities=(), defects=()):
        super().__init__(parts, quantities, pins=PROFILE, defects=defects)
        self.open()

    def tell(self, *messages):
        for message in messages:
            self.board.feed(self.client, firmata.encode(message), 0, self.time, self._carried)
        self.world.advance(self.time)
        return self.heard()

    def heard(self, until=None):
        if until is not None:
            self.go(until)
        data = b"".join(outgoing.data for outgoing in self.board.take_out())
        return [frame.message for frame in firmata.decode_from(Side.BOARD, data)]

    def refusals(self, *messages):
        return [answer.text for answer in self.tell(*messages)]


class Ways(unittest.TestCase):
    def test_a_long_way_has_a_gain_a_steady_part_and_a_loss_of_speed(self):
        way = travel(0, 0, 1000, 0.0, top=100, acceleration=50)
        self.assertAlmostEqual(way.arrives, 2 + 8 + 2)
        self.assertAlmostEqual(way.at(2.0), 100)
        self.assertAlmostEqual(way.speed_at(5.0), 100)
        self.assertAlmostEqual(way.at(11.0), 1000 - 25)
        self.assertEqual((way.at(99.0), way.speed_at(99.0)), (1000, 0))

    def test_a_short_way_never_gets_to_the_top(self):
        way = travel(0, 0, -100, 0.0, top=1000, acceleration=100)
        self.assertAlmostEqual(way.arrives, 2.0)
        self.assertAlmostEqual(way.speed_at(1.0), -100)
        self.assertEqual(way.faster_at(1000), float("inf"))
        self.assertAlmostEqual(way.faster_at(50), 0.5)

    def test_whoever_must_turn_round_brakes_first(self):
        for target in (-50, 60):
            way = travel(50, 100, target, 0.0, top=100, acceleration=100)
            self.assertAlmostEqual(way.at(1.0), 100)
            self.assertAlmostEqual(way.speed_at(1.0), 0)
            self.assertEqual(way.at(way.arrives), target)

    def test_a_way_is_steady_everywhere(self):
        for speed, target, top, gain in ((0, 500, 90, 40), (80, 500, 40, 20), (-30, 7, 50, 33), (0, 3, 1, 0)):
            way = travel(0, speed, target, 0.0, top=top, acceleration=gain)
            times = [way.arrives * step / 1000 for step in range(1001)]
            for one, other in itertools.pairwise(times):
                self.assertLess(abs(way.at(other) - way.at(one)), 1.01 * max(abs(speed), top) * way.arrives / 1000)
            self.assertAlmostEqual(way.at(way.arrives - 1e-9), target, places=4)

    def test_a_stop_takes_its_time_where_there_is_an_acceleration(self):
        way = travel(0, 0, 1000, 0.0, top=100, acceleration=0)
        self.assertEqual(stop(way, 3.004, 0).at(9), 300)
        slow = stop(way, 3.0, 100)
        self.assertAlmostEqual(slow.arrives, 4.0)
        self.assertEqual(slow.at(9.0), 350)


class Steppers(unittest.TestCase):
    def setUp(self):
        self.stepper = wired(Stepper, "table", pulse=2, direction=3, fastest=500)
        self.shop = Shop(self.stepper)

    def configure(self, pins=b"\x02\x03", interface=DRIVER, speed=100.0, gain=0.0):
        messages = [
            firmata.StepperConfig(device=0, interface=interface, pins=pins),
            firmata.StepperSetSpeed(device=0, speed=speed),
            firmata.StepperSetAcceleration(device=0, acceleration=gain),
        ]
        return self.shop.tell(*messages)

    def test_it_goes_to_a_place_and_tells_that_it_has_arrived(self):
        self.assertEqual(self.configure(), [])
        self.assertEqual(self.shop.tell(firmata.StepperTo(device=0, position=150)), [])
        self.assertEqual(self.shop.heard(until=1.0), [])
        self.assertAlmostEqual(self.stepper.place(1.0), 100)
        there = self.shop.tell(firmata.StepperReportPosition(device=0))
        self.assertEqual(there, [firmata.StepperPosition(device=0, position=100)])
        self.assertEqual(self.shop.heard(until=1.5), [firmata.StepperMoveComplete(device=0, position=150)])
        self.assertEqual([event.value for event in self.shop.events(Kind.MOVED)], [150.0])

    def test_steps_are_counted_from_where_it_stands_and_zero_is_where_it_is_put(self):
        self.configure()
        self.shop.tell(firmata.StepperStep(device=0, steps=-30))
        self.assertEqual(self.shop.heard(until=1.0), [firmata.StepperMoveComplete(device=0, position=-30)])
        self.shop.tell(firmata.StepperZero(device=0), firmata.StepperTo(device=0, position=10))
        self.assertEqual(self.shop.heard(until=2.0), [firmata.StepperMoveComplete(device=0, position=10)])
        self.assertEqual(self.stepper.place(2.0), -20)

    def test_a_stop_with_acceleration_comes_to_a_stand_slowly(self):
        self.configure(gain=100.0)
        self.shop.tell(firmata.StepperTo(device=0, position=1000))
        self.shop.go(2.0)
        self.shop.tell(firmata.StepperStop(device=0))
        self.assertEqual(self.shop.heard(until=2.9), [])
        self.assertEqual(self.shop.heard(until=3.0), [firmata.StepperMoveComplete(device=0, position=200)])

    def test_a_new_way_overtakes_the_old_one_by_its_own_cause(self):
        self.configure()
        self.shop.tell(firmata.StepperTo(device=0, position=1000))
        self.shop.go(1.0)
        self.shop.tell(firmata.StepperTo(device=0, position=50))
        self.assertEqual(self.shop.heard(until=1.5), [firmata.StepperMoveComplete(device=0, position=50)])
        first, second = [event for event in self.shop.events(Kind.DRIVEN) if event.note.startswith("steps")]
        (overtaken,), (moved,) = self.shop.events(Kind.OVERTAKEN), self.shop.events(Kind.MOVED)
        self.assertEqual((overtaken.cause, overtaken.value), (first.number, 100))
        self.assertEqual((moved.cause, moved.value), (second.number, 50))

    def test_one_that_is_sent_too_fast_stalls_and_the_board_does_not_know(self):
        self.configure(speed=1000.0, gain=1000.0)
        self.shop.tell(firmata.StepperTo(device=0, position=2000))
        self.assertEqual(self.shop.heard(until=5.0), [firmata.StepperMoveComplete(device=0, position=2000)])
        self.assertAlmostEqual(self.stepper.place(5.0), 125, places=3)
        self.assertIn("it stalls", self.shop.events(Kind.REFUSED)[0].note)

    def test_wires_in_another_order_only_hum(self):
        self.configure(pins=b"\x03\x02")
        self.shop.tell(firmata.StepperTo(device=0, position=10))
        self.assertEqual(self.shop.heard(until=1.0), [firmata.StepperMoveComplete(device=0, position=10)])
        self.assertEqual(self.stepper.place(1.0), 0)
        self.assertIn("another order", self.shop.events(Kind.REFUSED)[0].note)

    def test_a_dead_pin_leaves_it_where_it_is(self):
        dead = DeadPin(name="dead", board="board", on=True, pin=3)
        self.stepper = wired(Stepper, "table", pulse=2, direction=3)
        self.shop = Shop(self.stepper, defects=[dead])
        self.configure()
        self.shop.tell(firmata.StepperTo(device=0, position=100))
        self.shop.go(0.5)
        self.assertEqual(self.stepper.place(0.5), 0)
        self.shop.world.switch_defect("dead", False)
        self.shop.go(1.0)
        self.assertAlmostEqual(self.stepper.place(1.0), 50)

    def test_half_steps_wires_stops_and_current(self):
        wires = {"coil_1": 4, "coil_2": 5, "coil_3": 6, "coil_4": 7, "enable": 8}
        self.stepper = wired(Stepper, "gate", **wires, stops=(0, 40))
        self.shop = Shop(self.stepper)
        self.configure(interface=FOUR_WIRE | HALF | ENABLED, pins=b"\x04\x05\x06\x07\x08")
        self.shop.tell(firmata.StepperTo(device=0, position=20))
        self.shop.go(1.0)
        self.assertEqual(self.stepper.place(1.0), 10)
        self.shop.tell(firmata.StepperEnable(device=0, value=0), firmata.StepperTo(device=0, position=40))
        self.shop.go(2.0)
        self.assertEqual(self.stepper.place(2.0), 10)
        self.shop.tell(firmata.StepperEnable(device=0, value=1), firmata.StepperTo(device=0, position=140))
        self.shop.go(4.0)
        self.assertEqual((self.stepper.place(4.0), self.stepper.fraction(4.0)), (40, 1.0))

    def test_a_group_arrives_together(self):
        other = wired(Stepper, "other", pulse=4, direction=5)
        self.shop = Shop(self.stepper, other)
        self.configure()
        self.shop.tell(
            firmata.StepperConfig(device=1, interface=DRIVER, pins=b"\x04\x05"),
            firmata.StepperSetSpeed(device=1, speed=50.0),
            firmata.SteppersConfig(group=2, devices=b"\x00\x01"),
            firmata.SteppersTo(group=2, positions=(100, -100)),
        )
        self.assertEqual(self.shop.heard(until=1.0), [])
        self.assertAlmostEqual(self.stepper.place(1.0), 50)
        self.assertEqual(self.shop.heard(until=2.0), [firmata.SteppersMoveComplete(group=2)])
        self.assertEqual((self.stepper.place(2.0), other.place(2.0)), (100, -100))
        self.shop.tell(firmata.SteppersTo(group=2, positions=(0, 0)))
        self.shop.go(2.5)
        self.assertEqual(self.shop.tell(firmata.SteppersStop(group=2)), [firmata.SteppersMoveComplete(group=2)])

    def test_a_reset_forgets_it_and_it_stands(self):
        self.configure()
        self.shop.tell(firmata.StepperTo(device=0, position=1000))
        self.shop.go(1.0)
        self.shop.tell(firmata.SystemReset())
        self.assertEqual(self.shop.heard(until=5.0), [])
        self.assertAlmostEqual(self.stepper.place(5.0), 100)
        self.assertEqual(self.shop.refusals(firmata.StepperZero(device=0)), ["stepper 0 is not configured"])

    def test_what_it_can_not_do_it_says(self):
        config = firmata.StepperConfig
        told = self.shop.refusals(
            config(device=0, interface=0x50, pins=b"\x02\x03"),
            config(device=0, interface=DRIVER | 0x06, pins=b"\x02\x03"),
            config(device=0, interface=FOUR_WIRE, pins=b"\x02\x03"),
            config(device=0, interface=DRIVER, pins=b"\x02\x02"),
            config(device=0, interface=DRIVER, pins=b"\x02\x0a"),
        )
        self.assertEqual(told[0][:26], "stepper 0: interface 50, e")
        self.assertEqual(told[1][:26], "stepper 0: interface 16, e")
        self.assertIn("2 bytes behind its interface 40, expected 4 pins", told[2])
        self.assertEqual(told[3], "stepper 0: the same pin twice")
        self.assertEqual(told[4], "pin 10 has no stepper: stepper is on 2, 3, 4, 5, 6, 7, 8 and 9")
        self.configure()
        told = self.shop.refusals(
            config(device=1, interface=DRIVER, pins=b"\x03\x04"),
            firmata.StepperSetSpeed(device=0, speed=0.0),
            firmata.StepperEnable(device=0, value=1),
            firmata.SteppersConfig(group=0, devices=b"\x00\x01"),
            firmata.SteppersTo(group=0, positions=(1, 2)),
        )
        self.assertEqual([text.split(":")[0] for text in told[:2]], ["stepper 1", "stepper 0"])
        self.assertEqual(told[2], "stepper 0 has no pin that enables it")
        self.assertEqual(told[3:], ["stepper 1 is not configured", "group 0 is not configured"])


class Encoders(unittest.TestCase):
    def test_every_edge_counts_either_way(self):
        shop = Shop(wired(Encoder, "knob", a=2, b=3))
        shop.tell(firmata.EncoderAttach(encoder=5, pin_a=2, pin_b=3))
        shop.world.act("board.knob", "turn", value=7)
        shop.go(1.0)
        self.assertEqual(
            shop.tell(firmata.EncoderReportPosition(encoder=5)), [firmata.EncoderPosition(positions=((5, 7),))]
        )
        shop.world.act("board.knob", "turn", value=-20)
        shop.go(2.0)
        self.assertEqual(shop.tell(firmata.EncoderReportPositions()), [firmata.EncoderPosition(positions=((5, -13),))])
        shop.tell(firmata.EncoderReset(encoder=5))
        shop.world.act("board.knob", "set", value=-12)
        shop.go(3.0)
        self.assertEqual(
            shop.tell(firmata.EncoderReportPosition(encoder=5)), [firmata.EncoderPosition(positions=((5, 1),))]
        )

    def test_contacts_the_other_way_round_count_down(self):
        shop = Shop(wired(Encoder, "knob", a=3, b=2))
        shop.tell(firmata.EncoderAttach(encoder=0, pin_a=2, pin_b=3))
        shop.world.act("board.knob", "turn", value=9)
        shop.go(1.0)
        self.assertEqual(shop.tell(firmata.EncoderReportPositions()), [firmata.EncoderPosition(positions=((0, -9),))])

    def test_it_reports_at_every_interval_until_it_is_told_not_to(self):
        shop = Shop(wired(Encoder, "knob", a=2, b=3, follows=Expression("turned")), quantities=[quantity("turned")])
        shop.tell(
            firmata.SamplingInterval(interval=100),
            firmata.EncoderAttach(encoder=0, pin_a=2, pin_b=3),
            firmata.EncoderReportAuto(value=1),
        )
        self.assertEqual(len(shop.heard(until=0.95)), 9)
        shop.rig.set("turned", 4)
        self.assertEqual(shop.heard(until=1.05), [firmata.EncoderPosition(positions=((0, 4),))])
        shop.tell(firmata.EncoderReportAuto(value=0))
        self.assertEqual(shop.heard(until=3.0), [])

    def test_what_is_not_there_is_told(self):
        shop = Shop()
        attach = firmata.EncoderAttach
        told = shop.refusals(
            attach(encoder=0, pin_a=2, pin_b=2),
            attach(encoder=0, pin_a=2, pin_b=10),
            attach(encoder=0, pin_a=2, pin_b=3),
            attach(encoder=1, pin_a=3, pin_b=4),
            firmata.EncoderReset(encoder=1),
            firmata.EncoderDetach(encoder=0),
            firmata.EncoderDetach(encoder=0),
        )
        self.assertEqual(told[0], "encoder 0: both contacts on pin 2")
        self.assertEqual(told[1], "pin 10 has no encoder: encoder is on 2, 3, 4, 5, 6, 7, 8 and 9")
        self.assertEqual(told[2], "encoder 1: encoder 0 is on these pins")
        self.assertEqual(told[3:], ["encoder 1 is not attached", "encoder 0 is not attached"])
        self.assertEqual(shop.tell(firmata.EncoderReportPositions()), [firmata.EncoderPosition(positions=())])


MAP = RegisterMap(
    name="probe",
    registers=(
        Register(name="level", at=0, size=2, access="read-only"),
        Register(name="limit", at=2, size=1),
    ),
)


def probe(name, serial, *, alarm=None):
    measures = {"register_map": MAP, "channels": {"level": Expression("depth")}, "range": (0, 4095), "bits": 12}
    return wired(OneWireDevice, name, pin=4, family=0x2D, serial=serial, alarm=alarm, **measures)


class OneWire(unittest.TestCase):
    READ = firmata.OneWireDo.READ
    RESET = firmata.OneWireDo.RESET
    SELECT = firmata.OneWireDo.SELECT
    SKIP = firmata.OneWireDo.SKIP
    WRITE = firmata.OneWireDo.WRITE
    DELAY = firmata.OneWireDo.DELAY

    def setUp(self):
        self.near, self.far = probe("near", 1), probe("far", 0x123456, alarm=Expression("depth > 1000"))
        self.shop = Shop(self.near, self.far, quantities=[quantity("depth", start=0x234)])
        self.shop.tell(firmata.OneWireConfig(pin=4, power=1))

    def command(self, does, data):
        answers = self.shop.tell(firmata.OneWireCommand(does=does, pin=4, data=bytes.fromhex(data)))
        return [answer.data.hex(" ").upper() for answer in answers]

    def test_an_address_ends_with_its_check(self):
        # worked out by hand with the shift register of the rule book: x^8 + x^5 + x^4 + 1, the low bit first
        self.assertEqual(self.near.address[:7].hex(), "2d010000000000")
        register = 0
        for byte in self.near.address[:7]:
            for bit in range(8):
                mixed = (register ^ byte >> bit) & 1
                register = register >> 1 ^ (0x8C if mixed else 0)
        self.assertEqual(self.near.address[7], register)

    def test_a_search_finds_all_in_the_order_of_their_bits(self):
        found = self.shop.tell(firmata.OneWireSearch(pin=4))
        self.assertEqual(found, [firmata.OneWireFound(pin=4, addresses=self.far.address + self.near.address)])

    def test_a_search_for_alarms_finds_those_that_have_one(self):
        self.assertEqual(self.shop.tell(firmata.OneWireSearchAlarms(pin=4)), [firmata.OneWireAlarms(pin=4)])
        self.shop.rig.set("depth", 1001)
        found = self.shop.tell(firmata.OneWireSearchAlarms(pin=4))
        self.assertEqual(found, [firmata.OneWireAlarms(pin=4, addresses=self.far.address)])

    def test_a_register_is_read_and_written_at_one_device(self):
        near, far = self.near.address.hex(), self.far.address.hex()
        select = self.RESET | self.SELECT | self.WRITE
        self.command(select, f"{near} 02 5A")
        self.assertEqual(self.command(select | self.READ, f"{near} 0100 3412 02"), ["34 12 5A"])
        self.assertEqual(self.command(select | self.READ, f"{far} 0100 0000 02"), ["00 00 00"])
        self.assertEqual(self.command(select | self.READ, f"{far} 0200 0700 00"), ["07 00 02 34"])

    def test_without_an_address_all_speak_and_whoever_pulls_low_wins(self):
        self.command(self.RESET | self.SELECT | self.WRITE, f"{self.near.address.hex()} 02 F0")
        self.command(self.RESET | self.SELECT | self.WRITE, f"{self.far.address.hex()} 02 3C")
        answer = self.command(self.RESET | self.SKIP | self.WRITE | self.READ, "0100 0000 02")
        self.assertEqual(answer, ["00 00 30"])

    def test_an_address_is_read_by_its_own_command(self):
        self.shop = Shop(self.near, quantities=[quantity("depth")])
        self.shop.tell(firmata.OneWireConfig(pin=4, power=1))
        answer = self.command(self.RESET | self.WRITE | self.READ, "0800 0100 33")
        self.assertEqual(answer, [f"01 00 {self.near.address.hex(' ')}".upper()])

    def test_a_wrong_address_chooses_nobody(self):
        wrong = (self.near.address[:7] + b"\0").hex()
        answer = self.command(self.RESET | self.SELECT | self.WRITE | self.READ, f"{wrong} 0200 0000 00")
        self.assertEqual(answer, ["00 00 FF FF"])

    def test_a_delay_lets_the_reading_wait(self):
        does = self.RESET | self.SKIP | self.WRITE | self.DELAY | self.READ
        self.assertEqual(self.command(does, "0200 0000 F4010000 00"), [])
        self.shop.rig.set("depth", 0x999)
        busy = self.shop.refusals(firmata.OneWireSearch(pin=4))
        self.assertEqual(busy, ["pin 4: its line waits, as the command before had it"])
        (answer,) = self.shop.heard(until=1.0)
        self.assertEqual(answer.data.hex(" "), "00 00 09 99")

    def test_what_can_not_be_is_told(self):
        told = self.shop.refusals(
            firmata.OneWireSearch(pin=5),
            firmata.OneWireConfig(pin=10, power=0),
            firmata.OneWireCommand(does=int(self.SELECT), pin=4, data=b"\1\2"),
            firmata.OneWireCommand(does=int(self.READ), pin=4, data=b"\0\2\0\0"),
        )
        self.assertEqual(told[0], "pin 5 is not configured for OneWire")
        self.assertEqual(told[1], "pin 10 has no onewire: onewire is on 2, 3, 4, 5, 6, 7, 8 and 9")
        self.assertEqual(told[2], "onewire-command: 2 bytes, expected 8 and more")
        self.assertEqual(told[3], "this board reads at most 256 bytes at once, not 512")


class Echo(Firmware):
    """A firmware that says back what it hears, in capitals."""

    def feed(self, client, data, now, cause_of):
        self._out.append(Outgoing(client, data.upper(), None, now))


class SerialPorts(unittest.TestCase):
    def setUp(self):
        self.cable = wired(Cable, "scale", PROFILE, port=1, board="far", protocol="plan", rate=1000)
        self.shop = Shop(self.cable)
        tell = Tell(self.shop.record, "far")
        far = Board("far", Circuit(Profile(name="far", pins={}), [], tell), Echo(), tell)
        self.shop.world = World([self.shop.board, far], self.shop.rig, [], self.shop.record)
        self.cable.plug(far)
        self.shop.go(0.0)

    def test_it_writes_and_reads_in_the_time_that_the_bytes_take(self):
        self.shop.tell(
            firmata.SerialConfig(port=1, baud=1000),
            firmata.SerialRead(port=1),
            firmata.SerialWrite(port=1, data=b"abc"),
        )
        self.assertEqual(self.shop.heard(until=0.059), [])
        self.assertEqual(self.shop.heard(until=0.0601), [firmata.SerialReply(port=1, data=b"ABC")])

    def test_a_reply_has_at_most_so_many_bytes(self):
        self.shop.tell(
            firmata.SerialConfig(port=1, baud=1000),
            firmata.SerialRead(port=1, count=2),
            firmata.SerialWrite(port=1, data=b"abcde"),
        )
        self.assertEqual([each.data for each in self.shop.heard(until=1.0)], [b"AB", b"CD", b"E"])

    def test_what_came_before_the_reading_is_kept_as_far_as_there_is_room(self):
        self.shop.tell(firmata.SerialConfig(port=1, baud=1000), firmata.SerialWrite(port=1, data=b"x" * 60))
        self.shop.go(1.5)
        self.shop.tell(firmata.SerialWrite(port=1, data=b"y" * 60))
        self.shop.go(3.0)
        (reply,) = self.shop.tell(firmata.SerialRead(port=1))
        self.assertEqual(reply.data, b"X" * 60 + b"Y" * 4)
        self.shop.tell(firmata.SerialRead(port=1, mode=1), firmata.SerialWrite(port=1, data=b"z"))
        self.assertEqual(self.shop.heard(until=4.0), [])

    def test_a_wrong_rate_garbles(self):
        self.shop.tell(
            firmata.SerialConfig(port=1, baud=2000), firmata.SerialRead(port=1), firmata.SerialWrite(port=1, data=b"ab")
        )
        self.assertNotIn(b"A", b"".join(each.data for each in self.shop.heard(until=1.0)))
        self.assertIn("which runs at 1000: garbled", self.shop.events(Kind.BUS)[0].note)

    def test_a_port_without_a_cable_and_what_can_not_be(self):
        self.assertEqual(
            self.shop.tell(firmata.SerialConfig(port=2, baud=9600), firmata.SerialWrite(port=2, data=b"a")), []
        )
        told = self.shop.refusals(
            firmata.SerialConfig(port=3, baud=9600),
            firmata.SerialConfig(port=1, baud=0),
            firmata.SerialWrite(port=1, data=b"a"),
            firmata.SerialListen(port=2),
            firmata.SerialClose(port=2),
            firmata.SerialFlush(port=2),
        )
        self.assertEqual(told[0], "this board has no serial port 3: there is 1 and 2")
        self.assertEqual(told[1], "serial port 1: a rate of 0 baud")
        self.assertEqual(told[2][:28], "serial port 1 is not open: a")
        self.assertIn("always listens", told[3])
        self.assertEqual(told[4][:28], "serial port 2 is not open: a")

    def test_it_does_not_take_more_than_its_line_can_carry(self):
        self.shop.tell(firmata.SerialConfig(port=1, baud=1000))
        write = firmata.SerialWrite(port=1, data=b"x" * 150)
        self.assertEqual(self.shop.refusals(write, write, write), ["serial port 1: its line has 3.0 s to carry yet"])


class Tasks(unittest.TestCase):
    def setUp(self):
        self.lamp = wired(Lamp, "lamp", pin=2)
        self.shop = Shop(self.lamp)
        self.shop.tell(firmata.SetPinMode(pin=2, mode=firmata.Mode.OUTPUT))

    def make(self, *messages, task=1, time=0):
        data = b"".join(firmata.encode(message) for message in messages)
        return self.shop.tell(
            firmata.CreateTask(task=task, length=len(data)),
            firmata.AddToTask(task=task, data=data[:5]),
            firmata.AddToTask(task=task, data=data[5:]),
            firmata.ScheduleTask(task=task, time=time),
        )

    def level(self, at):
        self.shop.go(at)
        return self.shop.circuit.pins[2].value

    def test_a_task_is_done_at_its_time_and_forgotten(self):
        self.make(
            firmata.SetDigitalPinValue(pin=2, value=1),
            firmata.DelayTask(time=500),
            firmata.SetDigitalPinValue(pin=2, value=0),
            time=1000,
        )
        self.assertEqual([self.level(at) for at in (0.9, 1.1, 1.4, 1.6)], [0, 1, 1, 0])
        self.assertEqual(self.shop.tell(firmata.QueryAllTasks()), [firmata.AllTasks(tasks=b"")])

    def test_one_that_ends_with_a_delay_begins_anew(self):
        self.make(
            firmata.SetDigitalPinValue(pin=2, value=1),
            firmata.DelayTask(time=100),
            firmata.SetDigitalPinValue(pin=2, value=0),
            firmata.DelayTask(time=300),
        )
        self.assertEqual([self.level(at) for at in (0.05, 0.2, 0.45, 0.6, 4.05)], [1, 0, 1, 0, 1])
        self.shop.tell(firmata.DeleteTask(task=1))
        self.assertEqual([self.level(at) for at in (4.15, 4.45, 4.85)], [1, 1, 1])

    def test_how_it_stands_is_told(self):
        data = firmata.encode(firmata.SetDigitalPinValue(pin=2, value=1))
        self.make(firmata.SetDigitalPinValue(pin=2, value=1), task=7, time=1500)
        self.shop.go(0.5)
        (state,) = self.shop.tell(firmata.QueryTask(task=7))
        self.assertEqual(state.data, (1000).to_bytes(4, "little") + b"\x03\x00" + b"\x00\x00" + data)
        self.assertEqual(self.shop.tell(firmata.QueryTask(task=8)), [firmata.TaskState(task=8)])
        self.assertEqual(self.shop.tell(firmata.QueryAllTasks()), [firmata.AllTasks(tasks=b"\x07")])
        self.shop.tell(firmata.SchedulerReset())
        self.assertEqual(self.level(3.0), 0)

    def test_a_task_too_long_to_be_told_is_refused_in_words_and_the_board_goes_on(self):
        shop = Shop()
        shop.tell(firmata.CreateTask(task=0, length=4000))
        for _ in range(10):
            shop.tell(firmata.AddToTask(task=0, data=bytes(400)))
        (refusal,) = shop.refusals(firmata.QueryTask(task=0))
        self.assertIn('task-state: found "4586 bytes", expected at most 4096', refusal)
        self.assertEqual(shop.tell(firmata.QueryAllTasks()), [firmata.AllTasks(tasks=b"\0")])

    def test_what_goes_wrong_is_told(self):
        self.shop.tell(firmata.CreateTask(task=1, length=4))
        (again,) = self.shop.tell(firmata.CreateTask(task=1, length=4))
        self.assertEqual((again.NAME, again.task, again.data[4:]), ("task-error", 1, b"\x04\0\0\0"))
        for message in (
            firmata.AddToTask(task=1, data=b"12345"),
            firmata.AddToTask(task=2, data=b"1"),
            firmata.ScheduleTask(task=2, time=0),
            firmata.DeleteTask(task=2),
        ):
            self.assertEqual([answer.NAME for answer in self.shop.tell(message)], ["task-error"], message)
        (told,) = self.shop.refusals(firmata.DelayTask(time=5))
        self.assertIn("stands in a task", told)
        (told,) = self.shop.refusals(firmata.CreateTask(task=3, length=5000))
        self.assertEqual(told, "task 3: 5000 bytes, there is room for 4092")

    def test_bytes_that_are_no_message_are_told_and_the_rest_is_done(self):
        self.shop.tell(firmata.CreateTask(task=1, length=5), firmata.AddToTask(task=1, data=b"\x01\x02\xf5\x02\x01"))
        self.shop.tell(firmata.ScheduleTask(task=1, time=0))
        self.assertEqual([answer.NAME for answer in self.shop.heard(until=1.0)], ["task-error"])
        self.assertEqual(self.level(1.0), 1)

    def test_one_that_starts_itself_again_at_once_leaves_time_for_others(self):
        self.make(firmata.ScheduleTask(task=1, time=0))
        self.shop.go(0.1)
        self.assertLess(len(self.shop.events(Kind.TAKEN)), 200)
        self.assertEqual(self.shop.tell(firmata.VersionQuery())[0].NAME, "protocol-version")

    def test_it_goes_on_when_the_program_is_gone(self):
        self.make(firmata.SetDigitalPinValue(pin=2, value=1), time=1000)
        self.shop.board.closed(self.shop.client, 0.1)
        self.assertEqual(self.level(2.0), 1)


if __name__ == "__main__":
    unittest.main()
