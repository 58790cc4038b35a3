"""Our own broker, as the bench wants it."""

from __future__ import annotations

from typing import Any

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile._setup import OwnBroker
from cavet.boards.firmware.mqtt import BrokerSettings
from cavet.links import Tls
from cavet.settings import Key, Section

BROKER = Section(
    title="[broker]",
    doc="Our own broker, which is there when a link is on it. Brokers of others are named by the links.",
    keys=(
        Key("port", "whole", "the port that it listens on; 0 for any free one", default=0, low=0, high=65535),
        Key("users", "table", "user names, each with its password; without any, all may come", default={}),
        Key("tls", "switch", "whether it is encrypted", default=False),
        Key("certificate", "text", "with tls: the PEM file of its certificate", default=""),
        Key("key", "text", "with tls: the PEM file of its key", default=""),
        Key("clients", "whole", "how many clients there may be", default=500, low=1, high=10000),
        Key(
            "packet",
            "quantity",
            "the longest packet that it takes, in bytes",
            unit="",
            default=1048576.0,
            low=64,
            high=1048576,
        ),
        Key("queue", "whole", "how many messages may wait for one client", default=10000, low=1, high=100000),
    ),
)


def read_broker(checker: Checker, data: Any) -> OwnBroker:
    """Our own broker, as the bench wants it."""
    path: Path = ("broker",)
    table = checker.table(data, BROKER, path)
    if table is None:
        return OwnBroker()
    for name, password in table["users"].items():
        if not isinstance(password, str):
            checker.wrong((*path, "users", name), found=type(password).__name__, expected="a password, as a text")
    users = {name: str(password) for name, password in table["users"].items()}
    limits = BrokerSettings(
        users=users, clients=table["clients"], packet=round(table["packet"]), queue=table["queue"],
        sessions=2 * table["clients"],
    )  # fmt: skip
    if table["tls"] and not table["certificate"]:
        checker.wrong((*path, "certificate"), found="nothing", expected="the broker's certificate; it must be there")
    tls = Tls(table["certificate"], table["key"]) if table["tls"] else None
    return OwnBroker(port=table["port"], limits=limits, tls=tls)
