"""The host's belief: what it thinks is where, and how it talks to a board. No I/O; time is handed in."""

from cavet.hosts._base import Session, Wish
from cavet.hosts._buses import BusesSession
from cavet.hosts._devices import DeviceSession
from cavet.hosts._firmata import FirmataSession
from cavet.hosts._format import Format, FormatSession
from cavet.hosts._modbus import ModbusSession
from cavet.hosts._mqtt import MqttSession
from cavet.hosts._point import ENCODER, STEPPER, Asked, Point, PointKind
from cavet.hosts._points import DevicePoint, FieldPoint, HeaderPoint, PinPoint, RegisterPoint, StepperPoint, TopicPoint
from cavet.hosts._presence import BoardTopics, Presence
from cavet.hosts._reads import group
from cavet.hosts._reversing import Reversing
from cavet.hosts._scpi import ScpiSession
from cavet.hosts._session import LONGEST_ANSWER, Reading, Said, SessionSettings, SessionState, state_words
from cavet.hosts._turns import Turns
from cavet.hosts.buses import HELP, NO_ANSWER, ON_SPI, DeviceSettings, SpiPlace

__all__ = [
    "ENCODER",
    "HELP",
    "LONGEST_ANSWER",
    "NO_ANSWER",
    "ON_SPI",
    "STEPPER",
    "Asked",
    "BoardTopics",
    "BusesSession",
    "DevicePoint",
    "DeviceSession",
    "DeviceSettings",
    "FieldPoint",
    "FirmataSession",
    "Format",
    "FormatSession",
    "HeaderPoint",
    "ModbusSession",
    "MqttSession",
    "PinPoint",
    "Point",
    "PointKind",
    "Presence",
    "Reading",
    "RegisterPoint",
    "Reversing",
    "Said",
    "ScpiSession",
    "Session",
    "SessionSettings",
    "SessionState",
    "SpiPlace",
    "StepperPoint",
    "TopicPoint",
    "Turns",
    "Wish",
    "group",
    "state_words",
]
