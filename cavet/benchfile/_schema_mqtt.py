"""The keys of links, hosts and points that speak MQTT."""

from __future__ import annotations

import msgspec

from cavet.benchfile._messages import CLIENT_KEYS, PAYLOAD_KEYS, PRESENCE_KEYS
from cavet.settings import Key

LINK_KEYS = (
    Key(
        name="station",
        kind="word",
        doc="whether the board on it is simulated, or a real one that is on that broker",
        choices=("simulated", "real"),
        default="simulated",
    ),
    Key(
        name="broker",
        kind="text",
        doc="HOST:PORT of the broker that both are on, or `own` for the small one that Cavet brings along",
        default="own",
    ),
    Key(name="tls", kind="switch", doc="whether it is encrypted", default=False),
    Key(name="trust", kind="text", doc="with tls: whose certificates are trusted, a PEM file", default=""),
)


def _of_mqtt(keys: tuple[Key, ...]) -> tuple[Key, ...]:
    """The same keys in a table that others share: what they mean begins with the protocol that they are for."""
    return tuple(msgspec.structs.replace(key, doc=f"MQTT: {key.doc}") for key in keys)


POINT_KEYS = _of_mqtt(
    (
        Key(name="command", kind="text", doc="the topic that it is set at, behind the host's base", default=""),
        Key(name="state", kind="text", doc="the topic that says how it stands", default=""),
        *PAYLOAD_KEYS,
        Key(name="retain", kind="switch", doc="whether the broker keeps what is published", default=False),
    )
)
HOST_KEYS = _of_mqtt((*PRESENCE_KEYS, *CLIENT_KEYS))
