"""The broker, by the standards' statements: each test is one of them, or a limit of our own."""

from __future__ import annotations

import unittest
from typing import Any

from cavet.protocols import mqtt
from cavet.protocols.mqtt import Property
from cavet.record import Kind
from tests.boards.brokers import Office, Peer


def topics(told: list[Any]) -> list[str]:
    return [packet.topic for packet in told if packet.NAME == "publish"]


def payloads(told: list[Any]) -> list[bytes]:
    return [packet.payload for packet in told if packet.NAME == "publish"]


class ComingIn(unittest.TestCase):
    def setUp(self) -> None:
        self.office = Office()

    def test_both_versions_are_let_in_on_the_same_connection_kind(self) -> None:
        self.assertEqual(self.office.client("a", 4).answer, mqtt.Connack())
        answer = self.office.client("b", 5).answer
        self.assertEqual((answer.reason_code, answer.session_present), (0, False))

    def test_a_connect_cut_anywhere_is_read(self) -> None:
        for version in (4, 5):
            wire = self.office.peer(version).codec.encode(
                (mqtt.Connect5 if version == 5 else mqtt.Connect)(client_id="cut")
            )
            for cut in range(len(wire) + 1):
                with self.subTest(version=version, cut=cut):
                    peer = self.office.peer(version)
                    peer.say_bytes(wire[:cut])
                    peer.say_bytes(wire[cut:])
                    self.assertEqual([told.NAME for told in peer.read()], ["connack"])
                    peer.drop()

    def test_what_is_no_connect_is_hung_up_on_without_a_word(self) -> None:
        wrong = {
            "a ping first": "C0 00",
            "another protocol": "10 0C 00 04 48 54 54 50 04 02 00 3C 00 00",
            "text": "47 45 54 20 2F",
            "a length that is none": "10 FF FF FF FF 01",
            "a reserved flag in the header": "11 0C 00 04 4D 51 54 54 04 02 00 3C 00 00",
            "a reserved connect flag": "10 0C 00 04 4D 51 54 54 04 03 00 3C 00 00",
            "a will of QoS 3": "10 0C 00 04 4D 51 54 54 04 1E 00 3C 00 00",
        }
        for name, text in wrong.items():
            with self.subTest(name):
                peer = self.office.peer()
                peer.say_bytes(bytes.fromhex(text))
                self.assertEqual((peer.raw, peer.shut), (b"", True))

    def test_a_level_that_is_not_spoken_is_told_so(self) -> None:
        older = self.office.peer()
        older.say_bytes(bytes.fromhex("10 0C 00 04 4D 51 54 54 03 02 00 3C 00 00"))
        self.assertEqual((older.raw, older.shut), (bytes.fromhex("20 02 00 01"), True))
        oldest = self.office.peer()
        oldest.say_bytes(bytes.fromhex("10 0E 00 06 4D 51 49 73 64 70 03 02 00 3C 00 00"))
        self.assertEqual((oldest.raw, oldest.shut), (bytes.fromhex("20 02 00 01"), True))
        newer = self.office.peer(5)
        newer.say_bytes(bytes.fromhex("10 0D 00 04 4D 51 54 54 06 02 00 3C 00 00 00"))
        self.assertEqual((newer.raw, newer.shut), (bytes.fromhex("20 03 00 84 00"), True))

    maxDiff = None

    def test_why_a_program_is_hung_up_on_or_not_let_in_stands_in_the_record(self) -> None:
        office = Office(users={"keeper": "heron"})

        def remarks() -> list[str]:
            return [event.note for event in office.record.since(0) if event.kind is Kind.REMARK]

        wrong = "C0 00", "10 0D 00 04 4D 51 54 54 06 02 003C 00 0000", "10 0D 00 04 4D 51 54 54 05 03 003C 00 0000"
        for words in wrong:
            office.peer(5).say_bytes(bytes.fromhex(words))
        office.client("thief", user_name="thief", password=b"")
        office.peer()
        known = {"user_name": "keeper", "password": b"heron"}
        office.client("old", keep_alive=4, **known)
        office.client("twice", **known)
        office.client("twice", 5, **known).say(mqtt.Connect5(client_id="twice"))
        office.client("loud", **known).say_bytes(bytes.fromhex("36 00"))
        office.wait(11)
        self.assertEqual(
            [
                "the broker hangs up on a program: C0 00 is no connect of MQTT's",
                "the broker does not let in a program: unsupported protocol version",
                "the broker hangs up on a program: malformed: connect flags: bit 0 is reserved (MQTT-3.1.2-3)",
                "the broker does not let in thief: bad user name or password",
                "the broker hangs up on twice: another one has come by its name",
                "the broker hangs up on twice: connect, once it was let in",
                "the broker hangs up on loud: malformed: qos: found 3, expected 0 to 2 (MQTT-3.3.1-4)",
                "the broker hangs up on old: nothing was heard for one and a half times its keep-alive of 4 s",
                "the broker hangs up on a program: it has not said who it is in time",
            ],
            remarks(),
        )

    def test_a_malformed_connect_of_version_5_is_told_so(self) -> None:
        peer = self.office.peer(5)
        peer.say_bytes(bytes.fromhex("10 0D 00 04 4D 51 54 54 05 03 00 3C 00 00 00"))
        self.assertEqual((peer.raw, peer.shut), (bytes.fromhex("20 03 00 81 00"), True))

    def test_a_kept_session_needs_a_name(self) -> None:
        peer = self.office.peer()
        peer.say_bytes(bytes.fromhex("10 0C 00 04 4D 51 54 54 04 00 00 3C 00 00"))
        self.assertEqual((peer.raw, peer.shut), (bytes.fromhex("20 02 00 02"), True))

    def test_a_client_without_a_name_gets_one(self) -> None:
        self.assertEqual(self.office.client("").answer.return_code, 0)
        answer = self.office.client("", 5).answer
        self.assertIn("assigned_client_identifier", [found.name for found in answer.properties])

    def test_names_and_passwords_are_looked_at(self) -> None:
        office = Office(users={"keeper": "heron"})
        cases = [
            ({"user_name": "keeper", "password": b"heron"}, 0, 0),
            ({"user_name": "keeper", "password": b"wren"}, 4, 0x86),
            ({"user_name": "thief", "password": b""}, 4, 0x86),
            ({"user_name": "keeper"}, 4, 0x86),
            ({}, 5, 0x87),
        ]
        for fields, old, new in cases:
            with self.subTest(**{name: str(value) for name, value in fields.items()}):
                self.assertEqual(office.client("a", 4, **fields).answer.return_code, old)
                self.assertEqual(office.client("b", 5, **fields).answer.reason_code, new)

    def test_an_authentication_method_is_not_known(self) -> None:
        answer = self.office.client("a", 5, properties=(Property("authentication_method", "riddle"),)).answer
        self.assertEqual(answer.reason_code, 0x8C)

    def test_a_second_connect_ends_the_connection(self) -> None:
        old, new = self.office.client("a"), self.office.client("b", 5)
        self.assertEqual(old.say(mqtt.Connect(client_id="a")), [])
        self.assertTrue(old.shut)
        self.assertEqual(new.say(mqtt.Connect5(client_id="b"))[0].reason_code, 0x82)
        self.assertTrue(new.shut)

    def test_a_second_connection_of_a_name_takes_over(self) -> None:
        old, older = self.office.client("a", 5), self.office.client("b", 4)
        self.office.client("a", 5)
        self.office.client("b", 4)
        self.assertEqual([told.reason_code for told in old.read()], [0x8E])
        self.assertEqual((old.shut, older.shut, older.read()), (True, True, []))

    def test_who_does_not_say_who_it_is_is_hung_up_on(self) -> None:
        silent, slow = self.office.peer(), self.office.peer()
        self.office.wait(9)
        slow.say_bytes(b"\x10")
        self.office.wait(2)
        self.assertEqual((silent.shut, slow.shut), (True, True))

    def test_who_is_silent_for_one_and_a_half_keep_alives_is_hung_up_on(self) -> None:
        old, new, endless = (
            self.office.client("a", keep_alive=10),
            self.office.client("b", 5, keep_alive=10),
            self.office.client("c", keep_alive=0),
        )
        self.office.wait(14)
        self.assertEqual(new.say(mqtt.Pingreq()), [mqtt.Pingresp()])
        self.office.wait(2)
        self.assertEqual((old.shut, new.shut), (True, False))
        self.office.wait(14)
        self.assertEqual([told.reason_code for told in new.read()], [0x8D])
        self.assertFalse(endless.shut)

    def test_nobody_is_silent_while_the_program_itself_is_stopped(self) -> None:
        peer = self.office.client("a", keep_alive=10)
        self.office.wait(10)
        self.office.now += 100
        self.office.broker.was_away(100)
        self.office.wait(4)
        self.assertFalse(peer.shut)
        self.office.wait(2)
        self.assertTrue(peer.shut)

    def test_bytes_that_make_no_packet_do_not_keep_it_alive(self) -> None:
        peer = self.office.client("a", keep_alive=10)
        peer.say_bytes(bytes.fromhex("30 7F"))
        for _ in range(20):
            self.office.wait(1)
            peer.say_bytes(b"x")
        self.assertTrue(peer.shut)


class Passing(unittest.TestCase):
    """Messages from one client to another, in both versions."""

    def setUp(self) -> None:
        self.office = Office()

    def test_topics_and_filters(self) -> None:
        cases = [
            ("sport/tennis", "sport/tennis", True), ("sport/#", "sport", True), ("sport/#", "sport/a/b", True),
            ("#", "a/b", True), ("+", "a", True), ("+", "/a", False), ("+/+", "/a", True), ("/+", "/a", True),
            ("a/+", "a", False), ("a/+", "a/", True), ("a/+/b", "a//b", True), ("A", "a", False), ("#", "$x/a", False),
            ("+/a", "$x/a", False), ("$x/#", "$x/a", True), ("$x/a/+", "$x/a/b", True), ("a/b", "a/b/", False),
            ("a b/é", "a b/é", True),
        ]  # fmt: skip
        for version in (4, 5):
            for wanted, topic, fits in cases:
                with self.subTest(version=version, wanted=wanted, topic=topic):
                    office = Office()
                    reader, writer = office.client("r", version), office.client("w", version)
                    reader.subscribe(wanted)
                    writer.publish(topic)
                    self.assertEqual(topics(reader.read()), [topic] if fits else [])

    def test_the_lower_qos_of_the_two_counts(self) -> None:
        for version in (4, 5):
            for wanted in range(3):
                for sent in range(3):
                    with self.subTest(version=version, wanted=wanted, sent=sent):
                        office = Office()
                        reader, writer = office.client("r", version), office.client("w", version)
                        reader.subscribe(("a", wanted))
                        writer.publish("a", qos=sent, packet_id=7 if sent else None)
                        told = [packet for packet in reader.read() if packet.NAME == "publish"]
                        self.assertEqual([packet.qos for packet in told], [min(wanted, sent)])

    def test_qos_1_and_2_are_acknowledged_to_the_sender(self) -> None:
        for version in (4, 5):
            with self.subTest(version=version):
                writer = Office().client("w", version)
                self.assertEqual(
                    [(t.NAME, t.packet_id) for t in writer.publish("a", qos=1, packet_id=5)], [("puback", 5)]
                )
                told = writer.publish("a", qos=2, packet_id=6)
                self.assertEqual([(t.NAME, t.packet_id) for t in told], [("pubrec", 6)])
                release = (mqtt.Pubrel5 if version == 5 else mqtt.Pubrel)(packet_id=6)
                self.assertEqual([(t.NAME, t.packet_id) for t in writer.say(release)], [("pubcomp", 6)])

    def test_version_5_is_told_when_nobody_wants_it(self) -> None:
        writer, reader = self.office.client("w", 5), self.office.client("r", 5)
        self.assertEqual(writer.publish("a", qos=1, packet_id=1)[0].reason_code, 0x10)
        reader.subscribe("a")
        self.assertEqual(writer.publish("a", qos=1, packet_id=2)[0].reason_code, 0)

    def test_a_message_of_qos_2_that_comes_twice_is_passed_on_once(self) -> None:
        for version in (4, 5):
            with self.subTest(version=version):
                office = Office()
                writer, reader = office.client("w", version), office.client("r", version)
                reader.subscribe("a")
                writer.publish("a", qos=2, packet_id=9)
                self.assertEqual([told.NAME for told in writer.publish("a", qos=2, packet_id=9, dup=True)], ["pubrec"])
                self.assertEqual(payloads(reader.read()), [b"x"])
                writer.say((mqtt.Pubrel5 if version == 5 else mqtt.Pubrel)(packet_id=9))
                writer.publish("a", qos=2, packet_id=9)
                self.assertEqual(payloads(reader.read()), [b"x"])

    def test_a_release_of_nothing_is_answered(self) -> None:
        self.assertEqual(self.office.client("a", 4).say(mqtt.Pubrel(packet_id=3)), [mqtt.Pubcomp(packet_id=3)])
        told = self.office.client("b", 5).say(mqtt.Pubrel5(packet_id=3))
        self.assertEqual(told, [mqtt.Pubcomp5(packet_id=3, reason_code=0x92)])

    def test_overlapping_subscriptions_give_one_message_at_the_highest_qos(self) -> None:
        reader = self.office.client("r", 5)
        number = Property("subscription_identifier", 3), Property("subscription_identifier", 300)
        reader.subscribe(("a/#", 0), properties=number[:1])
        reader.subscribe(("a/+", 2), packet_id=2, properties=number[1:])
        self.office.client("w").publish("a/b", qos=2, packet_id=1)
        told = reader.read()
        self.assertEqual([packet.qos for packet in told], [2])
        self.assertCountEqual(told[0].properties, number)

    def test_no_local(self) -> None:
        peer = self.office.client("a", 5)
        peer.subscribe(("t", 0x04))
        self.assertEqual(topics(peer.publish("t")), [])
        self.office.client("b").publish("t")
        self.assertEqual(topics(peer.read()), ["t"])

    def test_a_client_gets_its_own_messages_otherwise(self) -> None:
        peer = self.office.client("a")
        peer.subscribe("t")
        self.assertEqual(topics(peer.publish("t")), ["t"])

    def test_properties_go_with_a_message_in_their_order(self) -> None:
        reader, old = self.office.client("r", 5), self.office.client("o", 4)
        reader.subscribe("t")
        old.subscribe("t")
        properties = (
            Property("payload_format_indicator", 1), Property("content_type", "text/plain"),
            Property("response_topic", "back"), Property("correlation_data", b"\1\2"),
            Property("user_property", "a=1"), Property("user_property", "a=2"),
        )  # fmt: skip
        self.office.client("w", 5).publish("t", properties=properties)
        self.assertEqual(reader.read()[0].properties, properties)
        self.assertEqual(payloads(old.read()), [b"x"])

    def test_unsubscribing(self) -> None:
        old, new = self.office.client("o", 4), self.office.client("n", 5)
        old.subscribe("t")
        new.subscribe("t")
        self.assertEqual(old.say(mqtt.Unsubscribe(packet_id=8, filters=("t", "none"))), [mqtt.Unsuback(packet_id=8)])
        told = new.say(mqtt.Unsubscribe5(packet_id=8, filters=("t", "none")))
        self.assertEqual(told, [mqtt.Unsuback5(packet_id=8, reason_codes=(0, 0x11))])
        self.office.client("w").publish("t")
        self.assertEqual((old.read(), new.read()), ([], []))

    def test_aliases_stand_for_topics(self) -> None:
        reader, writer = self.office.client("r"), self.office.client("w", 5)
        reader.subscribe("long/topic")
        alias = (Property("topic_alias", 16),)
        writer.publish("long/topic", b"1", properties=alias)
        writer.publish("", b"2", properties=alias)
        self.assertEqual(payloads(reader.read()), [b"1", b"2"])
        self.assertEqual(writer.publish("t", properties=(Property("topic_alias", 17),))[0].reason_code, 0x94)
        other = self.office.client("v", 5)
        self.assertEqual(other.publish("", properties=alias)[0].reason_code, 0x82)

    def test_a_client_that_takes_aliases_gets_them(self) -> None:
        reader = self.office.client("r", 5, properties=(Property("topic_alias_maximum", 1),))
        reader.subscribe("#")
        writer = self.office.client("w")
        for topic in ("one", "two", "one"):
            writer.publish(topic)
        alias = (Property("topic_alias", 1),)
        self.assertEqual(
            [(told.topic, told.properties) for told in reader.read()], [("one", alias), ("two", ()), ("", alias)]
        )

    def test_topics_of_the_brokers_own_are_not_for_clients(self) -> None:
        reader, writer = self.office.client("r"), self.office.client("w", 5)
        reader.subscribe("$SYS/#")
        self.assertEqual(writer.publish("$SYS/load", qos=1, packet_id=1)[0].reason_code, 0x87)
        self.assertEqual(reader.read(), [])

    def test_what_a_client_must_not_say_ends_the_connection(self) -> None:
        cases = {
            "QoS 3": ("36 05 00 01 74 00 01", 0x81),
            "a topic with a wildcard": ("30 04 00 01 23 00", 0x90),
            "a topic of nothing": ("30 03 00 00 00", 0x82),
            "a property of another packet": ("30 09 00 01 74 05 18 00 00 00 01", 0x81),
            "reserved bits of a subscription": ("82 07 00 01 00 00 01 74 40", 0x81),
            "retain handling 3": ("82 07 00 01 00 00 01 74 30", 0x82),
            "a packet of the broker's": ("20 03 00 00 00", 0x82),
            "a subscribe without filters": ("82 03 00 01 00", 0x82),
            "a subscribe with other flags": ("80 07 00 01 00 00 01 74 00", 0x81),
            "a packet identifier of 0": ("32 06 00 01 74 00 00 00", 0x81),
            "an auth": ("F0 00", 0x82),
            "a topic that is no UTF-8": ("30 05 00 02 C3 28 00", 0x81),
            "an alias of 0": ("30 07 00 01 74 03 23 00 00", 0x82),
        }
        for name, (text, reason) in cases.items():
            with self.subTest(name):
                peer = self.office.client("a", 5)
                peer.say_bytes(bytes.fromhex(text))
                self.assertEqual([told.reason_code for told in peer.read()], [reason])
                self.assertTrue(peer.shut)


class Retaining(unittest.TestCase):
    def setUp(self) -> None:
        self.office = Office()
        self.writer = self.office.client("w", 5)

    def retain(self, topic: str, payload: bytes, **fields: Any) -> None:
        self.writer.publish(topic, payload, retain=True, **fields)

    def test_the_last_one_comes_with_a_new_subscription(self) -> None:
        self.retain("a/b", b"1")
        self.retain("a/b", b"2")
        self.writer.publish("a/b", b"not kept")
        for version in (4, 5):
            reader = self.office.client(f"r{version}", version)
            reader.subscribe("a/+")
            self.assertEqual([(told.payload, told.retain) for told in reader.read()], [(b"2", True)])
            self.retain("a/b", b"2")
            self.assertEqual([(told.payload, told.retain) for told in reader.read()], [(b"2", False)])

    def test_an_empty_one_ends_it(self) -> None:
        reader = self.office.client("r")
        reader.subscribe("t")
        self.retain("t", b"1")
        self.retain("t", b"")
        self.assertEqual(payloads(reader.read()), [b"1", b""])
        reader.subscribe("t")
        self.assertEqual(reader.read(), [])

    def test_retain_as_published(self) -> None:
        reader = self.office.client("r", 5)
        reader.subscribe(("t", 0x08))
        self.retain("t", b"1")
        self.writer.publish("t", b"2")
        self.assertEqual([told.retain for told in reader.read()], [True, False])

    def test_retain_handling(self) -> None:
        self.retain("t", b"1")
        for options, first, again in ((0x00, 1, 1), (0x10, 1, 0), (0x20, 0, 0)):
            with self.subTest(options=options):
                reader = self.office.client(f"r{options}", 5)
                reader.subscribe(("t", options))
                self.assertEqual(len(reader.read()), first)
                reader.subscribe(("t", options))
                self.assertEqual(len(reader.read()), again)

    def test_wildcards_find_them_all_but_not_the_hidden(self) -> None:
        for topic in ("a", "a/b", "a/b/c", "$own/a"):
            self.retain(topic, b"1")
        cases = {"#": 3, "a/#": 3, "+": 1, "a/+/c": 1, "$own/#": 1, "+/a": 0, "+/+": 1}
        for wanted, count in cases.items():
            with self.subTest(wanted):
                reader = self.office.client(f"r{wanted}")
                reader.subscribe(wanted)
                self.assertEqual(len(reader.read()), count)

    def test_one_that_has_expired_is_gone_and_one_that_has_not_tells_what_is_left(self) -> None:
        self.retain("t", b"1", properties=(Property("message_expiry_interval", 10),))
        self.office.wait(4)
        reader = self.office.client("r", 5)
        reader.subscribe("t")
        self.assertEqual(reader.read()[0].properties, (Property("message_expiry_interval", 6),))
        self.office.wait(7)
        reader.subscribe("t")
        self.assertEqual(reader.read(), [])


class Keeping(unittest.TestCase):
    """Sessions that outlive their connections."""

    def setUp(self) -> None:
        self.office = Office()

    def keep(self, version: int) -> Peer:
        if version == 4:
            return self.office.client("k", 4, clean_session=False)
        properties = (Property("session_expiry_interval", 100),)
        return self.office.client("k", 5, clean_start=False, properties=properties)

    def test_messages_wait_for_a_client_that_is_away(self) -> None:
        for version in (4, 5):
            with self.subTest(version=version):
                self.office = Office()
                peer = self.keep(version)
                peer.subscribe(("t", 2))
                peer.drop()
                writer = self.office.client("w")
                writer.publish("t", b"0")
                writer.publish("t", b"1", qos=1, packet_id=1)
                writer.publish("t", b"2", qos=2, packet_id=2)
                again = self.keep(version)
                self.assertTrue(again.answer.session_present)
                told = again.read()
                self.assertEqual([(packet.payload, packet.qos) for packet in told], [(b"1", 1), (b"2", 2)])

    def test_what_was_not_acknowledged_comes_again_in_the_same_order(self) -> None:
        for version in (4, 5):
            with self.subTest(version=version):
                self.office = Office()
                peer = self.keep(version)
                peer.subscribe(("t", 2))
                writer = self.office.client("w")
                for number in range(1, 4):
                    writer.publish("t", bytes((48 + number,)), qos=2, packet_id=number)
                first = peer.read()
                peer.say((mqtt.Pubrec5 if version == 5 else mqtt.Pubrec)(packet_id=first[0].packet_id))
                peer.drop()
                told = self.keep(version).read()
                self.assertEqual([packet.NAME for packet in told], ["pubrel", "publish", "publish"])
                self.assertEqual([packet.packet_id for packet in told], [packet.packet_id for packet in first])
                self.assertEqual([packet.dup for packet in told[1:]], [True, True])

    def test_a_release_over_a_lost_connection_delivers_once(self) -> None:
        reader = self.office.client("r")
        reader.subscribe("t")
        peer = self.keep(4)
        peer.publish("t", qos=2, packet_id=1)
        peer.drop()
        peer = self.keep(4)
        peer.publish("t", qos=2, packet_id=1, dup=True)
        self.assertEqual(peer.say(mqtt.Pubrel(packet_id=1)), [mqtt.Pubcomp(packet_id=1)])
        self.assertEqual(payloads(reader.read()), [b"x"])

    def test_a_clean_start_forgets(self) -> None:
        self.keep(5).drop()
        self.assertFalse(self.office.client("k", 5, clean_start=True).answer.session_present)

    def test_a_session_of_version_5_expires(self) -> None:
        self.keep(5).drop()
        self.office.wait(99)
        self.assertTrue(self.keep(5).answer.session_present)
        self.office.clients[next(reversed(self.office.clients))].drop()
        self.office.wait(101)
        self.assertFalse(self.keep(5).answer.session_present)

    def test_a_session_without_an_expiry_ends_with_its_connection(self) -> None:
        self.office.client("k", 5, clean_start=False).drop()
        self.assertFalse(self.office.client("k", 5, clean_start=False).answer.session_present)

    def test_leaving_can_change_the_expiry_but_not_from_nothing(self) -> None:
        peer = self.keep(5)
        peer.say(mqtt.Disconnect5(properties=(Property("session_expiry_interval", 0),)))
        self.assertFalse(self.keep(5).answer.session_present)
        other = self.office.client("o", 5)
        told = other.say(mqtt.Disconnect5(properties=(Property("session_expiry_interval", 9),)))
        self.assertEqual([packet.reason_code for packet in told], [0x82])

    def test_no_more_than_the_receive_maximum_flies(self) -> None:
        peer = self.office.client("k", 5, properties=(Property("receive_maximum", 2),))
        peer.subscribe(("t", 1))
        writer = self.office.client("w")
        for number in range(1, 5):
            writer.publish("t", bytes((48 + number,)), qos=1, packet_id=number)
        first = peer.read()
        self.assertEqual(payloads(first), [b"1", b"2"])
        self.assertEqual(payloads(peer.say(mqtt.Puback5(packet_id=first[0].packet_id))), [b"3"])

    def test_a_client_that_does_not_want_a_message_gets_no_release(self) -> None:
        peer = self.office.client("k", 5)
        peer.subscribe(("t", 2))
        self.office.client("w").publish("t", qos=2, packet_id=1)
        packet = peer.read()[0]
        self.assertEqual(peer.say(mqtt.Pubrec5(packet_id=packet.packet_id, reason_code=0x97)), [])

    def test_a_message_that_waits_too_long_is_not_delivered(self) -> None:
        peer = self.keep(5)
        peer.subscribe(("t", 1))
        peer.drop()
        self.office.client("w", 5).publish(
            "t", qos=1, packet_id=1, properties=(Property("message_expiry_interval", 5),)
        )
        self.office.wait(6)
        self.assertEqual(self.keep(5).read(), [])


class Wills(unittest.TestCase):
    def setUp(self) -> None:
        self.office = Office()
        self.reader = self.office.client("r")
        self.reader.subscribe("w")

    def dying(self, version: int = 4, *, delay: int = 0, keeps: int = 0) -> Peer:
        if version == 4:
            return self.office.client("d", 4, will_topic="w", will_message=b"gone", will_retain=True, keep_alive=10)
        properties = (Property("session_expiry_interval", keeps),) if keeps else ()
        waits = (Property("will_delay_interval", delay),) if delay else ()
        return self.office.client(
            "d", 5, will_topic="w", will_payload=b"gone", will_properties=waits, properties=properties,
            clean_start=False,
        )  # fmt: skip

    def test_it_is_published_when_the_connection_breaks(self) -> None:
        for version in (4, 5):
            self.dying(version).drop()
            self.assertEqual(payloads(self.reader.read()), [b"gone"])

    def test_it_is_published_for_silence_and_for_what_must_not_be_said(self) -> None:
        self.dying()
        self.office.wait(16)
        self.assertEqual(payloads(self.reader.read()), [b"gone"])
        self.dying().say_bytes(b"\xf0\x00")
        self.assertEqual(payloads(self.reader.read()), [b"gone"])

    def test_it_is_not_published_after_a_disconnect(self) -> None:
        self.dying().say(mqtt.Disconnect())
        self.dying(5).say(mqtt.Disconnect5())
        self.assertEqual(self.reader.read(), [])

    def test_it_is_published_after_a_disconnect_that_asks_for_it(self) -> None:
        self.dying(5).say(mqtt.Disconnect5(reason_code=4))
        self.assertEqual(payloads(self.reader.read()), [b"gone"])

    def test_it_can_be_retained(self) -> None:
        self.dying().drop()
        late = self.office.client("l")
        late.subscribe("w")
        self.assertEqual([(told.payload, told.retain) for told in late.read()], [(b"gone", True)])

    def test_it_waits_for_its_delay_and_not_at_all_if_the_client_is_back(self) -> None:
        self.dying(5, delay=5, keeps=100).drop()
        self.office.wait(4)
        self.assertEqual(self.reader.read(), [])
        self.office.wait(2)
        self.assertEqual(payloads(self.reader.read()), [b"gone"])
        self.dying(5, delay=5, keeps=100).drop()
        self.office.wait(3)
        self.dying(5, delay=5, keeps=100)
        self.office.wait(5)
        self.assertEqual(self.reader.read(), [])

    def test_it_does_not_wait_longer_than_the_session_is_kept(self) -> None:
        self.dying(5, delay=50, keeps=2).drop()
        self.office.wait(3)
        self.assertEqual(payloads(self.reader.read()), [b"gone"])


class Sharing(unittest.TestCase):
    def test_each_message_goes_to_one_of_a_group_in_turn(self) -> None:
        office = Office()
        members = [office.client(f"m{number}", 5) for number in range(3)]
        for member in members:
            member.subscribe("$share/crew/t/+")
        alone, writer = office.client("alone"), office.client("w")
        alone.subscribe("t/#")
        for _ in range(6):
            writer.publish("t/a")
        self.assertEqual([len(member.read()) for member in members], [2, 2, 2])
        self.assertEqual(len(alone.read()), 6)

    def test_those_who_are_away_are_passed_over(self) -> None:
        office = Office()
        here, away = (
            office.client("here", 5),
            office.client("away", 5, properties=(Property("session_expiry_interval", 9),)),
        )
        for member in (here, away):
            member.subscribe(("$share/crew/t", 1))
        away.drop()
        writer = office.client("w")
        for number in range(1, 5):
            writer.publish("t", qos=1, packet_id=number)
        self.assertEqual(len(here.read()), 4)

    def test_a_group_gets_no_retained_messages(self) -> None:
        office = Office()
        office.client("w").publish("t", retain=True)
        member = office.client("m", 5)
        member.subscribe("$share/crew/t")
        self.assertEqual(member.read(), [])

    def test_who_wants_it_alone_and_in_two_groups_gets_a_copy_for_each_as_each_was_asked_for(self) -> None:
        office = Office()
        member = office.client("m", 5)
        for number, (wanted, options) in enumerate((("t/#", 0x00), ("t/+", 0x01), ("$share/crew/t/+", 0x0A)), 1):
            told = (Property("subscription_identifier", number),)
            member.subscribe((wanted, options), packet_id=number, properties=told)
        member.subscribe(("$share/watch/t/a", 0), packet_id=9)
        office.client("w").publish("t/a", retain=True, qos=2, packet_id=1)
        copies = [(m.qos, m.retain, [each.value for each in m.properties]) for m in member.read()]
        self.assertEqual(sorted(copies), [(0, False, []), (1, False, [1, 2]), (2, True, [3])])

    def test_leaving_a_group(self) -> None:
        office = Office()
        member = office.client("m", 5)
        member.subscribe("$share/crew/t")
        told = member.say(mqtt.Unsubscribe5(packet_id=2, filters=("$share/crew/t", "$share/other/t")))
        self.assertEqual(told[0].reason_codes, (0, 0x11))
        self.assertEqual(office.client("w", 5).publish("t", qos=1, packet_id=1)[0].reason_code, 0x10)


class Limits(unittest.TestCase):
    """What no client can do to the others."""

    def test_no_more_clients_than_there_may_be(self) -> None:
        office = Office(clients=2)
        first = office.client("a"), office.client("b", 5)
        self.assertEqual([peer.answer.NAME for peer in first], ["connack", "connack"])
        self.assertEqual(office.client("c").answer.return_code, 3)
        self.assertEqual(office.client("d", 5).answer.reason_code, 0x89)
        first[0].drop()
        self.assertEqual(office.client("c").answer.return_code, 0)

    def test_kept_sessions_make_room_for_new_ones(self) -> None:
        office = Office(sessions=3)
        for number in range(10):
            office.client(f"k{number}", clean_session=False).drop()
            office.wait(1)
        self.assertEqual(list(office.broker.sessions), ["k7", "k8", "k9"])

    def test_a_queue_that_is_full_takes_no_more(self) -> None:
        office = Office(queue=5)
        peer = office.client("k", clean_session=False)
        peer.subscribe(("t", 1))
        peer.drop()
        writer = office.client("w")
        for number in range(1, 20):
            writer.publish("t", bytes((number,)), qos=1, packet_id=number)
        self.assertEqual(len(office.client("k", clean_session=False).read()), 5)

    def test_a_reader_that_takes_nothing_is_not_given_more(self) -> None:
        office = Office(queue=5)
        slow, writer = office.client("s"), office.client("w")
        slow.subscribe("t")
        slow.unread = 1 << 20
        for number in range(20):
            writer.publish("t", bytes((number,)))
        self.assertEqual(slow.read(), [])
        slow.unread = 0
        office.wait(0.1)
        self.assertEqual(payloads(slow.read()), [bytes((number,)) for number in range(5)])

    def test_a_packet_longer_than_a_client_takes_is_not_sent_to_it(self) -> None:
        office = Office()
        peer = office.client("s", 5, properties=(Property("maximum_packet_size", 30),))
        peer.subscribe(("t", 1))
        writer = office.client("w")
        writer.publish("t", b"x" * 40, qos=1, packet_id=1)
        writer.publish("t", b"short", qos=1, packet_id=2)
        self.assertEqual(payloads(peer.read()), [b"short"])

    def test_one_that_is_not_sent_gives_its_topic_no_alias(self):
        office = Office()
        limits = Property("maximum_packet_size", 30), Property("topic_alias_maximum", 2)
        peer, writer = office.client("s", 5, properties=limits), office.client("w")
        peer.subscribe("#")
        for payload in (b"x" * 40, b"1", b"2"):
            writer.publish("t", payload)
        self.assertEqual([(told.topic, told.payload) for told in peer.read()], [("t", b"1"), ("", b"2")])

    def test_a_packet_longer_than_the_broker_takes_ends_the_connection(self) -> None:
        peer = Office().client("a", 5)
        peer.say_bytes(bytes.fromhex("30 FF FF FF 7F 00 01 74 00"))
        self.assertEqual([told.reason_code for told in peer.read()], [0x95])

    def test_the_bench_can_allow_less(self):
        office = Office(packet=100)
        for version in (4, 5):
            peer = office.client("a", version)
            peer.publish("t", b"x" * 90)
            self.assertFalse(peer.shut)
            told = peer.publish("t", b"x" * 100)
            self.assertEqual([packet.reason_code for packet in told], [0x95] if version == 5 else [])
            self.assertTrue(peer.shut)

    def test_too_many_unreleased_messages_end_the_connection(self) -> None:
        peer = Office(received=3).client("a", 5)
        for number in range(1, 4):
            peer.publish("t", qos=2, packet_id=number)
        self.assertEqual([told.reason_code for told in peer.publish("t", qos=2, packet_id=4)], [0x93])

    def test_too_many_subscriptions_are_refused(self) -> None:
        office = Office(subscriptions=2)
        old, new = office.client("o"), office.client("n", 5)
        self.assertEqual(old.subscribe("a", "b", "c", "a").reason_codes, (0, 0, 0x80, 0))
        self.assertEqual(new.subscribe("a", "b", "c").reason_codes, (0, 0, 0x97))

    def test_topics_of_very_many_levels_are_refused(self) -> None:
        office = Office()
        peer = office.client("a", 5)
        deep = "/" * 60000
        self.assertEqual(peer.subscribe(deep).reason_codes, (0x97,))
        self.assertEqual(peer.publish(deep, qos=1, packet_id=1, retain=True)[0].reason_code, 0x90)

    def test_retained_messages_have_a_limit(self) -> None:
        office = Office(retained=3)
        writer, reader = office.client("w"), office.client("r")
        for number in range(10):
            writer.publish(f"t/{number}", retain=True)
        reader.subscribe("#")
        self.assertEqual(len(reader.read()), 3)


if __name__ == "__main__":
    unittest.main()
