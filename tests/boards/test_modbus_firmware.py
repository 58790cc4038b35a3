"""The board's side of Modbus: tables, checks in the standard's order, the three framings, the line's own functions."""

import random
import unittest

import msgspec

from cavet.benchfile import load_bench
from cavet.boards.firmware.modbus import CellSettings
from cavet.demo import demo_path
from cavet.protocols.modbus import COILS, HOLDING, ValueForm, lrc8
from cavet.record import Kind
from tests.boards.devices import CHARACTER, Device, rtu, tcp


class Talk(unittest.TestCase):
    def setUp(self):
        self.device = Device("pumphouse")
        self.client = self.device.join("modbus-tcp")

    def ask(self, text, unit=7, client=None):
        answer = self.device.say(client or self.client, tcp(text, 9, unit))
        return answer[7:].hex(" ").upper()

    def holds(self, *cases):
        for asked, expected in cases:
            with self.subTest(asked):
                self.assertEqual(self.ask(asked), expected)


class Tables(Talk):
    def test_a_coil_drives_its_pin_and_the_pin_its_part(self):
        self.assertEqual(self.ask("05 0000 FF00"), "05 00 00 FF 00")
        self.assertEqual(self.ask("06 0000 03E8"), "06 00 00 03 E8")
        self.device.go(5)
        self.assertAlmostEqual(self.device.world.part("pumphouse.pump_a").fraction(5), 1.0)
        self.assertEqual(self.ask("04 0000 0001"), "04 02 01 90")
        kinds = [e.kind for e in self.device.record.since(0) if e.cause is not None]
        self.assertIn("moved", kinds)

    def test_a_pump_without_its_switch_or_its_speed_tells_which_is_missing(self):
        told = []
        for frame in ("05 0000 FF00", "06 0000 03E8", "05 0000 0000"):
            self.ask(frame)
            self.device.go(self.device.time + 20)
            told.append(self.device.world.part("pumphouse.pump_a").tells(self.device.time))
        self.assertEqual(["on, no speed", "100 %", "off, 100 % set"], told)

    def test_what_is_written_is_read_back(self):
        self.holds(
            ("0F 0000 0006 01 2A", "0F 00 00 00 06"),
            ("01 0000 0006", "01 01 2A"),
            ("01 0001 0002", "01 01 01"),
            ("10 000A 0002 04 44B54000", "10 00 0A 00 02"),
            ("03 000A 0002", "03 04 44 B5 40 00"),
            ("03 000B 0001", "03 02 40 00"),
            ("06 0000 012C", "06 00 00 01 2C"),
            ("16 0000 00F2 0025", "16 00 00 00 F2 00 25"),
            ("03 0000 0001", "03 02 00 25"),
            ("17 0000 0002 0000 0001 02 0064", "17 04 00 64 00 00"),
        )

    def test_a_speed_over_the_limit_is_taken_as_the_limit(self):
        self.holds(("06 0001 05DC", "06 00 01 05 DC"), ("03 0001 0001", "03 02 03 E8"))
        self.holds(("10 0000 0002 04 FFFF 0001", "10 00 00 00 02"), ("03 0000 0002", "03 04 03 E8 00 01"))

    def test_inputs_show_the_world(self):
        self.assertEqual(self.ask("02 0000 0004"), "02 01 01")
        self.device.world.act("pumphouse.door", "open")
        self.device.world.place("chamber", 2500)
        self.device.go(1)
        self.assertEqual(self.ask("02 0000 0004"), "02 01 07")
        self.device.world.place("chamber", 100)
        self.device.go(2)
        self.assertEqual(self.ask("02 0000 0002"), "02 01 00")
        self.device.world.place("water", -3.2)
        self.assertEqual(self.ask("04 0001 0001"), "04 02 FF E0")
        self.device.go(130.5)
        self.assertEqual(self.ask("04 0004 0001"), "04 02 00 82")

    def test_a_jammed_pump_trips_the_overload_and_stops(self):
        self.ask("06 0000 03E8")
        self.ask("05 0000 FF00")
        self.device.go(4)
        self.device.world.act("pumphouse.pump_a", "jam")
        self.device.go(5)
        self.assertEqual(self.ask("02 0003 0001"), "02 01 00")
        self.device.go(6.5)
        self.assertEqual(self.ask("02 0003 0001"), "02 01 01")
        self.assertEqual(self.device.world.part("pumphouse.pump_a").tells(7), "tripped")
        self.device.world.act("pumphouse.pump_a", "free")
        self.device.world.act("pumphouse.overload", "reset")
        self.device.go(12)
        self.assertEqual(self.device.world.part("pumphouse.pump_a").tells(12), "100 %")


class Refusals(Talk):
    def test_checks_come_in_the_order_of_the_state_diagrams(self):
        """Function, then quantity and byte count, then address, then value."""
        self.holds(
            ("41", "C1 01"),
            ("00", "80 01"),
            ("83", "83 01"),
            ("2B 0D 00", "AB 01"),
            ("08 0005 0000", "88 01"),
            ("01 FFFF 0000", "81 03"),
            ("01 0000 07D1", "81 03"),
            ("01 0006 0001", "81 02"),
            ("01 0000 0007", "81 02"),
            ("01 0000", "81 03"),
            ("02 0003 0002", "82 02"),
            ("03 0000 007E", "83 03"),
            ("03 0000 0003", "83 02"),
            ("03 0002 0001", "83 02"),
            ("03 FFFF 0002", "83 02"),
            ("04 0005 0001", "84 02"),
            ("05 0000 1234", "85 03"),
            ("05 0006 1234", "85 03"),
            ("05 0006 FF00", "85 02"),
            ("06 0002 0000", "86 02"),
            ("0F 0000 0003 02 0500", "8F 03"),
            ("0F 0000 07B1 01 05", "8F 03"),
            ("0F 0004 0003 01 05", "8F 02"),
            ("10 0000 0001 04 00000000", "90 03"),
            ("10 0000 0000 00", "90 03"),
            ("10 0001 0002 04 00000000", "90 02"),
            ("16 0005 FFFF 0000", "96 02"),
            ("17 0000 007E 0000 0001 02 0000", "97 03"),
            ("17 0000 0001 0005 0001 02 0000", "97 02"),
            ("17 0005 0001 0000 0001 02 0000", "97 02"),
            ("18 0000", "98 02"),
            ("14 07 06 0001 0000 0001", "94 02"),
            ("14 06 06 0001 0000 00", "94 03"),
            ("15 09 06 0001 0000 0001 1234", "95 02"),
            ("2B 0E 05 00", "AB 03"),
            ("2B 0E 00 00", "AB 03"),
            ("2B 0E 04 55", "AB 02"),
        )

    def test_nothing_is_written_by_a_request_that_is_refused(self):
        self.holds(
            ("0F 0004 0003 01 FF", "8F 02"),
            ("01 0004 0002", "01 01 00"),
            ("17 0005 0001 0000 0001 02 0007", "97 02"),
            ("03 0000 0001", "03 02 00 00"),
        )

    def test_another_unit_is_not_here_and_the_device_itself_is(self):
        self.assertEqual(self.ask("01 0000 0001", unit=1), "81 0B")
        self.assertEqual(self.ask("01 0000 0001", unit=255), "01 01 00")
        self.assertEqual(self.ask("01 0000 0001", unit=0), "01 01 00")


class OwnFunctions(Talk):
    def test_identification(self):
        self.assertEqual(
            self.ask("2B 0E 01 00"),
            "2B 0E 01 82 00 00 03 00 05 43 61 76 65 74 01 09 50 75 6D 70 68 6F 75 73 65 02 03 31 2E 30",
        )
        self.assertEqual(self.ask("2B 0E 04 02"), "2B 0E 04 82 00 00 01 02 03 31 2E 30")
        self.assertTrue(self.ask("2B 0E 02 05").startswith("2B 0E 02 82 00 00 02 05 0D"))
        self.assertTrue(self.ask("2B 0E 01 44").startswith("2B 0E 01 82 00 00 03 00 05"))
        self.assertEqual(self.ask("11"), "11 0B 07 FF 50 75 6D 70 68 6F 75 73 65")

    def test_counters_events_and_exception_status(self):
        self.holds(
            ("08 0000 A5 37 01 02", "08 00 00 A5 37 01 02"),
            ("08 000A 0000", "08 00 0A 00 00"),
            ("05 0001 FF00", "05 00 01 FF 00"),
            ("07", "07 02"),
            ("01 0009 0001", "81 02"),
            ("08 000B 0000", "08 00 0B 00 04"),
            ("08 000D 0000", "08 00 0D 00 01"),
            ("08 000E 0000", "08 00 0E 00 06"),
            ("08 000F 0000", "08 00 0F 00 00"),
            ("08 0002 0000", "08 00 02 00 00"),
            ("08 000B 0001", "88 03"),
            ("08 0014 0000", "08 00 14 00 00"),
        )
        count = self.ask("0B")
        self.assertEqual(self.ask("0B"), count)
        log = self.ask("0C").split()
        self.assertEqual(log[8:12], ["80", "40", "80", "40"])

    def test_it_only_listens_until_it_is_restarted(self):
        self.assertEqual(self.ask("08 0004 0000"), "")
        self.assertEqual(self.ask("05 0000 FF00"), "")
        self.assertEqual(self.ask("01 0000 0001"), "")
        self.assertEqual(self.ask("08 0001 FF00"), "")
        self.assertEqual(self.ask("01 0000 0001"), "01 01 00")
        self.assertEqual(self.ask("08 0001 1234"), "88 03")
        self.assertEqual(self.ask("08 0001 0000"), "08 00 01 00 00")


class Described(unittest.TestCase):
    """Files, queues and values that the demo has not got."""

    def test_files_queues_and_values_over_several_registers(self):
        setup = load_bench(demo_path()).setup
        board = setup.boards["pumphouse"]
        device = board.device
        objects = {**device.identity.objects, 0x80: b"x" * 200, 0x81: b"y" * 100}
        identity = msgspec.structs.replace(
            device.identity, objects=objects, files={4: [7, 8, 9]}, queues={0x4DE: [0x1B8, 0x1284], 1: [0] * 32}
        )
        cells = (
            CellSettings(name="text", table=HOLDING, address=0, form=ValueForm("text", length=3), start="Lock"),
            CellSettings(name="long", table=HOLDING, address=3, form=ValueForm("int64", "low-first"), start=-2),
            CellSettings(name="coil", table=COILS, address=0, form=ValueForm("bit"), start=1),
        )
        setup.boards["pumphouse"] = msgspec.structs.replace(
            board, device=msgspec.structs.replace(device, identity=identity, cells=cells)
        )
        made = Device("pumphouse", setup)
        client = made.join("modbus-tcp")
        for asked, expected in (
            ("03 0000 0003", "03 06 4C 6F 63 6B 00 00"),
            ("03 0003 0004", "03 08 FF FE FF FF FF FF FF FF"),
            ("01 0000 0001", "01 01 01"),
            ("18 04DE", "18 00 06 00 02 01 B8 12 84"),
            ("18 0001", "98 03"),
            ("14 07 06 0004 0001 0002", "14 06 05 06 00 08 00 09"),
            ("14 07 06 0004 0002 0002", "94 02"),
            ("14 07 05 0004 0001 0002", "94 02"),
            ("15 0B 06 0004 0000 0002 0102 0304", "15 0B 06 00 04 00 00 00 02 01 02 03 04"),
            ("14 07 06 0004 0000 0003", "14 08 07 06 01 02 03 04 00 09"),
        ):
            with self.subTest(asked):
                self.assertEqual(made.say(client, tcp(asked))[7:].hex(" ").upper(), expected)
        more = made.say(client, tcp("2B 0E 03 00"))[7:]
        self.assertEqual(more[3:6].hex(), "83ff80")
        rest = made.say(client, tcp("2B 0E 03 80"))[7:]
        self.assertEqual((rest[4:7].hex(), rest[-200:]), ("ff8101", b"x" * 200))


class Tcp(Talk):
    def test_requests_cut_and_glued_anyhow_are_answered_by_their_numbers(self):
        wire = b"".join(tcp("03 0000 0001", number) for number in range(20))
        for size in (1, 5, 7, 12, 13, 100):
            heard = b"".join(self.device.say(self.client, wire[at : at + size]) for at in range(0, len(wire), size))
            self.assertEqual(
                [int.from_bytes(heard[at : at + 2], "big") for at in range(0, len(heard), 11)], list(range(20))
            )

    def test_a_wrong_protocol_or_an_absurd_length_closes_that_connection_only(self):
        other = self.device.join("modbus-tcp")
        self.assertEqual(self.device.say(self.client, tcp("03 0000 0001", protocol=1)), b"")
        self.assertEqual(self.device.dropped, [self.client])
        glued = self.device.join("modbus-tcp")
        heard = self.device.say(
            glued, tcp("03 0000 0001", 5) + tcp("03 0000 0001", protocol=1) + tcp("03 0000 0001", 6)
        )
        self.assertEqual(heard, tcp("03 02 0000", 5))
        self.assertIs(self.device.dropped[-1], glued)
        self.assertEqual(self.device.say(self.client, tcp("03 0000 0001")), b"")
        for length in ("0000", "0001", "0200", "FFFF"):
            broken = self.device.join("modbus-tcp")
            self.device.say(broken, bytes.fromhex(f"0001 0000 {length} 07 03"))
            self.assertIs(self.device.dropped[-1], broken)
        self.assertEqual(self.ask("01 0000 0001", client=other), "01 01 00")

    def test_what_a_program_leaves_unfinished_is_told(self):
        whole, cut = tcp("01 0000 0001"), tcp("05 0000 FF00")[:-1]
        for protocol, said, left in (
            ("modbus-tcp", whole + cut, cut), ("modbus-tcp", whole, b""), ("modbus-ascii", b":0705", b":0705"),
            ("modbus-rtu", rtu("05 0000 FF00"), b""),
        ):  # fmt: skip
            with self.subTest(protocol=protocol):
                client, before = self.device.join(protocol), len(self.device.told(Kind.LOST))
                self.device.say(client, said)
                self.device.board.closed(client, self.device.time, self.device._carried)
                told = self.device.told(Kind.LOST)[before:]
                self.assertEqual([(Kind.LOST, str(len(left)), left)] if left else [], told)

    def test_a_register_too_many_is_refused_and_not_hung_up_on(self):
        self.assertEqual(self.ask("10 0000 007C F8" + "0000" * 124), "90 03")
        self.assertEqual(self.ask("17 0000 0001 0000 007A F4" + "0000" * 122), "97 03")
        self.assertEqual(self.ask("08 0000" + "A5" * 251), "88 03")
        self.assertEqual(self.ask("01 0000 0001"), "01 01 00")


class Rtu(unittest.TestCase):
    def setUp(self):
        self.device = Device("pumphouse")
        self.client = self.device.join("modbus-rtu", CHARACTER)

    def say(self, data, wait=0.01):
        """Byte by byte, one behind the other."""
        for byte in data:
            self.device.go(self.device.time + CHARACTER)
            self.device.board.feed(self.client, bytes((byte,)), 0, self.device.time, self.device._carried)
        self.device.go(self.device.time + wait)
        return self.device.hear(self.client).hex(" ").upper()

    def test_a_frame_ends_by_silence(self):
        self.assertEqual(self.say(rtu("01 0000 0006"), 3.4 * CHARACTER), "")
        self.device.go(self.device.time + 0.2 * CHARACTER)
        self.assertEqual(self.device.hear(self.client), rtu("01 01 00"))

    def test_the_last_frame_of_a_program_that_has_gone_is_done(self):
        self.device.say(self.client, rtu("05 0000 FF00"))
        self.device.board.closed(self.client, self.device.time, self.device._carried)
        self.assertEqual([(Kind.TAKEN, "write-single-coil", rtu("05 0000 FF00"))], self.device.told(Kind.TAKEN))
        other = self.device.join("modbus-tcp")
        self.assertEqual(self.device.say(other, tcp("01 0000 0001")), tcp("01 01 01"))

    def test_a_pause_within_a_frame_spoils_it(self):
        frame = rtu("01 0000 0006")
        for pause, answered in ((1.4, True), (1.6, False), (3.0, False), (4.0, False)):
            with self.subTest(pause=pause):
                self.assertEqual(self.say(frame[:3], pause * CHARACTER), "")
                self.assertEqual(self.say(frame[3:]) != "", answered)
        self.assertEqual(self.say(frame), rtu("01 01 00").hex(" ").upper())

    def test_above_19200_baud_the_silences_are_fixed(self):
        fast = 10 / 115200
        self.client = self.device.join("modbus-rtu", fast)
        self.assertEqual(self.device.say(self.client, rtu("01 0000 0001"), 0.0017), b"")
        self.device.go(self.device.time + 0.0001)
        self.assertEqual(self.device.hear(self.client), rtu("01 01 00"))

    def test_a_wrong_check_and_another_unit_are_ignored_and_a_broadcast_is_acted_on(self):
        self.assertEqual(self.say(rtu("05 0000 FF00", unit=8)), "")
        self.assertEqual(self.say(rtu("05 0000 FF00")[:-1] + b"\x00"), "")
        self.assertEqual(self.say(rtu("01 0000 0001")), rtu("01 01 00").hex(" ").upper())
        self.assertEqual(self.say(rtu("05 0000 FF00", unit=0)), "")
        self.assertEqual(self.say(rtu("01 0000 0001")), rtu("01 01 01").hex(" ").upper())
        self.assertEqual(self.say(rtu("08 000C 0000")), rtu("08 00 0C 00 01").hex(" ").upper())
        self.assertEqual(self.say(rtu("08 000F 0000")), rtu("08 00 0F 00 01").hex(" ").upper())

    def test_two_frames_without_a_silence_between_them_are_none(self):
        self.assertEqual(self.say(rtu("01 0000 0001") + rtu("01 0000 0001")), "")

    def test_any_bytes_leave_a_board_that_answers(self):
        noise = random.Random("rtu")
        for _ in range(300):
            self.say(noise.randbytes(noise.randint(1, 40)), noise.choice((0.0, 0.001, 0.002, 0.01)))
        self.device.go(self.device.time + 0.01)
        self.device.hear(self.client)
        self.assertEqual(self.say(rtu("04 0004 0001"))[:8], "07 04 02")


class Ascii(unittest.TestCase):
    def setUp(self):
        self.device = Device("pumphouse")
        self.client = self.device.join("modbus-ascii", 10 / 9600)

    def frame(self, text, end=b"\r\n"):
        body = b"\x07" + bytes.fromhex(text)
        return b":" + (body + bytes((lrc8(body),))).hex().upper().encode() + end

    def test_it_answers_lines_and_small_letters_too(self):
        self.assertEqual(self.device.say(self.client, self.frame("01 0000 0006")), self.frame("01 01 00"))
        self.assertEqual(self.device.say(self.client, b"noise" + self.frame("01").lower()), self.frame("81 03"))
        self.assertEqual(self.device.say(self.client, self.frame("01 0000 0006")[:-4] + b"00\r\n"), b"")

    def test_the_delimiter_can_be_changed(self):
        self.assertEqual(self.device.say(self.client, self.frame("08 0003 2100")), self.frame("08 0003 2100"))
        self.assertEqual(
            self.device.say(self.client, self.frame("01 0000 0001", b"\r!")), self.frame("01 01 00", b"\r!")
        )

    def test_characters_more_than_a_second_apart_are_no_frame(self):
        frame = self.frame("01 0000 0006")
        self.device.say(self.client, frame[:5])
        self.device.go(self.device.time + 1.5)
        self.assertEqual(self.device.say(self.client, frame[5:]), b"")
        self.assertEqual(self.device.say(self.client, frame), self.frame("01 01 00"))
