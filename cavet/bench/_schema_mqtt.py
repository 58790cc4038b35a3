"""The keys of MQTT: our own broker, a station's topics and health, what its host believes of them; and reflexes."""

from __future__ import annotations

import msgspec

from cavet.boards import DOES, EDGES
from cavet.boards.firmware.mqtt import MODES
from cavet.messaging import KINDS
from cavet.settings import Key, Section

VERSIONS = {"3.1.1": 4, "5.0": 5}
"""The protocol level of each version. Source: MQTT 3.1.1 and 5.0, section 3.1.2.2."""
PRESENCE_KEYS = (
    Key(name="base", kind="text", doc="what its topics begin with, without the last `/`", default=""),
    Key(name="presence", kind="text", doc="the topic at which it says that it is there; nothing for none", default=""),
    Key(name="here", kind="text", doc="what it says when it is there", default="here"),
    Key(name="gone", kind="text", doc="what is said for it when it is not: its will", default="gone"),
    Key(name="health", kind="text", doc="the topic of its health; nothing for none", default=""),
)
CLIENT_KEYS = (
    Key(
        name="version", kind="word", doc="the version of MQTT that it speaks", choices=tuple(VERSIONS), default="3.1.1"
    ),
    Key(name="client_id", kind="text", doc="what it calls itself; else what the broker gives it", default=""),
    Key(
        name="keep_alive",
        kind="quantity",
        unit="s",
        doc="how long it may be silent; 0 for as long as it likes",
        default=30.0,
        low=0,
        high=65535,
    ),
    Key(
        name="kept",
        kind="quantity",
        unit="s",
        doc="how long the broker keeps its session when it is gone; 3.1.1 knows only not at all and for ever",
        default=0.0,
        low=0,
        high=4294967295,
    ),
    Key(name="user", kind="text", doc="its user name at the broker", default=None),
    Key(name="password", kind="text", doc="its password", default=None),
)
PAYLOAD_KEYS = (
    Key(
        name="payload",
        kind="word",
        doc="how a value stands in the payload; else as words for what is switched, as text for texts, as a number",
        choices=KINDS,
        default=None,
    ),
    Key(name="payload_words", kind="words", doc="with words: those for off and on", default=("0", "1")),
    Key(name="payload_unit", kind="text", doc="with number: the unit behind it", default=""),
    Key(name="path", kind="text", doc="with json: where the value stands, such as `lamp.level` or `[0]`", default=""),
    Key(name="size", kind="whole", doc="with raw: how many bytes, the high one first", default=1, low=1, high=8),
    Key(name="qos", kind="whole", doc="the quality of service it is published with", default=1, low=0, high=2),
)

STATION = Section(
    title="[boards.NAME.station]",
    doc="MQTT: who a board is at its broker.",
    keys=(
        *PRESENCE_KEYS,
        Key(name="every", kind="quantity", unit="s", doc="how often it tells its health", default=5.0, low=0.1),
        *CLIENT_KEYS,
    ),
)

TOPIC = Section(
    title="[boards.NAME.topics.NAME]",
    doc="MQTT: a topic at which a board takes commands, and what it does then.",
    keys=(
        Key(name="command", kind="text", doc="the topic, behind the base", required=True),
        Key(
            name="state", kind="text", doc="the topic at which it reports how that stands; else it does not", default=""
        ),
        Key(
            name="does",
            kind="word",
            doc="`switch` and `level` drive the pin, `pulse` drives it for milliseconds, `text` sends it a text, "
            "`tone` lets it swing at so many hertz",
            choices=tuple(MODES),
            required=True,
        ),
        Key(name="pin", kind="pin", doc="the pin", required=True),
        Key(name="range", kind="range", doc="a number's limits", default=(0.0, 100.0)),
        Key(name="retain", kind="switch", doc="whether the broker keeps its reports", default=True),
        *PAYLOAD_KEYS,
    ),
)

HEALTH = Section(
    title="[boards.NAME.health.NAME]",
    doc="MQTT: a number that a board tells with its health.",
    keys=(Key(name="of", kind="sum", doc="what it is: a sum of the rig and the parts, or `uptime`", required=True),),
)

REFLEX = Section(
    title="[boards.NAME.reflexes.NAME]",
    doc="A rule that a board follows by itself, whatever it speaks: when a pin changes, it drives another one.",
    keys=(
        Key(name="pin", kind="pin", doc="the pin that it watches", required=True),
        Key(
            name="mode",
            kind="word",
            choices=("input", "pull-up"),
            doc="how that is read",
            default="input",
        ),
        Key(name="edge", kind="word", doc="at which change", choices=EDGES, default="falling"),
        Key(
            name="debounce",
            kind="quantity",
            unit="s",
            doc="how long the level must stay so: contacts bounce",
            default=0.02,
            low=0,
            high=10,
        ),
        Key(name="does", kind="word", doc="what then; `follow` gives the level on", choices=DOES, default="toggle"),
        Key(name="target", kind="pin", doc="the pin that it drives", required=True),
    ),
)

BROKER = Section(
    title="[broker]",
    doc="Our own broker, which is there when a link is on it. Brokers of others are named by the links.",
    keys=(
        Key(
            name="port",
            kind="whole",
            doc="the port that it listens on; 0 for any free one",
            default=0,
            low=0,
            high=65535,
        ),
        Key(
            name="users", kind="table", doc="user names, each with its password; without any, all may come", default={}
        ),
        Key(name="tls", kind="switch", doc="whether it is encrypted", default=False),
        Key(name="certificate", kind="text", doc="with tls: the PEM file of its certificate", default=""),
        Key(name="key", kind="text", doc="with tls: the PEM file of its key", default=""),
        Key(name="clients", kind="whole", doc="how many clients there may be", default=500, low=1, high=10000),
        Key(
            name="packet",
            kind="quantity",
            unit="",
            doc="the longest packet that it takes, in bytes",
            default=1048576.0,
            low=64,
            high=1048576,
        ),
        Key(
            name="queue",
            kind="whole",
            doc="how many messages may wait for one client",
            default=10000,
            low=1,
            high=100000,
        ),
    ),
)

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
