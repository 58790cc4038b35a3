"""Faults that are made at once, at a link of a simulated board: each for a while, or for so many messages."""

from __future__ import annotations

import random
from math import inf

import msgspec

from cavet.boards import Client, Outgoing, Spoiled
from cavet.record import Kind, Reason, Record, Topic
from cavet.wording import counted, digits

ON_LINKS = ("lose", "garble", "delay", "silence")
ON_BOARDS = ("refuse", "nack", "hang-up", "reset")
FAULTS = (*ON_LINKS, *ON_BOARDS)
USUAL_DELAY = 1.0


class Meddled(msgspec.Struct):
    """A fault under way: how many messages it still meets, until when, and by how much it delays, in s."""

    kind: str
    left: float = inf
    until: float = inf
    by: float = USUAL_DELAY

    def takes(self, now: float) -> bool:
        """Whether it meets a message now; that is one less then."""
        if self.left <= 0 or now > self.until:
            return False
        self.left -= 1
        return True

    def is_over(self, now: float) -> bool:
        """Whether it has done all that it was to do, or its time is up."""
        return self.left <= 0 or now > self.until


class Meddling:
    """The faults at one link. `lose` and `garble` meet what passes either way, the others what the board says."""

    def __init__(self, link: str, board: str, seed: str, record: Record) -> None:
        self._link = link
        self._board = board
        self._random = random.Random(f"{seed}/{link}/meddling")
        self._record = record
        self._faults: list[Meddled] = []
        self.is_at_work = False
        """Whether anything that passes has to be looked at."""
        self._spoiled = Spoiled()
        self._before: dict[Client, bytes] = {}
        """What was answered last, for answers that are mixed up."""
        self._kept = 0.0
        """How many bytes are in the board's receiver, and since when."""
        self._kept_at = 0.0

    def take_up(self, spoiled: Spoiled) -> None:
        """What is wrong with the board from now on."""
        self._spoiled = spoiled
        self._look()

    def _look(self) -> None:
        spoiled = self._spoiled
        self.is_at_work = bool(self._faults or spoiled.queue or spoiled.stale or spoiled.twice)

    def add(self, fault: Meddled) -> None:
        """Begin with a fault."""
        self._faults.append(fault)
        self._look()

    def heard(self, data: bytes, now: float) -> bytes:
        """What is left of bytes that come to the board."""
        for fault in self._there(("lose", "garble"), now):
            if data and fault.takes(now):
                data = self._changed(fault, data, "to the board")
        if self._spoiled.queue is not None:
            data = self._queued(data, now, *self._spoiled.queue)
        return data

    def _queued(self, data: bytes, now: float, size: int, takes: float) -> bytes:
        """What of it the board's receiver has room for."""
        self._kept = max(0.0, self._kept - takes * (now - self._kept_at))
        self._kept_at = now
        room = int(size - self._kept)
        taken, lost = data[:room], data[room:]
        self._kept += len(taken)
        if lost:
            note = f"{counted(len(lost), 'byte')} lost: the receiver keeps {size}, and was full"
            self._record.append(
                Kind.LOST, self._board, Topic.BYTES, str(len(lost)), lost, None, note, reason=Reason.OVERFLOW
            )
        return taken

    def said(self, out: list[Outgoing], now: float) -> tuple[list[Outgoing], float]:
        """What is left of what the board says, and by how much it comes late."""
        late = 0.0
        kept = []
        for outgoing in out:
            data = outgoing.data
            for fault in self._there(ON_LINKS, now):
                if not data or not fault.takes(now):
                    continue
                if fault.kind == "delay":
                    late = max(late, fault.by)
                    note = f"held back by {digits(fault.by)} s on the way"
                    self._record.append(
                        Kind.REMARK, self._board, Topic.LINK, self._link, fault.by, outgoing.cause, note
                    )
                else:
                    data = self._changed(fault, data, "to the host")
            if data or outgoing.hangs_up or not outgoing.data:
                kept += self._answered(Outgoing(outgoing.client, data, outgoing.cause, outgoing.at, outgoing.hangs_up))
        return kept, late

    def _answered(self, outgoing: Outgoing) -> list[Outgoing]:
        """An answer, or the one before once more, or both times the same."""
        if outgoing.cause is None or not (self._spoiled.stale or self._spoiled.twice):
            return [outgoing]
        before = self._before.get(outgoing.client)
        self._before[outgoing.client] = outgoing.data
        if before is not None and self._random.random() < self._spoiled.stale:
            self._remark("the answer before was said once more in the place of this one", outgoing.cause)
            return [Outgoing(outgoing.client, before, None, outgoing.at, outgoing.hangs_up)]
        if self._random.random() < self._spoiled.twice:
            self._remark("this answer was said twice", outgoing.cause)
            return [outgoing, Outgoing(outgoing.client, outgoing.data, None, outgoing.at, outgoing.hangs_up)]
        return [outgoing]

    def _remark(self, words: str, cause: int) -> None:
        self._record.append(Kind.REMARK, self._board, Topic.LINK, self._link, None, cause, words)

    def _there(self, kinds: tuple[str, ...], now: float) -> list[Meddled]:
        if not self._faults:
            return []
        self._faults = [fault for fault in self._faults if not fault.is_over(now)]
        self._look()
        return [fault for fault in self._faults if fault.kind in kinds]

    def _changed(self, fault: Meddled, data: bytes, way: str) -> bytes:
        if fault.kind == "garble":
            spoiled = bytes(byte ^ self._random.randint(1, 255) for byte in data)
            note = f"garbled {way}, a fault that was asked for"
        else:
            spoiled, note = b"", f"lost {way}, a fault that was asked for"
        self._record.append(
            Kind.LOST, self._board, Topic.BYTES, str(len(data)), data, None, note, reason=Reason.UNREADABLE
        )
        return spoiled
