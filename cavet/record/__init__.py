"""The record: all that happened on a bench, each event with the event it follows from, in order."""

from cavet.record._event import STAGES, Event, Kind, Purpose, Reason, Topic, Value, as_line, words_of
from cavet.record._file import RecordFile, read_record, writer_of
from cavet.record._history import History
from cavet.record._index import StateKey
from cavet.record._memory import Record
from cavet.record._row import CHUNK_ITEMS
from cavet.record._store import RecordWriter, check_new
from cavet.record._telling import Tell
from cavet.record._trail import Step, Trail, Trails
from cavet.record._transfer import Direction, Seat, Transfer

__all__ = [
    "CHUNK_ITEMS",
    "STAGES",
    "Direction",
    "Event",
    "History",
    "Kind",
    "Purpose",
    "Reason",
    "Record",
    "RecordFile",
    "RecordWriter",
    "Seat",
    "StateKey",
    "Step",
    "Tell",
    "Topic",
    "Trail",
    "Trails",
    "Transfer",
    "Value",
    "as_line",
    "check_new",
    "read_record",
    "words_of",
    "writer_of",
]
