"""The keys of checks: what must hold of a bench, and of the program that drives it."""

from __future__ import annotations

from cavet.settings import Key, Section

STAGES = ("asked", "framed", "carried", "taken", "driven", "moved", "confirmed")
NEEDS = Key(
    "needs",
    "texts",
    "outputs that are set before this one can move its part, as `POINT=VALUE`: a walk sets them first",
    default=(),
)
CHECK = Section(
    title="[checks.NAME]",
    doc="What must hold; `cavet check` runs it. One thing is done (`walk`, `routine`, `program` or `rest`), and the "
    "record must show what is named besides. Where nothing is done, the records of the other checks must show it.",
    keys=(
        Key(
            "walk",
            "walk",
            "`true`, or a list of outputs: each alone to its far end and back, and exactly its part must move",
            default=None,
        ),
        Key("routine", "text", "FILE#NAME: this routine must end `done`", default=""),
        Key("tunes", "table", "routine: where its tunes begin", default={}),
        Key(
            "program",
            "texts",
            "a program of your own that drives the boards, with its arguments; `{BOARD.LINK}` is where a board is "
            "to be found, `python` the one that runs Cavet; it is only run with `--allow-programs`",
            default=(),
        ),
        Key(
            "kernel",
            "switch",
            "program: whether it finds the kernel's devices of `[boards.NAME.kernel]`, as with `cavet with`",
            default=False,
        ),
        Key("expect", "texts", "program: conditions, as in a routine, each of which must come", default=()),
        Key("ends", "whole", "program: the exit code that it must end with", default=None, low=0, high=255),
        Key(
            "within",
            "quantity",
            "program: how long it may take, whole; 30 s where it is left out",
            unit="s",
            default=None,
            low=0,
            high=86400,
        ),
        Key("rest", "table", "every output goes to rest, see below", default=None),
        Key("no_redundant", "text", "a board that is never told what it does already", names="board", default=""),
        Key("no_refusal", "text", "a board that never refuses anything", names="board", default=""),
        Key("delays", "table", "how long commands take, see below", default=None),
        Key("seeds", "whole", "a campaign: so many runs, each with a seed of its own", default=1, low=1, high=100_000),
        Key("defects", "sets", "a campaign: sets of defects that are on, each in runs of its own", default=()),
        Key("faults", "whole", "a campaign: so many faults in each run, at drawn times", default=0, low=0, high=1000),
    ),
)
REST = Section(
    title="[checks.NAME.rest]",
    doc="Every output is at rest soon after something.",
    keys=(
        Key("set", "texts", "what is set first, as `POINT=VALUE`", default=()),
        Key("after", "text", "`break LINK`, the link being BOARD or BOARD.LINK, or `end of program`", required=True),
        Key("within", "quantity", "how soon", unit="s", required=True, low=0, high=86400),
    ),
)
DELAYS = Section(
    title="[checks.NAME.delays]",
    doc="How long commands may take from one stage to another.",
    keys=(
        Key("from", "word", "the stage from which it is counted", required=True, choices=STAGES[:-1]),
        Key("to", "word", "the stage up to which", required=True, choices=STAGES[1:]),
        Key("at_most", "quantity", "how long it may take", unit="s", required=True, low=0),
        Key("share", "quantity", "the share of the commands that must keep to it", unit="", default=1.0, low=0, high=1),
    ),
)
