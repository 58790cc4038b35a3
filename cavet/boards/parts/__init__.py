"""What is wired to the pins of a board, with its behaviour in time."""

from cavet.boards.parts._buzzer import Buzzer, note_of
from cavet.boards.parts._colour_lamp import ColourLamp
from cavet.boards.parts._contact import Button, Door, LimitSwitch
from cavet.boards.parts._encoder import Encoder
from cavet.boards.parts._horn import Bell, Horn, Sounder
from cavet.boards.parts._jumper import Jumper
from cavet.boards.parts._lamp import Lamp
from cavet.boards.parts._motor import Motor, MotorSettings
from cavet.boards.parts._part import BOARD_SUPPLY, OWN_SUPPLY, SUPPLIED, Around, AtPin, Hand, Part, PartSettings, Wires
from cavet.boards.parts._pump import Overload, OverloadSettings, Pump
from cavet.boards.parts._sensor import Gauge, Lever
from cavet.boards.parts._servo import Servo, ServoSettings
from cavet.boards.parts._sign import Sign
from cavet.boards.parts._stepper import Stepper, StepperSettings
from cavet.boards.parts._supply import Supply
from cavet.boards.parts._switched import Heater, Relay, Valve

__all__ = [
    "BOARD_SUPPLY",
    "OWN_SUPPLY",
    "SUPPLIED",
    "Around",
    "AtPin",
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
    "MotorSettings",
    "Overload",
    "OverloadSettings",
    "Part",
    "PartSettings",
    "Pump",
    "Relay",
    "Servo",
    "ServoSettings",
    "Sign",
    "Sounder",
    "Stepper",
    "StepperSettings",
    "Supply",
    "Valve",
    "Wires",
    "note_of",
]
