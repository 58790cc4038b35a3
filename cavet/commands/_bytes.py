"""Bytes as they are given to a command: as hex in its call, as hex or raw on its standard input."""

from __future__ import annotations

import re
import sys
from collections.abc import Callable, Iterator, Sequence
from io import BufferedIOBase
from typing import TYPE_CHECKING

import click

from cavet.protocols import Codec, Decoder, Frame, Side
from cavet.wording import WrongError

if TYPE_CHECKING:
    from cavet.protocols.i2c import I2cDecoder

CHUNK_BYTES = 65536
PAIRS = re.compile(r"(?:[0-9a-fA-F]{2})+(?![xX])")
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


def frames_in(
    chosen: Codec, side: Side, words: tuple[str, ...], *, pec: bool = False, binary: bool = False
) -> Iterator[Sequence[Frame]]:
    """The frames in what is given, as soon as each is whole."""
    if binary:
        if words not in ((), ("-",)):
            raise WrongError("--binary", found="bytes in the call", expected="raw bytes on standard input")
        decoder = bus_decoder(pec=pec) if chosen.name == "i2c" else plain_decoder(chosen, side, pec=pec)
        for data in arriving():
            yield decoder.feed(data)
        yield decoder.finish()
        return
    feed, finish = reader(chosen, side, pec=pec)
    for text in read_text(words, glued=chosen.name != "i2c"):
        yield feed(text)
    yield finish()


def hint_at_other_side(chosen: Codec, side: Side, words: tuple[str, ...]) -> None:
    """Say on standard error that bytes of which nothing can be read are well said by the other side, where they are."""
    if words in ((), ("-",)):
        return
    other = Side.BOARD if side is Side.HOST else Side.HOST
    here, there = ([frame for frames in frames_in(chosen, each, words) for frame in frames] for each in (side, other))
    if there and not any(frame.readable for frame in here) and not any(frame.problems for frame in there):
        click.echo(f"said by the {other.value} it reads without a fault: --from {other.value}", err=True)


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
