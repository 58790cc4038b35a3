"""`cavet decode PROTOCOL [HEX ... | -]`: frames, as JSON lines."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import click
import msgspec

from cavet.commands._bytes import frames_in, hint_at_other_side
from cavet.commands._completing import complete_protocols
from cavet.library.codec import find_codec
from cavet.protocols import Codec, Frame, Side, as_fields
from cavet.units import parse
from cavet.wording import WrongError, hex_pairs

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
    wrong = False
    for frames in frames_in(chosen, Side(side), hex_words, pec=pec, binary=binary):
        wrong |= print_frames(chosen, frames, adders)
    if wrong:
        hint_at_other_side(chosen, Side(side), hex_words)
    return 1 if wrong else 0


def namer(protocol: str, bench: str | None, address: int | None) -> Adder:
    """Give what adds names to a frame's line: nothing without a bench."""
    if bench is None and address is not None:
        raise WrongError("decode", found="--address", expected="it with --bench only")
    if bench is None:
        return lambda frame: {}
    from cavet.bench import address_names
    from cavet.commands._bench import open_bench

    names = address_names(open_bench(bench).setup, protocol)
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
