"""Any bytes, and any settings, at our own broker's real endpoint: none takes it down, and good clients are served."""

import random
import socket
import unittest

from cavet.protocols import mqtt
from cavet.protocols.mqtt import V3, V5, Filter, Property
from tests.commands.test_hostile import MOST_GROWTH_BYTES, mutated, resident
from tests.commands.test_serve import Served
from tests.commands.topics import TopicClient
from tests.patience import PATIENCE

BASE = "ottersluice/towpath/"
INPUTS = 3000
CONNECTS = {
    V3: mqtt.Connect(client_id="noise"),
    V5: mqtt.Connect5(client_id="noise", properties=(Property("session_expiry_interval", 9),)),
}
PACKETS = {
    V3: (
        mqtt.Publish(topic=BASE + "lamp/set", payload=b"1", qos=2, packet_id=7), mqtt.Pubrel(packet_id=7),
        mqtt.Subscribe(packet_id=3, filters=(Filter("one/+", 1), Filter("#", 2))), mqtt.Pingreq(),
        mqtt.Puback(packet_id=1), mqtt.Pubrec(packet_id=2), mqtt.Unsubscribe(packet_id=4, filters=("one/+",)),
        mqtt.Publish(topic="t/\x1b[2J[b]", payload=b"\x00\xff\x1b]0;x\x07", retain=True), mqtt.Connect(client_id="two"),
    ),
    V5: (
        mqtt.Publish5(topic="t", payload=b"1", qos=1, packet_id=7, properties=(Property("topic_alias", 3),)),
        mqtt.Publish5(topic="", payload=b"1", properties=(Property("topic_alias", 3),)),
        mqtt.Subscribe5(packet_id=3, filters=(Filter("$share/g/one/+", 1), Filter("#", 0x2A))),
        mqtt.Auth5(),
        mqtt.Publish5(topic="t", properties=(Property("message_expiry_interval", 0), Property("user_property", "a=b"))),
        mqtt.Disconnect5(reason_code=4), mqtt.Pubrec5(packet_id=3, reason_code=0x97),
    ),
}  # fmt: skip


class HostileClients(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.served = Served("--board", "towpath")
        cls.address = cls.served.address("towpath", "mqtt")
        cls.before = resident(cls.served.process.pid)

    @classmethod
    def tearDownClass(cls):
        cls.served.end()

    def tearDown(self):
        """After each of them the station can be worked, by either version."""
        self.assertIsNone(self.served.process.poll())
        for version in (4, 5):
            client = TopicClient(self.address, version)
            client.subscribe(BASE + "lamp/state")
            client.wait_for("publish")
            for payload in (b"1", b"0"):
                client.publish(BASE + "lamp/set", payload)
                client.wait_for_payload(BASE + "lamp/state", payload)
            client.close()
        self.assertLess(resident(self.served.process.pid) - self.before, MOST_GROWTH_BYTES)

    def connect(self):
        host, _, port = self.address.rpartition(":")
        link = socket.create_connection((host, int(port)), timeout=PATIENCE)
        self.addCleanup(link.close)
        return link

    def test_mutated_packets(self):
        noise = random.Random("packets")
        for codec in (V3, V5):
            sent = 0
            while sent < INPUTS:
                link = self.connect()
                link.settimeout(0.001)
                hello = codec.encode(CONNECTS[codec])
                link.sendall(hello if noise.random() < 0.8 else mutated(noise, hello))
                for _ in range(50):
                    sent += 1
                    packet = codec.encode(noise.choice(PACKETS[codec]))
                    try:
                        link.sendall(packet if noise.random() < 0.5 else mutated(noise, packet))
                        if not link.recv(65536):
                            break
                    except TimeoutError:
                        continue
                    except OSError:
                        break
                link.close()

    def test_connections_that_say_nothing_or_a_part_of_something(self):
        links = [self.connect() for _ in range(100)]
        for place, link in enumerate(links):
            link.sendall(V3.encode(mqtt.Connect(client_id=f"slow-{place}"))[: place % 14])

    def test_a_packet_that_never_ends(self):
        link = self.connect()
        link.sendall(V3.encode(mqtt.Connect(client_id="endless")) + bytes.fromhex("30 FF FF FF 7F 00 01 74"))
        with self.assertRaises(OSError):
            for _ in range(1000):
                link.sendall(b"x" * 65536)

    def test_a_reader_that_never_reads_is_given_only_so_much(self):
        reader = TopicClient(self.address)
        self.addCleanup(reader.close)
        reader.subscribe("flood/#", qos=0)
        writer = TopicClient(self.address)
        for _ in range(300):
            writer.publish("flood/a", b"x" * 100_000, qos=0)
        writer.publish("flood/done", b"")
        writer.close()

    def test_very_many_sessions_that_are_to_be_kept(self):
        for number in range(1200):
            link = self.connect()
            link.sendall(
                V3.encode(mqtt.Connect(client_id=f"kept-{number}", clean_session=False))
                + V3.encode(mqtt.Subscribe(packet_id=1, filters=(Filter(f"own/{number}", 2),)))
            )
            link.recv(100)
            link.close()

    def test_very_deep_and_very_many_topics(self):
        client = TopicClient(self.address, 5)
        client.publish("/" * 60_000, b"x", retain=True)
        for number in range(3000):
            client.publish(f"many/{number}/topics", b"x" * 100, qos=0, retain=True)
        client.subscribe("#", "many/+/topics")
        client.close()

    def test_two_of_one_name_that_throw_each_other_out(self):
        first = None
        for _ in range(100):
            second = TopicClient(self.address, 5, client_id="twin")
            if first is not None:
                self.assertEqual(first.wait_for("disconnect").reason_code, 0x8E)
                first.close()
            first = second
        first.close()


if __name__ == "__main__":
    unittest.main()
