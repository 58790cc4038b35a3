"""Pieces of a shape of their own: the capability lists, the I2C request; and how a person writes such fields."""

from __future__ import annotations

from typing import Any

import msgspec

from cavet.protocols._frame import Field, Role
from cavet.protocols._message import FieldError
from cavet.protocols._reader import Reader
from cavet.protocols.firmata._pieces import Octets, from_groups, pairs_of, seven_bit_groups
from cavet.units import whole_number

END_OF_PIN = 0x7F


class AbilityLists(msgspec.Struct, frozen=True):
    """For each pin its modes and resolutions by turns, closed by `7F`."""

    name: str
    ability: type[Any]

    def put(self, message: Any, body: bytearray) -> None:
        for abilities in getattr(message, self.name):
            for ability in abilities:
                body += bytes((ability.mode, ability.resolution))
            body.append(END_OF_PIN)

    def take(self, reader: Reader) -> None:
        pins: list[tuple[Any, ...]] = []
        while reader.rest:
            pins.append(self._take_pin(reader, len(pins)))
        if len(pins) > 128:
            reader.problems.append(f"pins: found {len(pins)} pins, expected at most 128")
        reader.fields[self.name] = tuple(pins[:128])

    def _take_pin(self, reader: Reader, number: int) -> tuple[Any, ...]:
        """The modes of a pin, up to what closes its list. A resolution is never 7F."""
        end = reader.data.find(END_OF_PIN, reader.at, reader.end)
        closed = end >= 0
        end = end if closed else reader.end
        found = []
        while end - reader.at > 1:
            first = reader.at
            mode, bits = reader.take(self.name, 2)
            found.append(self.ability(mode=mode, resolution=bits))
            reader.note("mode", first, mode, last=first + 1, meaning=f"of pin {number}")
            reader.note("resolution", first + 1, bits, unit="bit")
        if reader.at < end:
            first = reader.at
            problem = f"pin {number} has a mode without a resolution"
            reader.problems.append(f"pins: {problem}")
            reader.note("mode", first, reader.take(self.name, 1)[0], problem=problem)
        if closed:
            first = reader.at
            reader.note("end_of_pin", first, reader.take(self.name, 1)[0], role=Role.CONSTANT, meaning=f"pin {number}")
        else:
            reader.problems.append(f"pins: the list of pin {number} is not closed by 7F")
        return tuple(found)


class I2cBody(msgspec.Struct, frozen=True):
    """Address, mode bits, then a register and a count for a read, or the bytes of a write, all as pairs."""

    def put(self, message: Any, body: bytearray) -> None:
        body.append(message.address & 0x7F)
        body.append(message.address >> 7 | message.mode << 3 | message.ten_bit << 5 | message.restart << 6)
        if message.register is not None:
            body += seven_bit_groups(message.register, 2)
        if message.count is not None:
            body += seven_bit_groups(message.count, 2)
        body += pairs_of(message.data)

    def take(self, reader: Reader) -> None:
        first = reader.at
        low, control = reader.take("address", 2)
        mode, ten_bit = control >> 3 & 3, bool(control & 0x20)
        address = low | ((control & 7) << 7 if ten_bit else 0)
        reader.fields.update(mode=mode, ten_bit=ten_bit, restart=bool(control & 0x40), address=address)
        stray = control & 7 and not ten_bit
        if stray:
            reader.problems.append("address: its upper bits are set, but not the bit for ten-bit addresses")
        self._note_head(reader, first, low, control)
        if mode not in READS:
            Octets("data").take(reader)
            return
        names = ("register", "count") if reader.rest >= 4 else ("count",)
        for name in names:
            at = reader.at
            reader.fields[name] = from_groups(reader.take("count", 2))
            reader.note(name, at, reader.fields[name], raw=reader.fields[name], low_first=True)

    def _note_head(self, reader: Reader, first: int, low: int, control: int) -> None:
        if reader.placed is None:
            return
        fields = reader.fields
        reader.note_bits("restart", first + 1, 0, 1, fields["restart"])
        reader.note_bits("ten_bit", first + 1, 1, 1, fields["ten_bit"])
        reader.note_bits("mode", first + 1, 2, 2, fields["mode"])
        if not fields["ten_bit"]:
            reader.note("address", first, low, last=first + 1, meaning="of the device")
            problem = "expected 0, as the address has seven bits" if control & 7 else ""
            reader.note_bits(
                "unused", first + 1, 4, 3, control & 7, role=Role.UNUSED, problem=problem, expected=0,
                meaning="upper bits of the address, for ten-bit ones only",
            )  # fmt: skip
            return
        upper = (reader.placed(first + 1)[0] + 4, 3)
        address = fields["address"]
        reader.notes.append(
            Field(name="address", spans=(upper, reader.placed(first)), raw=address, value=address,
                  meaning="of the device")
        )  # fmt: skip


READS = (1, 2)
"""Modes of an I2C request that read."""


def read_mapping(place: str, text: str) -> bytes:
    """Read `127,127,0,1`: the analog channel of each pin."""
    return bytes(_small(place, part) for part in text.split(",")) if text else b""


def write_mapping(channels: bytes) -> str:
    """Write channels as `read_mapping` takes them."""
    return ",".join(map(str, channels))


def read_abilities(place: str, text: str) -> list[list[tuple[int, int]]]:
    """Read `0:1,1:1/2:10`: the modes with their resolutions, pins parted by a slash."""
    pins = []
    for pin in text.split("/") if text else []:
        pairs = [pair.partition(":") for pair in pin.split(",") if pair]
        pins.append([(_small(place, mode), _small(place, bits)) for mode, _, bits in pairs])
    return pins


def _small(place: str, text: str) -> int:
    try:
        number = whole_number(text)
    except ValueError as error:
        raise FieldError(place, found=text, expected="numbers 0 to 127") from error
    if not 0 <= number <= 127:
        raise FieldError(place, found=number, expected="numbers 0 to 127")
    return number
