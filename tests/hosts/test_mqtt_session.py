"""The host's session of MQTT against a broker that the test says."""

import unittest

from cavet.hosts import BoardTopics, MqttSession, PointKind, SessionSettings, SessionState, TopicPoint
from cavet.messaging import ClientSettings, PayloadForm
from cavet.protocols import Side, mqtt
from cavet.protocols.mqtt import V3, V5
from cavet.record import Kind, Record

WORDS = PayloadForm(kind="words")
POINTS = (
    TopicPoint(name="lamp", board="b", kind=PointKind.SWITCH, confirm=True, command="lamp/set", state="lamp",
               form=WORDS),
    TopicPoint(name="level", board="b", kind=PointKind.LEVEL, confirm=True, low=0, high=100, wire_low=0, wire_high=255,
               command="level/set", state="level", form=PayloadForm(kind="raw"), qos=2),
    TopicPoint(name="bell", board="b", kind=PointKind.PULSE, low=0, high=1000, wire_low=0, wire_high=1000,
               command="bell", form=PayloadForm(kind="number"), qos=0),
    TopicPoint(name="sign", board="b", kind=PointKind.TEXT, rest="", command="sign"),
)  # fmt: skip
TOPICS = BoardTopics(presence="here", health="health")


class Broker:
    """A session, and the other end of its connection."""

    def __init__(self, version=4, topics=TOPICS, **settings):
        self.now = 0.0
        self.record = Record(lambda: self.now)
        self.codec = V5 if version == 5 else V3

        def tell(kind, topic, subject, *more, **fields):
            return self.record.append(kind, "b", topic, subject, *more, **fields)

        client = ClientSettings(client_id="host", version=version)
        self.session = MqttSession("b", POINTS, SessionSettings(**settings), tell, client, topics)

    def open(self, *codes):
        """Let the session in, grant its filters, and say that the board is there."""
        self.session.opened(self.now)
        self.hear(self.form("Connack")())
        asked = next(packet for packet in self.said() if packet.NAME == "subscribe")
        granted = codes or tuple(wanted.options for wanted in asked.filters)
        self.hear(self.form("Suback")(packet_id=asked.packet_id, reason_codes=granted))
        self.publish("here", b"here", retain=True)
        self.said()

    def form(self, name):
        return getattr(mqtt, f"{name}5" if self.codec is V5 else name)

    def hear(self, *packets):
        self.session.feed(b"".join(self.codec.encode(packet) for packet in packets), self.now, lambda frame: None)

    def publish(self, topic, payload, **fields):
        self.hear(self.form("Publish")(topic=topic, payload=payload, **fields))

    def said(self):
        said = self.session.take_out()
        return [frame.message for frame in self.codec.decoder(Side.HOST).feed(said.data)] if said else []

    def go(self, seconds):
        end = self.now + seconds
        while (due := self.session.advance(self.now)) <= end:
            self.now = max(self.now, due)
        self.now = end

    def notes(self, *kinds):
        return [event.note for event in self.record.since(0) if event.kind in kinds]

    def kinds(self, *kinds):
        return [event.kind for event in self.record.since(0) if event.kind in kinds]


class Learning(unittest.TestCase):
    def test_it_is_ready_when_the_board_has_said_that_it_is_there(self):
        broker = Broker()
        broker.open()
        self.assertEqual(broker.session.state, SessionState.READY)
        self.assertTrue(broker.session.presence.here)

    def test_it_is_ready_without_that_after_a_while(self):
        broker = Broker(boot_wait=2.0)
        broker.session.opened(0.0)
        broker.hear(mqtt.Connack())
        broker.hear(mqtt.Suback(packet_id=1, reason_codes=(1, 1, 1, 1)))
        self.assertEqual(broker.session.state, SessionState.LEARNING)
        broker.go(2.1)
        self.assertEqual((broker.session.state, broker.session.presence.here), (SessionState.READY, None))

    def test_a_filter_that_is_not_granted_refuses_its_point(self):
        broker = Broker(5)
        broker.open(0x87, 1, 1, 1)
        self.assertIn("the broker does not grant lamp: not authorized", broker.session.readings["lamp"].refusal)
        broker.session.ask("lamp", True, 0.0)
        self.assertEqual((broker.said(), broker.kinds(Kind.REFUSED)), ([], [Kind.REFUSED]))

    def test_what_it_cannot_read_is_a_remark_and_changes_nothing(self):
        broker = Broker()
        broker.open()
        broker.publish("here", b"perhaps\x1b[2J")
        broker.publish("lamp", b"2")
        broker.publish("level", b"too long")
        broker.publish("health", b"[1,")
        broker.publish("health", b"7")
        broker.publish("health", b"[" * 100_000)
        notes = broker.notes(Kind.REMARK)
        self.assertEqual(
            notes[:3],
            ['its presence says "perhaps‹ESC›[2J", expected here or gone', 'lamp: found "2", expected 0 or 1',
             "level: found 8 bytes, expected 1"],
        )  # fmt: skip
        self.assertTrue(all("its health is no JSON" in note for note in notes[3:]), notes)
        broker.publish("health", b'{"a":' + b"9" * 400 + b',"b":{"c":1},"d":1.5}')
        self.assertEqual(broker.session.presence.health, {"d": 1.5})
        self.assertTrue(broker.session.presence.here)
        self.assertIsNone(broker.session.readings["lamp"].got)


class Asking(unittest.TestCase):
    def test_a_wish_is_confirmed_by_the_state_before_or_behind_the_acknowledgement(self):
        for first in ("state", "ack"):
            with self.subTest(first):
                broker = Broker()
                broker.open()
                broker.session.ask("lamp", True, 0.0)
                packet = broker.said()[0]
                self.assertEqual((packet.topic, packet.payload, packet.qos), ("lamp/set", b"1", 1))
                ack = mqtt.Puback(packet_id=packet.packet_id)
                state = mqtt.Publish(topic="lamp", payload=b"1")
                broker.hear(*((state, ack) if first == "state" else (ack, state)))
                self.assertEqual(broker.kinds(Kind.CONFIRMED), [Kind.CONFIRMED])
                self.assertEqual(broker.session.readings["lamp"].got, True)

    def test_numbers_are_scaled_and_qos_2_is_released(self):
        broker = Broker()
        broker.open()
        broker.session.ask("level", 100.0, 0.0)
        packet = broker.said()[0]
        self.assertEqual((packet.payload, packet.qos), (b"\xff", 2))
        broker.hear(mqtt.Pubrec(packet_id=packet.packet_id))
        self.assertEqual(broker.said(), [mqtt.Pubrel(packet_id=packet.packet_id)])
        broker.hear(mqtt.Pubcomp(packet_id=packet.packet_id), mqtt.Publish(topic="level", payload=b"\xff"))
        self.assertEqual(broker.session.readings["level"].got, 100.0)

    def test_what_stands_there_is_not_published_but_a_pulse_is(self):
        broker = Broker()
        broker.open()
        broker.publish("lamp", b"1")
        broker.session.ask("lamp", True, 0.0)
        self.assertEqual((broker.said(), broker.kinds(Kind.UNCHANGED)), ([], [Kind.UNCHANGED]))
        for _ in range(2):
            broker.session.ask("bell", 250.0, 0.0)
            self.assertEqual([packet.payload for packet in broker.said()], [b"250"])

    def test_a_text_without_a_state_counts_when_the_broker_has_it(self):
        broker = Broker()
        broker.open()
        broker.session.ask("sign", "open", 0.0)
        self.assertIsNone(broker.session.readings["sign"].got)
        broker.hear(mqtt.Puback(packet_id=broker.said()[0].packet_id))
        reading = broker.session.readings["sign"]
        self.assertEqual((reading.got, reading.stands), (None, "open"))  # it is taken for granted, and nobody told it
        broker.session.ask("sign", "open", 0.0)
        self.assertEqual(broker.said(), [])

    def test_a_newer_wish_overtakes(self):
        broker = Broker()
        broker.open()
        broker.session.ask("lamp", True, 0.0)
        broker.session.ask("lamp", False, 0.0)
        self.assertEqual([packet.payload for packet in broker.said()], [b"1", b"0"])
        self.assertEqual(broker.kinds(Kind.OVERTAKEN), [Kind.OVERTAKEN])

    def test_rest_stops_the_bell_too(self):
        broker = Broker()
        broker.open()
        broker.session.rest(0.0, "rest")
        self.assertEqual(
            [(packet.topic, packet.payload) for packet in broker.said()],
            [("lamp/set", b"0"), ("level/set", b"\0"), ("bell", b"0"), ("sign", b"")],
        )


class GivingUp(unittest.TestCase):
    def reason(self, version=4, acks=True, code=None, **steps):
        broker = Broker(version)
        broker.open()
        broker.session.ask("lamp", True, 0.0)
        for _ in range(4):
            for packet in broker.said():
                if packet.NAME == "publish" and acks:
                    fields = {"reason_code": code} if code is not None else {}
                    broker.hear(broker.form("Puback")(packet_id=packet.packet_id, **fields))
            if steps.get("gone"):
                broker.publish("here", b"gone")
            if steps.get("stands"):
                broker.publish("lamp", b"0")
            broker.go(0.51)
        return broker, broker.notes(Kind.UNCONFIRMED, Kind.REFUSED)

    def test_each_reason_is_told_apart(self):
        cases = [
            ({"acks": False}, "the broker did not take it: no acknowledgement within 1.5 s"),
            ({"version": 5, "code": 0x10}, "the broker took it, but nobody has subscribed to lamp/set"),
            ({"gone": True}, "the board is gone: its presence says gone"),
            ({"stands": True}, "the broker took it, and the board is there, but lamp says off, to 3 tries"),
            ({}, "the broker took it, and the board is there, but lamp says nothing, to 3 tries"),
            ({"version": 5, "code": 0x87}, "the broker does not take it: not authorized"),
        ]
        for steps, reason in cases:
            with self.subTest(**steps):
                _, notes = self.reason(**steps)
                self.assertEqual(len(notes), 1)
                self.assertIn(reason, notes[0])

    def test_what_is_not_acknowledged_is_not_published_again(self):
        broker, _ = self.reason(acks=False)
        self.assertEqual(broker.kinds(Kind.RESENT), [])

    def test_after_a_lost_connection_it_is_published_again_and_the_trail_says_so(self):
        broker = Broker()
        broker.open()
        broker.session.ask("lamp", True, 0.0)
        broker.said()
        broker.session.lost("gone")
        broker.session.opened(1.0)
        broker.hear(mqtt.Connack())
        self.assertIn(("lamp/set", b"1"), [(p.topic, p.payload) for p in broker.said() if p.NAME == "publish"])
        self.assertEqual(broker.kinds(Kind.RESENT), [Kind.RESENT])

    def test_a_wish_that_was_given_up_is_not_carried_out_late(self):
        broker, _ = self.reason(acks=False)
        broker.session.lost("gone")
        broker.session.opened(broker.now)
        broker.hear(mqtt.Connack())
        self.assertNotIn("publish", [packet.NAME for packet in broker.said()])


if __name__ == "__main__":
    unittest.main()
