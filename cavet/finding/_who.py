"""Who is at an address: the questions of all protocols, one after the other, until one is understood or time is up."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Awaitable, Callable, Iterable, Iterator
from itertools import chain

import msgspec

from cavet.benchfile import address_problem, split_address
from cavet.finding._around import usb_devices
from cavet.finding._questions import Answer, ask_firmata, ask_modbus, ask_mqtt, ask_scpi
from cavet.finding._talk import Talk
from cavet.links import SerialEnd, SerialSettings, TcpClientEnd, exported_in
from cavet.protocols.usb import ip
from cavet.wording import UnreachableError, WrongError, listed, unknown

PROTOCOLS = ("firmata", "scpi", "modbus-tcp", "modbus-rtu", "mqtt", "usb")
Known = Answer
"""Who it is: `address`, `protocol`, and what that protocol tells."""
AT_MOST, AT_MOST_WITH_UNITS = 8.0, 600.0
"""How long it may take in all where nothing else is said; every unit of a line takes some 90 s at each of its rates."""
BOOT_SECONDS = 2.4
"""So long a board that is reset by the opening of its port may take to speak."""
ONE_SECONDS = 0.5
"""How long one question on a network is waited for."""
LINE_SECONDS = 0.3
PATIENCE = (1, 4, 16)
"""A line is asked through once for each, while there is time, with waits so many times as long: boards may be busy."""
FIRMATA_RATES = (57600, 115200, 9600)
TEXT_RATES = (9600, 115200, 19200, 57600, 38400)
FRAME_RATES = (19200, 9600, 115200, 57600, 38400)
FORMS = ("8E1", "8N1")
"""Characters of Modbus lines; even parity is the standard's own. Source: serial line 1.02, section 2.5.1."""


class Line(msgspec.Struct, frozen=True):
    """How a serial line is asked: at this rate alone, with characters of this form alone, where they are known."""

    rate: int | None = None
    form: str = ""

    def settings(self, rates: Iterable[int], forms: Iterable[str] = ("8N1",)) -> Iterator[SerialSettings]:
        """The settings to try, out of those that are usual. Raises `WrongError`."""
        for form in (self.form,) if self.form else forms:
            for rate in rates if self.rate is None else (self.rate,):
                yield SerialSettings.parse(rate, form, "--settings")

    @property
    def is_known(self) -> bool:
        return self.rate is not None or bool(self.form)


ANY_LINE = Line()


class _Time:
    """How much is left."""

    def __init__(self, seconds: float) -> None:
        self._loop = asyncio.get_running_loop()
        self.until = self._loop.time() + seconds

    def of(self, seconds: float) -> float:
        """So many seconds, or what is left."""
        return max(0.0, min(seconds, self.until - self._loop.time()))

    @property
    def is_up(self) -> bool:
        return self._loop.time() >= self.until


async def who(
    address: str, protocol: str | None = None, at_most: float | None = None, *, every_unit: bool = False,
    line: Line = ANY_LINE,
) -> Known:  # fmt: skip
    """Who is there. Raises `WrongError` for what is no address, `UnreachableError` where nobody is, or nobody was
    understood: it says what was tried."""
    if protocol is not None and protocol not in (*PROTOCOLS, "modbus"):
        raise unknown("--as", protocol, PROTOCOLS)
    time = _Time(at_most if at_most is not None else AT_MOST_WITH_UNITS if every_unit else AT_MOST)
    if line.is_known and not address.startswith("/"):
        raise WrongError("--rate, --settings", found=address, expected="a serial line: a device such as /dev/ttyUSB0")
    if address.startswith("usb:"):
        return _usb(address)
    if address.startswith("usbip:"):
        return await _usbip(address, time)
    if address.startswith("/"):
        return await _at_port(address, protocol, time, every_unit, line)
    if problem := address_problem(address):
        expected = f"a device such as /dev/ttyUSB0, {problem}, usb:VENDOR:PRODUCT, or usbip:HOST:PORT"
        raise WrongError("who", found=address, expected=expected)
    return await _on_network(address, protocol, time, every_unit)


def _wanted(protocol: str | None, name: str) -> bool:
    return protocol in (None, name) or (protocol == "modbus" and name.startswith("modbus"))


# on a network


async def _on_network(address: str, protocol: str | None, time: _Time, every: bool) -> Known:
    host, port = split_address(address)

    def end() -> TcpClientEnd:
        return TcpClientEnd(host, port)

    async def alone(ask: Callable[[Talk], Awaitable[Answer | None]]) -> Answer | None:
        async with Talk(end(), time.until) as talk:
            return await ask(talk)

    questions: dict[str, Callable[[], Awaitable[Answer | None]]] = {
        "modbus-tcp": lambda: alone(lambda talk: ask_modbus(talk, "modbus-tcp", time.of(ONE_SECONDS), every=every)),
        "scpi": lambda: alone(lambda talk: ask_scpi(talk, time.of(ONE_SECONDS))),
        "mqtt": lambda: ask_mqtt(end, time.of(ONE_SECONDS)),
        "firmata": lambda: alone(lambda talk: _firmata_after_boot(talk, time)),
        "modbus-rtu": lambda: alone(lambda talk: ask_modbus(talk, "modbus-rtu", time.of(ONE_SECONDS), every=every)),
    }
    tried = []
    for name, ask in questions.items():
        if not _wanted(protocol, name) or time.is_up:
            continue
        tried.append(name)
        try:
            found = await ask()
        except UnreachableError:
            if len(tried) == 1:
                raise
            continue  # it takes one at a time, and the one before has only just gone
        if found is not None:
            return {"address": address, **found}
    raise UnreachableError(address, _nobody(tried, "it takes connections, and nobody was understood"))


async def _firmata_after_boot(talk: Talk, time: _Time) -> Answer | None:
    """Ask again and again while a board may still boot."""
    until = time.of(BOOT_SECONDS)
    while until > 0 and not talk.over:
        found = await ask_firmata(talk, min(ONE_SECONDS, until))
        if found is not None:
            return found
        until -= ONE_SECONDS
    return None


def _nobody(tried: list[str], what: str) -> str:
    return f"{what}; asked in {listed(tried, 'and')}" if tried else f"{what}: there was no time to ask"


# on a serial line


async def _at_port(path: str, protocol: str | None, time: _Time, every: bool, line: Line) -> Known:
    end = SerialEnd(path, next(line.settings(FIRMATA_RATES)))
    tried: dict[str, list[str]] = {}
    refused = ""
    async with Talk(end, time.until) as talk:
        rounds = (_line_questions(talk, protocol, time, patience, every, line) for patience in PATIENCE)
        for name, settings, ask in chain.from_iterable(rounds):
            if talk.ended:
                break
            if not end.change(settings):
                refused = f"{settings.rate} {settings.form}"
                continue
            talk.byte_seconds = settings.byte_seconds
            await talk.pause(0.01)
            tried.setdefault(name, []).append(f"{settings.rate} {settings.form}")
            found = await ask()
            if found is not None:
                return {"address": path, **found, "baud": settings.rate, "settings": settings.form}
    rates = [
        f"{name}{_alone(name, talk, every=every)} at {', '.join(dict.fromkeys(each))}" for name, each in tried.items()
    ]
    if refused and not tried:
        raise UnreachableError(path, f"the device can't be set to {refused}")
    raise UnreachableError(path, _nobody(rates, talk.over or "nobody was understood"))


def _alone(protocol: str, talk: Talk, *, every: bool) -> str:
    """Which units were asked, where there may be others."""
    if protocol != "modbus-rtu":
        return ""
    if every:
        return f" (at the last rate {talk.left_out})" if talk.left_out else ""
    return " (unit 1 alone: --units asks them all)"


def _line_questions(
    talk: Talk, protocol: str | None, time: _Time, patience: int, every: bool, line: Line
) -> Iterator[tuple[str, SerialSettings, Callable[[], Awaitable[Answer | None]]]]:
    """What is asked on a line: what a board that listens for something else takes no harm from first."""

    def seconds() -> float:
        return time.of(LINE_SECONDS * patience)

    if _wanted(protocol, "firmata"):
        # the port was just opened: the board may have been reset by that
        first, *others = line.settings(FIRMATA_RATES)
        yield "firmata", first, lambda: _firmata_after_boot(talk, time)
        for settings in others:
            yield "firmata", settings, lambda: ask_firmata(talk, seconds())
    if _wanted(protocol, "scpi"):
        for settings in line.settings(TEXT_RATES):
            yield "scpi", settings, lambda: ask_scpi(talk, seconds())
    if _wanted(protocol, "modbus-rtu"):
        for settings in line.settings(FRAME_RATES, FORMS):
            yield "modbus-rtu", settings, lambda: ask_modbus(talk, "modbus-rtu", seconds(), every=every)


# USB


def _usb(address: str) -> Known:
    if not re.fullmatch(r"usb:[0-9A-Fa-f]{4}:[0-9A-Fa-f]{4}", address):
        raise WrongError("who", found=address, expected="usb:VENDOR:PRODUCT, four hex digits each")
    for device in usb_devices():
        if device.address == f"usb:{address[4:].upper()}":
            return {
                "address": address, "protocol": "usb", "vendor": device.vendor, "product": device.product,
                "serial": device.serial,
            }  # fmt: skip
    raise UnreachableError(address, "no such device is plugged in")


async def _usbip(address: str, time: _Time) -> Known:
    if problem := address_problem(address.removeprefix("usbip:")):
        raise WrongError("who", found=address, expected=f"usbip: and {problem}")
    host, port = split_address(address.removeprefix("usbip:"))
    async with Talk(TcpClientEnd(host, port)) as talk:
        found = await talk.ask(ip.devlist_request(), _exported, time.of(2 * ONE_SECONDS))
    if found is None:
        raise UnreachableError(address, "it takes connections, and lists no devices: asked for USB/IP 1.1.1")
    rows = [
        {"bus_id": each.bus_id, "device": f"{each.vendor:04X}:{each.product:04X}", "interfaces": len(each.interfaces)}
        for each in found
    ]
    return {"address": address, "protocol": "usb", "devices": rows}


def _exported(data: bytes) -> list[ip.Exported] | None:
    """The devices in a list that is whole; `None` before, and for what is none."""
    try:
        return exported_in(data)
    except ValueError:
        return None
