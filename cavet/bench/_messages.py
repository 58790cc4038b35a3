"""From the tables of MQTT to what a station, its host and our own broker need."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from cavet.bench import _schema as schema
from cavet.bench._check import Checker
from cavet.bench._places import Path
from cavet.bench._plan import OwnBroker
from cavet.bench._schema_mqtt import VERSIONS
from cavet.boards import PinMode, Profile
from cavet.boards.firmware.mqtt import MODES, BrokerPlan, StationPlan, TopicPlan
from cavet.hosts import BoardTopics
from cavet.links import Tls
from cavet.messaging import ClientPlan, PayloadForm, path_problem
from cavet.protocols.mqtt import filter_problem, name_problem
from cavet.wording import listed

WORDS = PayloadForm().words
USUAL_PAYLOADS = {"switch": "words", "contact": "words", "text": "text", "words": "text"}
"""How a value stands in a payload, by the kind of point or by what a topic does; all others as a number."""
ReadTables = Callable[[str, schema.Section, Path, Any], dict[str, dict[str, Any]]]
FindPin = Callable[[Path, Any], int | None]


def read_client(checker: Checker, path: Path, table: dict[str, Any]) -> ClientPlan:
    """Who a board or a host is to its broker."""
    if table["password"] is not None and table["user"] is None:
        checker.wrong((*path, "user"), found="nothing", expected="a user name beside the password")
    if table["kept"] and not table["client_id"]:
        checker.wrong((*path, "client_id"), found="nothing", expected="one, where the session is to be kept")
    return ClientPlan(
        client_id=table["client_id"], version=VERSIONS[table["version"]], keep_alive=round(table["keep_alive"]),
        keeps=round(table["kept"]), user_name=table["user"],
        password=None if table["password"] is None else table["password"].encode(),
    )  # fmt: skip


def joined(base: str, topic: str) -> str:
    """A topic behind its base; "" for none."""
    return f"{base}/{topic}" if base and topic else topic


def read_topics(checker: Checker, path: Path, table: dict[str, Any]) -> BoardTopics:
    """Where a board tells of itself."""
    found = {key: joined(table["base"], table[key]) for key in ("presence", "health")}
    for key, topic in found.items():
        if topic and (problem := name_problem(topic)):
            checker.wrong((*path, key), found=topic, expected=problem.partition("expected ")[2])
    if table["here"] == table["gone"]:
        checker.wrong((*path, "gone"), found=table["gone"], expected="something else than for `here`")
    return BoardTopics(base=table["base"], here=table["here"], gone=table["gone"], **found)


def read_payload(checker: Checker, path: Path, table: dict[str, Any], what: str) -> PayloadForm:
    """How a value stands in the payload, for this kind of point or of topic."""
    if problem := path_problem(table["path"]):
        checker.wrong((*path, "path"), found=table["path"], expected=problem.partition("expected ")[2])
    kind = table["payload"] or ("json" if table["path"] else USUAL_PAYLOADS.get(what, "number"))
    if table["path"] and kind != "json":
        checker.wrong((*path, "path"), found=table["path"], expected="a payload of json, or no path")
    words = table["payload_words"]
    if kind not in ("words", "json") and words != WORDS:
        checker.wrong((*path, "payload_words"), found=listed(words), expected=f"none: the payload is {kind}, not words")
    if kind != "number" and table["payload_unit"]:
        found = table["payload_unit"]
        checker.wrong((*path, "payload_unit"), found=found, expected=f"none: the payload is {kind}, not a number")
    if kind != "raw" and table["size"] != 1:
        checker.wrong((*path, "size"), found=table["size"], expected=f"none: the payload is {kind}, not raw")
    return PayloadForm(kind=kind, words=words, unit=table["payload_unit"], path=table["path"], size=table["size"])


class StationReader:
    """Reads the tables of one board that speaks MQTT."""

    def __init__(
        self, checker: Checker, board: str, table: dict[str, Any], profile: Profile, tables: ReadTables,
        find_pin: FindPin,
    ) -> None:  # fmt: skip
        self._checker = checker
        self._path: Path = ("boards", board)
        self._board = board
        self._table = table
        self._profile = profile
        self._tables = tables
        self._find_pin = find_pin

    def read(self) -> StationPlan | None:
        """Read it; `None` where nothing can be made of it."""
        path: Path = (*self._path, "station")
        station = self._checker.table(self._table["station"], schema.STATION, path)
        if station is None:
            return None
        station["client_id"] = station["client_id"] or self._board
        own = read_topics(self._checker, path, station)
        topics = [
            self._topic(name, table, station["base"])
            for name, table in self._tables("topics", schema.TOPIC, self._path, self._table["topics"]).items()
        ]
        health = self._tables("health", schema.HEALTH, self._path, self._table["health"])
        return StationPlan(
            client=read_client(self._checker, path, station), topics=tuple(t for t in topics if t is not None),
            presence=own.presence, here=own.here, gone=own.gone, health=own.health, every=station["every"],
            fields={name: table["of"] for name, table in health.items()},
        )  # fmt: skip

    def _topic(self, name: str, table: dict[str, Any], base: str) -> TopicPlan | None:
        path: Path = (*self._path, "topics", name)
        pin = self._find_pin((*path, "pin"), table["pin"])
        if pin is None:
            return None
        needed: PinMode = MODES[table["does"]]
        if not self._profile.pins[pin].can(needed):
            able = listed(self._profile.able(needed))
            expected = f"a pin with {needed.value}: {able}" if able else f"a profile with {needed.value}"
            self._checker.wrong((*path, "pin"), found=pin, expected=expected)
        command, state = joined(base, table["command"]), joined(base, table["state"])
        if problem := filter_problem(command, 4):
            self._checker.wrong(
                (*path, "command"), found=command, expected=problem.partition("expected ")[2] or problem
            )
        if state and (problem := name_problem(state)):
            self._checker.wrong((*path, "state"), found=state, expected=problem.partition("expected ")[2])
        form = read_payload(self._checker, path, table, table["does"])
        if (table["does"] == "switch") != (form.kind == "words") and form.kind not in ("json", "number", "raw"):
            self._checker.wrong((*path, "payload"), found=form.kind, expected=f"one that fits {table['does']}")
        low, high = sorted(table["range"])
        return TopicPlan(
            name=name, command=command, state=state, does=table["does"], pin=pin, form=form, low=low, high=high,
            qos=table["qos"], retain=table["retain"],
        )  # fmt: skip


def read_broker(checker: Checker, data: Any) -> OwnBroker:
    """Our own broker, as the bench wants it."""
    path: Path = ("broker",)
    table = checker.table(data, schema.BROKER, path)
    if table is None:
        return OwnBroker()
    for name, password in table["users"].items():
        if not isinstance(password, str):
            checker.wrong((*path, "users", name), found=type(password).__name__, expected="a password, as a text")
    users = {name: str(password) for name, password in table["users"].items()}
    limits = BrokerPlan(
        users=users, clients=table["clients"], packet=round(table["packet"]), queue=table["queue"],
        sessions=2 * table["clients"],
    )  # fmt: skip
    if table["tls"] and not table["certificate"]:
        checker.wrong((*path, "certificate"), found="nothing", expected="the broker's certificate; it must be there")
    tls = Tls(table["certificate"], table["key"]) if table["tls"] else None
    return OwnBroker(port=table["port"], limits=limits, tls=tls)
