"""The client of MQTT, against packets that a broker says: what it sends, and what it tells has happened."""

import unittest

from cavet.messaging import (
    Arrived,
    ClientSettings,
    ClientState,
    Connected,
    MqttClient,
    Noted,
    Publication,
    Refused,
    Settled,
    Subscribed,
    Undelivered,
)
from cavet.protocols import Side, mqtt
from cavet.protocols.mqtt import V3, V5, Filter, Property


class Line:
    """A client, and the broker's side of its connection, said by the test."""

    def __init__(self, version=4, **settings):
        self.now = 0.0
        self.codec = V5 if version == 5 else V3
        self.client = MqttClient(ClientSettings(version=version, client_id="c", **settings))

    def open(self, kept=False, **fields):
        """Open the connection, and let the client in; give its connect."""
        self.client.opened(self.now)
        connect = self.said()[0]
        form = mqtt.Connack5 if self.codec is V5 else mqtt.Connack
        self.hear(form(session_present=kept, **fields))
        return connect

    def lose(self):
        self.client.lost()

    def hear(self, *packets):
        """The broker says packets; give what has happened."""
        self.client.feed(b"".join(self.codec.encode(packet) for packet in packets), self.now)
        return self.client.take_happened()

    def said(self):
        """The packets that the client has said since the last look."""
        data = b"".join(outgoing.data for outgoing in self.client.take_out())
        frames = self.codec.decoder(Side.HOST).feed(data)
        assert not any(frame.problems for frame in frames), frames
        return [frame.message for frame in frames]

    def publish(self, topic, payload=b"x", qos=1, ref=None, **more):
        self.client.publish(Publication(topic, payload, qos, **more), ref, self.now)

    def go(self, seconds):
        end = self.now + seconds
        while (due := self.client.advance(self.now)) <= end:
            self.now = max(self.now, due)
        self.now = end


class Connecting(unittest.TestCase):
    def test_it_says_who_it_is_with_its_will(self):
        will = Publication("w", b"gone", 1, True)
        for version in (4, 5):
            line = Line(version, will=will, user_name="u", password=b"p", keep_alive=20, keeps=60)
            connect = line.open()
            self.assertEqual((connect.client_id, connect.keep_alive, connect.user_name), ("c", 20, "u"))
            self.assertEqual((connect.will_topic, connect.will_qos, connect.will_retain), ("w", 1, True))
            self.assertFalse(connect.clean_start if version == 5 else connect.clean_session)
        self.assertIn(Property("session_expiry_interval", 60), connect.properties)

    def test_a_refusal_is_told_in_words_with_where_to_go(self):
        line = Line(4)
        line.client.opened(0.0)
        self.assertEqual(line.hear(mqtt.Connack(return_code=4)), [Refused(4, "bad user name or password")])
        self.assertIn("bad user name or password", line.client.hang_up)
        line = Line(5)
        line.client.opened(0.0)
        properties = (Property("reason_string", "try\x1b[2J there"), Property("server_reference", "other:1883"))
        told = line.hear(mqtt.Connack5(reason_code=0x9C, properties=properties))
        self.assertEqual(told, [Refused(0x9C, "use another server: try‹ESC›[2J there", "other:1883")])

    def test_a_broker_that_sends_it_away_is_told(self):
        line = Line(5)
        line.open()
        told = line.hear(mqtt.Disconnect5(reason_code=0x9D, properties=(Property("server_reference", "b:1"),)))
        self.assertEqual(told, [Refused(0x9D, "server moved", "b:1")])
        self.assertIn("server moved", line.client.hang_up)

    def test_silence_ends_the_connection(self):
        line = Line()
        line.client.opened(0.0)
        line.go(6)
        self.assertIn("no CONNACK within 5 s", line.client.hang_up)
        line = Line(keep_alive=10)
        line.open()
        line.go(9)
        self.assertEqual(line.said(), [mqtt.Pingreq()])
        line.hear(mqtt.Pingresp())
        line.go(7.9)
        self.assertEqual((line.said(), line.client.hang_up), ([mqtt.Pingreq()], ""))
        line.go(6)
        self.assertIn("no PINGRESP within 5 s", line.client.hang_up)

    def test_a_broker_that_does_not_answer_for_filters_is_left(self):
        line = Line()
        line.open()
        line.client.subscribe([Filter("a")], 0.0)
        line.client.subscribe([Filter("b")], 0.0)
        first = line.said()[0]
        line.hear(mqtt.Suback(packet_id=first.packet_id, reason_codes=(0,)))
        line.go(4.9)
        self.assertEqual(line.client.hang_up, "")
        line.go(0.2)
        self.assertIn("no SUBACK within 5 s", line.client.hang_up)
        line.open()
        line.client.subscribe([Filter("a")], line.now)
        line.hear(mqtt.Suback(packet_id=line.said()[0].packet_id, reason_codes=(0,)))
        line.go(10)
        self.assertEqual(line.client.hang_up, "")

    def test_it_tells_the_broker_how_long_packets_it_takes(self):
        self.assertIn(Property("maximum_packet_size", 1 << 20), Line(5).open().properties)

    def test_the_brokers_keep_alive_counts(self):
        line = Line(5, keep_alive=100)
        line.open(properties=(Property("server_keep_alive", 5),))
        line.go(4.1)
        self.assertEqual(line.said(), [mqtt.Pingreq()])

    def test_what_a_broker_must_not_say_ends_the_connection(self):
        for wrong in ("20 02 00 00", "36 05 00 01 61 00 01", "00 00", "30 02 00 00", "82 00"):
            with self.subTest(wrong):
                line = Line(5)
                line.open()
                line.client.feed(bytes.fromhex(wrong), 0.0)
                self.assertIn("what it must not", line.client.hang_up)
                self.assertEqual([packet.NAME for packet in line.said()], ["disconnect"])
        first = Line()
        first.client.opened(0.0)
        first.client.feed(V3.encode(mqtt.Pingresp()), 0.0)
        self.assertIn("pingresp connects", first.client.hang_up)


class Sending(unittest.TestCase):
    def test_qos_0_is_sent_once_and_not_without_a_connection(self):
        line = Line()
        line.publish("t", qos=0, ref="early")
        self.assertEqual(line.client.take_happened(), [Undelivered("early", "there is no connection to the broker")])
        line.open()
        line.publish("t", qos=0)
        self.assertEqual([(p.topic, p.qos, p.packet_id) for p in line.said()], [("t", 0, None)])

    def test_qos_1_and_2_are_settled_by_the_broker(self):
        for version in (4, 5):
            with self.subTest(version=version):
                line = Line(version)
                line.open()
                line.publish("t", qos=1, ref="one")
                line.publish("t", qos=2, ref="two")
                first, second = line.said()
                forms = (mqtt.Puback5, mqtt.Pubrec5, mqtt.Pubcomp5) if version == 5 else (
                    mqtt.Puback, mqtt.Pubrec, mqtt.Pubcomp
                )  # fmt: skip
                self.assertEqual(line.hear(forms[0](packet_id=first.packet_id)), [Settled("one", 0)])
                self.assertEqual(line.hear(forms[1](packet_id=second.packet_id)), [])
                self.assertEqual([packet.NAME for packet in line.said()], ["pubrel"])
                self.assertEqual(line.hear(forms[2](packet_id=second.packet_id)), [Settled("two", 0)])

    def test_what_waits_for_a_connection_is_sent_with_it(self):
        line = Line()
        line.publish("t", b"1")
        line.publish("t", b"2", qos=2)
        line.open()
        self.assertEqual([packet.payload for packet in line.said()], [b"1", b"2"])

    def test_over_a_lost_connection_a_kept_session_goes_on(self):
        line = Line(keeps=60)
        line.open()
        for number in (b"1", b"2", b"3"):
            line.publish("t", number, qos=2)
        first = line.said()
        line.hear(mqtt.Pubrec(packet_id=first[1].packet_id))
        line.lose()
        line.open(kept=True)
        again = line.said()
        self.assertEqual([packet.NAME for packet in again], ["publish", "pubrel", "publish"])
        self.assertEqual([packet.packet_id for packet in again], [packet.packet_id for packet in first])
        self.assertEqual([again[0].dup, again[2].dup], [True, True])

    def test_a_broker_that_forgot_gets_it_as_new_but_not_what_it_had_received(self):
        line = Line()
        line.open()
        line.publish("t", b"1", qos=2, ref="received")
        line.publish("t", b"2", qos=1, ref="other")
        first = line.said()
        line.hear(mqtt.Pubrec(packet_id=first[0].packet_id))
        line.said()
        line.lose()
        line.client.opened(line.now)
        line.said()
        told = line.hear(mqtt.Connack())
        self.assertEqual(told[0], Connected(False))
        self.assertEqual([(one.ref, "lost its session" in one.why) for one in told[1:]], [("received", True)])
        self.assertEqual([(packet.payload, packet.dup) for packet in line.said()], [(b"2", False)])

    def test_what_is_withdrawn_is_not_sent_again_to_a_broker_that_forgot(self):
        line = Line()
        line.open()
        line.publish("t", b"1", ref="stale")
        line.client.withdraw("stale")
        line.said()
        line.lose()
        line.open()
        self.assertEqual(line.said(), [])

    def test_no_more_fly_than_the_broker_takes(self):
        line = Line(5)
        line.open(properties=(Property("receive_maximum", 2),))
        for number in (b"1", b"2", b"3"):
            line.publish("t", number)
        first = line.said()
        self.assertEqual(len(first), 2)
        line.hear(mqtt.Puback5(packet_id=first[0].packet_id))
        self.assertEqual([packet.payload for packet in line.said()], [b"3"])

    def test_a_topic_is_said_once_where_the_broker_takes_aliases(self):
        line = Line(5)
        line.open(properties=(Property("topic_alias_maximum", 1),))
        for topic in ("a", "a", "b"):
            line.publish(topic, qos=0)
        self.assertEqual([packet.topic for packet in line.said()], ["a", "", "b"])

    def test_a_brokers_limits_are_kept(self):
        line = Line(5)
        limits = (Property("maximum_packet_size", 30), Property("maximum_qos", 0), Property("retain_available", 0))
        line.open(properties=limits)
        line.publish("t", b"x" * 40, ref="long")
        line.publish("t", retain=True, ref="kept")
        line.publish("t", qos=2, ref="lowered")
        self.assertEqual([(packet.qos, packet.payload) for packet in line.said()], [(0, b"x")])
        happened = line.client.take_happened()
        self.assertEqual([one.ref for one in happened], ["long", "kept", "lowered"])
        self.assertEqual(happened[2], Settled("lowered", 0, "sent at QoS 0: the broker takes no more"))

    def test_a_packet_that_is_too_long_gives_its_topic_no_alias(self):
        line = Line(5)
        line.open(properties=(Property("maximum_packet_size", 30), Property("topic_alias_maximum", 2)))
        line.publish("t", b"x" * 40, qos=0)
        line.publish("t", b"1", qos=0)
        line.publish("t", b"2", qos=0)
        line.publish("u", b"3", qos=0)
        self.assertEqual(
            [(packet.topic, packet.payload) for packet in line.said()], [("t", b"1"), ("", b"2"), ("u", b"3")]
        )

    def test_a_refused_message_is_told_with_the_reason(self):
        line = Line(5)
        line.open()
        line.publish("t", ref="one")
        packet = line.said()[0]
        properties = (Property("reason_string", "not here"),)
        told = line.hear(mqtt.Puback5(packet_id=packet.packet_id, reason_code=0x87, properties=properties))
        self.assertEqual(told, [Settled("one", 0x87, "not authorized: not here")])

    def test_an_answer_that_nothing_waits_for_is_noted(self):
        line = Line()
        line.open()
        told = line.hear(mqtt.Puback(packet_id=99))
        self.assertIsInstance(told[0], Noted)


class Receiving(unittest.TestCase):
    def test_subscribing_tells_what_is_granted(self):
        line = Line(5)
        line.open()
        line.client.subscribe([Filter("a", 1), Filter("b/#", 2)], 0.0)
        packet = line.said()[0]
        told = line.hear(mqtt.Suback5(packet_id=packet.packet_id, reason_codes=(1, 0x87)))
        self.assertEqual(
            [(one.filter, one.code) for one in told if isinstance(one, Subscribed)], [("a", 1), ("b/#", 135)]
        )

    def test_qos_2_arrives_once_however_often_it_is_sent(self):
        line = Line(keeps=60)
        line.open()
        packet = mqtt.Publish(topic="t", payload=b"x", qos=2, packet_id=5)
        self.assertEqual(len(line.hear(packet)), 1)
        line.lose()
        line.client.opened(0.0)
        line.hear(mqtt.Connack(session_present=True))
        line.said()
        self.assertEqual(line.hear(mqtt.Publish(topic="t", payload=b"x", qos=2, packet_id=5, dup=True)), [])
        self.assertEqual(line.said(), [mqtt.Pubrec(packet_id=5)])
        line.hear(mqtt.Pubrel(packet_id=5))
        self.assertEqual(line.said(), [mqtt.Pubcomp(packet_id=5)])
        self.assertIsInstance(line.hear(packet)[0], Arrived)

    def test_the_brokers_aliases_are_understood(self):
        line = Line(5)
        line.open()
        alias = (Property("topic_alias", 3),)
        told = line.hear(mqtt.Publish5(topic="t", properties=alias), mqtt.Publish5(topic="", properties=alias))
        self.assertEqual([one.publication.topic for one in told], ["t", "t"])
        line.hear(mqtt.Publish5(topic="t", properties=(Property("topic_alias", 17),)))
        self.assertIn("topic alias 17", line.client.hang_up)

    def test_too_many_unreleased_ones_end_the_connection(self):
        line = Line(5, receive_maximum=2)
        line.open()
        line.hear(*(mqtt.Publish5(topic="t", qos=2, packet_id=number) for number in (1, 2, 3)))
        self.assertEqual(line.said()[-1].reason_code, 0x93)


class Leaving(unittest.TestCase):
    def test_it_says_so(self):
        line = Line()
        line.open()
        line.client.disconnect(0.0)
        self.assertEqual((line.said(), line.client.state), ([mqtt.Disconnect()], ClientState.SHUT))


if __name__ == "__main__":
    unittest.main()
