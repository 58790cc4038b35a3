"""`cavet draw WHAT …`: drawings as SVG or PDF."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from cavet.commands._bytes import frames_in
from cavet.commands._completing import complete_protocols
from cavet.commands._drawn import map_drawing, pins_drawing, walk_drawing, wiring_drawing
from cavet.commands._drawn_records import delays_drawing, trail_drawing
from cavet.drawings.vector import Drawing, Theme, save, to_svg
from cavet.library.codec import find_codec, is_plan
from cavet.protocols import Codec, Frame, Side, ruler
from cavet.protocols import levels as lines
from cavet.units import parse, show
from cavet.wording import WrongError, hex_pairs, listed, nearest, plain

WHAT = ("frame", "waveform", "wiring", "pins", "map", "walk", "trail", "delays")
OF_BENCHES = {
    "wiring": wiring_drawing, "pins": pins_drawing, "map": map_drawing, "trail": trail_drawing,
    "delays": delays_drawing, "walk": walk_drawing,
}  # fmt: skip
COLUMNS = 84
ON_UART = ("uart", "firmata", "modbus-rtu", "modbus-ascii", "scpi")
"""What travels on an asynchronous line."""
RATES = {"uart": "115200 Bd", "i2c": "100 kHz", "spi": "1 MHz"}
MOST_BYTES = 256
"""So many bytes are drawn as levels: more make no picture."""


@click.command("draw")
@click.argument("what", required=False)
@click.argument(
    "protocol", required=False, metavar="[PROTOCOL | BENCH | FILE#NAME | RECORD]", shell_complete=complete_protocols
)
@click.argument("hex_words", nargs=-1, metavar="[HEX ... | - | BOARD | N]")
@click.option("-o", "path", type=click.Path(path_type=Path), metavar="FILE", help="Into FILE.svg or FILE.pdf.")
@click.option("--light/--dark", default=True, help="On a light ground, or on a dark one.")
@click.option("--from", "side", type=click.Choice([side.value for side in Side]), default="host", help="Who speaks.")
@click.option("--rate", metavar="RATE", help='Waveform: bits a second, such as "57600 Bd", "400 kHz".')
@click.option("--settings", default="8N1", show_default=True, help="Waveform of a serial line: bits, parity, stops.")
@click.option("--mode", type=click.IntRange(0, 3), default=0, show_default=True, help="Waveform of SPI.")
def command(
    what: str | None, protocol: str | None, hex_words: tuple[str, ...], path: Path | None, light: bool, side: str,
    rate: str | None, settings: str, mode: int,
) -> None:  # fmt: skip
    """Draw a frame as a ruler (`frame PROTOCOL HEX …`), or as levels on its line (`waveform PROTOCOL HEX …`); how a
    bench is wired (`wiring BENCH [BOARD]`), a board's pins (`pins BENCH BOARD`), a register map (`map FILE#NAME`),
    which output moves which part (`walk BENCH`); a command of a record (`trail RECORD N`), how long its stages took
    (`delays RECORD`).

    Without -o: SVG on standard output.
    """
    if what not in WHAT:
        raise WrongError("draw", found=what or "nothing", expected=listed(WHAT), nearest=nearest(what or "", WHAT))
    words = tuple(word for word in (protocol, *hex_words) if word is not None)
    if what in OF_BENCHES:
        put(OF_BENCHES[what](words), path, light)
        return
    if protocol is None:
        raise WrongError(f"draw {what}", found="nothing", expected="a protocol and bytes in hex")
    if what == "frame":
        drawing = frame_drawing(protocol, hex_words, Side(side))
    else:
        drawing = wave_drawing(protocol, hex_words, rate, settings, mode)
    put(drawing, path, light)


def put(drawing: Drawing, path: Path | None, light: bool) -> None:
    """Save a drawing, or print it. Raises `WrongError` where it can't be saved."""
    theme: Theme = "light" if light else "dark"
    if path is None:
        sys.stdout.write(to_svg(drawing, theme))
        return
    save(drawing, path, theme)


def frame_drawing(protocol: str, hex_words: tuple[str, ...], side: Side) -> Drawing:
    """The rulers of all frames in some bytes, one below the other."""
    from cavet.drawings.canvas import Canvas
    from cavet.drawings.explained import draw_explained
    from cavet.drawings.from_canvas import canvas_drawing

    chosen = find_codec(protocol)
    frames = [frame for found in frames_in(chosen, side, hex_words) for frame in found]
    if not frames:
        raise WrongError("draw frame", found="no bytes", expected="the bytes of a frame, in hex")
    parts = [draw_explained(frame, ruler(chosen, frame, side), side, COLUMNS) for frame in frames]
    canvas = Canvas(COLUMNS, sum(part.height + 1 for part in parts) - 1)
    y = 0
    for part in parts:
        for row in range(part.height):
            canvas.lay_row(y + row, part, row)
        y += part.height + 1
    return canvas_drawing(canvas, f"{chosen.name}: {_names(frames)}", _told(chosen, frames, side))


def _names(frames: list[Frame]) -> str:
    return plain(", ".join(frame.message.NAME for frame in frames), 80)


def _told(chosen: Codec, frames: list[Frame], side: Side) -> str:
    """What the drawing shows, in words."""
    from cavet.drawings.ruler import value_words

    told = []
    for frame in frames:
        fields = [field for field in ruler(chosen, frame, side) if field.value is not None]
        values = ", ".join(f"{field.name} {value_words(field)}" for field in fields)
        problems = f"; {'; '.join(frame.problems)}" if frame.problems else ""
        told.append(f"{frame.message.NAME}, bytes {hex_pairs(frame.data)}: {values}{problems}")
    return plain(". ".join(told), 2000)


def wave_drawing(protocol: str, hex_words: tuple[str, ...], rate: str | None, settings: str, mode: int) -> Drawing:
    """The levels of some bytes on their line."""
    from cavet.drawings.waveform import waveform_drawing

    kind = "uart" if protocol in ON_UART or is_plan(protocol) else protocol
    if kind not in RATES:
        known = listed((*ON_UART, "i2c", "spi", "FILE#FRAME"))
        raise WrongError("draw waveform", found=protocol, expected=f"what has levels in time: {known}")
    asked = rate or RATES[kind]
    hertz = parse(asked, "Bd" if kind == "uart" else "Hz", "draw.rate")
    if not hertz > 0:
        raise WrongError("draw.rate", found=asked, expected="more than 0")
    chosen = find_codec("spi" if kind == "uart" else protocol)
    frames = [frame for found in frames_in(chosen, Side.HOST, hex_words) for frame in found]
    data = b"".join(frame.data for frame in frames)
    if not 1 <= len(data) <= MOST_BYTES:
        raise WrongError("draw waveform", found=f"{len(data)} bytes", expected=f"1 to {MOST_BYTES}")
    unit = "Bd" if kind == "uart" else "Hz"
    title = f"{hex_pairs(data)} as {protocol}, {show(hertz, unit)}"
    wave = _wave(kind, frames, data, hertz, settings, mode)
    names = listed([trace.name for trace in wave.traces], "and")
    told = " ".join(stretch.text for stretch in wave.stretches if stretch.text)
    return waveform_drawing(wave, plain(title, 90), f"The levels of {names}: {told}")


def _wave(kind: str, frames: list[Frame], data: bytes, rate: float, settings: str, mode: int) -> lines.Waveform:
    if kind == "spi":
        return lines.spi(data, rate, mode=mode)
    if kind == "uart":
        from cavet.links import SerialSettings

        found = SerialSettings.parse(round(rate), settings, "draw.settings")
        return lines.uart(data, rate, bits=found.data_bits, parity=found.parity, stops=found.stop_bits)
    from cavet.protocols.i2c import BusFrame, Mark, Octet

    tokens = [token for frame in frames if isinstance(frame, BusFrame) for token in frame.tokens]
    if not any(isinstance(token, Mark) for token in tokens):
        tokens = [Mark.START, *(Octet(byte) for byte in data), Mark.STOP]
    return lines.bus(tokens, rate)
