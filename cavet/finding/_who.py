"""Who is at an address: the questions of all protocols, one after the other, until one is understood or time is up."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Awaitable, Callable, Iterator

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
AT_MOST = 8.0
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
FORMS = ("E", "N")
"""Parities of Modbus lines; even is the standard's own. Source: serial line 1.02, section 2.5.1."""


class _Time:
    """How much is left."""

    def __init__(self, seconds: float) -> None:
        self._loop = asyncio.get_running_loop()
        self._until = self._loop.time() + seconds

    def of(self, seconds: float) -> float:
        """So many seconds, or what is left."""
        return max(0.0, min(seconds, self._until - self._loop.time()))

    @property
    def is_up(self) -> bool:
        return self._loop.time() >= self._until


async def who(
    address: str, protocol: str | None = None, at_most: float = AT_MOST, *, every_unit: bool = False
) -> Known:
    """Who is there. Raises `WrongError` for what is no address, `UnreachableError` where nobody is, or nobody was
    understood: it says what was tried."""
    if protocol is not None and protocol not in (*PROTOCOLS, "modbus"):
        raise unknown("--as", protocol, PROTOCOLS)
    time = _Time(at_most)
    if address.startswith("usb:"):
        return _usb(address)
    if address.startswith("usbip:"):
        return await _usbip(address, time)
    if address.startswith("/"):
        return await _at_port(address, protocol, time, every_unit)
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
        async with Talk(end()) as talk:
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


async def _at_port(path: str, protocol: str | None, time: _Time, every: bool) -> Known:
    end = SerialEnd(path, SerialSettings(rate=FIRMATA_RATES[0]))
    tried: dict[str, list[str]] = {}
    async with Talk(end) as talk:
        questions = (each for patience in PATIENCE for each in _line_questions(talk, protocol, time, patience, every))
        for name, settings, ask in questions:
            if time.is_up or talk.over:
                break
            if not end.change(settings):
                continue
            await talk.pause(0.01)
            tried.setdefault(name, []).append(f"{settings.rate} {settings.form}")
            found = await ask()
            if found is not None:
                return {"address": path, **found, "baud": settings.rate, "settings": settings.form}
    rates = [f"{name}{_alone(name, every)} at {', '.join(dict.fromkeys(each))}" for name, each in tried.items()]
    raise UnreachableError(path, _nobody(rates, talk.over or "nobody was understood"))


def _alone(protocol: str, every: bool) -> str:
    """Which unit alone was asked, where there may be others."""
    return " (unit 1 alone: --units asks them all)" if protocol == "modbus-rtu" and not every else ""


def _line_questions(
    talk: Talk, protocol: str | None, time: _Time, patience: int, every: bool
) -> Iterator[tuple[str, SerialSettings, Callable[[], Awaitable[Answer | None]]]]:
    """What is asked on a line: what a board that listens for something else takes no harm from first."""

    def seconds() -> float:
        return time.of(LINE_SECONDS * patience)

    if _wanted(protocol, "firmata"):
        # the port was just opened: the board may have been reset by that
        yield "firmata", SerialSettings(rate=FIRMATA_RATES[0]), lambda: _firmata_after_boot(talk, time)
        for rate in FIRMATA_RATES[1:]:
            yield "firmata", SerialSettings(rate=rate), lambda: ask_firmata(talk, seconds())
    if _wanted(protocol, "scpi"):
        for rate in TEXT_RATES:
            yield "scpi", SerialSettings(rate=rate), lambda: ask_scpi(talk, seconds())
    if _wanted(protocol, "modbus-rtu"):
        for form in FORMS:
            for rate in FRAME_RATES:
                settings = SerialSettings(rate=rate, parity=form)
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
