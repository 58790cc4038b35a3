"""The record on disk: SQLite, written in batches by a thread of its own, read back and searched where it lies."""

from __future__ import annotations

import errno
import heapq
import os
import sqlite3
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import closing, suppress
from pathlib import Path
from typing import Any

import msgspec

from cavet.record._event import Event, Kind, Purpose, Reason, Topic, Value
from cavet.record._index import StateKey
from cavet.record._memory import Record
from cavet.record._transfer import Direction, Seat, Transfer
from cavet.wording import WrongError

FORMAT = 2
MOST_DIGITS = 10
DONE, CUT = "done", "cut"
"""How a record has ended."""
READ = ("1", "2")
"""The formats that are read."""
BATCH_SECONDS = 0.05
"""How long an event waits at most before it is written; a killed process may lose no more than 250 ms."""
MOST_AT_ONCE = 4096
"""So many events, and so many transfers, are written between two commits."""
KEPT_OF, LEAST_KEPT = 0.8, 1000
"""Where a file has become too large, such a part of what is allowed is kept; at least so many events."""
PREPARED = 2
"""So many chunks of what is in memory are indexed beside each batch."""

_SCHEMA = """
CREATE TABLE about (name TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE events (
    number INTEGER PRIMARY KEY, t REAL NOT NULL, kind TEXT NOT NULL, board TEXT NOT NULL, cause INTEGER,
    topic TEXT NOT NULL, subject TEXT NOT NULL, value, note TEXT NOT NULL, purpose TEXT NOT NULL, reason TEXT NOT NULL
);
CREATE INDEX events_by_cause ON events (cause) WHERE cause IS NOT NULL;
CREATE INDEX events_by_subject ON events (board, subject, topic, kind);
CREATE TABLE subjects (board TEXT NOT NULL, subject TEXT NOT NULL, topic TEXT NOT NULL, kind TEXT NOT NULL);
CREATE TABLE transfers (
    number INTEGER PRIMARY KEY, link TEXT NOT NULL, client TEXT NOT NULL, seat TEXT NOT NULL, direction TEXT NOT NULL,
    "offset" INTEGER NOT NULL, "begin" REAL NOT NULL, "end" REAL NOT NULL, data BLOB NOT NULL, sent BLOB,
    event INTEGER NOT NULL
);
"""
_MARKS = "(?,?,?,?,?,?,?,?,?,?,?)"
ROWS_AT_ONCE = (1024, 128, 16, 4, 1)
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


def check_new(path: Path, *, force: bool) -> None:
    """Raise `WrongError` where no new record may, or can, be written at a path. With `force` an old one is replaced."""
    if path.exists() and not force:
        raise WrongError(str(path), found="a file that is there already", expected="a new one; --force replaces it")
    folder = path.parent if str(path.parent) else Path()
    if not folder.is_dir():
        raise WrongError(str(path), found=f"no folder {folder}", expected="a folder that is there")
    if not os.access(folder, os.W_OK) or (path.exists() and not os.access(path, os.W_OK)):
        raise WrongError(str(path), found="a folder that can't be written", expected="one that can")


class RecordWriter:
    """Follows a record and writes it to a new file at `path`, until it is closed.

    The file is SQLite in WAL mode, so it can be read while it is written. With `keep` it is bounded to about so many
    bytes: the oldest events are taken out again. An old file there is replaced. Raises
    `WrongError` where none can be made; what goes wrong later is told, from the thread that writes.
    """

    def __init__(
        self, record: Record, path: Path, about: Mapping[str, str] | None = None,
        tell: Callable[[str], None] | None = None, keep: int | None = None,
    ) -> None:  # fmt: skip
        self._tell = tell
        self._keep = keep
        self.dropped = 0
        """How many events were taken out again, the oldest first, since only so many bytes are to be kept."""
        self._record = record
        self._path = path
        self._written = record.first
        self._carried = record.transfers.first
        self._lags = False
        """Whether there was more to write than is written at once."""
        self._subjects: set[tuple[str, ...]] = set()
        self._stop = threading.Event()
        self.problem: str | None = None
        """Why writing has ended early (a full disk, say), for someone to show."""
        self._is_cut = False
        """Whether writing has ended early."""
        self.left_out = 0
        """How many events and transfers had left memory before they could be written."""
        try:
            for old in (path, path.with_name(path.name + "-wal"), path.with_name(path.name + "-shm")):
                old.unlink(missing_ok=True)
            self._database = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
            self._database.execute("PRAGMA journal_mode=WAL")
            self._database.execute("PRAGMA synchronous=NORMAL")
            self._database.executescript(_SCHEMA)
            rows = {"format": str(FORMAT), "writer": _process(os.getpid()), **(about or {})}
            self._database.executemany("INSERT INTO about VALUES (?, ?)", rows.items())
        except (OSError, sqlite3.Error) as error:
            expected = "a place where a record can be written"
            raise WrongError(str(path), found=_reason(error), expected=expected) from error
        self._thread = threading.Thread(target=self._write_on, name="record-writer", daemon=True)
        self._thread.start()

    def _write_on(self) -> None:
        while not self._stop.wait(0.0 if self._lags else BATCH_SECONDS):
            if not self._write_batch():
                return
            if not self._lags:
                self._record.prepare(PREPARED)
        while self._write_batch() and self._lags:
            pass

    def _write_batch(self) -> bool:
        events = self._record.since(self._written)[:MOST_AT_ONCE]
        transfers = self._record.transfers.since(self._carried)[:MOST_AT_ONCE]
        self._lags = MOST_AT_ONCE in (len(events), len(transfers))
        if not events and not transfers:
            return True
        self._count_gap(events[0].number - self._written if events else 0)
        self._count_gap(transfers[0].number - self._carried if transfers else 0)
        try:
            self._database.execute("BEGIN")
            self._insert("events", [_row(event) for event in events])
            self._database.executemany("INSERT INTO subjects VALUES (?,?,?,?)", self._new_subjects(events))
            self._insert("transfers", [_columns(transfer) for transfer in transfers])
            self._database.execute("COMMIT")
            if self._keep is not None:
                self._drop_oldest(self._keep)
        except sqlite3.Error as error:
            self._is_cut = True
            self._complain(f"the record is no longer written: {_reason(error)}")
            return False
        self._written = events[-1].number + 1 if events else self._written
        self._carried = transfers[-1].number + 1 if transfers else self._carried
        return True

    def _drop_oldest(self, keep: int) -> None:
        """Take out the oldest events, and what passed by then, where the file has become too large."""
        names = ("page_count", "freelist_count", "page_size")
        pages, free, size = (self._database.execute(f"PRAGMA {name}").fetchone()[0] for name in names)
        used = (pages - free) * size
        first, last = self._database.execute("SELECT min(number), max(number) FROM events").fetchone()
        if used <= keep or first is None or last - first < LEAST_KEPT:
            return
        cut = first + max(1, int((last - first) * (1 - KEPT_OF * keep / used)))
        self._database.execute("BEGIN")
        self._database.execute("DELETE FROM events WHERE number < ?", (cut,))
        self._database.execute("DELETE FROM transfers WHERE event < ?", (cut,))
        self._database.execute("COMMIT")
        if not self.dropped and self._tell is not None:
            self._tell(f"{self._path}: it keeps about {keep} bytes; the oldest events are taken out from here on")
        self.dropped += cut - first

    def _insert(self, table: str, rows: list[tuple[object, ...]]) -> None:
        """Insert many rows with each statement: after each, a busy bench keeps the interpreter from us for a while."""
        at = 0
        for size in ROWS_AT_ONCE:
            while len(rows) - at >= size:
                marks = ",".join([_MARKS] * size)
                values = [value for row in rows[at : at + size] for value in row]
                self._database.execute(f"INSERT INTO {table} VALUES {marks}", values)
                at += size

    def _new_subjects(self, events: list[Event]) -> set[tuple[str, ...]]:
        """What there had not been before: of these few, the latest event before any time is found at once."""
        found: set[tuple[str, ...]] = {(e.board, e.subject, e.topic, e.kind) for e in events}
        new = found - self._subjects
        self._subjects |= new
        return new

    def _count_gap(self, gap: int) -> None:
        if gap > 0:
            self.left_out += gap
            self._complain(f"{self.left_out} events could not be written in time, and are not in the record")

    def _complain(self, words: str) -> None:
        self.problem = f"{self._path}: {words}"
        if self._tell is not None:
            self._tell(self.problem)

    def close(self) -> None:
        """Write what is left, and that it is all; close the file."""
        self._stop.set()
        self._thread.join()
        try:
            ended = {"ended": DONE, **({"left_out": str(self.left_out)} if self.left_out else {})}
            if self.dropped:
                ended["dropped"] = str(self.dropped)
            if not self._is_cut:
                self._database.execute("DELETE FROM about WHERE name = 'writer'")
                self._database.executemany("INSERT OR REPLACE INTO about VALUES (?, ?)", ended.items())
                with suppress(sqlite3.OperationalError):  # somebody still reads it: then it stays as it is
                    self._database.execute("PRAGMA journal_mode=DELETE")  # readers leave no files beside it any more
            self._database.close()
        except sqlite3.Error as error:
            self._complain(f"the record is not whole: {_reason(error)}")


def _process(number: int) -> str:
    """A process by its number and, where the system tells it, when it was started; "" for one that is not there."""
    stat = Path(f"/proc/{number}/stat")
    try:
        return f"{number} {stat.read_text().rpartition(')')[2].split()[19]}"
    except (OSError, IndexError):
        pass
    try:
        os.kill(number, 0)
    except ProcessLookupError:
        return ""
    except OSError:
        return f"{number}"
    return f"{number}"


def _reason(error: Exception) -> str:
    """What the system, or the database, says of a file."""
    if isinstance(error, OSError):
        return os.strerror(error.errno or errno.EIO)
    return str(error)


def _row(event: Event) -> tuple[object, ...]:
    return (
        event.number, event.t, event.kind, event.board, event.cause, event.topic, event.subject,
        _stored(event.value), event.note, event.purpose, event.reason,
    )  # fmt: skip


def _columns(transfer: Transfer) -> tuple[object, ...]:
    return msgspec.structs.astuple(transfer)


def _stored(value: Value) -> object:
    """Bytes stay as they are; the rest is JSON, which keeps `true` apart from 1 and 1.0."""
    return value if value is None or isinstance(value, bytes) else msgspec.json.encode(value).decode()


def _restored(value: object) -> Value:
    """A value as it was. Raises `ValueError`."""
    found = msgspec.json.decode(value) if isinstance(value, str) else value
    if found is not None and not isinstance(found, float | int | bool | str | bytes):
        raise ValueError(f"a value that is a {type(found).__name__}")
    return found


class RecordFile:
    """A record on disk, also one that is still being written. Found by cause, subject and time where it lies.

    Raises `WrongError` when `path` holds none, or one of a newer format; and later, where it can't be read.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        if not path.is_file():
            raise WrongError(str(path), found="no such file", expected="a record")
        self._database = sqlite3.connect(f"file:{path}?mode=ro", uri=True)
        try:
            self.about: dict[str, str] = dict(self._database.execute("SELECT name, value FROM about"))
        except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
            self._database.close()
            raise WrongError(str(path), found=str(error), expected="a record that can be read") from error
        found = self.about.get("format", "none")
        if found not in READ:
            self._database.close()
            raise WrongError(str(path), found=f"format {found}", expected=f"format {FORMAT}")
        self._is_old = found == "1"

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
        writer = str(about.get("writer", ""))
        number = writer.partition(" ")[0]
        if number.isdecimal() and len(number) < MOST_DIGITS and writer == _process(int(number)):
            return ""
        with (
            suppress(sqlite3.Error),
            closing(sqlite3.connect(self._path, timeout=1.0)) as own,
        ):  # it may be for reading only
            own.execute("INSERT OR IGNORE INTO about VALUES ('ended', ?)", (CUT,))
            own.commit()
        return CUT

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

    def since(self, number: int) -> Iterator[Event]:
        """The events from a number on, oldest first."""
        return self._events("WHERE number >= ? ORDER BY number", number)

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
