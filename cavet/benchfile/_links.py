"""Links, which carry the bytes: a kind of them is its table, which says where it is, and what it is made of."""

import re
from collections.abc import Iterable, Mapping
from typing import Annotated, Any

import msgspec

from cavet.benchfile._check import Checker
from cavet.benchfile._file_table import FileTable
from cavet.benchfile._places import Path
from cavet.benchfile._setup import OWN, SIMULATED, HostSetup, LinkSetup, address_problem, joined_lines
from cavet.benchfile.boards import FIRMWARES
from cavet.links import SerialSettings, Tls
from cavet.settings import Meaning, Table, keys_of
from cavet.wording import WrongError

MESSAGES = "mqtt"
SHARES = Meaning(
    "Modbus: the link on whose line its board hangs, too, as another unit; all else of that line is said there",
    names="link",
)
ENCRYPTED = Meaning("whether it is encrypted")
ENCRYPTS = ("tls", (True,))


class LinkTable(Table, kw_only=True):
    """What carries the bytes between a host and a board."""

    TITLE = "[links.NAME]"
    kind: Annotated[str, Meaning("what it is", kind="word")]
    board: Annotated[str, Meaning("the board at its far end", names="board")]
    framing: Annotated[
        str | None,
        Meaning(
            "Modbus: how its units travel; else tcp on a network and rtu on a serial line", ("tcp", "rtu", "ascii")
        ),
    ] = None

    @property
    def place(self) -> str:
        """Where it is: `simulated`, or a real place."""
        raise NotImplementedError

    def read(self, checker: Checker, path: Path) -> dict[str, Any]:
        """What its other keys say, as fields of `LinkSetup`."""
        raise NotImplementedError


class SerialLink(LinkTable, kw_only=True):
    """A serial line."""

    port: Annotated[
        str,
        Meaning("`simulated`, a real board's device, or its URL: `rfc2217://HOST:PORT`, `socket://HOST:PORT`"),
    ] = SIMULATED
    rate: Annotated[int, Meaning("baud", low=50, high=4_000_000)] = 57600
    settings: Annotated[str, Meaning("data bits, parity, stop bits")] = "8N1"
    shares: Annotated[str, SHARES] = ""
    served: Annotated[
        str,
        Meaning(
            "how a simulated one is offered: as a device file, or over TCP, as raw bytes or by RFC 2217",
            ("device", "raw", "rfc2217"),
        ),
    ] = "device"
    listen: Annotated[
        int,
        Meaning(
            "the port that it listens on; 0 for any free one", low=0, high=65535, beside=("served", ("raw", "rfc2217"))
        ),
    ] = 0

    @property
    def place(self) -> str:
        return self.port

    def read(self, checker: Checker, path: Path) -> dict[str, Any]:
        settings = SerialSettings()
        try:
            settings = checker.placed((*path, "settings"), lambda: SerialSettings.parse(self.rate, self.settings))
        except WrongError as error:
            checker.errors.append(error)
        return {"settings": settings, "listen_port": self.listen, "served": self.served}


class TcpLink(LinkTable, kw_only=True):
    """A connection on a network."""

    address: Annotated[str, Meaning("`simulated`, or HOST:PORT of a real board")] = SIMULATED
    port: Annotated[
        int, Meaning("the port that a simulated board listens on; 0 for any free one", low=0, high=65535)
    ] = 0
    shares: Annotated[str, SHARES] = ""
    tls: Annotated[bool, ENCRYPTED] = False
    certificate: Annotated[str, Meaning("the PEM file of the board's certificate", beside=ENCRYPTS)] = ""
    key: Annotated[str, Meaning("the PEM file of its key", beside=ENCRYPTS)] = ""
    trust: Annotated[str, Meaning("whose certificates the host trusts, a PEM file", beside=ENCRYPTS)] = ""

    @property
    def place(self) -> str:
        return self.address

    def read(self, checker: Checker, path: Path) -> dict[str, Any]:
        simulated = self.address == SIMULATED
        if not simulated and not re.fullmatch(r".+:\d{1,5}", self.address):
            checker.wrong((*path, "address"), found=self.address, expected="simulated, or HOST:PORT")
        tls = Tls(self.certificate, self.key, self.trust) if self.tls else None
        if tls is not None and simulated and not tls.certificate:
            expected = "the board's certificate; it must be there"
            checker.wrong((*path, "certificate"), found="nothing", expected=expected)
        return {"listen_port": self.port, "tls": tls}


class MessagesLink(LinkTable, kw_only=True):
    """A broker between them."""

    station: Annotated[
        str,
        Meaning("whether the board on it is simulated, or a real one that is on that broker", (SIMULATED, "real")),
    ] = SIMULATED
    broker: Annotated[
        str,
        Meaning("HOST:PORT of the broker that both are on, or `own` for the small one that Cavet brings along"),
    ] = OWN
    tls: Annotated[bool, ENCRYPTED] = False
    trust: Annotated[str, Meaning("whose certificates are trusted, a PEM file", beside=ENCRYPTS)] = ""

    @property
    def place(self) -> str:
        return self.station

    def read(self, checker: Checker, path: Path) -> dict[str, Any]:
        if self.broker != OWN and (problem := address_problem(self.broker)):
            checker.wrong((*path, "broker"), found=self.broker, expected=f"own, or {problem}")
        return {"broker": self.broker, "tls": Tls(trust=self.trust) if self.tls else None}


class UsbLink(LinkTable, kw_only=True):
    """USB."""

    address: Annotated[
        str,
        Meaning(
            "`simulated`, `usbip:HOST:PORT` of a device that is exported, or VENDOR:PRODUCT of one that is plugged in"
        ),
    ] = SIMULATED
    port: Annotated[
        int, Meaning("the port that a simulated one is exported on; 0 for any free one", low=0, high=65535)
    ] = 0

    @property
    def place(self) -> str:
        return self.address

    def read(self, checker: Checker, path: Path) -> dict[str, Any]:
        known = r"simulated|usbip:.+:\d{1,5}|[0-9A-Fa-f]{4}:[0-9A-Fa-f]{4}"
        if not re.fullmatch(known, self.address):
            expected = "simulated, usbip:HOST:PORT, or VENDOR:PRODUCT with four hex digits each"
            checker.wrong((*path, "address"), found=self.address, expected=expected)
        return {"listen_port": self.port}


class BusesLink(LinkTable, kw_only=True):
    """Buses of the host's own."""

    i2c: Annotated[str, Meaning("`simulated`, or the system's device of the I2C bus, such as `/dev/i2c-1`")] = SIMULATED
    spi: Annotated[
        str,
        Meaning("where `i2c` is a device: that of the SPI bus without its chip select, such as `/dev/spidev0`"),
    ] = ""

    @property
    def place(self) -> str:
        return self.i2c

    def read(self, checker: Checker, path: Path) -> dict[str, Any]:
        if self.i2c == SIMULATED and self.spi:
            checker.wrong((*path, "spi"), found=self.spi, expected="none: `i2c` is simulated")
        return {"spi": self.spi}


LinkTable.VARIANTS = {
    "serial": SerialLink, "tcp": TcpLink, MESSAGES: MessagesLink, "usb": UsbLink, "buses": BusesLink,
}  # fmt: skip


class LinkReader:
    """Reads links; what is wrong stands in the checker's errors."""

    def __init__(self, checker: Checker, top: FileTable) -> None:
        self._checker = checker
        self._top = top

    def read_all(self, tables: dict[str, LinkTable]) -> dict[str, LinkSetup]:
        """Read them, and join those that share a line; those of which nothing can be made are left out."""
        read = {name: self._read(name, table, self._place(table, tables)) for name, table in tables.items()}
        found = {name: link for name, link in read.items() if link is not None}
        for name, table in tables.items():
            shared = getattr(table, "shares", "")
            if shared and name in found and self._may_share(name, table, shared, tables):
                found[name] = msgspec.structs.replace(found[name], shares=shared)
        self._check_lines(found)
        return joined_lines(found)

    def _place(self, table: LinkTable, tables: dict[str, LinkTable]) -> str:
        """Where a link is: where the one is whose line it shares."""
        there = tables.get(getattr(table, "shares", ""))
        return table.place if there is None else there.place

    def _may_share(self, name: str, table: LinkTable, shared: str, tables: dict[str, LinkTable]) -> bool:
        """Whether a link can hang on another one's line, and says nothing of it itself; told where it can't."""
        path: Path = ("links", name)
        before = len(self._checker.errors)
        able = [
            other for other, each in tables.items()
            if other != name and each.kind == table.kind and not getattr(each, "shares", "")
        ]  # fmt: skip
        self._checker.one_of((*path, "shares"), shared, able, f"a {table.kind} link with a line of its own")
        for key in keys_of(type(table)):
            said = self._top.links[name].get(key.name)
            if key.name not in ("kind", "board", "shares") and said not in (None, key.default):
                self._checker.wrong((*path, key.name), found=said, expected=f"none: it is that of links.{shared}")
        return len(self._checker.errors) == before

    def _check_lines(self, found: dict[str, LinkSetup]) -> None:
        """On a line that is shared there are Modbus boards alone, each once, all at one rate."""
        for link in found.values():
            there = found.get(link.shares)
            if there is None:
                continue
            path: Path = ("links", link.name)
            for each, key in ((there, "shares"), (link, "board")):
                if not each.protocol.startswith("modbus"):
                    speaks = f"{each.name}, which speaks {each.protocol}" if key == "shares" else each.protocol
                    self._checker.wrong((*path, key), found=speaks, expected="modbus on a line that is shared")
            if any(each.board == link.board and each.line == link.line and each is not link for each in found.values()):
                self._checker.wrong((*path, "board"), found=link.board, expected="a board that is not on that line yet")
            for board in {there.board, link.board}:
                table = self._top.boards.get(board)
                rate = table.get("baud") if isinstance(table, dict) else None
                if link.kind == "serial" and rate not in (None, there.settings.rate):
                    expected = f"that of links.{there.name}, {there.settings.rate}: the line is shared"
                    self._checker.wrong(("boards", board, "baud"), found=rate, expected=expected)

    def check_hosts(self, hosts: Iterable[HostSetup], links: Mapping[str, LinkSetup]) -> None:
        """A link that does not admit several hosts is opened by one."""
        first: dict[str, str] = {}
        for host in hosts:
            link = links.get(host.link)
            if link is None or link.admits_several:
                continue
            other = first.setdefault(link.name, host.name)
            if other != host.name:
                expected = f"a link of its own: hosts.{other} opens that"
                self._checker.wrong(("hosts", host.name, "link"), found=link.name, expected=expected)

    def _read(self, name: str, table: LinkTable, address: str) -> LinkSetup | None:
        """Read one link, which is at this place; `None` where nothing can be made of it."""
        path: Path = ("links", name)
        known = list(self._top.boards)
        if address == SIMULATED and not self._checker.one_of((*path, "board"), table.board, known, "a simulated board"):
            return None
        protocol = self._protocol(path, table)
        fields = table.read(self._checker, path)
        if (table.kind == MESSAGES) != (protocol == MESSAGES):
            expected = "mqtt, where its board and its host speak that, and only there"
            self._checker.wrong((*path, "kind"), found=f"{table.kind} for {protocol}", expected=expected)
            return None
        board = self._top.boards.get(table.board)
        firmware = str(board.get("firmware")) if isinstance(board, dict) else ""
        device = FIRMWARES.get(firmware)
        own = {each.LINK for each in FIRMWARES.values() if each.LINK}
        if device is not None and table.kind != device.LINK and {table.kind, device.LINK} & own:
            expected = f"{device.LINK or table.kind}, where its board's firmware is that, and only there"
            self._checker.wrong((*path, "kind"), found=f"{table.kind} for {firmware}", expected=expected)
            return None
        return LinkSetup(name=name, kind=table.kind, board=table.board, address=address, protocol=protocol, **fields)

    def _protocol(self, path: Path, table: LinkTable) -> str:
        """What is spoken on a link: what its board runs, or, where that is not described, what its host speaks."""
        board = self._top.boards.get(table.board)
        hosts = [host for host in self._top.hosts.values() if isinstance(host, dict)]
        usual = table.kind if table.kind in FIRMWARES else "firmata"
        spoken = next((host.get("protocol") for host in hosts if host.get("link") == path[-1]), usual)
        firmware = str(board.get("firmware") if isinstance(board, dict) else spoken)
        if table.framing is not None and firmware != "modbus":
            expected = "none: only Modbus has framings"
            self._checker.wrong((*path, "framing"), found=table.framing, expected=expected)
        return FIRMWARES[firmware].speaks(firmware, table.kind, table.framing) if firmware in FIRMWARES else firmware
