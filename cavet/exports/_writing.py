"""Writing a file that is there only when it is whole."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from pathlib import Path

from cavet.wording import WrongError

BLOCK = 1 << 16


def check_target(path: Path, *, force: bool = False) -> None:
    """Raise `WrongError` where nothing new may be written."""
    if path.exists() and not force:
        raise WrongError(str(path), found="a file that is there already", expected="a new one; --force replaces it")


def write_file(pieces: Iterable[bytes], path: Path) -> None:
    """Write pieces beside the file's place, and put them there at the end. Raises `WrongError`; whatever breaks it off
    leaves nothing behind."""
    made = path.with_name(f".{path.name}.{os.getpid()}")
    try:
        with made.open("wb") as out:
            for piece in pieces:
                out.write(piece)
        made.replace(path)
    except OSError as error:
        made.unlink(missing_ok=True)
        expected = "a file that can be written"
        raise WrongError(str(path), found=error.strerror or str(error), expected=expected) from error
    except BaseException:
        made.unlink(missing_ok=True)
        raise


def blocks(lines: Iterable[str]) -> Iterator[bytes]:
    """Lines, so many at once that writing them costs little."""
    waiting: list[str] = []
    size = 0
    for line in lines:
        waiting.append(line)
        size += len(line)
        if size > BLOCK:
            yield "".join(waiting).encode()
            waiting, size = [], 0
    yield "".join(waiting).encode()
