"""The keys of checks: what must hold of a bench, and of the program that drives it."""

from typing import Annotated, Any

from cavet.settings import Meaning, Table

STAGES = ("asked", "framed", "carried", "taken", "driven", "moved", "confirmed")


class CheckTable(Table, kw_only=True):
    """What must hold; `cavet check` runs it. One thing is done (`walk`, `routine`, `program` or `rest`), and the
    record must show what is named besides. Where nothing is done, the records of the other checks must show it."""

    TITLE = "[checks.NAME]"
    walk: Annotated[
        bool | tuple[str, ...] | None,
        Meaning(
            "`true`, or a list of outputs: each alone to its far end and back, and exactly its part must move",
            kind="walk",
        ),
    ] = None
    routine: Annotated[str, Meaning("FILE#NAME: this routine must end `done`")] = ""
    tunes: Annotated[dict[str, Any], Meaning("routine: where its tunes begin")] = {}
    program: Annotated[
        tuple[str, ...],
        Meaning(
            "a program of your own that drives the boards, with its arguments; `{BOARD.LINK}` is where a board is "
            "to be found, `python` the one that runs Cavet; it is only run with `--allow-programs`"
        ),
    ] = ()
    kernel: Annotated[
        bool, Meaning("program: whether it finds the kernel's devices of `[boards.NAME.kernel]`, as with `cavet with`")
    ] = False
    expect: Annotated[tuple[str, ...], Meaning("program: conditions, as in a routine, each of which must come")] = ()
    never: Annotated[tuple[str, ...], Meaning("program: conditions none of which may come, for however short")] = ()
    ends: Annotated[int | None, Meaning("program: the exit code that it must end with", low=0, high=255)] = None
    within: Annotated[
        float | None,
        Meaning("program: how long it may take, whole; 30 s where it is left out", unit="s", low=0, high=86400),
    ] = None
    rest: Annotated[dict[str, Any] | None, Meaning("every output goes to rest, see below")] = None
    no_redundant: Annotated[str, Meaning("a board that is never told what it does already", names="board")] = ""
    no_refusal: Annotated[str, Meaning("a board that never refuses anything", names="board")] = ""
    delays: Annotated[dict[str, Any] | None, Meaning("how long commands take, see below")] = None
    seeds: Annotated[int, Meaning("a campaign: so many runs, each with a seed of its own", low=1, high=100_000)] = 1
    defects: Annotated[
        tuple[tuple[str, ...], ...], Meaning("a campaign: sets of defects that are on, each in runs of its own")
    ] = ()
    faults: Annotated[int, Meaning("a campaign: so many faults in each run, at drawn times", low=0, high=1000)] = 0


class RestTable(Table, kw_only=True):
    """Every output is at rest soon after something."""

    TITLE = "[checks.NAME.rest]"
    set: Annotated[tuple[str, ...], Meaning("what is set first, as `POINT=VALUE`")] = ()
    after: Annotated[str, Meaning("`break LINK`, the link being BOARD or BOARD.LINK, or `end of program`")]
    within: Annotated[float, Meaning("how soon", unit="s", low=0, high=86400)]


class DelaysTable(Table, kw_only=True):
    """How long commands may take from one stage to another."""

    TITLE = "[checks.NAME.delays]"
    from_: Annotated[str, Meaning("the stage from which it is counted", STAGES[:-1])]
    to: Annotated[str, Meaning("the stage up to which", STAGES[1:])]
    at_most: Annotated[float, Meaning("how long it may take", unit="s", low=0)]
    share: Annotated[float, Meaning("the share of the commands that must keep to it", low=0, high=1)] = 1.0
