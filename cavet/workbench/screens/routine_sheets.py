"""What a step of a routine is, and how it is written."""

from __future__ import annotations

from cavet.drawings.canvas import GOT, PAPER, QUIET
from cavet.wording import plain
from cavet.workbench.drawing.sheet import Line, Sheet

FORMS = {
    "set": ("set POINT to VALUE [over TIME] [without waiting]", "asks, and goes on when the board has confirmed it"),
    "toggle": ("toggle POINT", "to its far end, or to rest"),
    "pulse": ("pulse POINT for TIME", "on, and after that time back"),
    "ask": ("ask POINT", "reads it afresh from the board"),
    "show": ('show "TEXT" on POINT [at row R, column C]', "a text, or pixels"),
    "clear": ("clear POINT", "nothing is shown there any more"),
    "send": ("send BOARD MESSAGE [FIELD VALUE …] [answered by MESSAGE … within TIME]", "any message of its protocol"),
    "wait": ("wait TIME; wait until CONDITION [for TIME] [at most TIME [else STEP]]", "lets time pass"),
    "expect": ("expect CONDITION [for TIME] [within TIME]", "what is not met fails the routine"),
    "repeat": ("repeat N times; repeat", "the steps below it, so often, or until `leave`"),
    "while": ("while CONDITION", "the steps below it, as long as that holds"),
    "every": ("every TIME", "the steps below it, once in each such time, without drift"),
    "for": ("for NAME in A, B, C; for NAME from A to B [step C]", "the steps below it, with each value"),
    "if": ("if CONDITION; otherwise if CONDITION; otherwise", "chooses"),
    "let": ("let NAME = VALUE", "a value of this track"),
    "do": ("do ROUTINE [with TUNE = VALUE, …]", "another routine of this text, with its tracks and its finally"),
    "say": ('say "TEXT {VALUE}"', "to who runs it"),
    "mark": ('mark "TEXT"', "a flag in the record"),
    "fail": ('fail "TEXT"', "ends it: failed"),
    "stop": ('stop "TEXT"', "ends it: stopped, which is no failure"),
    "end": ("end", "ends this routine: done"),
    "leave": ("leave", "goes on behind the innermost loop"),
    "keep": ("keep POINT, …", "these do not go to rest at the end"),
    "press": ("press PART [for TIME]", "a person's hand, on simulated boards"),
    "release": ("release PART", "the hand lets go"),
    "work": ("work PART ACTION [VALUE] [for TIME]", "a person's hand, on simulated boards"),
    "place": ("place QUANTITY at VALUE", "the world around"),
    "break": ("break LINK for TIME", "cuts a link, and mends it"),
    "fault": ("fault KIND on LINK [next N | for TIME]", "a fault on purpose"),
    "make": ("make DEFECT", "a defect of the bench, on"),
    "mend": ("mend DEFECT", "a defect of the bench, off"),
    "reset": ("reset BOARD", "as after power-on"),
    "tune": ("tune NAME = VALUE [from A to B]", "a value that can be turned while it runs"),
    "routine": ("routine NAME", "steps, indented below it"),
    "alongside": ("alongside NAME", "a track that runs as long as the routine"),
    "when": ("when CONDITION [for TIME]", "listens as long as the routine runs; one turn at a time"),
    "finally": ("finally", "however the routine ends; 30 s at most"),
    "reflex": ("reflex NAME on BOARD", "a rule that the board itself follows"),
}  # fmt: skip


def step_sheet(line: str) -> Sheet:
    """How the step of a line is written, and what it does; of no step, all of them."""
    word = line.partition(" ")[0]
    chosen = {word: FORMS[word]} if word in FORMS else FORMS
    lines: list[Line] = []
    for form, does in chosen.values():
        lines += [[(form, PAPER)], [("  ", QUIET), (does, GOT if len(chosen) == 1 else QUIET)]]
    return Sheet(plain(line, 60) if len(chosen) == 1 else "all steps", lines)
