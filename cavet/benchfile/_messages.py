"""What a station and its host both say of MQTT: who they are to the broker, how a value stands in a payload."""

from typing import Annotated

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.hosts import BoardTopics
from cavet.messaging import KINDS, ClientSettings, PayloadForm, path_problem
from cavet.protocols.mqtt import name_problem
from cavet.settings import Meaning, Table
from cavet.wording import listed

WORDS = PayloadForm().words
USUAL_PAYLOADS = {"switch": "words", "contact": "words", "text": "text", "words": "text"}
"""How a value stands in a payload, by the kind of point or by what a topic does; all others as a number."""

VERSIONS = {"3.1.1": 4, "5.0": 5}
"""The protocol level of each version. Source: MQTT 3.1.1 and 5.0, section 3.1.2.2."""


class PresenceKeys(Table, kw_only=True):
    """Where a board tells of itself."""

    base: Annotated[str, Meaning("what its topics begin with, without the last `/`")] = ""
    presence: Annotated[str, Meaning("the topic at which it says that it is there; nothing for none")] = ""
    here: Annotated[str, Meaning("what it says when it is there", beside=("presence", ()))] = "here"
    gone: Annotated[str, Meaning("what is said for it when it is not: its will", beside=("presence", ()))] = "gone"
    health: Annotated[str, Meaning("the topic of its health; nothing for none")] = ""


class ClientKeys(PresenceKeys, kw_only=True):
    """Who a board or a host is to its broker, and where it tells of itself."""

    version: Annotated[str, Meaning("the version of MQTT that it speaks", tuple(VERSIONS))] = "3.1.1"
    client_id: Annotated[str, Meaning("what it calls itself; else what the broker gives it")] = ""
    keep_alive: Annotated[
        float, Meaning("how long it may be silent; 0 for as long as it likes", unit="s", low=0, high=65535, least=1)
    ] = 30.0
    kept: Annotated[
        float,
        Meaning(
            "how long the broker keeps its session when it is gone; 3.1.1 knows only not at all and for ever",
            unit="s", low=0, high=4294967295, least=1,
        ),
    ] = 0.0  # fmt: skip
    user: Annotated[str | None, Meaning("its user name at the broker")] = None
    password: Annotated[str | None, Meaning("its password")] = None


class PayloadKeys(Table, kw_only=True):
    """How a value stands in a payload."""

    payload: Annotated[
        str | None,
        Meaning(
            "how a value stands in the payload; else as words for what is switched, as text for texts, as a number",
            KINDS,
        ),
    ] = None
    payload_words: Annotated[tuple[str, str], Meaning("with words: those for off and on")] = ("0", "1")
    payload_unit: Annotated[str, Meaning("with number: the unit behind it")] = ""
    path: Annotated[str, Meaning("with json: where the value stands, such as `lamp.level` or `[0]`")] = ""
    size: Annotated[int, Meaning("with raw: how many bytes, the high one first", low=1, high=8)] = 1
    qos: Annotated[int, Meaning("the quality of service it is published with", low=0, high=2)] = 1


def read_client(checker: Checker, path: Path, table: ClientKeys) -> ClientSettings:
    """Who a board or a host is to its broker."""
    if table.password is not None and table.user is None:
        checker.wrong((*path, "user"), found="nothing", expected="a user name beside the password")
    if table.kept and not table.client_id:
        checker.wrong((*path, "client_id"), found="nothing", expected="one, where the session is to be kept")
    return ClientSettings(
        client_id=table.client_id, version=VERSIONS[table.version], keep_alive=round(table.keep_alive),
        keeps=round(table.kept), user_name=table.user,
        password=None if table.password is None else table.password.encode(),
    )  # fmt: skip


def joined(base: str, topic: str) -> str:
    """A topic behind its base; "" for none."""
    return f"{base}/{topic}" if base and topic else topic


def read_topics(checker: Checker, path: Path, table: PresenceKeys) -> BoardTopics:
    """Where a board tells of itself."""
    found = {key: joined(table.base, getattr(table, key)) for key in ("presence", "health")}
    for key, topic in found.items():
        if topic and (problem := name_problem(topic)):
            checker.wrong((*path, key), found=topic, expected=problem.partition("expected ")[2])
    if table.here == table.gone:
        checker.wrong((*path, "gone"), found=table.gone, expected="something else than for `here`")
    return BoardTopics(base=table.base, here=table.here, gone=table.gone, **found)


def read_payload(checker: Checker, path: Path, table: PayloadKeys, what: str) -> PayloadForm:
    """How a value stands in the payload, for this kind of point or of topic."""
    if problem := path_problem(table.path):
        checker.wrong((*path, "path"), found=table.path, expected=problem.partition("expected ")[2])
    kind = table.payload or ("json" if table.path else USUAL_PAYLOADS.get(what, "number"))
    if table.path and kind != "json":
        checker.wrong((*path, "path"), found=table.path, expected="a payload of json, or no path")
    words = table.payload_words
    if kind not in ("words", "json") and words != WORDS:
        checker.wrong((*path, "payload_words"), found=listed(words), expected=f"none: the payload is {kind}, not words")
    if kind != "number" and table.payload_unit:
        found = table.payload_unit
        checker.wrong((*path, "payload_unit"), found=found, expected=f"none: the payload is {kind}, not a number")
    if kind != "raw" and table.size != 1:
        checker.wrong((*path, "size"), found=table.size, expected=f"none: the payload is {kind}, not raw")
    return PayloadForm(kind=kind, words=words, unit=table.payload_unit.strip(), path=table.path, size=table.size)
