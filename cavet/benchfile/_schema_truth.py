"""The keys of the truth: boards, what is wired to them, what stands at their addresses, the rig, defects, profiles."""

from typing import Annotated, Any

from cavet.benchfile.boards import FIRMWARES
from cavet.boards import DOES, EDGES
from cavet.expressions import Expression
from cavet.settings import Meaning, Table


class BoardTable(Table, kw_only=True):
    """A simulated board: the truth."""

    TITLE = "[boards.NAME]"
    ROOMS = {name: device.KEYS for name, device in FIRMWARES.items()}
    profile: Annotated[
        str, Meaning("what kind of board it is: a shipped profile, or one of `[profiles]`", names="profile")
    ]
    firmware: Annotated[str, Meaning("what it speaks", tuple(FIRMWARES))]
    firmware_name: Annotated[
        str, Meaning("Firmata: how it announces itself; else the board's name", concerns=("firmata",))
    ] = ""
    failsafe: Annotated[
        float,
        Meaning(
            "after so long a silence its outputs go low; 0 for never", unit="s", low=0,
            concerns=tuple(name for name in FIRMWARES if name != "buses"),
        ),
    ] = 0.0  # fmt: skip
    baud: Annotated[
        int | None, Meaning("the rate at which it runs its serial line; else the link's", low=50, high=4_000_000)
    ] = None
    parts: Annotated[dict[str, Any], Meaning("what is wired to it, see below")] = {}
    bus: Annotated[dict[str, Any], Meaning("the wires of its I2C bus, see below")] = {}
    supplies: Annotated[dict[str, Any], Meaning("what its motors and servos draw from, see below")] = {}
    identity: Annotated[
        dict[str, Any], Meaning("Modbus, SCPI: what it says of itself, see below", concerns=("modbus", "scpi"))
    ] = {}
    reflexes: Annotated[dict[str, Any], Meaning("rules that it follows by itself, see below")] = {}
    kernel: Annotated[
        dict[str, Any],
        Meaning(
            "the kernel's devices that it stands for (`cavet with`), each path with `i2c`, `spi.CHIP`, `gpio`, "
            '`serial` or a serial link\'s name: `"/dev/i2c-1" = "i2c"`'
        ),
    ] = {}


class ReflexTable(Table, kw_only=True):
    """A rule that a board follows by itself, whatever it speaks: when a pin changes, it drives another one."""

    TITLE = "[boards.NAME.reflexes.NAME]"
    pin: Annotated[int, Meaning("the pin that it watches", kind="pin")]
    mode: Annotated[str, Meaning("how that is read", ("input", "pull-up"))] = "input"
    edge: Annotated[str, Meaning("at which change", EDGES)] = "falling"
    debounce: Annotated[
        float, Meaning("how long the level must stay so: contacts bounce", unit="s", low=0, high=10)
    ] = 0.02
    does: Annotated[str, Meaning("what then; `follow` gives the level on", DOES)] = "toggle"
    target: Annotated[int, Meaning("the pin that it drives", kind="pin")]


class QuantityTable(Table, kw_only=True):
    """A quantity of the outside world. Sums name quantities, and parts as `board.part` (0 to 1; a motor −1 to 1)."""

    TITLE = "[rig.NAME]"
    unit: Annotated[str, Meaning("its unit", kind="unit")] = ""
    start: Annotated[float, Meaning("where it begins", unit="=unit")] = 0.0
    range: Annotated[tuple[float, float] | None, Meaning("its least and greatest value", unit="=unit")] = None
    rate: Annotated[Expression | None, Meaning("its change in units a second; without it, it holds still")] = None
    free: Annotated[Expression | None, Meaning("it can only move while this is true")] = None
    step: Annotated[float | None, Meaning("how far a nudge by hand goes", unit="=unit")] = None
    basin: Annotated[int, Meaning("its place among the basins of water that are drawn; 0 for none", low=0, high=9)] = 0
    opening: Annotated[
        str, Meaning("the part that opens the wall on the basin's right, as `board.part`", names="board.part")
    ] = ""
    gate: Annotated[str, Meaning("the quantity, in %, that takes that wall out of the way", names="quantity")] = ""


class ProfileTable(Table, kw_only=True):
    """A kind of board, where no shipped one fits. Pin lists are written as `"2-13, 18"`."""

    TITLE = "[profiles.NAME]"
    pins: Annotated[str, Meaning("the pins that it has")]
    reserved: Annotated[
        dict[str, Any], Meaning("pins that can't be used, each with what it is kept for: its number and a text")
    ] = {}
    output: Annotated[str, Meaning("the pins that can be switched")] = ""
    input: Annotated[str, Meaning("the pins that can be read")] = ""
    pull_up: Annotated[str, Meaning("the pins with a pull-up")] = ""
    pwm: Annotated[str, Meaning("the pins with PWM, which can give a tone as well")] = ""
    pwm_rate: Annotated[float, Meaning("how often PWM swings", unit="Hz", low=1)] = 490.0
    servo: Annotated[str, Meaning("the pins that can drive a servo")] = ""
    bus: Annotated[str, Meaning("the pins of the I2C bus: data, clock")] = ""
    stepper: Annotated[str, Meaning("the pins that can drive steppers")] = ""
    encoder: Annotated[str, Meaning("the pins that can count encoders")] = ""
    onewire: Annotated[str, Meaning("the pins that can be a OneWire line")] = ""
    serial: Annotated[
        str, Meaning("the pins of its serial ports, from port 1 on: of each its receiver, then its transmitter")
    ] = ""
    dac: Annotated[str, Meaning("the pins that give a voltage")] = ""
    dac_bits: Annotated[int, Meaning("the bits of these", low=1, high=16)] = 12
    lines: Annotated[
        str, Meaning("where pins are numbered by position: those of the lines L0, L1, … in their order")
    ] = ""
    released: Annotated[
        str,
        Meaning(
            "what becomes of a line that a program has let go of (`cavet with`): its pin goes back to how it was "
            "before, at rest, or stays",
            ("rest", "kept"),
        ),
    ] = "rest"
    analog: Annotated[str, Meaning("the pins with a converter, channel 0 first; they are also A0, A1, …")] = ""
    analog_bits: Annotated[int, Meaning("the converter's bits", low=1, high=16)] = 10
    supply: Annotated[float, Meaning("its supply, and the converter's full scale", unit="V", low=0.1)] = 5.0
    pin_current: Annotated[float, Meaning("what a pin may carry", unit="A", low=0)] = 0.02
    board_current: Annotated[float, Meaning("what all pins together may carry", unit="A", low=0)] = 0.12
    boot: Annotated[float, Meaning("how long it hears nothing after a reset", unit="s", low=0, high=60)] = 0.0
    resets: Annotated[
        bool, Meaning("whether the opening of its link resets it; only one program can be at it then")
    ] = False
