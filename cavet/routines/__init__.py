"""Routines: steps, at once, in time, as a text that is checked against a bench before anything moves.

`read_routine` reads and checks a file; a `Runner` runs a routine of it on a bench.
"""

from cavet.routines._compiling import Value
from cavet.routines._looking import Looking
from cavet.routines._plans import Program, RoutinePlan, TunePlan
from cavet.routines._reading import chosen, read_routine, read_source, routine_text, tune_value
from cavet.routines._running import Runner
from cavet.routines._telling import End
from cavet.routines._tree import Step
from cavet.routines._words import KEYWORDS, STEPS

__all__ = [
    "KEYWORDS",
    "STEPS",
    "End",
    "Looking",
    "Program",
    "RoutinePlan",
    "Runner",
    "Step",
    "TunePlan",
    "Value",
    "chosen",
    "read_routine",
    "read_source",
    "routine_text",
    "tune_value",
]
