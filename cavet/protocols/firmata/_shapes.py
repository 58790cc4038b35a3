"""Pieces of a shape of their own: the capability lists, the I2C request; and how a person writes such fields."""

from __future__ import annotations

from typing import Any

import msgspec

from cavet.protocols._frame import Field
from cavet.protocols._message import FieldError
from cavet.protocols.firmata._pieces import (
    Body,
    Placed,
    ShortError,
    from_groups,
    from_pairs,
    pairs_of,
    seven_bit_groups,
)

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

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        pins = []
        for number, (first, last, closed) in enumerate(self._pins(body, at)):
            if not closed:
                problems.append(f"pins: the list of pin {number} is not closed by 7F")
            if (last - first) % 2:
                problems.append(f"pins: pin {number} has a mode without a resolution")
            pairs = zip(body[first:last:2], body[first + 1 : last : 2], strict=False)
            pins.append(tuple(self.ability(mode=mode, resolution=bits) for mode, bits in pairs))
        if len(pins) > 128:
            problems.append(f"pins: found {len(pins)} pins, expected at most 128")
        fields[self.name] = tuple(pins[:128])
        return len(body)

    def _pins(self, body: Body, at: int) -> list[tuple[int, int, bool]]:
        """Where each pin's list lies: first, end, and whether it is closed. A resolution is never 7F."""
        pins = []
        first = at
        while first < len(body):
            end = body.find(END_OF_PIN, first)
            closed = end >= 0
            end = end if closed else len(body)
            pins.append((first, end, closed))
            first = end + 1
        return pins

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        groups = []
        for number, (first, last, closed) in enumerate(self._pins(body, at)):
            modes = tuple(self._explain_mode(body, place, placed) for place in range(first, last - 1, 2))
            spans = placed(first, min(len(body), last + closed))
            problem = "" if closed and (last - first) % 2 == 0 else "this list is cut short"
            groups.append(
                Field(
                    name=f"pin {number}", spans=spans, value=len(modes), meaning="modes", problem=problem, fields=modes
                )
            )
        return len(body), groups

    def _explain_mode(self, body: Body, place: int, placed: Placed) -> Field:
        ability = self.ability(mode=body[place], resolution=body[place + 1])
        mode = Field(name="mode", spans=placed(place, place + 1), raw=body[place], value=body[place])
        bits = Field(
            name="resolution",
            spans=placed(place + 1, place + 2),
            raw=body[place + 1],
            value=body[place + 1],
            unit="bit",
        )
        return Field(name="ability", spans=placed(place, place + 2), value=ability.mode, fields=(mode, bits))


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

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        if len(body) < at + 2:
            raise ShortError("address")
        control = body[at + 1]
        ten_bit = bool(control & 0x20)
        fields.update(mode=control >> 3 & 3, ten_bit=ten_bit, restart=bool(control & 0x40))
        fields["address"] = body[at] | ((control & 7) << 7 if ten_bit else 0)
        if control & 7 and not ten_bit:
            problems.append("address: its upper bits are set, but not the bit for ten-bit addresses")
        rest = body[at + 2 :]
        if fields["mode"] not in (1, 2):
            fields["data"] = from_pairs("data", rest, problems)
            return len(body)
        if len(rest) < 2:
            raise ShortError("count")
        if len(rest) >= 4:
            fields["register"] = from_groups(rest[:2])
            rest = rest[2:]
        fields["count"] = from_groups(rest[:2])
        return len(body) - len(rest) + 2

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        control = body[at + 1]
        ((low, _),) = placed(at, at + 1)
        ((second, _),) = placed(at + 1, at + 2)
        spans = ((second + 4, 3), (low, 7)) if control & 0x20 else ((low, 7),)
        found = [
            Field(name="address", spans=spans, raw=message.address, value=message.address, meaning="of the device"),
            Field(name="restart", spans=((second, 1),), raw=control >> 6, value=message.restart),
            Field(name="ten_bit", spans=((second + 1, 1),), raw=control >> 5 & 1, value=message.ten_bit),
            Field(name="mode", spans=((second + 2, 2),), raw=control >> 3 & 3, value=message.mode),
        ]
        if not message.ten_bit:
            meaning = "upper bits of the address, for ten-bit ones only"
            found.append(Field(name="unused", spans=((second + 4, 3),), raw=control & 7, meaning=meaning))
        place = at + 2
        for name in ("register", "count"):
            value = getattr(message, name)
            if value is not None:
                found.append(Field(name=name, spans=placed(place, place + 2)[::-1], raw=value, value=value))
                place += 2
        if message.count is None and place < len(body):
            found.append(Field(name="data", spans=placed(place, len(body)), raw=message.data, value=message.data))
            place = len(body)
        return place, found


def read_mapping(place: str, text: str) -> bytes:
    """Read `127,127,0,1`: the analog channel of each pin."""
    return bytes(_small(place, part) for part in text.split(",")) if text else b""


def read_abilities(place: str, text: str) -> list[list[tuple[int, int]]]:
    """Read `0:1,1:1/2:10`: the modes with their resolutions, pins parted by a slash."""
    pins = []
    for pin in text.split("/") if text else []:
        pairs = [pair.partition(":") for pair in pin.split(",") if pair]
        pins.append([(_small(place, mode), _small(place, bits)) for mode, _, bits in pairs])
    return pins


def _small(place: str, text: str) -> int:
    try:
        number = int(text, 0)
    except ValueError as error:
        raise FieldError(place, found=text, expected="numbers 0 to 127") from error
    if not 0 <= number <= 127:
        raise FieldError(place, found=number, expected="numbers 0 to 127")
    return number
