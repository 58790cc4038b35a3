"""A bench that others follow by lines: what it says on standard output, what is asked on standard input, its log."""

from cavet.serving._lines import FOLLOW_SECONDS, answer, endpoint_line, follow_events, left_out, say_events
from cavet.serving._log import fault_line, keep_log, state_path
from cavet.serving._output import MAX_WAITING_BYTES, Output, as_json, end_at_signals
from cavet.serving._outside import act_on, follow_input, read_line

__all__ = [
    "FOLLOW_SECONDS",
    "MAX_WAITING_BYTES",
    "Output",
    "act_on",
    "answer",
    "as_json",
    "end_at_signals",
    "endpoint_line",
    "fault_line",
    "follow_events",
    "follow_input",
    "keep_log",
    "left_out",
    "read_line",
    "say_events",
    "state_path",
]
