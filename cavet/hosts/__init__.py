"""The host's belief: what it thinks is where, and how it talks to a board. No I/O; time is handed in."""

from cavet.hosts._base import Session
from cavet.hosts._firmata import FirmataSession
from cavet.hosts._modbus import ModbusSession
from cavet.hosts._point import Asked, HeaderPoint, PinPoint, Point, PointKind, RegisterPoint
from cavet.hosts._scpi import ScpiSession
from cavet.hosts._session import Manners, Reading, Said, SessionState, Tell, state_words

__all__ = [
    "Asked",
    "FirmataSession",
    "HeaderPoint",
    "Manners",
    "ModbusSession",
    "PinPoint",
    "Point",
    "PointKind",
    "Reading",
    "RegisterPoint",
    "Said",
    "ScpiSession",
    "Session",
    "SessionState",
    "Tell",
    "state_words",
]
