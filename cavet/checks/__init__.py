"""Checks: whether a bench, and the program that drives it, does what it should, also when things go wrong."""

from cavet.checks._beside import place_as_it_stands
from cavet.checks._campaign import (
    Done,
    Order,
    Wanted,
    chosen_checks,
    defect_sets,
    do,
    orders_of,
    with_checks,
    with_walk,
)
from cavet.checks._carrying import Came, Case, carry_out
from cavet.checks._cluster import Cluster
from cavet.checks._deeds import deeds
from cavet.checks._faults import Fault, draw, routine_of
from cavet.checks._hosting import Hosted, host
from cavet.checks._junit import Ran, junit
from cavet.checks._kept import Kept, run_on
from cavet.checks._program import Ended, run_program
from cavet.checks._small import Smaller
from cavet.checks._spread import Processes, Workers, run_all
from cavet.checks._squares import squares_of

__all__ = [
    "Came",
    "Case",
    "Cluster",
    "Done",
    "Ended",
    "Fault",
    "Hosted",
    "Kept",
    "Order",
    "Processes",
    "Ran",
    "Smaller",
    "Wanted",
    "Workers",
    "carry_out",
    "chosen_checks",
    "deeds",
    "defect_sets",
    "do",
    "draw",
    "host",
    "junit",
    "orders_of",
    "place_as_it_stands",
    "routine_of",
    "run_all",
    "run_on",
    "run_program",
    "squares_of",
    "with_checks",
    "with_walk",
]  # fmt: skip
