"""The text of a bench for a board that was asked who it is."""

from __future__ import annotations

import re
from typing import Any

from cavet.finding._questions import Answer
from cavet.wording import plain

MOST_TOPICS = 12


def bench_from(known: Answer, name: str, pins: dict[str, Any] | None = None) -> str:
    """A bench that drives the board at an address: link and host as they were found, first points where the board tells
    enough; `pins` is the profile of a Firmata board."""
    board = _name(known)
    protocol = str(known["protocol"])
    lines = [
        f"# A bench for what was found at {plain(str(known['address']))}: {_told(known)}.",
        "", "format = 1", f"name = {_text(name)}", "",
    ]  # fmt: skip
    if pins is not None:
        lines += [
            f"[boards.{board}] # what it told of itself: used for its pins only, since the link below is a real one",
            f'profile = "{board}"', 'firmware = "firmata"', "",
            f"[profiles.{board}]", *(f"{key} = {_value(value)}" for key, value in pins.items()), "",
        ]  # fmt: skip
    lines += [f"[links.{board}]", *_link(known, board), ""]
    if protocol != "usb":
        lines += [f"[hosts.{board}]", f'link = "{board}"', *_host(known), ""]
    lines += {
        "firmata": lambda: _pin_points(board, pins or {}), "scpi": lambda: _scpi_points(board),
        "mqtt": lambda: _topic_points(board, known), "usb": lambda: _reports(board),
    }.get(protocol, lambda: _register_points(board))()  # fmt: skip
    return "\n".join(lines) + "\n"


def _name(known: Answer) -> str:
    """A name for the board, out of what it calls itself."""
    words = str(known.get("name") or known.get("product") or known["protocol"])
    if known.get("idn"):
        words = [*str(known["idn"]).split(","), ""][1] or words
    name = re.sub(r"[^a-z0-9_]+", "_", words.lower()).strip("_")[:40]
    return name if re.match(r"[a-z]", name) else "board"


def _told(known: Answer) -> str:
    words = [known["protocol"], known.get("version"), known.get("idn"), known.get("vendor"), known.get("product")]
    return plain(", ".join(str(word) for word in words if word))


def _text(text: str) -> str:
    return '"' + plain(text).replace("\\", "\\\\").replace('"', '\\"') + '"'


def _value(value: object) -> str:
    return str(value) if isinstance(value, int) else _text(str(value))


def _link(known: Answer, board: str) -> list[str]:
    address, protocol = str(known["address"]), str(known["protocol"])
    if address.startswith("/"):
        lines = ['kind = "serial"', f'board = "{board}"', f"port = {_text(address)}", f"rate = {known['baud']}"]
        return [*lines, f'settings = "{known.get("settings", "8N1")}"']
    if protocol == "mqtt":
        return ['kind = "mqtt"', f'board = "{board}"', 'station = "real"', f"broker = {_text(address)}"]
    if protocol == "usb":
        return ['kind = "usb"', f'board = "{board}"', f"address = {_text(address.removeprefix('usb:'))}"]
    kind = "serial" if protocol in ("firmata", "modbus-rtu") else "tcp"
    if kind == "serial":
        return ['kind = "serial"', f'board = "{board}"', f"port = {_text('socket://' + address)}"]
    return ['kind = "tcp"', f'board = "{board}"', f"address = {_text(address)}"]


def _host(known: Answer) -> list[str]:
    protocol = str(known["protocol"])
    if protocol.startswith("modbus"):
        return ['protocol = "modbus"', f"unit = {known['unit']}"]
    return [f'protocol = "{protocol}"']


def _pin_points(board: str, pins: dict[str, Any]) -> list[str]:
    """A first output and a first input, at pins that can."""
    lines: list[str] = []
    if out := _first(pins.get("pwm", "")):
        lines += ["[points.first_output]", f'board = "{board}"', 'kind = "level"', f"pin = {out}", 'mode = "pwm"', ""]
    elif out := _first(pins.get("output", "")):
        lines += ["[points.first_output]", f'board = "{board}"', 'kind = "switch"', f"pin = {out}", ""]
    if (number := _first(pins.get("pull_up", ""), out)) is not None:
        lines += ["[points.first_input]", f'board = "{board}"', 'kind = "contact"', f"pin = {number}"]
        lines += ['mode = "pull-up"', 'active = "low"', ""]
    return lines


def _first(pins: str, other: int | None = None) -> int | None:
    """The first pin of a list, from 2 on: 0 and 1 are a serial line on many a board."""
    for run in pins.split(",") if pins else ():
        low, _, high = run.strip().partition("-")
        for number in range(int(low), int(high or low) + 1):
            if number > 1 and number != other:
                return number
    return None


def _scpi_points(board: str) -> list[str]:
    return ["[points.identity]", f'board = "{board}"', 'kind = "words"', 'ask = "*IDN?"', ""]


def _topic_points(board: str, known: Answer) -> list[str]:
    lines: list[str] = []
    for number, topic in enumerate(list(known.get("retained", []))[:MOST_TOPICS], 1):
        lines += [
            f"[points.topic_{number}]",
            f'board = "{board}"',
            'kind = "words"',
            f"state = {_text(str(topic))}",
            "",
        ]
    return lines


def _reports(board: str) -> list[str]:
    return [
        "# What is in its reports is not told by USB: describe them in a plan file beside this one, my.plan.toml; then",
        "#", f"# [hosts.{board}]", f'# link = "{board}"', '# protocol = "plan"', '# plan = "my"', "",
    ]  # fmt: skip


def _register_points(board: str) -> list[str]:
    return [
        "# Its map is not told by the protocol: put in what its manual says, such as",
        "#", "# [points.first]", f'# board = "{board}"', '# kind = "reading"', '# table = "holding-registers"',
        "# address = 0", '# unit = ""', "# range = [0, 65535]", "",
    ]  # fmt: skip
