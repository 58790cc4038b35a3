"""From the tables of links to what they are."""

from __future__ import annotations

import re
from typing import Any

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile._plan import OWN, SIMULATED, LinkPlan, address_problem
from cavet.benchfile.boards import FIRMWARES
from cavet.links import SerialSettings, Tls
from cavet.wording import WrongError

MESSAGES = "mqtt"


class LinkReader:
    """Reads links; what is wrong stands in the checker's errors."""

    def __init__(self, checker: Checker, top: dict[str, Any]) -> None:
        self._checker = checker
        self._top = top

    def read(self, name: str, table: dict[str, Any]) -> LinkPlan | None:
        """Read one link; `None` where nothing can be made of it."""
        path: Path = ("links", name)
        address = {"serial": "port", "tcp": "address", "usb": "address", "buses": "i2c", MESSAGES: "station"}[
            table["kind"]
        ]
        known = list(self._top["boards"])
        if table[address] == SIMULATED and not self._checker.one_of(
            (*path, "board"), table["board"], known, "a simulated board"
        ):
            return None
        protocol = self._protocol(path, table)
        make = {
            "serial": self._serial, "tcp": self._tcp, "usb": self._usb, "buses": self._buses, MESSAGES: self._messages,
        }[table["kind"]]  # fmt: skip
        fields = make(path, table)
        if (table["kind"] == MESSAGES) != (protocol == MESSAGES):
            expected = "mqtt, where its board and its host speak that, and only there"
            self._checker.wrong((*path, "kind"), found=f"{table['kind']} for {protocol}", expected=expected)
            return None
        board = self._top["boards"].get(table["board"])
        device = FIRMWARES.get(str(board.get("firmware"))) if isinstance(board, dict) else None
        own = {each.LINK for each in FIRMWARES.values() if each.LINK}
        if device is not None and table["kind"] != device.LINK and {table["kind"], device.LINK} & own:
            kind = device.LINK or table["kind"]
            expected = f"{kind}, where its board's firmware is that, and only there"
            self._checker.wrong((*path, "kind"), found=f"{table['kind']} for {board['firmware']}", expected=expected)
            return None
        return LinkPlan(
            name=name, kind=table["kind"], board=table["board"], address=table[address], protocol=protocol, **fields
        )

    def _serial(self, path: Path, table: dict[str, Any]) -> dict[str, Any]:
        settings = SerialSettings()
        try:
            rate, form = table["rate"], table["settings"]
            settings = self._checker.placed((*path, "settings"), lambda: SerialSettings.parse(rate, form))
        except WrongError as error:
            self._checker.errors.append(error)
        return {"settings": settings, "listen_port": table["listen"], "served": table["served"]}

    def _tcp(self, path: Path, table: dict[str, Any]) -> dict[str, Any]:
        simulated = table["address"] == SIMULATED
        if not simulated and not re.fullmatch(r".+:\d{1,5}", table["address"]):
            self._checker.wrong((*path, "address"), found=table["address"], expected="simulated, or HOST:PORT")
        tls = Tls(table["certificate"], table["key"], table["trust"]) if table["tls"] else None
        if tls is not None and simulated and not tls.certificate:
            expected = "the board's certificate; it must be there"
            self._checker.wrong((*path, "certificate"), found="nothing", expected=expected)
        return {"listen_port": table["port"], "tls": tls}

    def _usb(self, path: Path, table: dict[str, Any]) -> dict[str, Any]:
        address = table["address"]
        known = r"simulated|usbip:.+:\d{1,5}|[0-9A-Fa-f]{4}:[0-9A-Fa-f]{4}"
        if not re.fullmatch(known, address):
            expected = "simulated, usbip:HOST:PORT, or VENDOR:PRODUCT with four hex digits each"
            self._checker.wrong((*path, "address"), found=address, expected=expected)
        return {"listen_port": table["port"]}

    def _buses(self, path: Path, table: dict[str, Any]) -> dict[str, Any]:
        if table["i2c"] == SIMULATED and table["spi"]:
            self._checker.wrong((*path, "spi"), found=table["spi"], expected="none: `i2c` is simulated")
        return {"spi": table["spi"]}

    def _messages(self, path: Path, table: dict[str, Any]) -> dict[str, Any]:
        if table["broker"] != OWN and (problem := address_problem(table["broker"])):
            self._checker.wrong((*path, "broker"), found=table["broker"], expected=f"own, or {problem}")
        tls = Tls(trust=table["trust"]) if table["tls"] else None
        return {"broker": table["broker"], "tls": tls}

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
