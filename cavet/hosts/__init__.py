"""The host's belief: what it thinks is where, and how it talks to a board. No I/O; time is handed in."""

from cavet.hosts._base import Session
from cavet.hosts._firmata import FirmataSession
from cavet.hosts._modbus import ModbusSession
from cavet.hosts._mqtt import MqttSession
from cavet.hosts._point import Asked, HeaderPoint, PinPoint, Point, PointKind, RegisterPoint, TopicPoint
from cavet.hosts._presence import BoardTopics, Presence
from cavet.hosts._scpi import ScpiSession
from cavet.hosts._session import Manners, Reading, Said, SessionState, Tell, state_words

__all__ = [
    "Asked",
    "BoardTopics",
    "FirmataSession",
    "HeaderPoint",
    "Manners",
    "ModbusSession",
    "MqttSession",
    "PinPoint",
    "Point",
    "PointKind",
    "Presence",
    "Reading",
    "RegisterPoint",
    "Said",
    "ScpiSession",
    "Session",
    "SessionState",
    "Tell",
    "TopicPoint",
    "state_words",
]
