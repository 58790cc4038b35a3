"""What a record says, as courses over time: signals for other formats, lanes to be looked at."""

from cavet.lanes._lane import CURVE, LEVEL, TRAFFIC, WISHES, Course, Lane, told_between
from cavet.lanes._reading import ASKED, GROUPS, LINK, PARTS, PINS, RIG, SENSED, Flag, Lanes, in_parts_unit
from cavet.lanes._signals import POINTS, Signal, Signals, Worth

__all__ = [
    "ASKED",
    "CURVE",
    "GROUPS",
    "LEVEL",
    "LINK",
    "PARTS",
    "PINS",
    "POINTS",
    "RIG",
    "SENSED",
    "TRAFFIC",
    "WISHES",
    "Course",
    "Flag",
    "Lane",
    "Lanes",
    "Signal",
    "Signals",
    "Worth",
    "in_parts_unit",
    "told_between",
]
