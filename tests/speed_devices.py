"""Speed of the Modbus and SCPI boards over TCP, against a bare asyncio echo of the same sizes; and of their codecs."""

import json
import socket
import struct
import subprocess
import sys
import threading
import time

from cavet.protocols import Side, codec, modbus
from tests.boards.devices import tcp
from tests.speed_tools import best, share, told

PAIRS = 2000
CLIENTS = 50
ECHO = """
import asyncio, sys
async def serve(reader, writer):
    while data := await reader.read(65536):
        writer.write(b"x" * (len(data) if sys.argv[1] == "same" else int(sys.argv[1])))
async def main():
    server = await asyncio.start_server(serve, "127.0.0.1", 0)
    print(server.sockets[0].getsockname()[1], flush=True)
    await server.serve_forever()
asyncio.run(main())
"""
WRITE, READ = tcp("05 0004 FF00"), tcp("01 0004 0001")
QUERY, ANSWER_BYTES = b"SOUR1:VOLT?\n", len(b"0.000000E+00\n")


class Echo:
    """A bare asyncio server in a process of its own."""

    def __init__(self, size):
        self._process = subprocess.Popen([sys.executable, "-c", ECHO, size], stdout=subprocess.PIPE, text=True)
        self.port = int(self._process.stdout.readline())

    def end(self):
        self._process.terminate()
        self._process.wait()
        self._process.stdout.close()


class Boards:
    """The demo's boards, served in a process of their own."""

    def __init__(self):
        words = [sys.executable, "-m", "cavet", "serve", "demo", "--json"]
        self._process = subprocess.Popen(words, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, text=True)
        self.ports = {}
        while (line := json.loads(self._process.stdout.readline()))["event"] == "endpoint":
            if line["link"] == "tcp":
                self.ports[line["board"]] = int(line["address"].rpartition(":")[2])

    end = Echo.end


def exchanges(port, rounds, *messages):
    """How often a second the messages, each with its answer, go to and fro. `messages` are bytes and answer sizes."""
    with socket.create_connection(("127.0.0.1", port)) as link:
        link.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        began = time.perf_counter()
        for _ in range(rounds):
            for data, size in messages:
                link.sendall(data)
                heard = 0
                while heard < size:
                    heard += len(link.recv(65536))
        return rounds / (time.perf_counter() - began)


def at_once(port, *messages):
    """The same for many clients together, each in a thread of its own: all their exchanges a second."""
    rounds = PAIRS // CLIENTS
    threads = [threading.Thread(target=exchanges, args=(port, rounds, *messages)) for _ in range(CLIENTS)]
    began = time.perf_counter()
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return CLIENTS * rounds / (time.perf_counter() - began)


def over_tcp():
    boards = Boards()
    same, short = Echo("same"), Echo(str(ANSWER_BYTES))
    pair, bare_pair = ((WRITE, 12), (READ, 10)), ((WRITE, 12), (READ, 12))
    query = ((QUERY, ANSWER_BYTES),)
    try:
        for measure, who in ((exchanges, "one client"), (at_once, f"{CLIENTS} clients")):
            more = (PAIRS,) if measure is exchanges else ()
            bare = max(measure(same.port, *more, *bare_pair) for _ in range(3))
            ours = max(measure(boards.ports["pumphouse"], *more, *pair) for _ in range(3))
            share(f"Modbus TCP, writes and confirms of {who}, {ours:.0f} / s (echo)", ours, bare, 0.5)
            bare = max(measure(short.port, *more, *query) for _ in range(3))
            ours = max(measure(boards.ports["switchrack"], *more, *query) for _ in range(3))
            share(f"SCPI, queries of {who}, {ours:.0f} / s (echo)", ours, bare, 0.4)
    finally:
        for process in (boards, same, short):
            process.end()


def codecs():
    count = 5000
    stream = b"".join(tcp(f"06 {number % 100:04X} {number:04X}", number) for number in range(count))

    def bare_modbus():
        out, at = [], 0
        while at < len(stream):
            transaction, protocol, length, unit = struct.unpack_from(">HHHB", stream, at)
            if protocol == 0 and stream[at + 7] == 6:
                out.append((transaction, unit, *struct.unpack_from(">HH", stream, at + 8)))
            at += 6 + length
        return out

    frames = modbus.TCP.decoder(Side.HOST).feed(stream)
    assert [
        (f.message.transaction, f.message.unit, f.message.address, f.message.value) for f in frames
    ] == bare_modbus()
    ours = best(lambda: modbus.TCP.decoder(Side.HOST).feed(stream))
    told_ratio("Modbus TCP, decoding (against struct)", ours, best(bare_modbus))
    text = b"".join(b"SOUR%d:VOLT %d.5\n" % (number % 2 + 1, number % 24) for number in range(count))

    def bare_scpi():
        out = []
        for line in text.split(b"\n")[:-1]:
            header, _, value = line.partition(b" ")
            out.append((header.upper().split(b":"), float(value)))
        return out

    ours = best(lambda: codec("scpi").decoder(Side.HOST).feed(text))
    told_ratio("SCPI, decoding (against split and float)", ours, best(bare_scpi))


def told_ratio(name, ours, bare):
    told(name, f"{ours / bare:.2f} × bare", "none set", True)


MEASURES = (codecs, over_tcp)
