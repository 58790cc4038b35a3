"""A record on disk, read back and searched where it lies; also one that is still being written."""

from __future__ import annotations

import heapq
import os
import sqlite3
from collections.abc import Iterable, Iterator, Mapping
from contextlib import closing, suppress
from pathlib import Path
from typing import Any

import msgspec

from cavet.record._event import Event, Kind, Purpose, Reason, Topic, Value
from cavet.record._index import StateKey
from cavet.record._transfer import Direction, Seat, Transfer
from cavet.wording import WrongError

FORMAT = 2
MOST_DIGITS = 10
ALL = -1
ENDED = ("Z", "X")
"""The states of a process that has ended, as /proc tells them."""
DONE, CUT = "done", "cut"
"""How a record has ended."""
READ = ("1", "2")
"""The formats that are read."""
_EVENT = "number, t, kind, board, cause, topic, subject, value, note, purpose, reason"
KINDS, TOPICS = {each.value: each for each in Kind}, {each.value: each for each in Topic}
PURPOSES, REASONS = {each.value: each for each in Purpose}, {each.value: each for each in Reason}
SEATS, DIRECTIONS = {each.value: each for each in Seat}, {each.value: each for each in Direction}
MOST_SECONDS = 1e10
"""A time beyond this, some three hundred years, is none."""
MOST_OFFSET = 1 << 62
_OLD_PURPOSES = {
    "read back": Purpose.READ_BACK, "release": Purpose.RELEASE, "set-up": Purpose.SET_UP, "poll": Purpose.POLL,
    "scroll": Purpose.SCROLL, "from outside": Purpose.OUTSIDE,
}  # fmt: skip
"""In format 1 the note said what a message is for."""


def process_named(number: int) -> str:
    """A process by its number and, where the system tells it, when it was started; "" for one that is not there, or has
    ended and only waits to be taken notice of."""
    stat = Path(f"/proc/{number}/stat")
    try:
        fields = stat.read_text().rpartition(")")[2].split()
        return f"{number} {fields[19]}" if fields[0] not in ENDED else ""
    except (OSError, IndexError):
        pass
    try:
        os.kill(number, 0)
    except ProcessLookupError:
        return ""
    except OSError:
        return f"{number}"
    return f"{number}"


def _restored(value: object) -> Value:
    """A value as it was. Raises `ValueError`."""
    found = msgspec.json.decode(value) if isinstance(value, str) else value
    if found is not None and not isinstance(found, float | int | bool | str | bytes):
        raise ValueError(f"a value that is a {type(found).__name__}")
    return found


def writer_of(path: Path) -> str:
    """The number of the process that writes the record at a path; "" where there is no record, or none writes it."""
    try:
        with closing(RecordFile(path)) as file:
            return file.writer()
    except WrongError:
        return ""


class RecordFile:
    """A record on disk, also one that is still being written. Found by cause, subject and time where it lies.

    Raises `WrongError` when `path` holds none, or one of a newer format; and later, where it can't be read.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        if not path.is_file():
            raise WrongError(str(path), found="no such file", expected="a record")
        self._database = sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True)
        try:
            rows = self._database.execute("SELECT name, value FROM about")
            self.about = {name: value for name, value in rows if isinstance(name, str) and isinstance(value, str)}
        except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
            self._database.close()
            raise WrongError(str(path), found=str(error), expected="a record that can be read") from error
        found = self.about.get("format", "none")
        if found not in READ:
            self._database.close()
            raise WrongError(str(path), found=f"format {found}", expected=f"format {FORMAT}")
        self._is_old = found == "1"

    def __getitem__(self, number: int) -> Event:
        """Give one event; `IndexError` where it is not there."""
        for event in self._events("WHERE number = ?", number):
            return event
        raise IndexError(number)

    def __len__(self) -> int:
        """One more than the number of the last event."""
        return 1 + self._edge("max", -1)

    @property
    def first(self) -> int:
        """The number of the oldest event that is there."""
        return self._edge("min", 0)

    def _edge(self, which: str, none: int) -> int:
        ((found,),) = self._rows(f"SELECT {which}(number) FROM events")
        return none if found is None else int(found)

    def close(self) -> None:
        """Let go of the file."""
        self._database.close()

    def ended(self) -> str:
        """How it ended: `done`, `cut` where its writer was killed, "" while it is still written. That it was cut is
        kept in the file, where that can be."""
        if self._is_old:
            return DONE
        about = dict(self._rows("SELECT name, value FROM about WHERE name IN ('ended', 'writer')"))
        if "ended" in about:
            return str(about["ended"])
        if self.writer():
            return ""
        with (
            suppress(sqlite3.Error),
            closing(sqlite3.connect(self._path, timeout=1.0)) as own,
        ):  # it may be for reading only
            own.execute("INSERT OR IGNORE INTO about VALUES ('ended', ?)", (CUT,))
            own.commit()
        return CUT

    def writer(self) -> str:
        """The number of the process that writes it; "" where none does any more."""
        about = dict(self._rows("SELECT name, value FROM about WHERE name IN ('ended', 'writer')"))
        named = str(about.get("writer", ""))
        number = named.partition(" ")[0]
        lives = number.isdecimal() and len(number) < MOST_DIGITS and named == process_named(int(number))
        return number if lives and "ended" not in about else ""

    def is_whole(self) -> bool:
        """Whether its writer has ended it: not so while it is still written, nor where that was killed."""
        return self.ended() == DONE

    def _rows(self, sql: str, *values: object) -> Iterator[tuple[Any, ...]]:
        try:
            yield from self._database.execute(sql, values)
        except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
            raise WrongError(str(self._path), found=str(error), expected="a record that can be read") from error

    def _events(self, where: str, *values: object) -> Iterator[Event]:
        columns = "number, t, kind, board, cause, topic, subject, value, note, '', ''" if self._is_old else _EVENT
        for row in self._rows(f"SELECT {columns} FROM events {where}", *values):
            try:
                yield _event(row, old=self._is_old)
            except (ValueError, msgspec.DecodeError) as error:
                where = f"{self._path}, event {row[0]}"
                raise WrongError(where, found=str(error), expected="an event of a record") from error

    def since(self, number: int, most: int | None = None) -> Iterator[Event]:
        """The events from a number on, oldest first; so many at most."""
        return self._events("WHERE number >= ? ORDER BY number LIMIT ?", number, ALL if most is None else most)

    def transfers(self, number: int = 0) -> Iterator[Transfer]:
        """The transfers from a number on, oldest first; a record of format 1 has none."""
        if self._is_old:
            return
        for row in self._rows("SELECT * FROM transfers WHERE number >= ? ORDER BY number", number):
            try:
                yield _transfer(row)
            except ValueError as error:
                where = f"{self._path}, transfer {row[0]}"
                raise WrongError(where, found=str(error), expected="a transfer of a record") from error

    def effects(self, number: int) -> list[Event]:
        """The events that follow from one, directly."""
        return list(self._events("WHERE cause = ? ORDER BY number", number))

    def trail(self, root: int) -> list[Event]:
        """All events that follow from one, however far, oldest first; it itself is not among them."""
        found: list[Event] = []
        waiting = [root]
        while waiting:
            effects = self.effects(waiting.pop())
            found += effects
            waiting += [event.number for event in effects]
        return sorted(found, key=lambda event: event.number)

    def course(self, board: str, topic: Topic, subject: str, kinds: Iterable[Kind] = ()) -> Iterator[Event]:
        """The events about a subject, oldest first; of these kinds, where some are named."""
        where = "WHERE board = ? AND subject = ? AND topic = ? AND kind = ? ORDER BY number"
        of_each = [self._events(where, board, subject, topic, kind) for kind in tuple(kinds) or Kind]
        return heapq.merge(*of_each, key=lambda event: event.number)

    def latest(self) -> float:
        """When the last event was, in s."""
        rows = list(self._rows("SELECT t FROM events WHERE number = (SELECT max(number) FROM events)"))
        return float(rows[0][0]) if rows else 0.0

    def boards(self) -> list[str]:
        """The boards that there are events of."""
        found = {board for (board,) in self._rows("SELECT DISTINCT board FROM events")}
        return sorted(board for board in found if isinstance(board, str) and board)

    def number_at(self, t: float) -> int:
        """The number of the first event behind a time: events stand in the order of their times."""
        ((first, last),) = self._rows("SELECT (SELECT min(number) FROM events), (SELECT max(number) FROM events)")
        if first is None:
            return 0
        low, high = first, last + 1
        while low < high:
            middle = (low + high) // 2
            ((at,),) = self._rows("SELECT t FROM events WHERE number >= ? ORDER BY number LIMIT 1", middle)
            if not _is_time(at):
                raise WrongError(f"{self._path}, event {middle}", found=f"time {at!r}", expected="seconds")
            if at <= t:
                low = middle + 1
            else:
                high = middle
        return int(low)

    def state_at(self, t: float) -> Mapping[StateKey, Event]:
        """What stood at a time: of each subject the latest event of each kind."""
        before = self.number_at(t)
        state: dict[StateKey, Event] = {}
        subjects = "(SELECT DISTINCT board, subject, topic, kind FROM events)" if self._is_old else "subjects"
        latest = (
            f"WHERE number IN (SELECT (SELECT max(number) FROM events WHERE (board, subject, topic, kind) = "
            f"(s.board, s.subject, s.topic, s.kind) AND number < ?) FROM {subjects} AS s)"
        )
        for event in self._events(latest, before):
            state[event.board, event.topic, event.subject, event.kind] = event
        return state


def _event(row: tuple[Any, ...], *, old: bool) -> Event:
    number, t, kind, board, cause, topic, subject, value, note, purpose, reason = row
    if not _is_time(t) or not isinstance(board, str) or not isinstance(subject, str) or not isinstance(note, str):
        raise ValueError("a field of another type")
    if cause is not None and not (isinstance(cause, int) and cause < number):
        raise ValueError(f"cause {cause!r}, which is no event before it")
    if old and note in _OLD_PURPOSES:
        purpose, note = _OLD_PURPOSES[note], ""
    try:
        return Event(
            number, t, KINDS[kind], board, cause, TOPICS[topic], subject, _restored(value), note, PURPOSES[purpose],
            REASONS[reason],
        )  # fmt: skip
    except KeyError as error:
        raise ValueError(f"{error.args[0]!r} is no kind, topic, purpose or reason") from error


def _transfer(row: tuple[Any, ...]) -> Transfer:
    number, link, client, seat, direction, offset, begin, end, data, sent, event = row
    if not (
        _is_time(begin) and _is_time(end) and isinstance(data, bytes) and (sent is None or isinstance(sent, bytes))
    ):
        raise ValueError("a field of another type")
    if not (isinstance(offset, int) and 0 <= offset < MOST_OFFSET and isinstance(event, int)):
        raise ValueError(f"offset {offset!r}, event {event!r}")
    if not isinstance(link, str) or not isinstance(client, str) or seat not in SEATS or direction not in DIRECTIONS:
        raise ValueError(f"link {link!r}, client {client!r}, seat {seat!r}, direction {direction!r}")
    return Transfer(number, link, client, SEATS[seat], DIRECTIONS[direction], offset, begin, end, data, sent, event)


def _is_time(t: object) -> bool:
    return isinstance(t, float) and -1.0 < t < MOST_SECONDS


def read_record(path: Path) -> Iterator[Event]:
    """Read a record back, event by event. Raises `WrongError` when `path` holds none, or one of a newer format."""
    file = RecordFile(path)
    try:
        yield from file.since(0)
    finally:
        file.close()
