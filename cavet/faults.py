"""What nobody foresaw: told in one line, with its place, and kept whole in the log."""

from __future__ import annotations

import logging
import traceback
from pathlib import Path

import msgspec

from cavet.wording import UnreachableError, WrongError, plain

LOG = logging.getLogger("cavet")
FORESEEN = (WrongError, UnreachableError)
"""Errors that are answers: they go to whoever asked, and are nobody's fault."""
_HOME = Path(__file__).parent
MOST_WORDS = 120


class Fault(msgspec.Struct, frozen=True):
    """What has stopped something, in a line, and when, in bench seconds."""

    words: str
    t: float

    def __str__(self) -> str:
        return self.words


def fault_words(error: BaseException) -> str:
    """Say an error in one line: what, and the innermost place of our own code that it came through."""
    what = type(error).__name__
    if text := " ".join(str(error).split()):
        what += f", {plain(text, MOST_WORDS)}"
    for frame in reversed(traceback.extract_tb(error.__traceback__)):
        path = Path(frame.filename)
        if path.is_relative_to(_HOME):
            return f"{what}, in {path.relative_to(_HOME.parent)} line {frame.lineno}"
    return what


def note_fault(where: str, error: BaseException) -> str:
    """Write an error into the log, with all that led to it; give the line that tells it."""
    words = fault_words(error)
    LOG.error("%s: %s", where, words, exc_info=error)
    return words
