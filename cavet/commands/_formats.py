"""Finding the format that is meant: a protocol by its name, or a frame of a plan as FILE#FRAME."""

from __future__ import annotations

from pathlib import Path

from cavet.protocols import Codec, codec
from cavet.wording import WrongError, listed


def is_plan(name: str) -> bool:
    """Whether a frame of a plan is meant, not a protocol."""
    return "#" in name or name.endswith(".plan.toml")


def find_codec(name: str) -> Codec:
    """Give the codec of a protocol, or of a frame of a plan. Raises `WrongError`."""
    if not is_plan(name):
        return codec(name)
    from cavet.bench import load_plan

    file, _, frame = name.partition("#")
    plan = load_plan(Path(file))
    if not frame:
        raise WrongError(name, found="no frame", expected=f"FILE#FRAME with a frame: {listed(plan.frames)}")
    return plan.codec(frame, name)
