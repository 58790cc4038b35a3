"""The keys of checks: what must hold of a bench, and of the program that drives it."""

from __future__ import annotations

from cavet.settings import Key, Section

STAGES = ("asked", "framed", "carried", "taken", "driven", "moved", "confirmed")
NEEDS = Key(
    name="needs",
    kind="texts",
    default=(),
    doc="outputs that are set before this one can move its part, as `POINT=VALUE`: a walk sets them first",
)
CHECK = Section(
    title="[checks.NAME]",
    doc="What must hold; `cavet check` runs it. One thing is done (`walk`, `routine`, `program` or `rest`), and the "
    "record must show what is named besides. Where nothing is done, the records of the other checks must show it.",
    keys=(
        Key(
            name="walk",
            kind="walk",
            default=None,
            doc="`true`, or a list of outputs: each alone to its far end and back, and exactly its part must move",
        ),
        Key(name="routine", kind="text", default="", doc="FILE#NAME: this routine must end `done`"),
        Key(name="tunes", kind="table", default={}, doc="routine: where its tunes begin"),
        Key(
            name="program",
            kind="texts",
            default=(),
            doc="a program of your own that drives the boards, with its arguments; `{BOARD.LINK}` is where a board is "
            "to be found, `python` the one that runs Cavet; it is only run with `--allow-programs`",
        ),
        Key(
            name="kernel",
            kind="switch",
            default=False,
            doc="program: whether it finds the kernel's devices of `[boards.NAME.kernel]`, as with `cavet with`",
        ),
        Key(
            name="expect", kind="texts", default=(), doc="program: conditions, as in a routine, each of which must come"
        ),
        Key(
            name="ends", kind="whole", default=None, doc="program: the exit code that it must end with", low=0, high=255
        ),
        Key(
            name="within",
            kind="quantity",
            unit="s",
            default=None,
            low=0,
            high=86400,
            doc="program: how long it may take, whole; 30 s where it is left out",
        ),
        Key(name="rest", kind="table", default=None, doc="every output goes to rest, see below"),
        Key(
            name="no_redundant",
            kind="text",
            names="board",
            default="",
            doc="a board that is never told what it does already",
        ),
        Key(name="no_refusal", kind="text", names="board", default="", doc="a board that never refuses anything"),
        Key(name="delays", kind="table", default=None, doc="how long commands take, see below"),
        Key(
            name="seeds",
            kind="whole",
            default=1,
            low=1,
            high=100_000,
            doc="a campaign: so many runs, each with a seed of its own",
        ),
        Key(
            name="defects",
            kind="sets",
            default=(),
            doc="a campaign: sets of defects that are on, each in runs of its own",
        ),
        Key(
            name="faults",
            kind="whole",
            default=0,
            low=0,
            high=1000,
            doc="a campaign: so many faults in each run, at drawn times",
        ),
    ),
)
REST = Section(
    title="[checks.NAME.rest]",
    doc="Every output is at rest soon after something.",
    keys=(
        Key(name="set", kind="texts", default=(), doc="what is set first, as `POINT=VALUE`"),
        Key(
            name="after",
            kind="text",
            required=True,
            doc="`break LINK`, the link being BOARD or BOARD.LINK, or `end of program`",
        ),
        Key(name="within", kind="quantity", unit="s", required=True, low=0, high=86400, doc="how soon"),
    ),
)
DELAYS = Section(
    title="[checks.NAME.delays]",
    doc="How long commands may take from one stage to another.",
    keys=(
        Key(name="from", kind="word", required=True, choices=STAGES[:-1], doc="the stage from which it is counted"),
        Key(name="to", kind="word", required=True, choices=STAGES[1:], doc="the stage up to which"),
        Key(name="at_most", kind="quantity", unit="s", required=True, low=0, doc="how long it may take"),
        Key(
            name="share",
            kind="quantity",
            unit="",
            default=1.0,
            low=0,
            high=1,
            doc="the share of the commands that must keep to it",
        ),
    ),
)
