"""A broker with clients in memory: each says packets, and reads what it is told."""

from __future__ import annotations

from typing import Any

from cavet.boards import Client
from cavet.boards.firmware.mqtt import Broker, BrokerSettings
from cavet.protocols import Message, Side, mqtt
from cavet.protocols.mqtt import V3, V5, Filter
from cavet.record import Record, Tell


class Office:
    """One broker, and the time."""

    def __init__(self, **limits: Any) -> None:
        self.now = 0.0
        self.record = Record(lambda: self.now)
        self.broker = Broker(BrokerSettings(**limits), Tell(self.record, "broker"))
        self.clients: dict[Client, Peer] = {}

    def peer(self, version: int = 4) -> Peer:
        """A connection on which nothing was said yet."""
        return Peer(self, version)

    def client(self, client_id: str = "", version: int = 4, **fields: Any) -> Peer:
        """A client that was let in."""
        peer = Peer(self, version)
        peer.answer = peer.connect(client_id, **fields)
        return peer

    def wait(self, seconds: float) -> None:
        """Let time pass, and the broker do what is due."""
        end = self.now + seconds
        while (due := self.broker.advance(self.now)) <= end:
            self.now = max(self.now, due)
        self.now = end
        self.broker.advance(self.now)
        self.hand_out()

    def hand_out(self) -> None:
        """Bring what the broker says to its clients."""
        for outgoing in self.broker.take_out():
            self.clients[outgoing.client].take(outgoing.data, outgoing.hangs_up)


class Peer:
    """One connection to the broker. `unread` is what it has not taken yet, for the broker to see."""

    def __init__(self, office: Office, version: int) -> None:
        self._office = office
        self.version = version
        self.codec = V5 if version == 5 else V3
        self.unread = 0
        self.client = Client("mqtt", unread=lambda: self.unread)
        self.decoder = self.codec.decoder(Side.BOARD)
        self.got: list[Any] = []
        self.raw = b""
        self.shut = False
        self.answer: Any = None
        self._offset = 0
        office.clients[self.client] = self
        office.broker.joined(self.client, office.now)

    def take(self, data: bytes, hangs_up: bool) -> None:
        self.raw += data
        for frame in self.decoder.feed(data):
            assert not frame.problems, frame
            self.got.append(frame.message)
        self.shut = self.shut or hangs_up

    def say_bytes(self, data: bytes) -> None:
        """Say bytes as they are."""
        broker, now = self._office.broker, self._office.now
        broker.feed(self.client, data, now, lambda frame: 0)
        broker.advance(now)
        self._office.hand_out()

    def say(self, *packets: Message) -> list[Any]:
        """Say packets; give what the broker told since the last look."""
        self.say_bytes(b"".join(self.codec.encode(packet) for packet in packets))
        return self.read()

    def read(self) -> list[Any]:
        """What was told since the last look."""
        got, self.got = self.got, []
        return got

    def connect(self, client_id: str = "", **fields: Any) -> Any:
        """Ask to be let in; give the answer."""
        form = mqtt.Connect5 if self.version == 5 else mqtt.Connect
        told = self.say(form(client_id=client_id, **fields))
        self.got = told[1:]
        return told[0]

    def subscribe(self, *filters: str | tuple[str, int], packet_id: int = 1, **fields: Any) -> Any:
        """Ask for filters, each with its options; give the answer."""
        wanted = tuple(Filter(text, 0) if isinstance(text, str) else Filter(*text) for text in filters)
        form = mqtt.Subscribe5 if self.version == 5 else mqtt.Subscribe
        told = self.say(form(packet_id=packet_id, filters=wanted, **fields))
        self.got = told[1:]
        return told[0]

    def publish(self, topic: str, payload: bytes = b"x", **fields: Any) -> list[Any]:
        """Publish; give what is told."""
        form = mqtt.Publish5 if self.version == 5 else mqtt.Publish
        return self.say(form(topic=topic, payload=payload, **fields))

    def drop(self) -> None:
        """The connection breaks."""
        self._office.broker.left(self.client, self._office.now)
        self._office.broker.advance(self._office.now)
        self._office.hand_out()
