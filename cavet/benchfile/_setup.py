"""What a bench file says, checked and in the core's own types."""

import re
from collections.abc import Iterable, Mapping
from itertools import chain
from typing import Annotated

import msgspec

from cavet.benchfile._check_reading import CheckSettings, Wishes
from cavet.benchfile._kernel_reading import KernelDevice
from cavet.benchfile.boards import Device, ModbusDevice
from cavet.boards import Defect, PartSettings, Profile, Quantity, Reflex
from cavet.boards.firmware.mqtt import BrokerSettings
from cavet.hosts import BoardTopics, DeviceSettings, Format, PinPoint, Point, SessionSettings
from cavet.links import SerialSettings, Tls
from cavet.messaging import ClientSettings
from cavet.record import Trail
from cavet.settings import Meaning, Table
from cavet.wording import WrongError, nearest, one_of, unknown

SIMULATED = "simulated"
OWN = "own"
"""The broker that we bring along."""
AT = "at "
"""How a record names where a board was, in the place of what the file says."""
ADDRESS = re.compile(r"(\[[0-9a-fA-F:.%]+\]|[^\s:\[\]]+):(\d{1,5})")


class BusWires(Table, kw_only=True):
    """The wires of a board's I2C bus, for remarks on them; what is left out is not reckoned with."""

    TITLE = "[boards.NAME.bus]"
    pull_up: Annotated[float | None, Meaning("its pull-up resistors", unit="Ohm", low=1)] = None
    capacitance: Annotated[float | None, Meaning("of a line against ground", unit="F", low=1e-13)] = None
    rate: Annotated[float, Meaning("its clock", unit="Hz", low=1, high=1e6)] = 100e3


class SupplyTable(Table, kw_only=True):
    """A supply of its own for motors and servos, which name it as their `supply`."""

    TITLE = "[boards.NAME.supplies.NAME]"
    volts: Annotated[float, Meaning("its voltage", unit="V", low=0.1)]
    amperes: Annotated[float, Meaning("what it can give", unit="A", low=0.001)]


class BoardSetup(msgspec.Struct, frozen=True, kw_only=True):
    """A simulated board, its parts as their tables say."""

    name: str
    profile: Profile
    firmware: str
    firmware_name: str
    failsafe: float
    parts: dict[str, PartSettings]
    device: Device = Device()
    """What its firmware has in front of its pins."""
    reflexes: tuple[Reflex, ...] = ()
    baud: int | None = None
    """The rate of its serial line, where that is not the link's."""
    bus: BusWires = msgspec.field(default_factory=BusWires)
    supplies: dict[str, SupplyTable] = {}
    kernel: tuple[KernelDevice, ...] = ()
    """The kernel's devices that it stands for."""


class LinkSetup(msgspec.Struct, frozen=True, kw_only=True):
    """A link: `address` is `simulated`, a device, HOST:PORT, or "" where that is not known; `listen_port` is where a
    simulated one listens."""

    name: str
    kind: str
    board: str
    address: str
    settings: SerialSettings = SerialSettings()
    protocol: str = "firmata"
    """What is spoken on it."""
    listen_port: int = 0
    served: str = "device"
    """How a simulated serial line is offered: as a `device` file, or over TCP as `raw` bytes or by `rfc2217`."""
    tls: Tls | None = None
    spi: str = ""
    """For buses of the host's own: the system's device of the SPI bus, "" for none."""
    broker: str = ""
    """The broker that board and host are on: `own`, or HOST:PORT; "" where there is none between them."""
    shares: str = ""
    """The link on whose line its board hangs, too, as another unit of it; "" for a line of its own."""

    @property
    def line(self) -> str:
        """The link that stands for its line: itself, or the one whose line it shares."""
        return self.shares or self.name

    @property
    def admits_several(self) -> bool:
        """Whether more than one host can open it: each has a connection of its own, or its turns on a line."""
        return self.kind == "tcp" or bool(self.broker) or self.protocol.startswith("modbus")

    @property
    def words(self) -> tuple[str, ...]:
        """What it may be called: its board, its name, both, the board and the kind."""
        return self.board, self.name, f"{self.board}.{self.name}", f"{self.board}.{self.kind}"

    @property
    def simulated(self) -> bool:
        return self.address == SIMULATED

    @property
    def is_within(self) -> bool:
        """Whether nothing on it is outside this program: it can be a wire in memory."""
        return self.simulated and self.broker in ("", OWN)

    @property
    def byte_seconds(self) -> float:
        return self.settings.byte_seconds if self.kind == "serial" else 0.0


def joined_lines(links: Mapping[str, LinkSetup]) -> dict[str, LinkSetup]:
    """Links with all that stands for those whose lines they share; serial ones for Modbus at one real port, said alike,
    are on one line, too."""
    at: dict[tuple[str, SerialSettings, str], str] = {}
    found = dict(links)
    for name, link in links.items():
        if link.kind == "serial" and link.protocol.startswith("modbus") and not link.simulated and not link.shares:
            first = at.setdefault((link.address, link.settings, link.protocol), name)
            found[name] = link if first == name else msgspec.structs.replace(link, shares=first)
    for name, link in found.items():
        there = found.get(link.shares)
        if there is not None:
            found[name] = msgspec.structs.replace(there, name=name, board=link.board, shares=there.line)
    return found


class HostSetup(msgspec.Struct, frozen=True, kw_only=True):
    """How the host talks to a board."""

    name: str
    link: str
    protocol: str
    settings: SessionSettings
    client: ClientSettings = ClientSettings()
    """Who it is to its broker, where it has one."""
    topics: BoardTopics = BoardTopics()
    format: Format | None = None
    """The frames that are spoken, where they are the user's own."""
    devices: dict[str, DeviceSettings] = {}
    """What is believed to be on the board's bus."""


class OwnBroker(msgspec.Struct, frozen=True, kw_only=True):
    """The broker that we bring along, as the bench wants it."""

    port: int = 0
    limits: BrokerSettings = BrokerSettings()
    tls: Tls | None = None


class BasinSettings(msgspec.Struct, frozen=True, kw_only=True):
    """A quantity of the rig that is drawn as a basin; `place` counts from the left."""

    quantity: str
    place: int
    opening: str = ""
    gate: str = ""


class Setup(msgspec.Struct, frozen=True, kw_only=True):
    """A whole bench, as its file has it."""

    name: str
    seed: str
    boards: dict[str, BoardSetup]
    links: dict[str, LinkSetup]
    rig: dict[str, Quantity]
    rig_steps: dict[str, float]
    basins: tuple[BasinSettings, ...]
    defects: dict[str, Defect]
    hosts: dict[str, HostSetup]
    points: dict[str, Point]
    needs: dict[str, Wishes] = {}
    """What is set before an output can move its part, where anything is."""
    checks: dict[str, CheckSettings] = {}
    broker: OwnBroker = OwnBroker()
    path: str = ""
    """Where its file is; "" for a text that is in none."""
    elsewhere: dict[str, str] = {}
    """Where boards are to be found in the place of what the file says, by their names; by "" the broker of all that
    speaks MQTT."""

    @property
    def about(self) -> dict[str, str]:
        """What a record says of the bench that it is of."""
        elsewhere = {f"{AT}{board}": address for board, address in self.elsewhere.items()}
        return {"bench": self.name, **({"file": self.path} if self.path else {}), **elsewhere}

    def board_of(self, host: str) -> str:
        """The board that a host talks to; where no host has this name, it is the board's."""
        each = self.hosts.get(host)
        return self.links[each.link].board if each is not None and each.link in self.links else host

    @property
    def linked_boards(self) -> list[str]:
        """The boards that are on a link, simulated here or elsewhere, each once, in the order of the file."""
        return list(dict.fromkeys(link.board for link in self.links.values()))

    @property
    def known_boards(self) -> list[str]:
        """All boards: those that are described, and those that only a link names."""
        return list(dict.fromkeys([*self.boards, *self.linked_boards]))

    def point_of(self, trail: Trail) -> Point | None:
        """The point of a trail; `None` for the message of a program, and where the bench has it no more."""
        return self.points.get(trail.point) if trail.is_of_a_point else None

    def points_on(self, board: str) -> list[Point]:
        """The points on a board, whatever its hosts call it."""
        name = self.board_of(board)
        return [point for point in self.points.values() if self.board_of(point.board) == name]

    @property
    def parts_meant(self) -> dict[str, tuple[str, str]]:
        """The parts that points are meant to move, each by its board and its name, by the points' names."""
        return {point.name: (self.board_of(point.board), point.part or point.name) for point in self.points.values()}

    def pins_meant(self, name: str) -> frozenset[str] | None:
        """The pins at which a point's part hangs, and those that it works; `None` where there is no such part."""
        point, (board_name, part) = self.points[name], self.parts_meant[name]
        board = self.boards.get(board_name)
        if board is None or part not in board.parts:
            return None
        table = board.parts[part]
        pins = set() if table.hangs_on else set(table.wires.values())
        pins |= set(point.modes()) if isinstance(point, PinPoint) else set()
        named = set(board.device.places_named(point))
        for place in board.device.places(board.profile, lambda *pins: ()):
            pins |= set(place.pins) if place.key in named else set()
        return frozenset(map(str, pins))

    def point(self, name: str) -> Point:
        """Find a point by its name, or by `board.name`, by either name of the board. Raises `WrongError` with the
        nearest."""
        board, _, short = name.rpartition(".")
        point = self.points.get(short)
        if point is None or board not in ("", point.board, self.board_of(point.board)):
            known = self.points
            raise WrongError("point", found=name, expected=one_of(known), nearest=nearest(short, known))
        return point

    def links_meant(self, word: str) -> list[LinkSetup]:
        """The links that a word means: a board's, one by its name, `board.name` or `board.kind`, or the one that a host
        of this name opens. Raises `WrongError`."""
        found = [link for link in self.links.values() if word in link.words]
        if not found and word in self.hosts:
            return [self.links[self.hosts[word].link]]
        if not found:
            known = sorted({*self.linked_boards, *self.links})
            raise unknown("link", word, known)
        return found

    def on_line(self, line: str) -> list[LinkSetup]:
        """The links of one line, the one that stands for it first."""
        return sorted((link for link in self.links.values() if link.line == line), key=lambda link: link.name != line)

    def hosts_on(self, link: LinkSetup) -> list[HostSetup]:
        """The hosts that talk on the same line."""
        return [host for host in self.hosts.values() if self.links[host.link].line == link.line]

    def line_of(self, host: str) -> str:
        """The link that stands for the line on which a host talks."""
        return self.links[self.hosts[host].link].line

    def board_heard(self, line: str, unit: int | None) -> str:
        """The board on a line that is called by a unit; where none is, the one that leads there. "" for no link."""
        there = self.on_line(line)
        believed = (
            {host.settings.unit: self.links[host.link].board for host in self.hosts_on(there[0])} if there else {}
        )
        devices = ((link.board, self.boards[link.board].device) for link in there if link.board in self.boards)
        true = {device.identity.unit: board for board, device in devices if isinstance(device, ModbusDevice)}
        leading = there[0].board if there else ""
        return leading if unit is None else believed.get(unit) or true.get(unit) or leading

    def narrowed(self, links: Iterable[LinkSetup], hosts: Iterable[HostSetup]) -> "Setup":
        """The same bench with these hosts alone, on these links, and on what else hangs on the same lines."""
        lines = list(dict.fromkeys(link.line for link in links))
        kept = {link.name: link for line in lines for link in self.on_line(line)}
        return msgspec.structs.replace(self, links=kept, hosts={host.name: host for host in hosts})

    def link_meant(self, word: str) -> tuple[str, str]:
        """The board whose links a word means, and which of them: its name or its kind, "" for all. Raises
        `WrongError`."""
        links = self.links_meant(word)
        board = links[0].board
        if word == board:
            return board, ""
        return board, links[0].name if len(links) == 1 else links[0].kind

    def host_meant(self, word: str) -> str:
        """The host that a word means: by its own name, its board's, or its link's. Raises `WrongError`."""
        words = {host.name: (host.name, *self.links[host.link].words) for host in self.hosts.values()}
        for host, known in words.items():
            if word in known:
                return host
        raise WrongError("host", found=word, expected=one_of(words), nearest=nearest(word, chain(*words.values())))

    def on_broker(self, address: str) -> "Setup":
        """The same bench with all that speaks MQTT on this broker. Raises `WrongError`."""
        if problem := address_problem(address):
            raise WrongError("--broker", found=address, expected=problem)
        if not any(link.broker for link in self.links.values()):
            raise WrongError("--broker", found=address, expected="a bench with a link of kind mqtt")
        moved = {
            name: msgspec.structs.replace(link, broker=address) if link.broker else link
            for name, link in self.links.items()
        }
        return msgspec.structs.replace(self, links=moved, elsewhere=self.elsewhere | {"": address})


def address_problem(address: str) -> str:
    """What a broker's address should be, where it is none; "" for a good one."""
    found = ADDRESS.fullmatch(address)
    good = found is not None and 1 <= int(found[2]) <= 65535
    return "" if good else "HOST:PORT, with a port of 1 to 65535"


def split_address(address: str) -> tuple[str, int]:
    """Host and port of an address as HOST:PORT."""
    host, _, port = address.rpartition(":")
    return host.strip("[]"), int(port)
