"""A board that speaks MQTT: who it is at its broker, where it takes commands, what it tells of itself."""

from collections.abc import Iterator, Sequence
from typing import Annotated, Any, ClassVar, Self

from cavet.benchfile._messages import (
    ClientKeys,
    PayloadKeys,
    joined,
    read_client,
    read_payload,
    read_topics,
)
from cavet.benchfile._places import Path
from cavet.benchfile.boards._device import (
    BoardTables,
    Device,
    Making,
    PartsAt,
    Place,
    PlaceKey,
    PlaceKind,
    Row,
)
from cavet.boards import Firmware, PinMode, Profile
from cavet.boards.firmware import Station
from cavet.boards.firmware.mqtt import MODES, HealthSettings, StationSettings, TopicSettings
from cavet.expressions import Expression
from cavet.hosts import Point, TopicPoint
from cavet.protocols.mqtt import filter_problem, name_problem
from cavet.settings import Meaning, Table, made


class StationTable(ClientKeys, kw_only=True):
    """MQTT: who a board is at its broker."""

    TITLE = "[boards.NAME.station]"
    every: Annotated[float, Meaning("how often it tells that", unit="s", low=0.1, beside=("health", ()))] = 5.0


class TopicTable(PayloadKeys, kw_only=True):
    """MQTT: a topic at which a board takes commands, and what it does then."""

    TITLE = "[boards.NAME.topics.NAME]"
    command: Annotated[str, Meaning("the topic, behind the base")]
    state: Annotated[str, Meaning("the topic at which it reports how that stands; else it does not")] = ""
    does: Annotated[
        str,
        Meaning(
            "`switch` and `level` drive the pin, `pulse` drives it for milliseconds, `text` sends it a text, `tone` "
            "lets it swing at so many hertz",
            tuple(MODES),
        ),
    ]
    pin: Annotated[int, Meaning("the pin", kind="pin")]
    range: Annotated[tuple[float, float], Meaning("a number's limits")] = (0.0, 100.0)
    retain: Annotated[bool, Meaning("whether the broker keeps its reports", beside=("state", ()))] = True


class HealthTable(Table, kw_only=True):
    """MQTT: a number that a board tells with its health."""

    TITLE = "[boards.NAME.health.NAME]"
    of: Annotated[Expression, Meaning("what it is: an expression of the rig and the parts, or `uptime`")]
    decimals: Annotated[int, Meaning("with how many decimals it is told; `uptime` with none", low=0, high=9)] = 2


class StationKeys(Table, kw_only=True):
    """What a station has of its own."""

    ABOUT = "MQTT"
    station: Annotated[dict[str, Any], Meaning("who it is at its broker, see below")] = {}
    topics: Annotated[dict[str, Any], Meaning("where it takes commands and reports, see below")] = {}
    health: Annotated[dict[str, Any], Meaning("what it tells of its health, see below")] = {}


class StationDevice(Device, frozen=True, kw_only=True):
    """A station: all that it has on its broker."""

    KEYS: ClassVar[type[Table]] = StationKeys
    TABLES: ClassVar[tuple[type[Table], ...]] = (StationTable, TopicTable, HealthTable)
    FORM: ClassVar[tuple[str, str, str] | None] = ("a topic that it obeys", "topics", "topic")

    station: StationSettings

    @classmethod
    def read(cls, tables: BoardTables) -> Self | None:
        path: Path = (*tables.path, "station")
        keys = tables.own(StationKeys)
        station = tables.one("station", StationTable, keys.station) if keys is not None else None
        if keys is None or station is None:
            return None
        station.client_id = station.client_id or tables.board
        own = read_topics(tables.checker, path, station)
        topics = [
            _read_topic(tables, name, table, station.base)
            for name, table in tables.read("topics", TopicTable, keys.topics).items()
        ]
        health = tables.read("health", HealthTable, keys.health)
        return cls(
            station=StationSettings(
                client=read_client(tables.checker, path, station), topics=tuple(t for t in topics if t is not None),
                presence=own.presence, here=own.here, gone=own.gone, health=own.health, every=station.every,
                fields={name: made(HealthSettings, table) for name, table in health.items()},
            )
        )  # fmt: skip

    @property
    def listens_to(self) -> tuple[str, ...]:
        return tuple(topic.command for topic in self.station.topics)

    @property
    def expressions(self) -> dict[str, Expression]:
        return self.station.expressions

    def path_of_expression(self, name: str) -> Path:
        return ("health", name, "of")

    def firmware(self, making: Making) -> Firmware:
        return Station(self.station, making.circuit, making.tell, making.read(self.expressions))

    def places(self, profile: Profile, parts_at: PartsAt) -> Iterator[Place]:
        for topic in self.station.topics:
            yield Place(
                kind=PlaceKind.TOPIC, key=("topic", topic.command), name=topic.command, note=topic.does,
                pins=(topic.pin,), parts=parts_at(topic.pin), table=("topics", topic.name),
            )  # fmt: skip
        health = self.station.health
        for name in self.station.fields:
            yield Place(
                kind=PlaceKind.TOPIC, key=("health", health, name), name=f"{health} {name}", note="told",
                table=("health", name),
            )  # fmt: skip

    def places_named(self, point: Point) -> list[PlaceKey]:
        if not isinstance(point, TopicPoint):
            return []
        if point.command:
            return [("topic", point.command)]
        told = [("topic", topic.command) for topic in self.station.topics if point.state and point.state == topic.state]
        return [("health", point.state, point.form.path), *told]

    def topics_of(self, key: str) -> list[str]:
        """The topics that a point's `command`, or its `state`, can name."""
        if key == "command":
            return [topic.command for topic in self.station.topics]
        states = [topic.state for topic in self.station.topics if topic.state]
        return [*states, *([self.station.health] if self.station.fields else [])]

    def rows(self, points: Sequence[Point]) -> dict[str, list[Row]]:
        rows = [
            {"topic": topic, "point": point.name, "way": way, "unit": point.unit}
            for point in points if isinstance(point, TopicPoint)
            for topic, way in ((point.command, "set"), (point.state, "told")) if topic
        ]  # fmt: skip
        return {"topics": rows}


def _read_topic(tables: BoardTables, name: str, table: TopicTable, base: str) -> TopicSettings | None:
    path: Path = (*tables.path, "topics", name)
    pin = tables.find_pin((*path, "pin"), table.pin)
    if pin is None:
        return None
    needed: PinMode = MODES[table.does]
    tables.drives((*path, "pin"), name, pin, needed)
    command, state = joined(base, table.command), joined(base, table.state)
    if problem := filter_problem(command, 4):
        tables.checker.wrong((*path, "command"), found=command, expected=problem.partition("expected ")[2] or problem)
    if state and (problem := name_problem(state)):
        tables.checker.wrong((*path, "state"), found=state, expected=problem.partition("expected ")[2])
    form = read_payload(tables.checker, path, table, table.does)
    if (table.does == "switch") != (form.kind == "words") and form.kind not in ("json", "number", "raw"):
        tables.checker.wrong((*path, "payload"), found=form.kind, expected=f"one that fits {table.does}")
    low, high = sorted(table.range)
    return made(TopicSettings, table, name=name, command=command, state=state, pin=pin, form=form, low=low, high=high)
