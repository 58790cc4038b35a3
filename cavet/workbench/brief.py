"""Messages in a few words: a name and what is in it."""

from __future__ import annotations

from cavet.bench import Spoken
from cavet.protocols import Frame, Message, as_fields, firmata, i2c
from cavet.protocols.usb import StatusStage
from cavet.wording import counted, digits, hex_pairs, plain

UNTOLD = ("unit", "transaction", "packet_id", "dup", "retain", "qos", "protocol_level", "ten_bit")
"""Fields that say nothing of what is wanted."""
MOST_ITEMS = 8
MAX_VALUE = 40
ON_A_BUS = (i2c.Transaction, firmata.I2cRequest, firmata.I2cReply)
"""Messages whose address is that of a device, which people write in hex."""
MOST_READ = 2048
"""Of a longer frame only its name and its length are told."""


def brief(tongue: Spoken, frame: Frame, *, named: bool = True) -> str:
    """A frame in a few words; without its name, where what it answers says that."""
    if not frame.readable:
        return f"unreadable: {plain('; '.join(frame.problems), MAX_VALUE)}"
    if len(frame.data) > MOST_READ:
        return f"{frame.message.NAME}, {counted(len(frame.data), 'byte')}"
    return brief_message(tongue, frame.message, named=named) or hex_pairs(frame.data)


def brief_message(tongue: Spoken, message: Message, *, named: bool = True) -> str:
    """A message in a few words: its name, and the values that say what is wanted."""
    name = message.NAME
    if isinstance(message, StatusStage):
        return "stalled" if message.stalled else "done"
    fields = as_fields(message, tongue.unused(name))
    words = [name] if named or name in ("exception", "not-acknowledged", "acknowledged") else []
    for key, value in fields.items():
        if key in UNTOLD or (key == "address" and not named) or (f"{key}_text" in fields) or value in ("", [], None):
            continue
        if f"{key}_name" in fields:
            continue
        is_on_bus = key == "address" and isinstance(message, ON_A_BUS) and isinstance(value, int)
        words.append(f"0x{value:02X}" if is_on_bus else _shown(value))
    return " ".join(words)


def _shown(value: object) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, list):
        more = " …" if len(value) > MOST_ITEMS else ""
        return " ".join(_shown(item) for item in value[:MOST_ITEMS]) + more
    if isinstance(value, dict):
        found = value.get("value")
        return _shown(found) if found is not None else " ".join(f"{key} {_shown(item)}" for key, item in value.items())
    if isinstance(value, float):
        return digits(value, 6)
    return plain(str(value), MAX_VALUE)
