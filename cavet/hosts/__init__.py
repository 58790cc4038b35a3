"""The host's belief: what it thinks is where, and how it talks to a board. No I/O; time is handed in."""

from cavet.hosts._firmata import FirmataSession
from cavet.hosts._point import Asked, Point, PointKind
from cavet.hosts._session import Manners, Reading, Said, SessionState, Tell, state_words

__all__ = [
    "Asked",
    "FirmataSession",
    "Manners",
    "Point",
    "PointKind",
    "Reading",
    "Said",
    "SessionState",
    "Tell",
    "state_words",
]
