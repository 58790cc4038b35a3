"""Whether there is a terminal that can show a screen."""

from __future__ import annotations

import os
import sys

from cavet.wording import WrongError

DUMB = ("", "dumb", "unknown")
"""What TERM says of terminals that can't show a screen."""


def require_screen() -> None:
    """Raise `WrongError` where no screen can be shown."""
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise WrongError("cavet", found="no terminal", expected="one, for the workbench; `cavet serve` needs none")
    if os.environ.get("TERM", "dumb") in DUMB:
        found = f"a terminal without a cursor to move, TERM={os.environ.get('TERM', '')}"
        raise WrongError("cavet", found=found, expected="another one; `cavet serve` and `cavet drive` need none")
