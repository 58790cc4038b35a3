"""`cavet decode PROTOCOL [HEX ... | -]`: frames, as JSON lines."""

from __future__ import annotations

import re
import sys
from collections.abc import Callable, Iterator, Sequence

import click
import msgspec

from cavet.protocols import Codec, Frame, Side, as_fields, codec
from cavet.wording import WrongError, hex_pairs

CHUNK_CHARACTERS = 65536
Namer = Callable[[Frame], dict[str, object]]


@click.command("decode")
@click.argument("protocol")
@click.argument("hex_words", nargs=-1, metavar="[HEX ... | -]")
@click.option("--from", "side", type=click.Choice([side.value for side in Side]), default="host", help="Who speaks.")
@click.option("--bench", metavar="BENCH", help="Modbus: name and scale what is at the addresses as this bench does.")
@click.option("--address", type=click.IntRange(0, 65535), help="With --bench: where the answer to a read begins.")
def command(protocol: str, hex_words: tuple[str, ...], side: str, bench: str | None, address: int | None) -> int:
    """Read a stream of bytes, given as hex or on standard input; print a JSON object a frame."""
    chosen = codec(protocol)
    decoder = chosen.decoder(Side(side))
    name = namer(protocol, bench, address)
    wrong = False
    for data in read_hex(hex_words):
        wrong |= print_frames(chosen, decoder.feed(data), name)
    wrong |= print_frames(chosen, decoder.finish(), name)
    return 1 if wrong else 0


def namer(protocol: str, bench: str | None, address: int | None) -> Namer:
    """Give what adds names to a frame's line: nothing without a bench."""
    if bench is None:
        return lambda frame: {}
    from cavet.bench import address_names
    from cavet.commands._bench import open_bench

    names = address_names(open_bench(bench).plan, protocol)
    return lambda frame: {"named": names.of(frame.message, address)} if frame.readable else {}


def print_frames(chosen: Codec, frames: Sequence[Frame], name: Namer) -> bool:
    """Print frames; tell whether one has a problem."""
    wrong = False
    for frame in frames:
        print(msgspec.json.encode({**line_of(chosen, frame), **name(frame)}).decode())
        wrong |= bool(frame.problems)
    return wrong


def line_of(chosen: Codec, frame: Frame) -> dict[str, object]:
    """Give the JSON object of a frame."""
    return {
        "protocol": chosen.name,
        "message": frame.message.NAME,
        "fields": as_fields(frame.message, chosen.unused) if frame.readable else {},
        "hex": hex_pairs(frame.data),
        "offset": frame.offset,
        "problems": list(frame.problems),
    }


def read_hex(words: tuple[str, ...]) -> Iterator[bytes]:
    """Give the bytes of hex words, or of standard input for `-` and for none, as they come."""
    if words and words != ("-",):
        yield parse_hex(" ".join(words))
        return
    rest = ""
    while chunk := sys.stdin.read(CHUNK_CHARACTERS):
        text = rest + chunk
        cut = max(text.rfind(" "), text.rfind("\n"))
        whole, rest = (text[:cut], text[cut:]) if cut > 0 else ("", text)
        if len(rest) > CHUNK_CHARACTERS:
            even = len(rest) & ~1
            whole, rest = rest[:even], rest[even:]
        yield parse_hex(whole)
    yield parse_hex(rest)


def parse_hex(text: str) -> bytes:
    """Read hex digits: in pairs, glued, with spaces, commas, colons or 0x before them."""
    digits = re.sub(r"0[xX]|[\s,:]+", " ", text)
    out = bytearray()
    for word in digits.split():
        if not re.fullmatch(r"[0-9a-fA-F]+", word):
            raise WrongError("decode", found=word[:40], expected="hex pairs")
        if len(word) % 2:
            raise WrongError("decode", found=word[:40], expected="hex digits in pairs")
        out += bytes.fromhex(word)
    return bytes(out)
