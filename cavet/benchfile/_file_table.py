"""What stands at the top of a bench file."""

from typing import Annotated, Any

from cavet.settings import Meaning, Table
from cavet.wording import plain

BELOW = Meaning("see below")
ENDING = ".bench.toml"
"""What the names of bench files end with."""


def stem_of(file: str) -> str:
    """The name of a bench file without its ending."""
    return file.removesuffix(ENDING) if file.endswith(ENDING) else file.partition(".")[0]


def name_of(file: str) -> str:
    """What a bench is called by the name of its file."""
    return plain(stem_of(file).replace("_", " ").capitalize()).replace('"', "'") or "Bench"


class FileTable(Table, kw_only=True):
    """What stands at the top, before any table."""

    TITLE = "the file itself"
    format: Annotated[int, Meaning("the format of the file: 1", low=1)]
    name: Annotated[str, Meaning("what the bench is called on the screen; else as its file")] = ""
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
