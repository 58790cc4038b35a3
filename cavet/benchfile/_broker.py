"""Our own broker, as the bench wants it."""

from typing import Annotated, Any

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile._setup import OwnBroker
from cavet.boards.firmware.mqtt import BrokerSettings
from cavet.links import Tls
from cavet.settings import Meaning, Table


class BrokerTable(Table, kw_only=True):
    """Our own broker, which is there when a link is on it. Brokers of others are named by the links."""

    TITLE = "[broker]"
    port: Annotated[int, Meaning("the port that it listens on; 0 for any free one", low=0, high=65535)] = 0
    users: Annotated[dict[str, Any], Meaning("user names, each with its password; without any, all may come")] = {}
    tls: Annotated[bool, Meaning("whether it is encrypted")] = False
    certificate: Annotated[str, Meaning("the PEM file of its certificate", beside=("tls", (True,)))] = ""
    key: Annotated[str, Meaning("the PEM file of its key", beside=("tls", (True,)))] = ""
    clients: Annotated[int, Meaning("how many clients there may be", low=1, high=10000)] = 500
    packet: Annotated[float, Meaning("the longest packet that it takes, in bytes", low=64, high=1048576)] = 1048576.0
    queue: Annotated[int, Meaning("how many messages may wait for one client", low=1, high=100000)] = 10000


def read_broker(checker: Checker, data: Any) -> OwnBroker:
    """Our own broker, as the bench wants it."""
    path: Path = ("broker",)
    table = checker.read(data, BrokerTable, path)
    if table is None:
        return OwnBroker()
    for name, password in table.users.items():
        if not isinstance(password, str):
            checker.wrong((*path, "users", name), found=type(password).__name__, expected="a password, as a text")
    users = {name: str(password) for name, password in table.users.items()}
    limits = BrokerSettings(
        users=users, clients=table.clients, packet=round(table.packet), queue=table.queue,
        sessions=2 * table.clients,
    )  # fmt: skip
    if table.tls and not table.certificate:
        checker.wrong((*path, "certificate"), found="nothing", expected="the broker's certificate; it must be there")
    tls = Tls(table.certificate, table.key) if table.tls else None
    return OwnBroker(port=table.port, limits=limits, tls=tls)
