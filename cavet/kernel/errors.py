"""Calls that end with an error number."""

from __future__ import annotations


class Refused(Exception):  # noqa: N818
    """A call that ends with an error number."""

    def __init__(self, number: int) -> None:
        super().__init__(number)
        self.number = number
