"""A plain MQTT client for tests: a socket, the codec, and waiting with a patience."""

from __future__ import annotations

import socket
import time

from cavet.protocols import Side, mqtt
from cavet.protocols.mqtt import V3, V5, Filter
from tests.patience import PATIENCE


class TopicClient:
    """Connects to a broker, subscribes, and reads what comes."""

    def __init__(self, address, version=4, client_id="", tls=None, **fields):
        host, _, port = address.rpartition(":")
        self.version = version
        self.codec = V5 if version == 5 else V3
        self.socket = socket.create_connection((host, int(port)), PATIENCE)
        if tls is not None:
            self.socket = tls.wrap_socket(self.socket, server_hostname=host)
        self.decoder = self.codec.decoder(Side.BOARD)
        self.got = []
        self._next_id = 0
        form = mqtt.Connect5 if version == 5 else mqtt.Connect
        self.say(form(client_id=client_id, **fields))
        self.answer = self.wait_for("connack")

    def say(self, *packets):
        self.socket.sendall(b"".join(self.codec.encode(packet) for packet in packets))

    def wait_for(self, name, fits=lambda packet: True):
        """The next packet of this name for which `fits`; those before it are gone."""
        deadline = time.monotonic() + PATIENCE
        while True:
            while self.got:
                packet = self.got.pop(0)
                if name == packet.NAME and fits(packet):
                    return packet
            left = deadline - time.monotonic()
            if left <= 0:
                raise AssertionError(f"no {name} within {PATIENCE:.0f} s")
            self.socket.settimeout(left)
            data = self.socket.recv(65536)
            if not data:
                raise AssertionError(f"the connection was shut before {name}")
            self.got += [frame.message for frame in self.decoder.feed(data)]

    def subscribe(self, *filters, qos=1):
        form = mqtt.Subscribe5 if self.version == 5 else mqtt.Subscribe
        self._next_id += 1
        self.say(form(packet_id=self._next_id, filters=tuple(Filter(text, qos) for text in filters)))
        return self.wait_for("suback")

    def publish(self, topic, payload, qos=1, retain=False):
        """Publish, and wait until the broker has it."""
        form = mqtt.Publish5 if self.version == 5 else mqtt.Publish
        self._next_id += 1
        packet_id = self._next_id if qos else None
        self.say(form(topic=topic, payload=payload, qos=qos, packet_id=packet_id, retain=retain))
        if qos == 1:
            return self.wait_for("puback")
        return None

    def wait_for_payload(self, topic, *payloads):
        """The next message of this topic with one of these payloads; give its packet."""
        return self.wait_for("publish", lambda packet: packet.topic == topic and packet.payload in payloads)

    def close(self):
        self.socket.close()
