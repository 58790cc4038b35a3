"""SCPI 1999 over IEEE 488.2: the codec.

Sources: IEEE 488.2-1992, sections 7 and 8; SCPI 1999, volumes 1 and 2.
"""

from cavet.protocols.scpi._codec import CODEC
from cavet.protocols.scpi._data import UNITS, Datum, FaultError, channels, read_datum, split_data
from cavet.protocols.scpi._faults import COMMAND_ERRORS, TEXTS
from cavet.protocols.scpi._messages import Command, Query, QueryUnit, Response, ResponseUnit, Unit, encode
from cavet.protocols.scpi._reading import ScpiDecoder

__all__ = [
    "CODEC",
    "COMMAND_ERRORS",
    "TEXTS",
    "UNITS",
    "Command",
    "Datum",
    "FaultError",
    "Query",
    "QueryUnit",
    "Response",
    "ResponseUnit",
    "ScpiDecoder",
    "Unit",
    "channels",
    "encode",
    "read_datum",
    "split_data",
]
