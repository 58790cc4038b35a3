"""The record: all that happened on a bench, each event with the event it follows from, in order."""

from cavet.record._event import STAGES, Event, Kind, Value, as_line
from cavet.record._memory import Record
from cavet.record._store import RecordWriter, read_record
from cavet.record._trail import READ_BACK, RELEASE, Step, Trail, Trails

__all__ = [
    "READ_BACK",
    "RELEASE",
    "STAGES",
    "Event",
    "Kind",
    "Record",
    "RecordWriter",
    "Step",
    "Trail",
    "Trails",
    "Value",
    "as_line",
    "read_record",
]
