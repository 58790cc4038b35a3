"""How a value lies in registers: its keys, at a board's address and at a host's point alike."""

from typing import Annotated

from cavet.protocols.modbus import BITS, KINDS, ORDERS, ValueForm
from cavet.settings import Meaning, Table


class DataKeys(Table, kw_only=True):
    """How a value lies in registers."""

    data: Annotated[str, Meaning("what it is", KINDS)] = "uint16"
    word_order: Annotated[str, Meaning("which word comes first", ORDERS)] = "high-first"
    byte_order: Annotated[str, Meaning("which byte of a word comes first", ORDERS)] = "high-first"
    length: Annotated[int, Meaning("how many registers a text takes", low=1, high=125)] = 1
    bit: Annotated[int, Meaning("which bit of the register, 0 the lowest", low=0, high=15)] = 0

    def form(self, table: str) -> ValueForm:
        """How it lies in one of the standard's tables."""
        if table in BITS:
            return ValueForm("bit")
        return ValueForm(self.data, self.word_order, self.byte_order, self.length, self.bit)
