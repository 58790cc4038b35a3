"""What was said by hand, and what came of it: said in the bench's thread, told here when it has come back."""

from __future__ import annotations

import asyncio
from collections import deque

import msgspec

from cavet.bench import RunningBench, Spoiling, Spoken
from cavet.faults import FORESEEN, note_fault
from cavet.library.sending import Sent, say
from cavet.protocols import Message
from cavet.units import show_duration
from cavet.workbench.acting import Acting
from cavet.workbench.brief import brief, brief_message

MOST_KEPT = 50
BY = "by hand"
KNOWN = {
    2: "no such address in the board's map", 3: "a value that the board does not take",
    1: "a function that the board does not have",
}  # fmt: skip
"""What exceptions of Modbus mean here. Source: application protocol 1.1b3, section 7."""


class SaidEntry(msgspec.Struct, frozen=True, kw_only=True):
    """One that was said: when, to which host, what, and what came."""

    t: float
    host: str
    message: str
    fields: dict[str, str]
    text: str
    how: str = ""
    answer: str = ""
    delay: str = ""
    note: str = ""
    is_bad: bool = False
    asked: int | None = None
    """The event that its trail begins with; `None` while it is on its way."""


class Saying:
    """Says messages by hand, and keeps what was said, newest first."""

    def __init__(self, bench: RunningBench, acting: Acting) -> None:
        self._bench = bench
        self._acting = acting
        self._come: deque[tuple[int, SaidEntry]] = deque()
        """What has come back, from the bench's thread."""
        self.entries: deque[SaidEntry] = deque(maxlen=MOST_KEPT)
        self._count = 0
        self._places: dict[int, SaidEntry] = {}
        self._tasks: set[asyncio.Task[None]] = set()

    def say(
        self, host: str, tongue: Spoken, message: Message, fields: dict[str, str], how: Spoiling | None = None
    ) -> None:
        """Say a message; it stands in the list at once, and its answer when it has come."""
        name = message.NAME
        entry = SaidEntry(
            t=self._bench.clock.now(), host=host, message=name, fields=dict(fields),
            text=brief_message(tongue, message), how=str(how) if how is not None else "", answer="…",
        )  # fmt: skip
        number = self._count
        self._count += 1
        self._places[number] = entry
        self.entries.appendleft(entry)
        self._acting.do(lambda: self._begin(number, entry, tongue, how))

    def _begin(self, number: int, entry: SaidEntry, tongue: Spoken, how: Spoiling | None) -> None:
        """In the bench's thread: say it, without waiting here."""
        task = asyncio.get_running_loop().create_task(self._carry_out(number, entry, tongue, how))
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _carry_out(self, number: int, entry: SaidEntry, tongue: Spoken, how: Spoiling | None) -> None:
        try:
            sent = await say(self._bench, entry.host, entry.message, entry.fields, None, BY, how)
            done = _told(entry, sent, tongue, how)
        except FORESEEN as error:
            done = msgspec.structs.replace(entry, answer="not said", note=str(error), is_bad=True)
        except Exception as error:  # noqa: BLE001
            words = note_fault("what is said by hand", error)
            done = msgspec.structs.replace(entry, answer="not said", note=words, is_bad=True)
        self._come.append((number, done))

    def come_back(self) -> bool:
        """Take what has come back into the list; tell whether anything has."""
        came = bool(self._come)
        while self._come:
            number, done = self._come.popleft()
            entry = self._places.pop(number, None)
            for place, other in enumerate(self.entries):
                if other is entry:
                    self.entries[place] = done
        return came


def _told(entry: SaidEntry, sent: Sent, tongue: Spoken, how: Spoiling | None) -> SaidEntry:
    if sent.answer is None:
        if not sent.due:
            return msgspec.structs.replace(entry, answer="said", note="no answer is due", asked=sent.asked)
        note = "as the standard has it: what is wrong gets no answer" if how is not None else "no answer came"
        return msgspec.structs.replace(entry, answer="silence", note=note, is_bad=how is None, asked=sent.asked)
    fields, name = sent.answer.fields, sent.answer.name
    refused = name in ("exception", "not-acknowledged")
    note = ""
    if refused:
        code = fields.get("exception_code")
        note = KNOWN.get(code, fields.get("exception_code_name", fields.get("reason", ""))) if code is not None else (
            str(fields.get("reason", ""))
        )  # fmt: skip
    frame = sent.answer.frame
    answer = "echo" if sent.answer.wire == sent.wire else brief(tongue, frame, named=refused)
    delay = show_duration(sent.delay) if sent.delay is not None else ""
    return msgspec.structs.replace(entry, answer=answer, delay=delay, note=note, is_bad=refused, asked=sent.asked)
