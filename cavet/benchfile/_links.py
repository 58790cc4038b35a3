"""Links, which carry the bytes: a kind of them is its keys, the key of its address, and what reads it."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import msgspec

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile._setup import OWN, SIMULATED, LinkSetup, address_problem
from cavet.benchfile.boards import FIRMWARES
from cavet.links import SerialSettings, Tls
from cavet.settings import Key, Section
from cavet.wording import WrongError

MESSAGES = "mqtt"
SERIAL_KEYS = (
    Key(
        "port",
        "text",
        "`simulated`, a real board's device, or its URL: `rfc2217://HOST:PORT`, `socket://HOST:PORT`",
        default="simulated",
    ),
    Key("rate", "whole", "baud", default=57600, low=50, high=4_000_000),
    Key("settings", "text", "data bits, parity, stop bits", default="8N1"),
    Key(
        "served",
        "word",
        "how a simulated one is offered: as a device file, or over TCP, as raw bytes or by RFC 2217",
        choices=("device", "raw", "rfc2217"),
        default="device",
    ),
    Key(
        "listen",
        "whole",
        "the port that it listens on when it is served over TCP; 0 for any free one",
        default=0,
        low=0,
        high=65535,
    ),
)
TCP_KEYS = (
    Key("address", "text", "`simulated`, or HOST:PORT of a real board", default="simulated"),
    Key(
        "port", "whole", "the port that a simulated board listens on; 0 for any free one", default=0, low=0, high=65535
    ),
    Key("tls", "switch", "whether it is encrypted", default=False),
    Key("certificate", "text", "with tls: the PEM file of the board's certificate", default=""),
    Key("key", "text", "with tls: the PEM file of its key", default=""),
    Key("trust", "text", "with tls: whose certificates the host trusts, a PEM file", default=""),
)
USB_KEYS = (
    Key(
        "address",
        "text",
        "`simulated`, `usbip:HOST:PORT` of a device that is exported, or VENDOR:PRODUCT of one that is plugged in",
        default="simulated",
    ),
    Key(
        "port",
        "whole",
        "the port that a simulated one is exported on; 0 for any free one",
        default=0,
        low=0,
        high=65535,
    ),
)
BUSES_KEYS = (
    Key("i2c", "text", "`simulated`, or the system's device of the I2C bus, such as `/dev/i2c-1`", default="simulated"),
    Key(
        "spi",
        "text",
        "where `i2c` is a device: that of the SPI bus without its chip select, such as `/dev/spidev0`",
        default="",
    ),
)
MESSAGES_KEYS = (
    Key(
        "station",
        "word",
        "whether the board on it is simulated, or a real one that is on that broker",
        choices=("simulated", "real"),
        default="simulated",
    ),
    Key(
        "broker",
        "text",
        "HOST:PORT of the broker that both are on, or `own` for the small one that Cavet brings along",
        default="own",
    ),
    Key("tls", "switch", "whether it is encrypted", default=False),
    Key("trust", "text", "with tls: whose certificates are trusted, a PEM file", default=""),
)


class LinkReader:
    """Reads links; what is wrong stands in the checker's errors."""

    def __init__(self, checker: Checker, top: dict[str, Any]) -> None:
        self._checker = checker
        self._top = top

    def read(self, name: str, table: dict[str, Any]) -> LinkSetup | None:
        """Read one link; `None` where nothing can be made of it."""
        path: Path = ("links", name)
        kind = LINK_KINDS[table["kind"]]
        address = table[kind.address]
        known = list(self._top["boards"])
        if address == SIMULATED and not self._checker.one_of(
            (*path, "board"), table["board"], known, "a simulated board"
        ):
            return None
        protocol = self._protocol(path, table)
        fields = kind.read(self._checker, path, table)
        if (table["kind"] == MESSAGES) != (protocol == MESSAGES):
            expected = "mqtt, where its board and its host speak that, and only there"
            self._checker.wrong((*path, "kind"), found=f"{table['kind']} for {protocol}", expected=expected)
            return None
        board = self._top["boards"].get(table["board"])
        device = FIRMWARES.get(str(board.get("firmware"))) if isinstance(board, dict) else None
        own = {each.LINK for each in FIRMWARES.values() if each.LINK}
        if device is not None and table["kind"] != device.LINK and {table["kind"], device.LINK} & own:
            expected = f"{device.LINK or table['kind']}, where its board's firmware is that, and only there"
            self._checker.wrong((*path, "kind"), found=f"{table['kind']} for {board['firmware']}", expected=expected)
            return None
        return LinkSetup(
            name=name, kind=table["kind"], board=table["board"], address=address, protocol=protocol, **fields
        )

    def _protocol(self, path: Path, table: dict[str, Any]) -> str:
        """What is spoken on a link: what its board runs, or, where that is not described, what its host speaks."""
        board = self._top["boards"].get(table["board"])
        hosts = [host for host in self._top["hosts"].values() if isinstance(host, dict)]
        usual = MESSAGES if table["kind"] == MESSAGES else "firmata"
        spoken = next((host.get("protocol") for host in hosts if host.get("link") == path[-1]), usual)
        firmware = str(board.get("firmware") if isinstance(board, dict) else spoken)
        if table["framing"] is not None and firmware != "modbus":
            expected = "none: only Modbus has framings"
            self._checker.wrong((*path, "framing"), found=table["framing"], expected=expected)
        return FIRMWARES[firmware].speaks(firmware, table) if firmware in FIRMWARES else firmware


def _serial(checker: Checker, path: Path, table: dict[str, Any]) -> dict[str, Any]:
    settings = SerialSettings()
    try:
        rate, form = table["rate"], table["settings"]
        settings = checker.placed((*path, "settings"), lambda: SerialSettings.parse(rate, form))
    except WrongError as error:
        checker.errors.append(error)
    return {"settings": settings, "listen_port": table["listen"], "served": table["served"]}


def _tcp(checker: Checker, path: Path, table: dict[str, Any]) -> dict[str, Any]:
    simulated = table["address"] == SIMULATED
    if not simulated and not re.fullmatch(r".+:\d{1,5}", table["address"]):
        checker.wrong((*path, "address"), found=table["address"], expected="simulated, or HOST:PORT")
    tls = Tls(table["certificate"], table["key"], table["trust"]) if table["tls"] else None
    if tls is not None and simulated and not tls.certificate:
        expected = "the board's certificate; it must be there"
        checker.wrong((*path, "certificate"), found="nothing", expected=expected)
    return {"listen_port": table["port"], "tls": tls}


def _usb(checker: Checker, path: Path, table: dict[str, Any]) -> dict[str, Any]:
    address = table["address"]
    known = r"simulated|usbip:.+:\d{1,5}|[0-9A-Fa-f]{4}:[0-9A-Fa-f]{4}"
    if not re.fullmatch(known, address):
        expected = "simulated, usbip:HOST:PORT, or VENDOR:PRODUCT with four hex digits each"
        checker.wrong((*path, "address"), found=address, expected=expected)
    return {"listen_port": table["port"]}


def _buses(checker: Checker, path: Path, table: dict[str, Any]) -> dict[str, Any]:
    if table["i2c"] == SIMULATED and table["spi"]:
        checker.wrong((*path, "spi"), found=table["spi"], expected="none: `i2c` is simulated")
    return {"spi": table["spi"]}


def _messages(checker: Checker, path: Path, table: dict[str, Any]) -> dict[str, Any]:
    if table["broker"] != OWN and (problem := address_problem(table["broker"])):
        checker.wrong((*path, "broker"), found=table["broker"], expected=f"own, or {problem}")
    tls = Tls(trust=table["trust"]) if table["tls"] else None
    return {"broker": table["broker"], "tls": tls}


class LinkKind(msgspec.Struct, frozen=True):
    """One kind of link."""

    keys: tuple[Key, ...]
    address: str
    """The key that says where it is: `simulated`, or a real place."""
    read: Callable[[Checker, Path, dict[str, Any]], dict[str, Any]]
    """From its table to fields of `LinkSetup`."""


LINK_KINDS = {
    "serial": LinkKind(SERIAL_KEYS, "port", _serial),
    "tcp": LinkKind(TCP_KEYS, "address", _tcp),
    MESSAGES: LinkKind(MESSAGES_KEYS, "station", _messages),
    "usb": LinkKind(USB_KEYS, "address", _usb),
    "buses": LinkKind(BUSES_KEYS, "i2c", _buses),
}
LINK = Section(
    title="[links.NAME]",
    doc="What carries the bytes between a host and a board.",
    keys=(
        Key("kind", "word", "what it is", choices=tuple(LINK_KINDS), required=True),
        Key("board", "text", "the board at its far end", names="board", required=True),
        Key(
            "framing",
            "word",
            "Modbus: how its units travel; else tcp on a network and rtu on a serial line",
            choices=("tcp", "rtu", "ascii"),
            default=None,
        ),
    ),
    variants={name: kind.keys for name, kind in LINK_KINDS.items()},
)
