"""What a board answers when it is asked who it is."""

from __future__ import annotations

from cavet.benchfile.boards._device import BoardTables
from cavet.settings import Key, Section

OBJECTS = ("vendor", "product", "revision", "url", "product_name", "model", "application")
"""In the order of their ids. Source: Modbus application protocol 1.1b3, section 6.21."""

IDENTITY = Section(
    title="[boards.NAME.identity]",
    doc="What a board answers when it is asked who it is. SCPI gives the first four, Modbus all but the serial number.",
    keys=tuple(
        Key(name, "text", doc, default="")
        for name, doc in (
            ("vendor", "who made it; else `Cavet`"),
            ("product", "its product code; else the board's name with a capital"),
            ("serial", "its serial number; else 0001"),
            ("revision", "its revision; else 1.0"),
            ("url", "where more is told of it"),
            ("product_name", "the product's name"),
            ("model", "the model"),
            ("application", "what it is used for"),
        )
    ),
)


def read_identity(tables: BoardTables) -> dict[str, str]:
    """What it says of itself, by the names of the keys; "" for what it does not say."""
    identity = tables.one("identity", IDENTITY) or {}
    usual = {"vendor": "Cavet", "product": tables.board.capitalize(), "serial": "0001", "revision": "1.0"}
    return {key: identity.get(key) or usual.get(key, "") for key in (*OBJECTS, "serial")}
