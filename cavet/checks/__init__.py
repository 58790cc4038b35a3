"""Checks: whether a bench, and the program that drives it, does what it should, also when things go wrong."""

from cavet.checks._campaign import (
    Done,
    Order,
    Processes,
    Wanted,
    Workers,
    chosen_checks,
    do,
    orders_of,
    run_all,
    with_checks,
)
from cavet.checks._carrying import Came, Case, carry_out
from cavet.checks._faults import Fault
from cavet.checks._junit import Ran, junit

__all__ = [
    "Came",
    "Case",
    "Done",
    "Fault",
    "Order",
    "Processes",
    "Ran",
    "Wanted",
    "Workers",
    "carry_out",
    "chosen_checks",
    "do",
    "junit",
    "orders_of",
    "run_all",
    "with_checks",
]  # fmt: skip
