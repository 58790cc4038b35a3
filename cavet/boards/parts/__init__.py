"""What is wired to the pins of a board, with its behaviour in time."""

from cavet.boards.parts._buzzer import Buzzer, note_of
from cavet.boards.parts._colour_lamp import ColourLamp
from cavet.boards.parts._contact import Button, Door, LimitSwitch
from cavet.boards.parts._encoder import Encoder
from cavet.boards.parts._horn import Bell, Horn, Sounder
from cavet.boards.parts._jumper import Jumper
from cavet.boards.parts._lamp import Lamp
from cavet.boards.parts._motor import Motor
from cavet.boards.parts._part import BOARD_SUPPLY, OWN_SUPPLY, PIN, SUPPLIED, Around, Hand, Part, Settings, Wires
from cavet.boards.parts._pump import Overload, Pump
from cavet.boards.parts._sensor import Gauge, Lever
from cavet.boards.parts._servo import Servo
from cavet.boards.parts._sign import Sign
from cavet.boards.parts._stepper import Stepper
from cavet.boards.parts._supply import Supply
from cavet.boards.parts._switched import Heater, Relay, Valve

__all__ = [
    "BOARD_SUPPLY",
    "OWN_SUPPLY",
    "PIN",
    "SUPPLIED",
    "Around",
    "Bell",
    "Button",
    "Buzzer",
    "ColourLamp",
    "Door",
    "Encoder",
    "Gauge",
    "Hand",
    "Heater",
    "Horn",
    "Jumper",
    "Lamp",
    "Lever",
    "LimitSwitch",
    "Motor",
    "Overload",
    "Part",
    "Pump",
    "Relay",
    "Servo",
    "Settings",
    "Sign",
    "Sounder",
    "Stepper",
    "Supply",
    "Valve",
    "Wires",
    "note_of",
]
