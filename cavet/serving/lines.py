"""The JSON lines of a bench that is served: where its boards are, what happens, what is asked for by lines of input."""

from __future__ import annotations

import asyncio
from typing import Any

from cavet.bench import Endpoint, RunningBench
from cavet.log import fault_line
from cavet.record import as_line
from cavet.serving.output import Output, as_json
from cavet.serving.outside import act_on
from cavet.wording import WrongError, plain

FOLLOW_SECONDS = 0.02
"""How often new events are printed."""

MOST_EVENTS = 1000
"""How many are printed at once."""


def left_out(lines: int) -> str:
    """The line that tells how many lines were left out."""
    return as_json({"event": "left_out", "lines": lines})


def endpoint_line(endpoint: Endpoint) -> dict[str, Any]:
    """The line that tells where a board can be reached."""
    line: dict[str, Any] = {
        "event": "endpoint", "board": endpoint.board, "link": endpoint.kind, "address": endpoint.address
    }  # fmt: skip
    if endpoint.kind == "serial":
        line |= {"baud": endpoint.setup.settings.rate, "settings": endpoint.setup.settings.form}
    return line


def answer(bench: RunningBench, line: bytes) -> dict[str, Any]:
    """Do what a line asks for; give the line that answers it."""
    try:
        found = act_on(bench, line)
    except WrongError as error:
        return {"event": "error", "message": plain(str(error))}
    except Exception as error:  # noqa: BLE001
        return {"event": "error", "message": fault_line("input", error)}
    return {"event": "done", **found}


async def follow_events(bench: RunningBench, output: Output) -> None:
    """Print every event, as soon as it can be; a reader that is slow gets them late."""
    number = 0
    while True:
        number = say_events(bench, output, number)
        await asyncio.sleep(FOLLOW_SECONDS)
        await output.written()


def say_events(bench: RunningBench, output: Output, number: int) -> int:
    """Print the events from a number on, so many at most; give the number of the next one."""
    for event in bench.record.since(number, MOST_EVENTS):
        if event.number > number:  # they have left memory since
            output.say(left_out(event.number - number))
        output.say(as_json(as_line(event)))
        number = event.number + 1
    return number
