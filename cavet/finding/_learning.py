"""What a board tells of itself, made into the beginning of a bench: its link, its host, a profile, first points."""

from __future__ import annotations

from typing import Any

from cavet.finding._bench import bench_from
from cavet.finding._questions import Answer
from cavet.finding._talk import Talk
from cavet.finding._who import who
from cavet.links import SerialEnd, SerialSettings, TcpClientEnd
from cavet.protocols import Side, firmata, read_whole
from cavet.protocols import codec as codec_of

LEARN_SECONDS = 3.0
MODES = {
    firmata.Mode.OUTPUT: "output", firmata.Mode.INPUT: "input", firmata.Mode.PULLUP: "pull_up",
    firmata.Mode.PWM: "pwm", firmata.Mode.SERVO: "servo", firmata.Mode.I2C: "bus", firmata.Mode.ONEWIRE: "onewire",
    firmata.Mode.STEPPER: "stepper", firmata.Mode.ENCODER: "encoder",
}  # fmt: skip
"""The keys of a profile, by Firmata's modes."""
NO_CHANNEL = 127
Abilities = tuple[tuple[Any, ...], ...]
"""For each pin the modes that it has."""


async def bench_at(address: str, name: str, known: Answer | None = None) -> str:
    """The text of a bench for who is at an address; `known` is what it said already. Raises `WrongError`,
    `UnreachableError`."""
    known = known or await who(address)
    pins = await learn_pins(known) if known["protocol"] == "firmata" else None
    return bench_from(known, name, pins)


async def learn_pins(known: Answer) -> dict[str, Any]:
    """What each pin of a Firmata board can do, as the keys of a profile. Raises `UnreachableError`."""
    address = str(known["address"])
    if address.startswith("/"):
        end: SerialEnd | TcpClientEnd = SerialEnd(address, SerialSettings(rate=int(known["baud"])))
    else:
        host, _, port = address.rpartition(":")
        end = TcpClientEnd(host, int(port))
    async with Talk(end) as talk:
        question = firmata.encode(firmata.CapabilityQuery())
        able: Abilities | None = None
        for _ in range(6):  # the opening may have reset it again
            able = able or await talk.ask(question, _abilities, LEARN_SECONDS / 6)
        channels = await talk.ask(firmata.encode(firmata.AnalogMappingQuery()), _channels, LEARN_SECONDS / 3)
    return _as_profile(able or (), channels or b"")


def _abilities(data: bytes) -> Abilities | None:
    for frame in read_whole(codec_of("firmata"), data, Side.BOARD):
        if isinstance(frame.message, firmata.CapabilityResponse):
            return frame.message.pins
    return None


def _channels(data: bytes) -> bytes | None:
    for frame in read_whole(codec_of("firmata"), data, Side.BOARD):
        if isinstance(frame.message, firmata.AnalogMappingResponse):
            return bytes(frame.message.channels)
    return None


def _as_profile(able: Abilities, channels: bytes) -> dict[str, Any]:
    """Pin lists by mode, as a profile's table has them; pins that can do nothing are left out."""
    there = [number for number, modes in enumerate(able) if modes]
    found: dict[str, Any] = {"pins": _ranges(list(range(len(able))))}
    bits = 10
    for mode, key in MODES.items():
        pins = [number for number, modes in enumerate(able) if any(each.mode == mode for each in modes)]
        if pins:
            found[key] = _ranges(pins)
    analog = {number: channel for number, channel in enumerate(channels) if channel != NO_CHANNEL and number in there}
    if analog:
        found["analog"] = ", ".join(str(pin) for pin in sorted(analog, key=analog.__getitem__))
        bits = max(
            (each.resolution for pin in analog for each in able[pin] if each.mode == firmata.Mode.ANALOG), default=bits
        )
        found["analog_bits"] = bits
    return found


def _ranges(pins: list[int]) -> str:
    """Pins as they are written: `2-13, 18`."""
    runs: list[list[int]] = []
    for pin in pins:
        if runs and pin == runs[-1][-1] + 1:
            runs[-1].append(pin)
        else:
            runs.append([pin])
    return ", ".join(f"{run[0]}-{run[-1]}" if len(run) > 1 else str(run[0]) for run in runs)
