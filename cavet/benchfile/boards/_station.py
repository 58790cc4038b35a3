"""A board that speaks MQTT: who it is at its broker, where it takes commands, what it tells of itself."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, ClassVar, Self

from cavet.benchfile._messages import (
    CLIENT_KEYS,
    PAYLOAD_KEYS,
    PRESENCE_KEYS,
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
    table_keys,
)
from cavet.boards import Firmware, PinMode, Profile
from cavet.boards.firmware import Station
from cavet.boards.firmware.mqtt import MODES, StationSettings, TopicSettings
from cavet.expressions import Expression
from cavet.hosts import Point, TopicPoint
from cavet.protocols.mqtt import filter_problem, name_problem
from cavet.settings import Key, Section, made

STATION = Section(
    title="[boards.NAME.station]",
    doc="MQTT: who a board is at its broker.",
    keys=(
        *PRESENCE_KEYS,
        Key("every", "quantity", "how often it tells its health", unit="s", default=5.0, low=0.1),
        *CLIENT_KEYS,
    ),
)

TOPIC = Section(
    title="[boards.NAME.topics.NAME]",
    doc="MQTT: a topic at which a board takes commands, and what it does then.",
    keys=(
        Key("command", "text", "the topic, behind the base", required=True),
        Key("state", "text", "the topic at which it reports how that stands; else it does not", default=""),
        Key(
            "does",
            "word",
            "`switch` and `level` drive the pin, `pulse` drives it for milliseconds, `text` sends it a text, `tone` "
            "lets it swing at so many hertz",
            choices=tuple(MODES),
            required=True,
        ),
        Key("pin", "pin", "the pin", required=True),
        Key("range", "range", "a number's limits", default=(0.0, 100.0)),
        Key("retain", "switch", "whether the broker keeps its reports", default=True),
        *PAYLOAD_KEYS,
    ),
)

HEALTH = Section(
    title="[boards.NAME.health.NAME]",
    doc="MQTT: a number that a board tells with its health.",
    keys=(Key("of", "expression", "what it is: an expression of the rig and the parts, or `uptime`", required=True),),
)


class StationDevice(Device, frozen=True, kw_only=True):
    """A station: all that it has on its broker."""

    KEYS: ClassVar[tuple[Key, ...]] = table_keys(
        (
            ("station", "MQTT: who it is at its broker"),
            ("topics", "MQTT: where it takes commands and reports"),
            ("health", "MQTT: what it tells of its health"),
        )
    )
    SECTIONS: ClassVar[tuple[Section, ...]] = (STATION, TOPIC, HEALTH)
    FORM: ClassVar[tuple[str, str, str] | None] = ("a topic that it obeys", "topics", "topic")

    station: StationSettings

    @classmethod
    def read(cls, tables: BoardTables) -> Self | None:
        path: Path = (*tables.path, "station")
        station = tables.one("station", STATION)
        if station is None:
            return None
        station["client_id"] = station["client_id"] or tables.board
        own = read_topics(tables.checker, path, station)
        topics = [
            _read_topic(tables, name, table, station["base"]) for name, table in tables.read("topics", TOPIC).items()
        ]
        health = tables.read("health", HEALTH)
        return cls(
            station=StationSettings(
                client=read_client(tables.checker, path, station), topics=tuple(t for t in topics if t is not None),
                presence=own.presence, here=own.here, gone=own.gone, health=own.health, every=station["every"],
                fields={name: table["of"] for name, table in health.items()},
            )
        )  # fmt: skip

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


def _read_topic(tables: BoardTables, name: str, table: dict[str, Any], base: str) -> TopicSettings | None:
    path: Path = (*tables.path, "topics", name)
    pin = tables.find_pin((*path, "pin"), table["pin"])
    if pin is None:
        return None
    needed: PinMode = MODES[table["does"]]
    tables.can((*path, "pin"), pin, needed)
    command, state = joined(base, table["command"]), joined(base, table["state"])
    if problem := filter_problem(command, 4):
        tables.checker.wrong((*path, "command"), found=command, expected=problem.partition("expected ")[2] or problem)
    if state and (problem := name_problem(state)):
        tables.checker.wrong((*path, "state"), found=state, expected=problem.partition("expected ")[2])
    form = read_payload(tables.checker, path, table, table["does"])
    if (table["does"] == "switch") != (form.kind == "words") and form.kind not in ("json", "number", "raw"):
        tables.checker.wrong((*path, "payload"), found=form.kind, expected=f"one that fits {table['does']}")
    low, high = sorted(table["range"])
    return made(TopicSettings, table, name=name, command=command, state=state, pin=pin, form=form, low=low, high=high)
