"""All kinds of parts: a new one is its file, and its name here."""

from __future__ import annotations

from cavet.boards._cable import Cable
from cavet.boards.buses import (
    Expander,
    Giving,
    LatchExpander,
    Matrix,
    MatrixChain,
    Measuring,
    OneWireDevice,
    Panel,
    RegisterDevice,
    ShiftRegisters,
    TargetBoard,
)  # fmt: skip
from cavet.boards.parts import (
    Bell,
    Button,
    Buzzer,
    ColourLamp,
    Door,
    Encoder,
    Gauge,
    Heater,
    Horn,
    Jumper,
    Lamp,
    Lever,
    LimitSwitch,
    Motor,
    Overload,
    Part,
    PartSettings,
    Pump,
    Relay,
    Servo,
    Sign,
    Stepper,
    Supply,
    Valve,
)  # fmt: skip

AT_PINS: tuple[type[Part], ...] = (
    Lamp, Servo, Motor, Horn, Button, LimitSwitch, Gauge, Lever, Relay, Valve, Heater, Pump, Overload, Door, Supply,
    Bell, Buzzer, Sign, Stepper, Encoder, OneWireDevice, Cable, Jumper, ColourLamp,
)  # fmt: skip
ON_BUSES: tuple[type[Part], ...] = (
    Expander, LatchExpander, Panel, Matrix, RegisterDevice, Measuring, Giving, TargetBoard, ShiftRegisters, MatrixChain,
)  # fmt: skip
KINDS: dict[str, type[Part]] = {part.kind: part for part in (*AT_PINS, *ON_BUSES)}
"""The class of each kind, in the order in which the docs have them."""
PartSettings.VARIANTS = {kind: part.SETTINGS for kind, part in KINDS.items()}
