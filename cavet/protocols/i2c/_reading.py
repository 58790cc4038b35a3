"""Reading a bus: marks and bytes cut into transactions, and these into messages."""

from __future__ import annotations

from typing import NamedTuple

from cavet.protocols._frame import Frame, Unreadable
from cavet.protocols._message import Message, as_found
from cavet.protocols.checks import Crc
from cavet.protocols.i2c._addresses import TEN_BIT_PREFIX, Reserved, reserved
from cavet.protocols.i2c._marks import Mark, Octet, Token, clocks, read_marks
from cavet.protocols.i2c._messages import FoundRead, FoundWrite, FoundWriteRead

MAX_TRANSACTION_BYTES = 0x11000
"""The longest transaction that is read: more than a whole memory of 64 KiB."""

PEC = Crc(bits=8, polynomial=0x07)
"""The packet error code, over every byte of a transaction, addresses included. Source: SMBus 2.0, section 5.4."""


class BusFrame(Frame, frozen=True, gc=False):
    """A message on the bus, with what was seen of it: marks and acknowledge bits."""

    tokens: tuple[Token, ...] = ()

    @property
    def clocks(self) -> int:
        """How many clock periods it took."""
        return clocks(self.tokens)


class Part(NamedTuple):
    """What lies between a start and the next one, or the stop."""

    tokens: tuple[Token, ...]
    octets: tuple[Octet, ...]
    """All bytes, the address too, without the packet error code."""
    address: int = 0
    ten_bit: bool = False
    read: bool = False
    head: int = 1
    """How many bytes the address took."""
    wrong: str = ""
    """Why there is no address."""

    @property
    def body(self) -> bytes:
        return bytes(octet.value for octet in self.octets[self.head :])

    @property
    def kept_for(self) -> Reserved | None:
        """What its address is reserved for, `None` for nothing."""
        return None if self.ten_bit or self.wrong else reserved(self.address, self.read)


class I2cDecoder:
    """Reads what passes on a bus, both sides at once: a frame a transaction (several where it changes the device).

    Bytes without any mark are all one transaction. With marks, bytes before a start are unreadable; a start ends what
    went before it, which lacks its stop then.
    """

    def __init__(self, *, pec: bool = False) -> None:
        self._pec = pec
        self._tokens: list[Token] = []
        self._bytes = 0
        self._offset = 0
        self._too_long = False

    def feed(self, data: bytes) -> list[BusFrame]:
        """Take bytes without marks."""
        return self.take([Octet(byte) for byte in data])

    def feed_text(self, text: str) -> list[BusFrame]:
        """Take hex pairs with marks among them. Raises `WrongError` for anything else."""
        last = self._tokens[-1] if self._tokens else None
        if not isinstance(last, Octet):
            return self.take(read_marks(text))
        tokens = read_marks(text, last)
        self._tokens[-1] = tokens[0]
        return self.take(tokens[1:])

    def take(self, tokens: list[Token]) -> list[BusFrame]:
        """Take what was seen on the bus; give the transactions that are complete now."""
        frames = []
        for token in tokens:
            if token is Mark.START and self._tokens:
                frames += self._ended()
            self._tokens.append(token)
            if token is Mark.STOP:
                frames += self._ended()
            elif isinstance(token, Octet):
                self._bytes += 1
                if self._bytes > MAX_TRANSACTION_BYTES:
                    frames += self._cut()
        return frames

    def finish(self) -> list[BusFrame]:
        """Nothing more comes: give what is left."""
        if self._tokens and not any(isinstance(token, Mark) for token in self._tokens) and not self._too_long:
            self._tokens = [Mark.START, *self._tokens, Mark.STOP]
        return self._ended() if self._tokens else []

    def _cut(self) -> list[BusFrame]:
        """Give up a transaction that has no end; what follows of it is unreadable too."""
        frame = self._unreadable(tuple(self._tokens), f"no stop within {MAX_TRANSACTION_BYTES} bytes")
        self._tokens, self._bytes, self._too_long = [], 0, True
        return [frame]

    def _ended(self) -> list[BusFrame]:
        tokens, self._tokens, self._bytes = tuple(self._tokens), [], 0
        if self._too_long:
            self._too_long = False
            return [self._unreadable(tokens, "the rest of a transaction that was too long")]
        octets = [token for token in tokens if isinstance(token, Octet)]
        if octets and tokens[0] not in (Mark.START, Mark.RESTART):
            return self._stray(tokens)
        if not octets:
            reason = "a stop right behind a start" if Mark.START in tokens else "a stop without a start"
            return [self._unreadable(tokens, reason)]
        return self._messages(tokens, bytes(octet.value for octet in octets))

    def _stray(self, tokens: tuple[Token, ...]) -> list[BusFrame]:
        """Bytes outside any transaction; one may follow that begins with a repeated start."""
        place = tokens.index(Mark.RESTART) if Mark.RESTART in tokens else len(tokens)
        stray = self._unreadable(tokens[:place], "bytes without a start before them")
        rest = tokens[place:]
        octets = [token.value for token in rest if isinstance(token, Octet)]
        return [stray, *self._messages(rest, bytes(octets))] if octets else [stray]

    def _messages(self, tokens: tuple[Token, ...], data: bytes) -> list[BusFrame]:
        code, code_problem = None, ""
        parts = _parts(tokens)
        ends = [] if tokens[-1] is Mark.STOP else ["no stop: the transaction is not ended"]
        begins = [] if tokens[0] is Mark.START else ["no start: it begins with a repeated one"]
        if self._pec:
            parts, code, code_problem = _without_code(parts, data)
        frames: list[BusFrame] = []
        for group in _groups(parts):
            problems = [problem for part in group for problem in _problems(part)]
            problems = [*(begins if group[0] is parts[0] else []), *problems, *(ends if group[-1] is parts[-1] else [])]
            message = _message(group, code if group[-1] is parts[-1] else None)
            if group[-1] is parts[-1] and code_problem:
                problems.append(code_problem)
            if isinstance(message, Unreadable):
                problems.insert(0, message.reason)
            frames.append(self._frame(tuple(token for part in group for token in part.tokens), message, problems))
        return frames

    def _unreadable(self, tokens: tuple[Token, ...], reason: str) -> BusFrame:
        return self._frame(tokens, Unreadable(reason=reason), [reason])

    def _frame(self, tokens: tuple[Token, ...], message: Message, problems: list[str]) -> BusFrame:
        data = bytes(token.value for token in tokens if isinstance(token, Octet))
        offset, self._offset = self._offset, self._offset + len(data)
        return BusFrame(message=message, data=data, offset=offset, problems=tuple(problems), tokens=tokens)


def _parts(tokens: tuple[Token, ...]) -> list[Part]:
    """Cut a transaction at its repeated starts, and read the address of each part."""
    runs: list[list[Token]] = []
    for token in tokens:
        if not runs or (token is Mark.RESTART and any(isinstance(seen, Octet) for seen in runs[-1])):
            runs.append([])
        runs[-1].append(token)
    parts: list[Part] = []
    for run in runs:
        octets = tuple(token for token in run if isinstance(token, Octet))
        parts.append(_addressed(tuple(run), octets, parts[-1] if parts else None))
    return parts


def _addressed(tokens: tuple[Token, ...], octets: tuple[Octet, ...], before: Part | None) -> Part:
    if not octets:
        return Part(tokens, octets, head=0, wrong="a repeated start with nothing behind it")
    first = octets[0].value
    read = bool(first & 1)
    if first >> 3 != TEN_BIT_PREFIX:
        return Part(tokens, octets, address=first >> 1, read=read)
    upper = (first >> 1 & 3) << 8
    if read:
        if before is None or not before.ten_bit or before.wrong or before.address & 0x300 != upper:
            return Part(
                tokens, octets, ten_bit=True, read=True, wrong="a ten-bit read without the write of its address"
            )
        return Part(tokens, octets, address=before.address, ten_bit=True, read=True)
    if len(octets) < 2:
        wrong = "ends before the second byte of its ten-bit address"
        return Part(tokens, octets, ten_bit=True, wrong=wrong)
    return Part(tokens, octets, address=upper | octets[1].value, ten_bit=True, head=2)


def _without_code(parts: list[Part], data: bytes) -> tuple[list[Part], int | None, str]:
    """Take the packet error code, the transaction's last byte, off its last part; check it."""
    last = parts[-1]
    if len(last.octets) <= last.head:
        return parts, None, "pec: found no byte behind the address, expected the packet error code"
    code, reckoned = data[-1], PEC.of(data[:-1])
    problem = "" if code == reckoned else f"pec: found 0x{code:02X}, expected 0x{reckoned:02X}"
    return [*parts[:-1], last._replace(octets=last.octets[:-1])], code, problem


def _groups(parts: list[Part]) -> list[list[Part]]:
    """The parts that are one message: a write and the read behind it from the same device, and what calls ahead."""
    groups: list[list[Part]] = []
    ahead: list[Part] = []
    for part in parts:
        kept_for = part.kept_for
        if kept_for is not None and not kept_for.answered and not part.body and part is not parts[-1]:
            ahead.append(part)
            continue
        write = groups[-1][-1] if groups and not ahead else None
        if write is not None and _reads_on(write, part):
            groups[-1].append(part)
            continue
        groups.append([*ahead, part])
        ahead = []
    return groups


def _reads_on(write: Part, part: Part) -> bool:
    same = (write.address, write.ten_bit) == (part.address, part.ten_bit)
    return part.read and not write.read and same and not part.wrong and not write.wrong


def _message(group: list[Part], code: int | None) -> Message:
    last = group[-1]
    if last.wrong:
        return Unreadable(reason=last.wrong)
    kept_for = last.kept_for or group[0].kept_for
    shared = {
        "address": last.address,
        "ten_bit": last.ten_bit or None,
        "pec": code,
        "reserved": kept_for.name if kept_for else None,
    }
    write = group[-2] if len(group) > 1 and _reads_on(group[-2], last) else None
    body = write.body if write else last.body
    written = {"register": body[0] if body else None, "data": body[1:]}
    if not last.read:
        return as_found(FoundWrite, {**shared, **written})
    if write is None or (last.ten_bit and not write.body):
        return as_found(FoundRead, {**shared, "count": len(last.body), "data": last.body})
    return as_found(FoundWriteRead, {**shared, **written, "count": len(last.body), "reply": last.body})


def _problems(part: Part) -> list[str]:
    """What the acknowledge bits of a part tell."""
    problems = []
    kept_for = part.kept_for
    seen = [token for token in part.tokens if isinstance(token, Octet)]
    for place, octet in enumerate(seen[: part.head]):
        if kept_for is not None and not kept_for.answered:
            if octet.acknowledged:
                problems.append(f"{kept_for.name}: found acknowledged, expected that no device answers it")
        elif octet.acknowledged is False:
            name = f"address 0x{part.address:02X}" if not part.wrong else f"address byte 0x{octet.value:02X}"
            which = " (its second byte)" if place else ""
            problems.append(f"{name}{which}: not acknowledged")
    body = seen[part.head :]
    for place, octet in enumerate(body):
        is_last = place == len(body) - 1
        if octet.acknowledged is False and not is_last:
            problems.append(f"byte {place + 1} behind the address: not acknowledged, yet more follow")
        if part.read and is_last and octet.acknowledged and Mark.STOP in part.tokens:
            problems.append("the last byte read: acknowledged, so the device would go on sending")
    refused = next((token for token in seen[: part.head] if token.acknowledged is False), None)
    if refused is not None and body and not (kept_for and not kept_for.answered):
        problems.append(f"found {len(body)} bytes behind an address that nobody acknowledged")
    return problems
