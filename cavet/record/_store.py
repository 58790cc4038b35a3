"""The record on disk: SQLite, written in batches by a thread of its own."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterator
from pathlib import Path

import msgspec

from cavet.record._event import Event, Value
from cavet.record._memory import Record
from cavet.wording import WrongError

FORMAT = 1
BATCH_SECONDS = 0.1
"""How long an event waits at most before it is written; a killed process may lose no more than 250 ms."""

_SCHEMA = """
CREATE TABLE about (name TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE events (
    number INTEGER PRIMARY KEY, t REAL NOT NULL, kind TEXT NOT NULL, board TEXT NOT NULL, cause INTEGER,
    topic TEXT NOT NULL, subject TEXT NOT NULL, value, note TEXT NOT NULL
);
CREATE INDEX events_by_cause ON events (cause) WHERE cause IS NOT NULL;
"""


class RecordWriter:
    """Follows a record and writes it to a new file at `path`, until it is closed.

    The file is SQLite in WAL mode, so it can be read while it is written. An old file there is replaced.
    """

    def __init__(self, record: Record, path: Path, about: dict[str, str] | None = None) -> None:
        self._record = record
        self._written = record.first
        self._stop = threading.Event()
        self.problem: str | None = None
        """Why writing has ended early (a full disk, say), for someone to show."""
        for old in (path, path.with_name(path.name + "-wal"), path.with_name(path.name + "-shm")):
            old.unlink(missing_ok=True)
        self._database = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
        self._database.execute("PRAGMA journal_mode=WAL")
        self._database.execute("PRAGMA synchronous=NORMAL")
        self._database.executescript(_SCHEMA)
        rows = {"format": str(FORMAT), **(about or {})}
        self._database.executemany("INSERT INTO about VALUES (?, ?)", rows.items())
        self._thread = threading.Thread(target=self._write_on, name="record-writer", daemon=True)
        self._thread.start()

    def _write_on(self) -> None:
        while not self._stop.wait(BATCH_SECONDS):
            if not self._write_batch():
                return
        self._write_batch()

    def _write_batch(self) -> bool:
        events = self._record.since(self._written)
        if not events:
            return True
        try:
            self._database.execute("BEGIN")
            self._database.executemany("INSERT INTO events VALUES (?,?,?,?,?,?,?,?,?)", map(_row, events))
            self._database.execute("COMMIT")
        except sqlite3.Error as error:
            self.problem = f"the record is no longer written: {error}"
            return False
        self._written = events[-1].number + 1
        return True

    def close(self) -> None:
        """Write what is left and close the file."""
        self._stop.set()
        self._thread.join()
        self._database.close()


def _row(event: Event) -> tuple[object, ...]:
    return (
        event.number, event.t, event.kind, event.board, event.cause,
        event.topic, event.subject, _stored(event.value), event.note,
    )  # fmt: skip


def _stored(value: Value) -> object:
    """Bytes stay as they are; the rest is JSON, which keeps `true` apart from 1 and 1.0."""
    return value if value is None or isinstance(value, bytes) else msgspec.json.encode(value).decode()


def _restored(value: object) -> Value:
    return msgspec.json.decode(value) if isinstance(value, str) else value  # type: ignore[return-value]


def read_record(path: Path) -> Iterator[Event]:
    """Read a record back, event by event. Raises `WrongError` when `path` holds none, or one of a newer format."""
    if not path.is_file():
        raise WrongError(str(path), found="no such file", expected="a record")
    database = sqlite3.connect(f"file:{path}?mode=ro", uri=True)
    try:
        (found,) = database.execute("SELECT value FROM about WHERE name = 'format'").fetchone() or ("none",)
        if found != str(FORMAT):
            raise WrongError(str(path), found=f"format {found}", expected=f"format {FORMAT}")
        for row in database.execute("SELECT * FROM events ORDER BY number"):
            number, t, kind, board, cause, topic, subject, value, note = row
            yield Event(number, t, kind, board, cause, topic, subject, _restored(value), note)
    except sqlite3.DatabaseError as error:
        raise WrongError(str(path), found=str(error), expected="a record that can be read") from error
    finally:
        database.close()
