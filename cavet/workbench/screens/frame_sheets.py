"""What the sheets of the Frames screen say: a frame from end to end, and a message that can be said."""

from __future__ import annotations

from cavet.drawings.canvas import ASKED, CORAL, GOT, PAPER, QUIET
from cavet.drawings.ruler import value_words
from cavet.protocols import Side, describe, means, summary
from cavet.wording import hex_pairs, plain
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.sheet import Line, Sheet
from cavet.workbench.frames.editing import Editing
from cavet.workbench.frames.reading import Reading
from cavet.workbench.frames.sentence import Sentence
from cavet.workbench.frames.views import meant


def frame_sheet(desk: Desk, reading: Reading, editing: Editing | None) -> Sheet:
    """Every field of a frame, in words."""
    if editing is None:
        return Sheet("no frame", [])
    link = desk.bench.setup.links.get(reading.link)
    fields = meant(desk, link.board if link is not None else "", editing, reading)
    ink = ASKED if editing.side is Side.HOST else GOT
    lines: list[Line] = [[(hex_pairs(editing.frame.data[:256]), ink)], []]
    about = summary(type(editing.frame.message)) if editing.frame.readable else ""
    lines += [[(plain(about), PAPER)], []] if about else []
    for field in fields:
        spans = ", ".join(f"{begin}…{begin + size - 1}" if size > 1 else f"{begin}" for begin, size in field.spans[:4])
        told = field.problem or means(field) or ""
        lines.append([
            (f"{field.name[:24]:24} ", PAPER), (f"{value_words(field)[:24]:24} ", ink), (f"bits {spans:18} ", QUIET),
            (plain(told), CORAL if field.problem else QUIET),
        ])  # fmt: skip
    for problem in editing.frame.problems:
        lines += [[], [(f"✕ {plain(problem)}", CORAL)]]
    return Sheet(editing.frame.message.NAME, lines)


def message_sheet(sentence: Sentence) -> Sheet:
    """A message: what it is for, and what its fields can be."""
    form = sentence.form
    lines: list[Line] = [[(plain(" ".join((form.__doc__ or "").split())), PAPER)], []]
    lines += [[(text, QUIET)] for text in describe(form, sentence.tongue.unused(sentence.name))]
    return Sheet(f"{sentence.name}   {sentence.tongue.name}", lines)
