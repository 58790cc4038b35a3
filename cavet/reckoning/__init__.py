"""The small sums of the trade, with the way of each: for the command line and for the slate."""

from cavet.reckoning._asking import SUMS, reckon, reckon_line
from cavet.reckoning._drives import next_e24
from cavet.reckoning._sum import Reckoned, Sum

__all__ = ["SUMS", "Reckoned", "Sum", "next_e24", "reckon", "reckon_line"]
