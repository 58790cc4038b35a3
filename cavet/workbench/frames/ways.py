"""The ways to say a message wrong, and what else is done with one: its fields as texts, its command line."""

from __future__ import annotations

import re
import shlex
from collections.abc import Mapping

import msgspec

from cavet.bench import Spoken
from cavet.protocols import Frame, Role, Side, ruler, write_message
from cavet.wording import WrongError
from cavet.workbench.frames.sentence import Sentence

LATE = "late=5 ms"
UNITS = 248


class Way(msgspec.Struct, frozen=True):
    """A way: as `cavet say` has it after `--wrong`, how it is told; or other fields than are right."""

    how: str
    told: str
    fields: dict[str, str] = {}


def ways_of(sentence: Sentence) -> tuple[Way, ...]:
    """The ways that there are for a message."""
    frame = sentence.frame()
    if frame is None:
        return ()
    size, has_one_size = len(frame.data), sentence.tongue.has_one_size(sentence.name)
    found: list[Way] = []
    if any(field.role is Role.CHECK for field in ruler(sentence.tongue.codec_of(sentence.name), frame, Side.HOST)):
        found.append(Way("check", "with a wrong check"))
    if size > 1 and not has_one_size:
        found.append(Way(f"cut={size - 1}", f"cut short: {size - 1} of {size} bytes"))
        if not sentence.tongue.is_whole:
            found.append(Way(LATE, "late: a pause of 5 ms in its middle"))
    found.append(Way(f"flip={4 * size}", f"bit {4 * size} flipped"))
    if not has_one_size:
        found.append(Way("twice", "twice"))
    unit = sentence.texts.get("unit", sentence.tongue.given({}, 0).get("unit"))
    if unit is not None and unit.isdecimal():
        other = (int(unit) + 1) % UNITS or 1
        found.append(Way("", f"to unit {other}", {"unit": str(other)}))
    return (*found, Way("bytes", "bytes of your own"))


def fields_of(tongue: Spoken, frame: Frame) -> tuple[str, dict[str, str]]:
    """The message that says a host's frame again, by its name and its fields as a person writes them; each time it is
    said it has a transaction's number of its own. Raises `FieldError` where none does."""
    message = frame.message.to_send(frame.data)
    form = tongue.forms(Side.HOST).get(message.NAME, type(message))
    fields = write_message(form, message)
    return message.NAME, {name: text for name, text in fields.items() if name != "transaction"}


def command_line(bench: str, board: str, sentence: Sentence) -> str:
    """What says the same from a shell."""
    words = [
        "cavet",
        "say",
        bench,
        board,
        sentence.name,
        *(f"{name}={text}" for name, text in sentence.given().items()),
    ]
    return shlex.join(words)


def routine_line(board: str, message: str, fields: Mapping[str, str]) -> str:
    """A step of a routine that says the same; numbers and words stand bare, all else in quotes."""
    words = [f"{name} {_bare(text)}" for name, text in fields.items()]
    return " ".join(["send", board, message, *words])


def _bare(text: str) -> str:
    """A value as it stands in a step: numbers and words bare, where they are read as just that. Bytes in hex may look
    like a number, and lose a 0 as one."""
    if re.fullmatch(r"-?(0|[1-9]\d{0,14})(\.\d*[1-9])?|[A-Za-z_][A-Za-z0-9_-]*", text):
        return text
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"').replace("{", "\\{") + '"'


def refusal(place: str, why: str) -> WrongError:
    """Nothing can be said there."""
    return WrongError(place, found="nobody to say it", expected=why)
