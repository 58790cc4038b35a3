"""`cavet reckon WHAT [NAME=VALUE …]`: the small sums of the trade, as a JSON line each."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

import click
import msgspec

from cavet.commands.encode import split_fields
from cavet.protocols import checks, i2c
from cavet.units import parse
from cavet.wording import WrongError, hex_pairs, listed, nearest

Given = Mapping[str, str]
Answer = dict[str, Any]

PLAIN: dict[str, Callable[[bytes], int]] = {
    "sum8": checks.sum8,
    "xor": checks.xor8,
    "lrc": lambda data: -checks.sum8(data) & 0xFF,
}
CRCS = {
    "crc": None,
    "modbus": checks.Crc(16, 0x8005, initial=0xFFFF, reflect=True),
    "pec": i2c.PEC,
}
"""Checks that `reckon check` knows by name, beside sums; for `crc` the numbers are given."""


class Sum(NamedTuple):
    """One of the sums: its names, which of them must be there, what it is for, and how it is reckoned."""

    names: tuple[str, ...]
    required: tuple[str, ...]
    summary: str
    reckon: Callable[[Given], Answer]


def _number(place: str, text: str, low: int, high: int) -> int:
    try:
        number = int(text, 0)
    except ValueError as error:
        raise WrongError(place, found=text, expected=f"a number, {low} to {high}") from error
    if not low <= number <= high:
        raise WrongError(place, found=text, expected=f"{low} to {high}")
    return number


def _data(place: str, text: str) -> bytes:
    if text.startswith("@"):
        return text[1:].encode()
    try:
        return bytes.fromhex(text.removeprefix("0x").replace(",", " "))
    except ValueError as error:
        raise WrongError(place, found=text, expected="hex pairs, or text after @") from error


def _pull_up(given: Given) -> Answer:
    sink = parse(given["sink"], "A", "pull-up.sink") if "sink" in given else None
    found = i2c.pull_up(
        capacitance=parse(given["capacitance"], "F", "pull-up.capacitance"),
        supply=parse(given["supply"], "V", "pull-up.supply"),
        rate=parse(given["rate"], "Hz", "pull-up.rate"),
        sink=sink,
    )
    return {"min_ohm": round(found.min_ohm, 2), "max_ohm": round(found.max_ohm, 2), "problems": list(found.problems)}


def _address(given: Given) -> Answer:
    base = _number("address.base", given["base"], 0, 0x7F)
    straps = given["straps"]
    if not straps or set(straps) - set("01") or len(straps) > 7:
        raise WrongError("address.straps", found=straps, expected="the straps' levels, the highest first, such as 101")
    address = base | int(straps, 2)
    if base & (1 << len(straps)) - 1:
        expected = f"a base whose lower {len(straps)} bits, those of the straps, are 0"
        raise WrongError("address.base", found=given["base"], expected=expected)
    kept_for = i2c.reserved(address, read=False)
    ten_bit = address >> 2 == 0b11110
    problems = [f"0x{address:02X} is kept for: {kept_for.name}"] if kept_for else []
    problems += [f"0x{address:02X} begins a ten-bit address"] if ten_bit else []
    return {
        "address": address,
        "hex": f"0x{address:02X}",
        "write": hex_pairs(i2c.address_bytes(address, read=False, ten_bit=False)),
        "read": hex_pairs(i2c.address_bytes(address, read=True, ten_bit=False)),
        "problems": problems,
    }


def _check(given: Given) -> Answer:
    data, kind = _data("check.data", given["data"]), given["kind"]
    known = [*PLAIN, *CRCS]
    if kind not in known:
        raise WrongError("check.kind", found=kind, expected=listed(known), nearest=nearest(kind, known))
    extra = [name for name in ("bits", "polynomial", "initial", "final_xor", "reflect") if name in given]
    if extra and kind != "crc":
        raise WrongError(f"check.{extra[0]}", found=given[extra[0]], expected="it with kind=crc only")
    crc = CRCS.get(kind) or (_crc(given) if kind == "crc" else None)
    value = crc.of(data) if crc else PLAIN[kind](data)
    bits = crc.bits if crc else 8
    return {"check": value, "hex": f"0x{value:0{(bits + 3) // 4}X}", "problems": []}


def _crc(given: Given) -> checks.Crc:
    bits = _number("check.bits", given.get("bits", "16"), 1, 64)
    if "polynomial" not in given:
        raise WrongError("check.polynomial", found="nothing", expected="the polynomial, without its top bit")
    most = (1 << bits) - 1
    words = {"on": True, "off": False, "1": True, "0": False, "true": True, "false": False}
    reflect = given.get("reflect", "off").lower()
    if reflect not in words:
        raise WrongError("check.reflect", found=given["reflect"], expected="on or off")
    return checks.Crc(
        bits,
        _number("check.polynomial", given["polynomial"], 1, most),
        _number("check.initial", given.get("initial", "0"), 0, most),
        _number("check.final_xor", given.get("final_xor", "0"), 0, most),
        words[reflect],
    )


SPARE_CLOCKS = {"i2c": 2, "spi": 0}
"""What a transfer takes beside its bytes: a start and a stop."""


def _wire_time(given: Given) -> Answer:
    link = given["link"]
    count = _number("wire-time.bytes", given["bytes"], 0, 1 << 30)
    rate_unit = {"i2c": "Hz", "spi": "Hz", "serial": "Bd"}
    if link not in rate_unit:
        raise WrongError("wire-time.link", found=link, expected=listed(rate_unit), nearest=nearest(link, rate_unit))
    rate = parse(given["rate"], rate_unit[link], "wire-time.rate")
    if not rate > 0:
        raise WrongError("wire-time.rate", found=given["rate"], expected="more than 0")
    if link == "serial":
        from cavet.links import SerialSettings

        settings = SerialSettings.parse(max(1, round(rate)), given.get("settings", "8N1"), "wire-time.settings")
        return {"wire_us": round(count * settings.byte_seconds * 1e6, 6), "problems": []}
    if "settings" in given:
        raise WrongError("wire-time.settings", found=given["settings"], expected="it with link=serial only")
    clocks = count * (9 if link == "i2c" else 8) + SPARE_CLOCKS[link]
    return {"wire_us": round(clocks * 1e6 / rate, 6), "clocks": clocks, "problems": []}


SUMS = {
    "pull-up": Sum(
        ("capacitance", "supply", "rate", "sink"),
        ("capacitance", "supply", "rate"),
        "which resistor an I2C line needs: capacitance=200pF supply=3.3V rate=400kHz [sink=3mA]",
        _pull_up,
    ),
    "address": Sum(
        ("base", "straps"),
        ("base", "straps"),
        "a bus address from its straps, the highest first: base=0x20 straps=110",
        _address,
    ),
    "check": Sum(
        ("data", "kind", "bits", "polynomial", "initial", "final_xor", "reflect"),
        ("data", "kind"),
        "a checksum: data=01020304 kind=sum8, xor, lrc, modbus, pec, or crc with bits, polynomial, …",
        _check,
    ),
    "wire-time": Sum(
        ("link", "bytes", "rate", "settings"),
        ("link", "bytes", "rate"),
        "how long bytes take: link=i2c, spi or serial bytes=12 rate=100kHz [settings=8N1]",
        _wire_time,
    ),
}


@click.command("reckon", context_settings={"ignore_unknown_options": True})
@click.argument("what", required=False)
@click.argument("words", nargs=-1, metavar="[NAME=VALUE ...]")
def command(what: str | None, words: tuple[str, ...]) -> int:
    """Reckon one of the small sums of the trade; print it as JSON. Without WHAT: the sums."""
    if what is None:
        for name, each in SUMS.items():
            print(f"  {name:12} {each.summary}")
        return 0
    if what not in SUMS:
        raise WrongError("reckon", found=what, expected=listed(SUMS), nearest=nearest(what, SUMS))
    chosen = SUMS[what]
    given = split_fields(words)
    for name in given:
        if name not in chosen.names:
            near = nearest(name, chosen.names)
            raise WrongError(f"{what}.{name}", found="this name", expected=listed(chosen.names), nearest=near)
    for name in chosen.required:
        if name not in given:
            raise WrongError(f"{what}.{name}", found="nothing", expected=f"it; {chosen.summary}")
    answer = chosen.reckon(given)
    print(msgspec.json.encode(answer).decode())
    return 1 if answer["problems"] else 0
