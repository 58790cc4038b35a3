"""MQTT on the board's side: the small broker that ships, and a station that is a client of one."""

from cavet.boards.firmware.mqtt._broker import Broker
from cavet.boards.firmware.mqtt._limits import BrokerSettings
from cavet.boards.firmware.mqtt._station import (
    MODES,
    UPTIME,
    HealthSettings,
    Station,
    StationSettings,
    TopicSettings,
)

__all__ = [
    "MODES",
    "UPTIME",
    "Broker",
    "BrokerSettings",
    "HealthSettings",
    "Station",
    "StationSettings",
    "TopicSettings",
]
