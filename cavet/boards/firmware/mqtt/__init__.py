"""MQTT on the board's side: the small broker that ships, and a station that is a client of one."""

from cavet.boards.firmware.mqtt._broker import Broker
from cavet.boards.firmware.mqtt._limits import BrokerPlan
from cavet.boards.firmware.mqtt._station import MODES, UPTIME, Station, StationPlan, TopicPlan

__all__ = ["MODES", "UPTIME", "Broker", "BrokerPlan", "Station", "StationPlan", "TopicPlan"]
