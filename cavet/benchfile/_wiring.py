"""What is wired to what: each line of a device once, and boards that hang on other boards."""

from __future__ import annotations

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile._setup import BoardSetup
from cavet.boards import CableSettings, PartSettings, PinMode, Profile
from cavet.boards.buses import TargetBoardSettings
from cavet.wording import listed

GIVE_VOLTAGES = ("gauge", "lever")
"""The kinds of parts that give a voltage."""
CABLED = {"modbus": "modbus-rtu", "scpi": "scpi", "plan": "plan"}
"""What boards may run at the end of another's cable, and what they speak there."""


def check_wires(checker: Checker, board: str, parts: dict[str, PartSettings]) -> None:
    """Each line of a device has one part. What shares a pin of the board is remarked on, not refused."""
    taken: dict[tuple[str, int], str] = {}
    for part, settings in parts.items():
        for wire, line in settings.wires.items() if settings.hangs_on else ():
            place = (settings.hangs_on, line)
            if place in taken:
                path = ("boards", board, "parts", part, wire)
                checker.wrong(path, found=line, expected=f"a line of its own: {taken[place]} hangs on this one")
            taken[place] = part


def check_converters(checker: Checker, board: str, parts: dict[str, PartSettings], profile: Profile) -> None:
    """What gives a voltage hangs on a pin with a converter."""
    able = profile.able(PinMode.ANALOG)
    for part, settings in parts.items():
        pin = settings.wires.get("pin")
        if settings.kind in GIVE_VOLTAGES and pin is not None and (settings.hangs_on or pin not in able):
            expected = f"a pin with a converter: {listed(able) or 'this board has none'}"
            checker.wrong(("boards", board, "parts", part, "pin"), found=pin, expected=expected)


def check_targets(checker: Checker, boards: dict[str, BoardSetup]) -> None:
    """A target on a bus is a board that can be one, and that has no link of its own."""
    able = [name for name, board in boards.items() if board.firmware == "target"]
    taken: dict[str, str] = {}
    for board in boards.values():
        for part, settings in board.parts.items():
            if not isinstance(settings, TargetBoardSettings):
                continue
            path: Path = ("boards", board.name, "parts", part, "board")
            name = settings.board
            if not checker.one_of(path, name, able, "a board whose firmware is target"):
                continue
            if boards[name].profile.resets:
                expected = "a board that runs without a link: this one's profile waits for one to be opened"
                checker.wrong(path, found=name, expected=expected)
            if name in taken:
                checker.wrong(path, found=name, expected=f"a board of its own: {taken[name]} is this one")
            taken[name] = f"{board.name}.{part}"


def check_cables(checker: Checker, boards: dict[str, BoardSetup]) -> None:
    """At the end of a cable is a board that has a serial line to speak on, and runs without a link."""
    able = [name for name, each in boards.items() if each.firmware in CABLED]
    for board in boards.values():
        ports = board.profile.serial_ports
        at_pins = {pin: part for part, settings in board.parts.items() if not settings.hangs_on
                   for pin in settings.wires.values()}  # fmt: skip
        taken: dict[int, str] = {}
        for part, settings in board.parts.items():
            if not isinstance(settings, CableSettings):
                continue
            path: Path = ("boards", board.name, "parts", part)
            name, port = settings.board, settings.port
            if port not in ports:
                expected = f"one of its serial ports: {listed(ports) or 'it has none'}"
                checker.wrong((*path, "port"), found=port, expected=expected)
            elif port in taken:
                expected = f"a port of its own: {taken[port]} is at this one"
                checker.wrong((*path, "port"), found=port, expected=expected)
            elif other := next((at_pins[pin] for pin in ports[port] if pin in at_pins), None):
                checker.wrong((*path, "port"), found=port, expected=f"a port whose pins are free: {other} is on one")
            taken[port] = part
            if not checker.one_of((*path, "board"), name, able, f"a board that speaks {listed(CABLED)}"):
                continue
            settings.protocol = CABLED[boards[name].firmware]
            if boards[name].profile.resets:
                expected = "a board that runs without a link: this one's profile waits for one to be opened"
                checker.wrong((*path, "board"), found=name, expected=expected)
