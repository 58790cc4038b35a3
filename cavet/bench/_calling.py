"""A transaction of I2C as a call to a bus of the host's own, also one that is wrong on purpose.

A call says address, what is written, and how many bytes are read: so a bus can be asked for all that begins with a
start and an address, and for nothing else.
"""

from __future__ import annotations

from cavet.protocols import buses, i2c
from cavet.wording import WrongError

MAX_BLOCK_READ = 33
"""A block of SMBus with its length."""
READ_SIZES = {
    "receive-byte": 1, "read-byte": 1, "read-word": 2, "process-call": 2, "block-read": MAX_BLOCK_READ,
    "block-process-call": MAX_BLOCK_READ,
}  # fmt: skip


def call_for(message: i2c.Transaction, data: bytes, number: int) -> buses.BusCall:
    """The call that puts these bytes on the bus; `data` is what the message was made into, spoiled or not. Raises
    `WrongError` for what no call can say."""
    if message.NAME == "quick-command" and getattr(message, "read", False):
        raise WrongError("quick-command.read", found="on", expected="off: a call for a read has bytes to read")
    count = getattr(message, "count", None) or READ_SIZES.get(message.NAME, 0)
    pec = bool(getattr(message, "pec", False))
    if data != i2c.CODEC.encode(message):
        return _as_they_are(message, data, number, count + (pec and count > 0))
    written = message.written or b""
    if pec and not count:
        written = data[len(data) - len(written) - 1 :]
    return buses.BusCall(
        number=number, bus=buses.I2C, address=message.address, ten_bit=bool(message.ten_bit),
        count=count + (1 if pec and count else 0), data=written,
    )  # fmt: skip


def _as_they_are(message: i2c.Transaction, data: bytes, number: int, count: int) -> buses.BusCall:
    """Other bytes than the message's: the first one is the address with its direction bit."""
    whole = message.calls()
    again = whole[1] if len(whole) > 1 else b""
    if message.ten_bit:
        raise WrongError("--wrong", found="a ten-bit address", expected="a seven-bit one: no call can be wrong there")
    address, reads = data[0] >> 1, bool(data[0] & 1)
    if reads:
        size = max(1, count or len(data) - 1)
        return buses.BusCall(number=number, bus=buses.I2C, address=address, count=size, data=b"")
    if not again:
        return buses.BusCall(number=number, bus=buses.I2C, address=address, count=0, data=data[1:])
    at = len(whole[0])
    if data[at:] not in (b"", again):
        raise WrongError("--wrong", found="another address when it is read", expected="the same: a call has one")
    return buses.BusCall(
        number=number, bus=buses.I2C, address=address, count=count if data[at:] else 0, data=data[1:at]
    )  # fmt: skip
