"""How a value lies in registers: its keys, at a board's address and at a host's point alike."""

from typing import Annotated

from cavet.protocols.modbus import BITS, HOLDING, INPUT, KINDS, ORDERS, ValueForm
from cavet.settings import Meaning, Table


class DataKeys(Table, kw_only=True):
    """How a value lies in registers."""

    data: Annotated[str, Meaning("what it is", KINDS, beside=("table", (HOLDING, INPUT)))] = "uint16"
    word_order: Annotated[str, Meaning("which word comes first", ORDERS)] = "high-first"
    byte_order: Annotated[str, Meaning("which byte of a word comes first", ORDERS)] = "high-first"
    length: Annotated[int, Meaning("how many registers it takes", low=1, high=125, beside=("data", ("text",)))] = 1
    bit: Annotated[
        int, Meaning("which one of the register, 0 the lowest", low=0, high=15, beside=("data", ("bit",)))
    ] = 0

    def form(self, table: str) -> ValueForm:
        """How it lies in one of the standard's tables."""
        if table in BITS:
            return ValueForm("bit")
        return ValueForm(self.data, self.word_order, self.byte_order, self.length, self.bit)
