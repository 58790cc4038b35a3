"""Calls that end with an error number."""

from __future__ import annotations


class Refused(Exception):  # noqa: N818
    """A call that ends with an error number; `why`, where that says more than the number's own words."""

    def __init__(self, number: int, why: str = "") -> None:
        super().__init__(number)
        self.number = number
        self.why = why
