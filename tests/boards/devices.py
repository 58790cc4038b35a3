"""The demo's boards in a world of their own, talked to in bytes, in time that is set by hand."""

from cavet.bench import build_world
from cavet.benchfile import load_bench
from cavet.boards import Client
from cavet.demo import demo_path
from cavet.protocols.modbus import crc16
from cavet.record import Record

CHARACTER = 10 / 19200


class Device:
    """One board of the demo. `join` a client, `say` bytes as it, `hear` what comes back."""

    def __init__(self, name, setup=None):
        self.time = 0.0
        self.record = Record(lambda: self.time)
        self.world = build_world(setup or load_bench(demo_path()).setup, [name], self.record)
        self.board = self.world.boards[name]
        self._heard = {}
        self._sent = {}
        self.unread = 0
        self.dropped = []
        self.go(0.1)

    def join(self, protocol, character=0.0):
        client = Client(protocol, character, lambda: self.unread)
        self._heard[client], self._sent[client] = b"", 0
        self.board.opened(client, self.time)
        return client

    def go(self, until):
        """Bring the world to a time, waking it whenever it wants."""
        due = self.world.advance(self.time)
        self._collect()
        while due <= until:
            self.time = max(self.time, due)
            due = self.world.advance(self.time)
            self._collect()
        self.time = until
        self.world.advance(until)
        self._collect()

    def _collect(self):
        for outgoing in self.board.take_out():
            self._heard[outgoing.client] += outgoing.data
            if outgoing.hangs_up:
                self.dropped.append(outgoing.client)

    def say(self, client, data, wait=0.0):
        self.board.feed(client, data, self._sent[client], self.time, self._carried)
        self._sent[client] += len(data)
        self.go(self.time + wait)
        return self.hear(client)

    def hear(self, client):
        heard, self._heard[client] = self._heard[client], b""
        return heard

    def _carried(self, end, data):
        return self.record.append("carried", self.board.name, "link", "test", data)

    def told(self, *kinds):
        return [(e.kind, e.subject, e.value) for e in self.record.since(0) if e.kind in kinds]


def tcp(text, transaction=1, unit=7, protocol=0):
    """A TCP frame around a unit in hex."""
    body = bytes((unit,)) + bytes.fromhex(text)
    return transaction.to_bytes(2, "big") + protocol.to_bytes(2, "big") + len(body).to_bytes(2, "big") + body


def rtu(text, unit=7):
    """An RTU frame around a unit in hex."""
    body = bytes((unit,)) + bytes.fromhex(text)
    return body + crc16(body).to_bytes(2, "little")
