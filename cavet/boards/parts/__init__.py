"""What is wired to the pins of a board, with its behaviour in time."""

from cavet.boards.parts._contact import Button, LimitSwitch
from cavet.boards.parts._horn import Horn
from cavet.boards.parts._lamp import Lamp
from cavet.boards.parts._motor import Motor
from cavet.boards.parts._part import Part, Wires
from cavet.boards.parts._sensor import Gauge, Lever
from cavet.boards.parts._servo import Servo

__all__ = ["Button", "Gauge", "Horn", "Lamp", "Lever", "LimitSwitch", "Motor", "Part", "Servo", "Wires"]
