"""Readers of the formats that records are exported to, written for the tests from the formats' own rules alone."""

import struct


def read_vcd(text):
    """The variables of a dump, each with its scopes, kind, and changes as (time in µs, text)."""
    words = iter(text.split())
    scopes, found, at = [], {}, None
    for word in words:
        if word in ("$version", "$timescale", "$date", "$comment"):
            while next(words) != "$end":
                pass
        elif word == "$scope":
            assert next(words) == "module"
            scopes.append(next(words))
            assert next(words) == "$end"
        elif word == "$upscope":
            scopes.pop()
            assert next(words) == "$end"
        elif word == "$var":
            kind, size, code, name = (next(words) for _ in range(4))
            assert next(words) == "$end"
            assert (kind, size) in (("wire", "1"), ("wire", "24"), ("real", "64")) and code not in found
            found[code] = ((*scopes, name), kind, [])
        elif word in ("$enddefinitions", "$dumpvars", "$end"):
            assert word != "$enddefinitions" or not scopes
        elif word[0] == "#":
            assert at is None or int(word[1:]) > at
            at = int(word[1:])
        elif word[0] in "rb":
            found[next(words)][2].append((at, word[1:]))
        else:
            found[word[1:]][2].append((at, word[0]))
    return {path: (kind, changes) for path, kind, changes in found.values()}


def read_pcapng(data):
    """The interfaces of a capture as (name, link type), and its packets as (µs, where, which way, bytes, comment)."""
    interfaces, packets, at = [], [], 0
    while at < len(data):
        kind, size = struct.unpack_from("<II", data, at)
        assert size % 4 == 0 and data[at + size - 4 : at + size] == struct.pack("<I", size)
        body = data[at + 8 : at + size - 4]
        if kind == 0x0A0D0D0A:
            assert struct.unpack_from("<IHHq", body) == (0x1A2B3C4D, 1, 0, -1)
        elif kind == 1:
            options = dict(_options(body[8:]))
            assert options[9] == b"\x06"
            interfaces.append((options[2].decode(), struct.unpack_from("<H", body)[0]))
        else:
            assert kind == 6
            number, high, low, kept, size_there = struct.unpack_from("<IIIII", body)
            assert kept == size_there
            options = dict(_options(body[20 + kept + -kept % 4 :]))
            comment = options.get(1, b"").decode()
            way = struct.unpack("<I", options[2])[0]
            packets.append((high << 32 | low, interfaces[number][0], way, body[20 : 20 + kept], comment))
        at += size
    return interfaces, packets


def _options(data):
    at = 0
    while True:
        code, size = struct.unpack_from("<HH", data, at)
        if code == 0:
            return
        yield code, data[at + 4 : at + 4 + size]
        at += 4 + size + -size % 4


def read_tcp(packet):
    """An IPv4 packet with TCP in it: both ends, its numbers, flags, bytes; its sums are right."""
    assert packet[0] == 0x45 and packet[9] == 6 and len(packet) == struct.unpack_from(">H", packet, 2)[0]
    assert ones(packet[:20]) == 0xFFFF
    segment = packet[20:]
    assert ones(packet[12:20] + struct.pack(">BBH", 0, 6, len(segment)) + segment) == 0xFFFF
    ports = struct.unpack_from(">HH", segment)
    sequence, acknowledges = struct.unpack_from(">II", segment, 4)
    ends = [".".join(map(str, packet[at : at + 4])) for at in (12, 16)]
    head = (segment[12] >> 4) * 4
    return (ends[0], ports[0]), (ends[1], ports[1]), sequence, acknowledges, segment[13], segment[head:]


def ones(data):
    """The ones' complement sum of 16-bit words."""
    data += b"\0" * (len(data) % 2)
    total = 0
    for (word,) in struct.iter_unpack(">H", data):
        total += word
        total = (total & 0xFFFF) + (total >> 16)
    return total
