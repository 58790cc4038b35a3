"""Speed of MQTT: our broker against a real one with the same client, and the codec against bare byte work."""

import asyncio
import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from cavet.protocols import Side, mqtt
from cavet.protocols.mqtt import V3, V5, Filter
from tests.commands.real_broker import RealBroker, broker_path, free_port
from tests.speed_devices import told_ratio
from tests.speed_tools import best, share, told

TOPIC = "speed/of/messages"
PAYLOAD = b"x" * 20
WINDOW = 200
"""So many messages are under way: the publisher waits until the subscribers have them."""
BENCH = """
format = 1
[links.far]
kind = "mqtt"
board = "far"
station = "real"
"""


class OurBroker:
    """Our own broker in a process of its own, with no board on it."""

    def __init__(self):
        self._folder = tempfile.TemporaryDirectory()
        path = Path(self._folder.name) / "broker.bench.toml"
        self.port = free_port()
        path.write_text(f"{BENCH}[broker]\nport = {self.port}\n")
        words = [sys.executable, "-m", "cavet", "serve", str(path), "--json"]
        self._process = subprocess.Popen(words, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, text=True)
        while json.loads(self._process.stdout.readline())["event"] != "ready":
            pass

    def end(self):
        self._process.terminate()
        self._process.wait()
        self._process.stdout.close()
        self._folder.cleanup()


class Subscriber(asyncio.Protocol):
    """Counts what comes; acknowledges QoS 1."""

    def __init__(self, number, qos):
        self._hello = V3.encode(mqtt.Connect(client_id=f"s{number}")) + V3.encode(
            mqtt.Subscribe(packet_id=1, filters=(Filter(TOPIC, qos),))
        )
        self._qos = qos
        self._rest = b""
        self.count = 0
        self.ready = asyncio.Event()
        self.moved = asyncio.Event()

    def connection_made(self, transport):
        self._transport = transport
        transport.write(self._hello)

    def data_received(self, data):
        data = self._rest + data
        at, out = 0, bytearray()
        while len(data) - at >= 2 and len(data) - at >= 2 + data[at + 1]:
            kind = data[at] >> 4
            if kind == 3:
                self.count += 1
                if self._qos:
                    begin = at + 4 + len(TOPIC)
                    out += b"\x40\x02" + data[begin : begin + 2]
            elif kind == 9:
                self.ready.set()
            at += 2 + data[at + 1]
        self._rest = data[at:]
        if out:
            self._transport.write(bytes(out))
        self.moved.set()


async def messages_a_second(port, subscribers, qos, count):
    """How many messages reach all subscribers each second, from one publisher."""
    loop = asyncio.get_running_loop()
    ends = []
    for number in range(subscribers):
        _, end = await loop.create_connection(lambda number=number: Subscriber(number, qos), "127.0.0.1", port)
        await end.ready.wait()
        ends.append(end)
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    writer.write(V3.encode(mqtt.Connect(client_id="p")))
    await reader.readexactly(4)
    acks = asyncio.create_task(drain(reader))
    began = time.perf_counter()
    for first in range(0, count, WINDOW):
        numbers = range(first, min(count, first + WINDOW))
        writer.write(b"".join(packet(qos, number) for number in numbers))
        await writer.drain()
        for end in ends:
            while end.count < numbers.start:  # one window is under way while the next one is written
                end.moved.clear()
                await end.moved.wait()
    for end in ends:
        while end.count < count:
            end.moved.clear()
            await end.moved.wait()
    seconds = time.perf_counter() - began
    acks.cancel()
    writer.close()
    for end in ends:
        end._transport.close()
    return count / seconds


def packet(qos, number):
    return V3.encode(mqtt.Publish(topic=TOPIC, payload=PAYLOAD, qos=qos, packet_id=number % 60000 + 1 if qos else None))


async def drain(reader):
    while await reader.read(65536):
        pass


def brokers():
    if broker_path() is None:
        told("MQTT, messages through a broker", "no broker to compare with", "none", False)
        return
    ours, real = OurBroker(), RealBroker()
    try:
        for qos in (0, 1):
            for subscribers, count in ((1, 20_000), (10, 4_000), (100, 600)):
                rates = []
                for broker in (real, ours):
                    rates.append(
                        max(asyncio.run(messages_a_second(broker.port, subscribers, qos, count)) for _ in range(3))
                    )
                name = f"MQTT, QoS {qos}, 1 to {subscribers}, {rates[1]:.0f} / s (a real broker: {rates[0]:.0f})"
                if subscribers == 1:
                    share(name, rates[1], rates[0], 0.25)
                else:
                    told(name, f"{rates[1] / rates[0]:.2f} of the real one", "none set", True)
    finally:
        ours.end()
        real.end()


def codecs():
    count = 5000
    for codec, form, empty in ((V3, mqtt.Publish, b""), (V5, mqtt.Publish5, b"\0")):
        topics = [f"a/b/{number % 50}" for number in range(count)]
        stream = b"".join(codec.encode(form(topic=topic, payload=b"12.5")) for topic in topics)

        def bare_decode(stream=stream, empty=empty):
            out, at, skip = [], 0, len(empty)
            while at < len(stream):
                size = stream[at + 1]
                length = stream[at + 2] << 8 | stream[at + 3]
                begin = at + 4 + length
                out.append((stream[at + 4 : begin].decode(), stream[begin + skip : at + 2 + size]))
                at += 2 + size
            return out

        def bare_encode(topics=topics, empty=empty):
            out = []
            for topic in topics:
                body = len(topic).to_bytes(2, "big") + topic.encode() + empty + b"12.5"
                out.append(bytes((0x30, len(body))) + body)
            return out

        frames = codec.decoder(Side.HOST).feed(stream)
        assert [(frame.message.topic, frame.message.payload) for frame in frames] == bare_decode()
        assert b"".join(bare_encode()) == stream
        ours = best(lambda codec=codec, stream=stream: codec.decoder(Side.HOST).feed(stream))
        told_ratio(f"{codec.name}, decoding publishes (against slices)", ours, best(bare_decode))
        ours = best(
            lambda codec=codec, form=form, topics=topics: [codec.encode(form(topic=t, payload=b"12.5")) for t in topics]
        )
        told_ratio(f"{codec.name}, encoding publishes (against joined bytes)", ours, best(bare_encode))


MEASURES = (codecs, brokers)

if __name__ == "__main__":
    for measure in MEASURES:
        measure()
