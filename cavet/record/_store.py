"""The record on disk: SQLite, written in batches by a thread of its own."""

from __future__ import annotations

import errno
import os
import sqlite3
import threading
from collections.abc import Callable, Mapping
from contextlib import closing, suppress
from pathlib import Path

import msgspec

from cavet.faults import LOG
from cavet.record._event import Event, Value
from cavet.record._file import DONE, FORMAT, process_named, writer_of
from cavet.record._memory import Record
from cavet.record._transfer import Transfer
from cavet.wording import WrongError

REST_SECONDS, BUSY_SECONDS, BUSY_ROWS = 0.1, 0.03, 256
"""How long is waited between two batches, and from how many rows on less; a killed process may lose no more than
250 ms. At rest it is the number of batches that costs."""
MOST_AT_ONCE = 4096
"""So many events, and so many transfers, are written between two commits."""
KEPT_OF, LEAST_KEPT = 0.8, 1000
"""Where a file has become too large, such a part of what is allowed is kept; at least so many events."""
PREPARED = 2
"""So many chunks of what is in memory are indexed beside each batch."""
SETTLED_ROWS = 8192
"""After so many rows what stands in the log beside the file is brought into the file itself."""
MOST_LOG_PAGES = 16_384
"""More of the log, 64 MB, is not kept: where a slow disk can't follow, batches wait for it after all."""

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


def check_new(path: Path, *, force: bool) -> None:
    """Raise `WrongError` where no new record may, or can, be written at a path. With `force` an old one is replaced."""
    if path.exists() and not force:
        raise WrongError(str(path), found="a file that is there already", expected="a new one; --force replaces it")
    _check_kind(path)
    if number := writer_of(path):
        found = f"a record that process {number} is writing"
        raise WrongError(str(path), found=found, expected="another file, or that process to end first")
    folder = path.parent if str(path.parent) else Path()
    if not folder.is_dir():
        raise WrongError(str(path), found=f"no folder {folder}", expected="a folder that is there")
    if not os.access(folder, os.W_OK) or (path.exists() and not os.access(path, os.W_OK)):
        raise WrongError(str(path), found="a folder that can't be written", expected="one that can")


def _check_kind(path: Path) -> None:
    """Raise `WrongError` for what can't be a record, and must not be taken away for one."""
    if path.exists() and not path.is_file():
        found = "a folder" if path.is_dir() else "a device or a pipe"
        raise WrongError(str(path), found=found, expected="a file: what is recorded is read while it is written")


class RecordWriter:
    """Follows a record and writes it to a new file at `path`, until it is closed.

    The file is SQLite in WAL mode, so it can be read while it is written. With `keep` it is bounded to about so many
    bytes: the oldest events are taken out again. An old file there is replaced; a symbolic link stays one. Raises
    `WrongError` where none can be made; what goes wrong later is told, from the thread that writes.

    A batch is handed to the system and not waited for: what a killed process had written is safe with it. Only a
    second thread waits until the disk has it (see `_settle_on`), so a slow disk holds up no batch.
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
        self._pause = REST_SECONDS
        """Until the next batch; none while there is more to write than is written at once."""
        self._subjects: set[tuple[str, ...]] = set()
        self._stop = threading.Event()
        self.problem: str | None = None
        """Why writing has ended early (a full disk, say), for someone to show."""
        self._is_cut = False
        """Whether writing has ended early."""
        self.left_out = 0
        """How many events and transfers had left memory before they could be written."""
        _check_kind(path)
        path = Path(os.path.realpath(path))
        try:
            for old in (path, path.with_name(path.name + "-wal"), path.with_name(path.name + "-shm")):
                old.unlink(missing_ok=True)
            self._database = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
            self._database.execute("PRAGMA journal_mode=WAL")
            self._database.execute("PRAGMA synchronous=OFF")
            self._database.execute("PRAGMA wal_autocheckpoint=0")
            self._database.execute("PRAGMA temp_store=MEMORY")
            self._database.executescript(_SCHEMA)
            self._settling = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
            rows = {"format": str(FORMAT), "writer": process_named(os.getpid()), **(about or {})}
            self._database.executemany("INSERT INTO about VALUES (?, ?)", rows.items())
        except (OSError, sqlite3.Error) as error:
            expected = "a place where a record can be written"
            raise WrongError(str(path), found=_reason(error), expected=expected) from error
        self._unsettled = 0
        self._log_pages = 0
        """How much stood in the log when it was last brought into the file."""
        self._settle = threading.Event()
        self._thread = threading.Thread(target=self._write_on, name="record-writer", daemon=True)
        self._settler = threading.Thread(target=self._settle_on, name="record-settler", daemon=True)
        self._thread.start()
        self._settler.start()

    def _write_on(self) -> None:
        while not self._stop.wait(self._pause):
            if not self._write_batch():
                return
            if self._pause:
                self._record.prepare(PREPARED)
        while self._write_batch() and not self._pause:
            pass

    def _settle_on(self) -> None:
        """Bring the log into the file, now and then, and wait for the disk: first for the log, then for the file.

        So after the machine itself has failed the file is as it was at some time before, and whole.
        """
        with closing(self._settling):
            while self._settle.wait() and not self._stop.is_set():
                self._settle.clear()
                self._bring_in(self._settling)

    def _bring_in(self, database: sqlite3.Connection) -> None:
        try:
            _, self._log_pages, _ = database.execute("PRAGMA wal_checkpoint(PASSIVE)").fetchone()
        except sqlite3.Error as error:  # it stays in the log; `close` tells if it is there at the end
            LOG.warning("%s: not brought into the file yet: %s", self._path, error)

    def _catch_up(self) -> None:
        """Bring all of the log into the file, with nothing written meanwhile: so it begins anew, and grows no more."""
        self._database.execute("PRAGMA synchronous=NORMAL")
        self._bring_in(self._database)
        self._database.execute("PRAGMA synchronous=OFF")
        self._log_pages = 0

    def _write_batch(self) -> bool:
        events = self._record.since(self._written, MOST_AT_ONCE)
        transfers = self._record.transfers.since(self._carried, MOST_AT_ONCE)
        rows = max(len(events), len(transfers))
        self._pause = 0.0 if rows == MOST_AT_ONCE else BUSY_SECONDS if rows >= BUSY_ROWS else REST_SECONDS
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
        self._unsettled += len(events) + len(transfers)
        if self._unsettled >= SETTLED_ROWS:
            self._unsettled = 0
            self._settle.set()
        if self._log_pages > MOST_LOG_PAGES:
            self._catch_up()
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
        self._settle.set()
        self._thread.join()
        self._settler.join()
        try:
            ended = {"ended": DONE, **({"left_out": str(self.left_out)} if self.left_out else {})}
            if self.dropped:
                ended["dropped"] = str(self.dropped)
            if not self._is_cut:
                self._database.execute("DELETE FROM about WHERE name = 'writer'")
                self._database.executemany("INSERT OR REPLACE INTO about VALUES (?, ?)", ended.items())
                self._database.execute("PRAGMA synchronous=NORMAL")
                with suppress(sqlite3.OperationalError):  # somebody still reads it: then it stays as it is
                    self._database.execute("PRAGMA journal_mode=DELETE")  # readers leave no files beside it any more
            self._database.close()
        except sqlite3.Error as error:
            self._complain(f"the record is not whole: {_reason(error)}")


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
