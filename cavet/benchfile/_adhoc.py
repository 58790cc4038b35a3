"""A defect that is not in the file, made while the bench runs: read by the same rules as one that is."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from cavet.benchfile._file import check_text
from cavet.benchfile._setup import Setup
from cavet.benchfile._toml import read_text
from cavet.boards import Defect
from cavet.wording import WrongError


def defect_from(setup: Setup, name: str, table: Mapping[str, Any]) -> Defect:
    """Make a defect from its keys, as they would stand in the bench file. Raises `WrongError`, or an `ExceptionGroup`
    of all that is wrong with them."""
    import tomlkit  # here, since most runs make none
    import tomlkit.exceptions

    if not setup.path:
        raise WrongError("defect", found=name, expected="a bench that is in a file, by whose boards it is checked")
    path = Path(setup.path)
    text = read_text(path, "a bench file")
    try:
        more = tomlkit.dumps({"defects": {name: dict(table)}})
    except (TypeError, ValueError, tomlkit.exceptions.TOMLKitError) as error:
        raise WrongError("defect", found=str(error), expected="keys and values as in the bench file") from error
    return check_text(f"{text}\n{more}", f"defect {name}", path.parent).defects[name]
