"""Who opens and shuts a file, as Linux tells it: inotify(7)."""

from __future__ import annotations

import ctypes
import os
import struct

OPENED, SHUT = 0x20, 0x08 | 0x10
"""IN_OPEN; IN_CLOSE_WRITE and IN_CLOSE_NOWRITE."""
LOST = 0x4000
"""IN_Q_OVERFLOW: more has happened than is told."""
HEAD = struct.Struct("iIII")
"""Of an event: which watch, what, a number that is of no use here, how many bytes of a name follow."""
READ_BYTES = 4096


class Watcher:
    """Watches files for who opens and shuts them. Raises `OSError` where the system has none of that."""

    def __init__(self) -> None:
        self._system = ctypes.CDLL(None, use_errno=True)
        if not hasattr(self._system, "inotify_init1"):
            raise OSError("this system does not tell who opens a file")
        self.number = self._checked(self._system.inotify_init1(os.O_NONBLOCK | os.O_CLOEXEC))
        """Can be read, as a file, where something has happened."""

    def add(self, path: str) -> int:
        """Watch a file; give the number of the watch. Raises `OSError`."""
        return self._checked(self._system.inotify_add_watch(self.number, os.fsencode(path), OPENED | SHUT))

    def remove(self, watch: int) -> None:
        """Watch it no more; where it is gone, the system has forgotten it already."""
        self._system.inotify_rm_watch(self.number, watch)

    def read(self) -> tuple[list[tuple[int, bool]], bool]:
        """What has happened, oldest first: at which watch, and whether it was opened, else shut; and whether that is
        all. Of the same twice in a row only one may be told."""
        try:
            data = os.read(self.number, READ_BYTES)
        except BlockingIOError:
            return [], True
        events, is_all, at = [], True, 0
        while at < len(data):
            watch, what, _, size = HEAD.unpack_from(data, at)
            at += HEAD.size + size
            is_all = is_all and not what & LOST
            if what & (OPENED | SHUT):
                events.append((watch, bool(what & OPENED)))
        return events, is_all

    def close(self) -> None:
        """Watch nothing any more."""
        os.close(self.number)

    @staticmethod
    def _checked(result: int) -> int:
        if result < 0:
            number = ctypes.get_errno()
            raise OSError(number, os.strerror(number))
        return result
