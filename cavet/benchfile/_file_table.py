"""What stands at the top of a bench file."""

from typing import Annotated, Any

from cavet.settings import Meaning, Table

BELOW = Meaning("see below")


class FileTable(Table, kw_only=True):
    """What stands at the top, before any table."""

    TITLE = "the file itself"
    format: Annotated[int, Meaning("the format of the file: 1", low=1)]
    name: Annotated[str, Meaning("what the bench is called on the screen")] = ""
    seed: Annotated[str, Meaning("where chance begins: noise, bounces, losses")] = "cavet"
    boards: Annotated[dict[str, Any], BELOW] = {}
    links: Annotated[dict[str, Any], BELOW] = {}
    broker: Annotated[dict[str, Any], BELOW] = {}
    rig: Annotated[dict[str, Any], BELOW] = {}
    defects: Annotated[dict[str, Any], BELOW] = {}
    hosts: Annotated[dict[str, Any], BELOW] = {}
    points: Annotated[dict[str, Any], BELOW] = {}
    profiles: Annotated[dict[str, Any], BELOW] = {}
    checks: Annotated[dict[str, Any], BELOW] = {}
