"""The user's state folder: there lie the record, the bench last used, and the log of what nobody foresaw."""

from __future__ import annotations

import errno
import logging
import sys
import threading
from pathlib import Path

from cavet.faults import LOG, fault_words, note_fault
from cavet.files import writable_folder

LOG_BYTES = 1_000_000
"""A log of this size is put aside, and the one put aside before is gone."""


def state_path(name: str) -> Path:
    """Where a file of the state folder is. Raises `OSError` where there can be none."""
    import platformdirs

    return writable_folder(platformdirs.user_state_path("cavet")) / name


class _LogFile(logging.Handler):
    """Writes into the log, which is opened when there is something to write for the first time."""

    def __init__(self) -> None:
        super().__init__()
        self._file: logging.Handler | None = None
        self.place = ""
        """The file, or why there is none."""

    def emit(self, record: logging.LogRecord) -> None:
        if self._file is None:
            self._file = self._open()
        self._file.emit(record)

    def _open(self) -> logging.Handler:
        from logging.handlers import RotatingFileHandler

        try:
            path = state_path("cavet.log")
            file = RotatingFileHandler(path, maxBytes=LOG_BYTES, backupCount=1, encoding="utf-8")
        except OSError as error:
            self.place = f"nowhere: {error.strerror}"
            return logging.NullHandler()
        file.setFormatter(logging.Formatter("%(asctime)s %(process)d %(levelname)s %(message)s"))
        self.place = str(path)
        return file


_log_file = _LogFile()


def keep_log() -> None:
    """From now on what is logged goes into the file, nothing of it to the terminal; what a thread raises as well."""
    root = logging.getLogger()
    if _log_file not in root.handlers:
        logging.raiseExceptions = False  # a full disk is no reason to write into the screen
        root.addHandler(_log_file)
        root.setLevel(logging.WARNING)
    threading.excepthook = _note_thread
    sys.unraisablehook = _note_unraisable


def _note_thread(raised: threading.ExceptHookArgs) -> None:
    error = raised.exc_value
    if isinstance(error, OSError) and error.errno == errno.EIO:
        return  # the window was shut while something was written into it
    if error is not None:
        note_fault(f"thread {raised.thread.name if raised.thread else ''}", error)


def _note_unraisable(raised: sys.UnraisableHookArgs) -> None:
    if raised.exc_value is not None:
        LOG.warning("%s: %s", raised.err_msg or "while tidying up", fault_words(raised.exc_value))


def fault_line(where: str, error: BaseException) -> str:
    """Keep an error that nobody foresaw in the log; give the line that tells it, and where the log is."""
    words = note_fault(where, error)
    return f"{where}: a fault of Cavet's own: {words}; more in the log, {_log_file.place}"
