"""An I2C adapter as the kernel offers it: transfers, and SMBus on top of them.

Sources: the kernel's headers `linux/i2c.h` and `linux/i2c-dev.h`, its Documentation/i2c (dev-interface, smbus-protocol,
fault-codes); System Management Bus specification 2.0, section 5.5.
"""

from __future__ import annotations

import errno
import struct
from collections.abc import Callable, Sequence

import msgspec

from cavet.boards.buses import Outcome, Part
from cavet.kernel.errors import Refused
from cavet.protocols.i2c import PEC

SLAVE, SLAVE_FORCE, TENBIT, RETRIES, TIMEOUT, PEC_ON = 0x0703, 0x0706, 0x0704, 0x0701, 0x0702, 0x0708
SETS = {
    SLAVE: "I2C_SLAVE", SLAVE_FORCE: "I2C_SLAVE_FORCE", TENBIT: "I2C_TENBIT", RETRIES: "I2C_RETRIES",
    TIMEOUT: "I2C_TIMEOUT", PEC_ON: "I2C_PEC",
}  # fmt: skip
READ, TEN, RECV_LEN, NO_START = 0x0001, 0x0010, 0x0400, 0x4000
QUICK, BYTE, BYTE_DATA, WORD_DATA, PROC_CALL, BLOCK_DATA, I2C_BLOCK_BROKEN, BLOCK_PROC_CALL, I2C_BLOCK = range(9)
MOST_BLOCK = 32
MOST_ADDRESS, MOST_TEN_BIT = 0x7F, 0x3FF
ERRORS = {"address": errno.ENXIO, "data": errno.EREMOTEIO, "count": errno.EPROTO, "stuck": errno.ETIMEDOUT}
"""Source: Documentation/i2c/fault-codes."""


class OpenedI2c(msgspec.Struct):
    """An opened device: what was set for it."""

    address: int = 0
    ten_bit: bool = False
    pec: bool = False

    def part(self, written: bytes | None, count: int = 0, *, counts: bool = False) -> Part:
        """A part that goes to the address that was set: it writes, or reads so many bytes."""
        if written is not None:
            return Part(address=self.address, data=written, ten_bit=self.ten_bit)
        return Part(address=self.address, count=count, counts=counts, ten_bit=self.ten_bit)

    def set(self, what: int, value: int) -> None:
        """`I2C_SLAVE` and its neighbours. Raises `Refused`."""
        if what in (SLAVE, SLAVE_FORCE):
            if value > (MOST_TEN_BIT if self.ten_bit else MOST_ADDRESS):
                raise Refused(errno.EINVAL)
            self.address = value
        elif what == TENBIT:
            self.ten_bit = bool(value)
        elif what == PEC_ON:
            self.pec = bool(value)
        elif value > 0x7FFFFFFF:
            raise Refused(errno.EINVAL)


Transfer = Callable[[Sequence[Part]], Outcome]
"""Does a transaction on the bus."""


def parts_of(heads: Sequence[tuple[int, int, int]], data: bytes) -> list[Part]:
    """The parts of a transfer: address, flags and length of each, and behind them what is written. Raises `Refused`."""
    parts, at = [], 0
    for place, (address, flags, length) in enumerate(heads):
        ten_bit = bool(flags & TEN)
        if address > (MOST_TEN_BIT if ten_bit else MOST_ADDRESS) or (flags & NO_START and not place):
            raise Refused(errno.EINVAL)
        if flags & NO_START:
            raise Refused(errno.EOPNOTSUPP)
        if not flags & READ:
            parts.append(Part(address=address, data=data[at : at + length], ten_bit=ten_bit))
            at += length
        elif flags & RECV_LEN:
            besides = data[at] if length else 0
            at += 1 if length else 0
            if not besides >= 1 or length < besides + MOST_BLOCK:
                raise Refused(errno.EINVAL)
            parts.append(Part(address=address, count=besides, counts=True, ten_bit=ten_bit))
        else:
            parts.append(Part(address=address, count=length, ten_bit=ten_bit))
    return parts


def done(outcome: Outcome) -> tuple[bytes, ...]:
    """What was read. Raises `Refused` where it did not go well."""
    if outcome.problem:
        raise Refused(ERRORS.get(outcome.fault, errno.EIO))
    return outcome.reads


def smbus(opened: OpenedI2c, reads: bool, command: int, size: int, data: bytes, transfer: Transfer) -> bytes:
    """Do an SMBus call; give what is put back into its data. Raises `Refused`.

    `data` is the union of `i2c_smbus_data`: a byte, a word in the machine's order, or a length and its bytes.
    """
    address = opened.address
    if size == QUICK:
        done(transfer([opened.part(None if reads else b"")]))
        return b""
    sent, wanted, counts = _what(reads, command, size, data)
    checked = opened.pec and size not in (I2C_BLOCK_BROKEN, I2C_BLOCK)
    parts = [opened.part(sent)] if sent is not None else []
    if wanted:
        parts.append(opened.part(None, wanted + checked, counts=counts))
    elif checked and sent is not None:
        parts = [opened.part(sent + bytes([PEC.of(bytes([address << 1]) + sent)]))]
    found = b"".join(done(transfer(parts)))
    if wanted and checked:
        found = _checked(address, sent, found)
    if size in (BYTE, BYTE_DATA):
        return found[:1]
    if size in (WORD_DATA, PROC_CALL):
        return struct.pack("=H", *struct.unpack("<H", found)) if found else b""
    if not wanted:
        return b""
    return bytes([len(found)]) + found if size in (I2C_BLOCK_BROKEN, I2C_BLOCK) else found


def _what(reads: bool, command: int, size: int, data: bytes) -> tuple[bytes | None, int, bool]:
    """What is written, how many bytes are read then, and whether the first of these counts the others. Raises
    `Refused`."""
    head = bytes([command])
    word = struct.pack("<H", *struct.unpack_from("=H", data))
    if size == BYTE:
        return (None, 1, False) if reads else (head, 0, False)
    if size == BYTE_DATA:
        return (head, 1, False) if reads else (head + data[:1], 0, False)
    if size == WORD_DATA:
        return (head, 2, False) if reads else (head + word, 0, False)
    if size == PROC_CALL:
        return head + word, 2, False
    length = data[0]
    block = data[1 : 1 + length]
    if size == BLOCK_DATA and reads:
        return head, 1, True
    if size in (I2C_BLOCK_BROKEN, I2C_BLOCK) and reads:
        if size == I2C_BLOCK and not 1 <= length <= MOST_BLOCK:
            raise Refused(errno.EINVAL)
        return head, MOST_BLOCK if size == I2C_BLOCK_BROKEN else length, False
    if size not in (BLOCK_DATA, I2C_BLOCK_BROKEN, I2C_BLOCK, BLOCK_PROC_CALL):
        raise Refused(errno.EINVAL)
    if not 1 <= length <= MOST_BLOCK:
        raise Refused(errno.EINVAL)
    if size == BLOCK_PROC_CALL:
        return head + data[: 1 + length], 1, True
    return (head + data[: 1 + length] if size == BLOCK_DATA else head + block), 0, False


def _checked(address: int, sent: bytes | None, found: bytes) -> bytes:
    """What was read, without its check. Raises `Refused` where that is wrong. Source: SMBus 2.0, section 5.4."""
    before = bytes([address << 1]) + sent if sent is not None else b""
    if PEC.of(before + bytes([address << 1 | 1]) + found[:-1]) != found[-1]:
        raise Refused(errno.EBADMSG)
    return found[:-1]
