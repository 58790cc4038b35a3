"""I2C and SMBus: transactions down to the bit.

Sources: I2C-bus specification and user manual, revision 7.0; System Management Bus specification, version 2.0.
"""

from cavet.protocols.i2c._addresses import Reserved, address_bytes, is_free, reserved
from cavet.protocols.i2c._codec import CODEC
from cavet.protocols.i2c._electric import RISE_FACTOR, PullUp, pull_up, rise_limit
from cavet.protocols.i2c._marks import Mark, Octet, Token, clocks, read_marks, show_marks
from cavet.protocols.i2c._messages import (
    BlockProcessCall,
    BlockRead,
    BlockWrite,
    ProcessCall,
    QuickCommand,
    Read,
    ReadAnswer,
    ReadByte,
    ReadWord,
    ReceiveByte,
    SendByte,
    Transaction,
    Write,
    WriteByte,
    WriteRead,
    WriteWord,
)
from cavet.protocols.i2c._reading import PEC, BusFrame, I2cDecoder

__all__ = [
    "CODEC",
    "PEC",
    "RISE_FACTOR",
    "BlockProcessCall",
    "BlockRead",
    "BlockWrite",
    "BusFrame",
    "I2cDecoder",
    "Mark",
    "Octet",
    "ProcessCall",
    "PullUp",
    "QuickCommand",
    "Read",
    "ReadAnswer",
    "ReadByte",
    "ReadWord",
    "ReceiveByte",
    "Reserved",
    "SendByte",
    "Token",
    "Transaction",
    "Write",
    "WriteByte",
    "WriteRead",
    "WriteWord",
    "address_bytes",
    "clocks",
    "is_free",
    "pull_up",
    "read_marks",
    "reserved",
    "rise_limit",
    "show_marks",
]
