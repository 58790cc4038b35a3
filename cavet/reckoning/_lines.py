"""Sums about lines: pull-ups, addresses, checks, times on the wire, dividers of rates."""

from __future__ import annotations

from collections.abc import Callable

from cavet.protocols import checks, i2c, read_bytes
from cavet.reckoning._sum import Given, Reckoned, Sum, quantity, whole
from cavet.units import parse_switch, show, show_duration
from cavet.wording import WrongError, counted, digits, hex_pairs, listed, nearest

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


def _pull_up(given: Given) -> Reckoned:
    sink = quantity(given["sink"], "A", "pull-up.sink") if "sink" in given else None
    found = i2c.pull_up(
        capacitance=quantity(given["capacitance"], "F", "pull-up.capacitance"),
        supply=quantity(given["supply"], "V", "pull-up.supply"),
        rate=quantity(given["rate"], "Hz", "pull-up.rate"),
        sink=sink,
    )
    values = {"min_ohm": round(found.min_ohm, 2), "max_ohm": round(found.max_ohm, 2)}
    way = f"{show(found.min_ohm, 'Ω')} to {show(found.max_ohm, 'Ω')}: less can't be pulled low, more rises too slowly"
    return Reckoned(values, way, found.problems)


def _address(given: Given) -> Reckoned:
    base = whole("address.base", given["base"], 0, 0x7F)
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
    write, read = (hex_pairs(i2c.address_bytes(address, read=reads, ten_bit=False)) for reads in (False, True))
    values = {"address": address, "hex": f"0x{address:02X}", "write": write, "read": read}
    way = f"0x{base:02X} + {straps} = 0x{address:02X}; on the wire {write} to write, {read} to read"
    return Reckoned(values, way, tuple(problems))


def _check(given: Given) -> Reckoned:
    data, kind = read_bytes("check.data", given["data"]), given["kind"]
    known = [*PLAIN, *CRCS]
    if kind not in known:
        raise WrongError("check.kind", found=kind, expected=listed(known), nearest=nearest(kind, known))
    extra = [name for name in ("bits", "polynomial", "initial", "final_xor", "reflect") if name in given]
    if extra and kind != "crc":
        raise WrongError(f"check.{extra[0]}", found=given[extra[0]], expected="it with kind=crc only")
    crc = CRCS.get(kind) or (_crc(given) if kind == "crc" else None)
    value = crc.of(data) if crc else PLAIN[kind](data)
    bits = crc.bits if crc else 8
    shown = f"0x{value:0{(bits + 3) // 4}X}"
    laid = hex_pairs(value.to_bytes((bits + 7) // 8, "little"))
    way = f"{laid} on the wire, low byte first; {shown}" if bits > 8 else shown
    return Reckoned({"check": value, "hex": shown}, f"over {counted(len(data), 'byte')}: {way}")


def _crc(given: Given) -> checks.Crc:
    bits = whole("check.bits", given.get("bits", "16"), 1, 64)
    if "polynomial" not in given:
        raise WrongError("check.polynomial", found="nothing", expected="the polynomial, without its top bit")
    most = (1 << bits) - 1
    return checks.Crc(
        bits,
        whole("check.polynomial", given["polynomial"], 1, most),
        whole("check.initial", given.get("initial", "0"), 0, most),
        whole("check.final_xor", given.get("final_xor", "0"), 0, most),
        parse_switch(given.get("reflect", "off"), "check.reflect"),
    )


SPARE_CLOCKS = {"i2c": 2, "spi": 0}
"""What a transfer takes beside its bytes: a start and a stop."""


def _wire_time(given: Given) -> Reckoned:
    link = given["link"]
    count = whole("wire-time.bytes", given["bytes"], 0, 1 << 30)
    rate_unit = {"i2c": "Hz", "spi": "Hz", "serial": "Bd"}
    if link not in rate_unit:
        raise WrongError("wire-time.link", found=link, expected=listed(rate_unit), nearest=nearest(link, rate_unit))
    rate = quantity(given["rate"], rate_unit[link], "wire-time.rate")
    if not rate > 0:
        raise WrongError("wire-time.rate", found=given["rate"], expected="more than 0")
    if link == "serial":
        from cavet.links import SerialSettings

        settings = SerialSettings.parse(max(1, round(rate)), given.get("settings", "8N1"), "wire-time.settings")
        seconds = count * settings.byte_seconds
        bits = digits(settings.byte_seconds * rate, 6)
        way = f"{count} bytes × {bits} bits at {digits(rate)} Bd: {show_duration(seconds)}"
        return Reckoned({"wire_us": round(seconds * 1e6, 6)}, way)
    if "settings" in given:
        raise WrongError("wire-time.settings", found=given["settings"], expected="it with link=serial only")
    clocks = count * (9 if link == "i2c" else 8) + SPARE_CLOCKS[link]
    way = f"{clocks} clocks at {show(rate, 'Hz')}: {show_duration(clocks / rate)}"
    return Reckoned({"wire_us": round(clocks * 1e6 / rate, 6), "clocks": clocks}, way)


STOP_BIT = 9.5
"""The middle of the stop bit, in bits from the edge that begins a byte: 8N1."""
HALF_A_BIT = 0.5


def _baud(given: Given) -> Reckoned:
    wanted, clock = quantity(given["wanted"], "Bd", "baud.wanted"), quantity(given["clock"], "Hz", "baud.clock")
    for name, value in (("wanted", wanted), ("clock", clock)):
        if not value > 0:
            raise WrongError(f"baud.{name}", found=given[name], expected="more than 0")
    samples = whole("baud.samples", given.get("samples", "16"), 1, 64)
    divisor = max(1, round(clock / (samples * wanted)))
    actual = clock / (samples * divisor)
    error = 100 * (actual / wanted - 1)
    most = 100 * HALF_A_BIT / STOP_BIT / 2
    holds = abs(error) <= most
    way = (
        f"{show(clock, 'Hz')} / ({samples} × {divisor}) = {actual:.0f} Bd, {error:+.2f} %; at the stop bit both ends "
        f"may be off by half a bit in {digits(STOP_BIT)}, {most:.1f} % for each"
    )
    problems = () if holds else (f"error: found {error:+.2f} %, expected at most {most:.1f} % for 8N1",)
    values = {"divisor": divisor, "actual": round(actual, 3), "error_percent": round(error, 3), "ok": holds}
    return Reckoned(values, way, problems)


SUMS = {
    "pull-up": Sum(
        ("capacitance", "supply", "rate", "sink"), ("capacitance", "supply", "rate"),
        "which resistor an I2C line needs: capacitance=200pF supply=3.3V rate=400kHz [sink=3mA]", _pull_up,
    ),
    "address": Sum(
        ("base", "straps"), ("base", "straps"),
        "a bus address from its straps, the highest first: base=0x20 straps=110", _address,
    ),
    "check": Sum(
        ("data", "kind", "bits", "polynomial", "initial", "final_xor", "reflect"), ("data", "kind"),
        "a checksum: data=01020304 kind=sum8, xor, lrc, modbus, pec, or crc with bits, polynomial, …", _check,
    ),
    "wire-time": Sum(
        ("link", "bytes", "rate", "settings"), ("link", "bytes", "rate"),
        "how long bytes take: link=i2c, spi or serial bytes=12 rate=100kHz [settings=8N1]", _wire_time,
    ),
    "baud": Sum(
        ("wanted", "clock", "samples"), ("wanted", "clock"),
        "the divisor for a rate: wanted=115200 clock=16MHz [samples=16]", _baud,
    ),
}  # fmt: skip
