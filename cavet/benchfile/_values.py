"""How a value lies in registers: its keys, at a board's address and at a host's point alike."""

from __future__ import annotations

from typing import Any

from cavet.protocols.modbus import BITS, KINDS, ORDERS, ValueForm
from cavet.settings import Key

DATA_KEYS = (
    Key("data", "word", "what it is", choices=KINDS, default="uint16"),
    Key("word_order", "word", "which word comes first", choices=ORDERS, default="high-first"),
    Key("byte_order", "word", "which byte of a word comes first", choices=ORDERS, default="high-first"),
    Key("length", "whole", "how many registers a text takes", default=1, low=1, high=125),
    Key("bit", "whole", "which bit of the register, 0 the lowest", default=0, low=0, high=15),
)


def value_form(table: dict[str, Any]) -> ValueForm:
    """How a value lies where its table says."""
    if table["table"] in BITS:
        return ValueForm("bit")
    return ValueForm(table["data"], table["word_order"], table["byte_order"], table["length"], table["bit"])
