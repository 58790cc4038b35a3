"""MQTT: points at topics, a host that is a client of the board's broker."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf
from typing import Any, ClassVar

import msgspec

from cavet.benchfile._messages import (
    CLIENT_KEYS,
    PAYLOAD_KEYS,
    PRESENCE_KEYS,
    joined,
    read_client,
    read_payload,
    read_topics,
)
from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.benchfile.hosts._protocol import STATE, Constant, HostProtocol, HostTables, PointTable
from cavet.hosts import MqttSession, Point, PointKind, TopicPoint
from cavet.messaging import PayloadForm
from cavet.protocols.mqtt import filter_problem, name_problem
from cavet.record import Tell
from cavet.settings import Key
from cavet.wording import listed


def _of_mqtt(*keys: Key) -> tuple[Key, ...]:
    """The same keys in a table that others share: what they mean begins with the protocol that they are for."""
    return tuple(msgspec.structs.replace(key, doc=f"MQTT: {key.doc}") for key in keys)


class MqttProtocol(HostProtocol):
    """MQTT, both versions."""

    name: ClassVar[str] = "mqtt"
    HOST_KEYS: ClassVar[tuple[Key, ...]] = _of_mqtt(*PRESENCE_KEYS, *CLIENT_KEYS)
    POINT_KEYS: ClassVar[tuple[Key, ...]] = (
        *_of_mqtt(
            Key("command", "text", "the topic that it is set at, behind the host's base", default=""),
            *PAYLOAD_KEYS,
            Key("retain", "switch", "whether the broker keeps what is published", default=False),
        ),
        STATE,
    )
    PLACES: ClassVar[tuple[str, ...]] = ("command", "state")
    KINDS: ClassVar[tuple[PointKind, ...]] = tuple(PointKind)

    def read_host(self, tables: HostTables) -> dict[str, Any]:
        return {
            "client": read_client(tables.checker, tables.path, tables.table),
            "topics": read_topics(tables.checker, tables.path, tables.table),
        }

    def session(self, host: HostSetup, link: LinkSetup, points: Sequence[TopicPoint], tell: Tell) -> MqttSession:
        return MqttSession(host.name, points, host.settings, tell, host.client, host.topics)

    def read_point(self, table: PointTable) -> Point | None:
        if not table.has_no_pin_kind():
            return None
        kind, base = table.kind, table.host.topics.base
        needed, doc = ("command", "the topic that it is set at") if kind.is_output else ("state", "where it is told")
        if not table.has(needed, doc):
            return None
        command, state = joined(base, table.table["command"]), joined(base, table.table["state"])
        problems = {
            "command": (command, name_problem(command) if command else ""),
            "state": (state, filter_problem(state, 4) if state else ""),
        }
        wrong = {key: found for key, found in problems.items() if found[1]}
        for key, (topic, problem) in wrong.items():
            table.wrong(key, found=topic, expected=problem.partition("expected ")[2] or problem)
        form = read_payload(table.checker, table.path, table.table, kind.value)
        if wrong or not _fits_payload(table, form):
            return None
        fields = table.common()
        fields["confirm"] = bool(state) and fields.get("confirm", False)
        sent = {key: table.table[key] for key in ("qos", "retain")}
        return TopicPoint(**fields, **sent, command=command, state=state, form=form)

    def limits(self, point: Point, host: HostSetup) -> tuple[float, float]:
        assert isinstance(point, TopicPoint)
        return (0, (1 << 8 * point.form.size) - 1) if point.form.kind == "raw" else (-inf, inf)

    def constants_of(self, point: TopicPoint, about: str) -> list[Constant]:
        topics = (("COMMAND_TOPIC", point.command), ("STATE_TOPIC", point.state))
        return [Constant(word, text, about) for word, text in topics if text]


def _fits_payload(table: PointTable, form: PayloadForm) -> bool:
    kind = table.kind
    known = ("text", "json") if kind.is_text else ("words", "json", "number", "raw") if kind.is_switch else (
        "number", "json", "raw"
    )  # fmt: skip
    if form.kind not in known:
        table.wrong("payload", found=form.kind, expected=f"{listed(known)} for a {kind.value}")
    return form.kind in known
