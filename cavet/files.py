"""Files: written whole or not at all; and what the system says of one, as an error of ours."""

from __future__ import annotations

import errno
import itertools
import os
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

from cavet.wording import WrongError

WRITABLE = "a file that can be written"
_numbers = itertools.count()


@contextmanager
def file_errors(path: Path, expected: str) -> Iterator[None]:
    """What the system can't do with a file is raised as `WrongError`, with what was expected of it."""
    try:
        yield
    except OSError as error:
        raise WrongError(str(path), found=error.strerror or str(error), expected=expected) from error


def writable_folder(wanted: Path) -> Path:
    """A folder for the user's own files: the one that is wanted, which is made where it is not there. Where it can't be
    written, one among the system's temporary files takes its place. Raises `OSError` where that can't be either."""
    try:
        wanted.mkdir(parents=True, exist_ok=True)
        if os.access(wanted, os.W_OK):
            return wanted
    except OSError:
        pass  # the other one is looked at, and told where it can't be made
    spare = Path(tempfile.gettempdir()) / f"{wanted.name}-{os.getuid()}"
    spare.mkdir(mode=0o700, exist_ok=True)
    if spare.is_symlink() or spare.stat().st_uid != os.getuid():  # others can put something there, too
        raise PermissionError(errno.EACCES, "it is another user's", str(spare))
    return spare


def newline_of(text: str) -> str:
    """How the lines of a text end: with CR LF, where all of them do, or with LF."""
    return "\r\n" if 0 < text.count("\n") == text.count("\r\n") else "\n"


def check_target(path: Path, *, force: bool = False) -> None:
    """Raise `WrongError` where nothing new may be written. What is no file, a pipe, say, only takes what is written."""
    if not force and (path.is_file() or path.is_dir()):
        raise WrongError(str(path), found="a file that is there already", expected="a new one; --force replaces it")


def check_place(path: Path) -> None:
    """Raise `WrongError` where no file can be written at a path: it is told before what belongs there is made."""
    with file_errors(path, WRITABLE):
        place = Path(os.path.realpath(path))
        if place.is_dir():
            raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR), str(path))
        if not place.parent.is_dir():
            raise FileNotFoundError(errno.ENOENT, os.strerror(errno.ENOENT), str(path))
        if not os.access(place if place.exists() else place.parent, os.W_OK):
            raise PermissionError(errno.EACCES, os.strerror(errno.EACCES), str(path))


def write_whole(path: Path, pieces: Iterable[bytes], *, lasting: bool = False) -> None:
    """Write a file in one go: a reader finds the old one or the new one, never a half. Raises `WrongError`.

    Whatever breaks it off leaves nothing behind; a file for reading only is left alone. A symbolic link stays one, and
    its file is written; what is no file, a pipe or a terminal, is written into. With `lasting` it is on the disk before
    this comes back.
    """
    with file_errors(path, WRITABLE):
        if path.exists() and not path.is_file():
            with path.open("wb") as out:
                out.writelines(pieces)
            return
        place = Path(os.path.realpath(path))
        if place.exists() and not os.access(place, os.W_OK):
            raise PermissionError(errno.EACCES, os.strerror(errno.EACCES), str(path))
        made = place.with_name(f".cavet-{os.getpid()}-{next(_numbers)}")
        try:
            with made.open("xb") as out:
                out.writelines(pieces)
                if lasting:
                    out.flush()
                    os.fsync(out.fileno())
            if place.exists():
                made.chmod(place.stat().st_mode)
            made.replace(place)
        except BaseException:
            made.unlink(missing_ok=True)
            raise
