"""MQTT beyond its bytes: what clients and brokers keep, for hosts and boards alike. No I/O; time is handed in."""

from cavet.messaging._aliases import AliasError, AliasesIn, AliasesOut
from cavet.messaging._client import (
    Arrived,
    ClientSettings,
    ClientState,
    Connected,
    Happening,
    MqttClient,
    Noted,
    Refused,
    Settled,
    Subscribed,
    Undelivered,
)
from cavet.messaging._outbox import Flight, Outbox
from cavet.messaging._pauses import Pauses
from cavet.messaging._payload import KINDS, PayloadError, PayloadForm, is_number, path_problem, read_json
from cavet.messaging._publication import Publication, find_property, number_property, read_publish, text_property
from cavet.messaging._speech import PUBACK, PUBCOMP, PUBREC, PUBREL, Speech
from cavet.messaging._topics import MAX_LEVELS, TopicTree, fits, levels_of

__all__ = [
    "KINDS",
    "MAX_LEVELS",
    "PUBACK",
    "PUBCOMP",
    "PUBREC",
    "PUBREL",
    "AliasError",
    "AliasesIn",
    "AliasesOut",
    "Arrived",
    "ClientSettings",
    "ClientState",
    "Connected",
    "Flight",
    "Happening",
    "MqttClient",
    "Noted",
    "Outbox",
    "Pauses",
    "PayloadError",
    "PayloadForm",
    "Publication",
    "Refused",
    "Settled",
    "Speech",
    "Subscribed",
    "TopicTree",
    "Undelivered",
    "find_property",
    "fits",
    "is_number",
    "levels_of",
    "number_property",
    "path_problem",
    "read_json",
    "read_publish",
    "text_property",
]
