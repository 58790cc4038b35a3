"""What a board answers when it is asked who it is."""

from typing import Annotated

from cavet.benchfile.boards._device import BoardTables
from cavet.settings import Meaning, Table

MODBUS = ("modbus",)
OBJECTS = ("vendor", "product", "revision", "url", "product_name", "model", "application")
"""In the order of their ids. Source: Modbus application protocol 1.1b3, section 6.21."""


class IdentityTable(Table, kw_only=True):
    """What a board answers when it is asked who it is. SCPI gives the first four, Modbus all but the serial number."""

    TITLE = "[boards.NAME.identity]"
    vendor: Annotated[str, Meaning("who made it; else `Cavet`")] = ""
    product: Annotated[str, Meaning("its product code; else the board's name with a capital")] = ""
    serial: Annotated[str, Meaning("its serial number; else 0001", concerns=("scpi",))] = ""
    revision: Annotated[str, Meaning("its revision; else 1.0")] = ""
    url: Annotated[str, Meaning("where more is told of it", concerns=MODBUS)] = ""
    product_name: Annotated[str, Meaning("the product's name", concerns=MODBUS)] = ""
    model: Annotated[str, Meaning("the model", concerns=MODBUS)] = ""
    application: Annotated[str, Meaning("what it is used for", concerns=MODBUS)] = ""


def read_identity(tables: BoardTables) -> dict[str, str]:
    """What it says of itself, by the names of the keys; "" for what it does not say."""
    identity = tables.one("identity", IdentityTable, tables.identity) or IdentityTable()
    place = (*tables.path, "identity")
    tables.checker.check_spoken(tables.identity, IdentityTable, place, tables.firmware, "the board")
    usual = {"vendor": "Cavet", "product": tables.board.capitalize(), "serial": "0001", "revision": "1.0"}
    return {key: getattr(identity, key) or usual.get(key, "") for key in (*OBJECTS, "serial")}
