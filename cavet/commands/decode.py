"""`cavet decode PROTOCOL [HEX ... | -]`: frames, as JSON lines."""

from __future__ import annotations

import re
import sys
from collections.abc import Callable, Iterator, Sequence
from io import BufferedIOBase
from typing import TYPE_CHECKING

import click
import msgspec

from cavet.commands._completing import complete_protocols
from cavet.library.codec import find_codec
from cavet.protocols import Codec, Decoder, Frame, Side, as_fields
from cavet.units import parse
from cavet.wording import WrongError, hex_pairs

if TYPE_CHECKING:
    from cavet.protocols.i2c import I2cDecoder

CHUNK_BYTES = 65536
PAIRS = re.compile(r"(?:[0-9a-fA-F]{2})+(?![xX])")
Adder = Callable[[Frame], dict[str, object]]
"""Gives what a frame's line has beside what all have."""


@click.command("decode")
@click.argument("protocol", shell_complete=complete_protocols)
@click.argument("hex_words", nargs=-1, metavar="[HEX ... | -]")
@click.option("--from", "side", type=click.Choice([side.value for side in Side]), default="host", help="Who speaks.")
@click.option("--bench", metavar="BENCH", help="Modbus: name and scale what is at the addresses as this bench does.")
@click.option("--address", type=click.IntRange(0, 65535), help="With --bench: where the answer to a read begins.")
@click.option("--pec", is_flag=True, help="I2C: each transaction's last byte is its packet error code.")
@click.option("--binary", is_flag=True, help="Standard input is the bytes themselves, not hex.")
@click.option("--rate", metavar="RATE", help='I2C, SPI: tell the time on the wire at this rate, such as "100 kHz".')
def command(
    protocol: str,
    hex_words: tuple[str, ...],
    side: str,
    bench: str | None,
    address: int | None,
    pec: bool,
    rate: str | None,
    binary: bool,
) -> int:
    """Read a stream of bytes, given as hex or on standard input; print a JSON object a frame when it is whole."""
    chosen = find_codec(protocol)
    adders = [namer(protocol, bench, address), timer(protocol, rate)]
    if binary and hex_words not in ((), ("-",)):
        raise WrongError("decode", found="bytes in the call and --binary", expected="raw bytes on standard input")
    wrong = False
    if binary:
        decoder = bus_decoder(pec=pec) if chosen.name == "i2c" else plain_decoder(chosen, Side(side), pec=pec)
        for data in arriving():
            wrong |= print_frames(chosen, decoder.feed(data), adders)
        return 1 if wrong | print_frames(chosen, decoder.finish(), adders) else 0
    feed, finish = reader(chosen, Side(side), pec=pec)
    for text in read_text(hex_words, glued=chosen.name != "i2c"):
        wrong |= print_frames(chosen, feed(text), adders)
    return 1 if wrong | print_frames(chosen, finish(), adders) else 0


Feed = Callable[[str], Sequence[Frame]]


def bus_decoder(*, pec: bool) -> I2cDecoder:
    """Give what reads a bus."""
    from cavet.protocols import i2c

    return i2c.I2cDecoder(pec=pec)


def plain_decoder(chosen: Codec, side: Side, *, pec: bool) -> Decoder:
    """Give what reads what one side says."""
    if pec:
        raise WrongError("decode", found="--pec", expected="it with i2c only")
    return chosen.decoder(side)


def reader(chosen: Codec, side: Side, *, pec: bool) -> tuple[Feed, Callable[[], Sequence[Frame]]]:
    """Give what reads written bytes, and what ends it. A bus is written with marks among the bytes."""
    if chosen.name == "i2c":
        bus = bus_decoder(pec=pec)
        return bus.feed_text, bus.finish
    decoder = plain_decoder(chosen, side, pec=pec)
    return lambda text: decoder.feed(parse_hex(text)), decoder.finish


def namer(protocol: str, bench: str | None, address: int | None) -> Adder:
    """Give what adds names to a frame's line: nothing without a bench."""
    if bench is None:
        return lambda frame: {}
    from cavet.bench import address_names
    from cavet.commands._bench import open_bench

    names = address_names(open_bench(bench).plan, protocol)
    return lambda frame: {"named": names.of(frame.message, address)} if frame.readable else {}


def timer(protocol: str, rate: str | None) -> Adder:
    """Give what adds the time on the wire to a frame's line: nothing without a rate."""
    if rate is None:
        return lambda frame: {}
    if protocol not in ("i2c", "spi"):
        raise WrongError("decode", found="--rate", expected="it with i2c or spi only")
    from cavet.protocols.i2c import BusFrame

    hertz = parse(rate, "Hz", "decode.rate")
    if not hertz > 0:
        raise WrongError("decode.rate", found=rate, expected="more than 0 Hz")

    def wire_time(frame: Frame) -> dict[str, object]:
        clocks = frame.clocks if isinstance(frame, BusFrame) else 8 * len(frame.data)
        return {"wire_us": round(clocks * 1e6 / hertz, 6)}

    return wire_time


def print_frames(chosen: Codec, frames: Sequence[Frame], adders: Sequence[Adder]) -> bool:
    """Print frames; tell whether one has a problem."""
    wrong = False
    for frame in frames:
        line = line_of(chosen, frame)
        for added in adders:
            line.update(added(frame))
        print(msgspec.json.encode(line).decode(), flush=True)
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


def arriving() -> Iterator[bytes]:
    """Give the bytes of standard input as they come."""
    stdin = sys.stdin.buffer
    assert isinstance(stdin, BufferedIOBase)  # whether a file, a pipe or a terminal is behind it
    while data := stdin.read1(CHUNK_BYTES):
        yield data


def read_text(words: tuple[str, ...], *, glued: bool) -> Iterator[str]:
    """Give the words, or standard input for `-` and for none, as it comes, cut between bytes. `glued` says that pairs
    that stand together are bytes, whatever may follow them."""
    if words and words != ("-",):
        yield " ".join(words)
        return
    rest = ""
    for data in arriving():
        text = rest + data.decode("ascii", "replace")
        cut = max(text.rfind(" "), text.rfind("\n")) + 1
        whole, rest = text[:cut], text[cut:]
        if glued and (pairs := PAIRS.match(rest)):
            whole, rest = whole + pairs[0], rest[pairs.end() :]
        if len(rest) > CHUNK_BYTES:
            raise WrongError("decode", found=rest[:40], expected="hex pairs")
        yield whole
    yield rest


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
