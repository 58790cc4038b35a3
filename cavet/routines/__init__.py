"""Routines: steps, at once, in time, as a text that is checked against a bench before anything moves.

`read_routine` reads and checks a file; a `Runner` runs a routine of it on a bench.
"""

from cavet.routines._by_program import Run
from cavet.routines._checked import CheckedRoutine, CheckedTune, Program
from cavet.routines._compiling import Value
from cavet.routines._looking import Looking
from cavet.routines._moments import Moments
from cavet.routines._reading import chosen, read_routine, read_source, routine_text, tune_value
from cavet.routines._running import Runner
from cavet.routines._sight import Sight, agree, converted, differ, divided, greatest, least, nan, root, rounded, told
from cavet.routines._spelling import written_value, written_word
from cavet.routines._telling import End
from cavet.routines._to_python import python_of
from cavet.routines._tree import Step
from cavet.routines._words import HEADS, KEYWORDS, STEPS
from cavet.routines._written import Routine, Tune, program_of, routine

__all__ = [
    "HEADS",
    "KEYWORDS",
    "STEPS",
    "CheckedRoutine",
    "CheckedTune",
    "End",
    "Looking",
    "Moments",
    "Program",
    "Routine",
    "Run",
    "Runner",
    "Sight",
    "Step",
    "Tune",
    "Value",
    "agree",
    "chosen",
    "converted",
    "differ",
    "divided",
    "greatest",
    "least",
    "nan",
    "program_of",
    "python_of",
    "read_routine",
    "read_source",
    "root",
    "rounded",
    "routine",
    "routine_text",
    "told",
    "tune_value",
    "written_value",
    "written_word",
]
