"""MQTT: points at topics, a host that is a client of the board's broker."""

from collections.abc import Sequence
from math import inf
from typing import Annotated, Any, ClassVar

from cavet.benchfile._messages import (
    ClientKeys,
    PayloadKeys,
    joined,
    read_client,
    read_payload,
    read_topics,
)
from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.benchfile.hosts._protocol import Constant, HostProtocol, HostTables, PointTables
from cavet.hosts import MqttSession, Point, PointKind, TopicPoint
from cavet.messaging import PayloadForm
from cavet.protocols.mqtt import filter_problem, name_problem
from cavet.record import Tell
from cavet.settings import Meaning, Table
from cavet.wording import listed


class MqttPlace(PayloadKeys, kw_only=True):
    """Where a point is, with MQTT."""

    ABOUT = "MQTT"
    command: Annotated[str, Meaning("the topic that it is set at, behind the host's base")] = ""
    retain: Annotated[bool, Meaning("whether the broker keeps what is published")] = False
    state: Annotated[str, Meaning("the topic that says how it stands; plan: the FRAME.FIELD that tells it")] = ""


class MqttHost(ClientKeys, kw_only=True):
    """Who a host is to its broker, and where its board tells of itself."""

    ABOUT = "MQTT"


class MqttProtocol(HostProtocol):
    """MQTT, both versions."""

    name: ClassVar[str] = "mqtt"
    HOST: ClassVar[type[Table]] = MqttHost
    POINT: ClassVar[type[Table]] = MqttPlace
    KINDS: ClassVar[tuple[PointKind, ...]] = tuple(PointKind)

    def read_host(self, tables: HostTables) -> dict[str, Any]:
        own = tables.own(MqttHost)
        if own is None:
            return {}
        client, topics = read_client(tables.checker, tables.path, own), read_topics(tables.checker, tables.path, own)
        return {"client": client, "topics": topics}

    def session(self, host: HostSetup, link: LinkSetup, points: Sequence[TopicPoint], tell: Tell) -> MqttSession:
        return MqttSession(host.name, points, host.settings, tell, host.client, host.topics)

    def read_point(self, tables: PointTables) -> Point | None:
        place = tables.own(MqttPlace)
        if place is None or not tables.has_no_pin_kind():
            return None
        kind, base = tables.kind, tables.host.topics.base
        needed, doc = ("command", "the topic that it is set at") if kind.is_output else ("state", "where it is told")
        tables.refuse_of_inputs(place, "command", "retain")
        if not tables.has(needed, getattr(place, needed), doc):
            return None
        if kind is PointKind.PULSE and place.state:
            tables.wrong("state", found=place.state, expected="none for a pulse; a contact can tell whether it goes on")
            return None
        command, state = joined(base, place.command), joined(base, place.state)
        problems = {
            "command": (command, name_problem(command) if command else ""),
            "state": (state, filter_problem(state, 4) if state else ""),
        }
        wrong = {key: found for key, found in problems.items() if found[1]}
        for key, (topic, problem) in wrong.items():
            tables.wrong(key, found=topic, expected=problem.partition("expected ")[2] or problem)
        form = read_payload(tables.checker, tables.path, place, kind.value)
        if wrong or not _fits_payload(tables, form):
            return None
        fields = tables.common()
        fields["confirm"] = bool(state) and fields.get("confirm", False)
        return TopicPoint(**fields, qos=place.qos, retain=place.retain, command=command, state=state, form=form)

    def limits(self, point: Point, host: HostSetup) -> tuple[float, float]:
        assert isinstance(point, TopicPoint)
        return (0, (1 << 8 * point.form.size) - 1) if point.form.kind == "raw" else (-inf, inf)

    def constants_of(self, point: TopicPoint, about: str) -> list[Constant]:
        topics = (("COMMAND_TOPIC", point.command), ("STATE_TOPIC", point.state))
        return [Constant(word, text, about) for word, text in topics if text]


def _fits_payload(tables: PointTables, form: PayloadForm) -> bool:
    kind = tables.kind
    known = ("text", "json") if kind.is_text else ("words", "json", "number", "raw") if kind.is_switch else (
        "number", "json", "raw"
    )  # fmt: skip
    if form.kind not in known:
        tables.wrong("payload", found=form.kind, expected=f"{listed(known)} for a {kind.value}")
    return form.kind in known
