"""What answers on a network: the open ports of a host that was named, the topics of a broker."""

from __future__ import annotations

import asyncio

from cavet.benchfile import split_address
from cavet.finding._around import Found
from cavet.finding._questions import ask_mqtt
from cavet.links import TcpClientEnd, host_port
from cavet.wording import UnreachableError, WrongError

MOST_PORTS = 256
AT_ONCE = 32
CONNECT_SECONDS = 1.0
BROKER_SECONDS = 2.0
SERVICES = {
    502: "Modbus's own port", 5025: "SCPI's usual port", 1883: "MQTT's own port", 8883: "MQTT over TLS",
    3240: "USB/IP's own port",
}  # fmt: skip


async def open_ports(host: str, first: int, last: int) -> list[Found]:
    """The ports of a host that take a connection: one each, shut at once. Raises `WrongError` for too many, and
    `UnreachableError` for a host that is not known."""
    if not 1 <= first <= last <= 65535:
        raise WrongError("find tcp", found=f"{first}-{last}", expected="FIRST-LAST, from 1 to 65535")
    if last - first + 1 > MOST_PORTS:
        raise WrongError("find tcp", found=f"{last - first + 1} ports", expected=f"{MOST_PORTS} at most")
    host = host.strip("[]")
    try:
        await asyncio.get_running_loop().getaddrinfo(host, first)
    except OSError as error:
        raise UnreachableError(host, error.strerror or str(error)) from error
    few = asyncio.Semaphore(AT_ONCE)

    async def look(port: int) -> int | None:
        async with few:
            try:
                async with asyncio.timeout(CONNECT_SECONDS):
                    _, writer = await asyncio.open_connection(host, port)
            except (OSError, TimeoutError):
                return None
            writer.close()
            return port

    found = await asyncio.gather(*(look(port) for port in range(first, last + 1)))
    return [
        Found(kind="tcp", address=host_port(host, port), description=SERVICES.get(port, ""))
        for port in found
        if port is not None
    ]


async def topics_at(address: str) -> list[Found]:
    """The topics at which a broker keeps something. Raises `UnreachableError` where none answers."""
    host, port = split_address(address)
    found = await ask_mqtt(lambda: TcpClientEnd(host, port), BROKER_SECONDS)
    if found is None:
        raise UnreachableError(address, "it takes connections, and no broker answers: asked in MQTT 3.1.1 and 5.0")
    return [Found(kind="topic", address=topic, description="kept by the broker") for topic in found["retained"]]
