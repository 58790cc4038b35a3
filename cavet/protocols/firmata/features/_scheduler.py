"""Tasks that the board keeps. Source: protocol description 2.7, "Scheduler"."""

from __future__ import annotations

from typing import Annotated

from cavet.protocols._message import Range
from cavet.protocols.firmata._messages import SysexMessage
from cavet.protocols.firmata._packed import Packed, Part
from cavet.protocols.firmata._pieces import Number, Rest

SCHEDULER = 0x7B

Seven = Annotated[int, Range(0, 127)]
Fourteen = Annotated[int, Range(0, 0x3FFF)]


class SchedulerMessage(SysexMessage, frozen=True, kw_only=True):
    """A message about tasks that the board keeps."""

    COMMAND = SCHEDULER


class CreateTask(SchedulerMessage, frozen=True, kw_only=True):
    """Make room for a task of so many bytes."""

    NAME = "create-task"
    LAYOUT = (Part(0x00), Number("task"), Number("length", groups=2))
    task: Seven
    length: Fourteen


class DeleteTask(SchedulerMessage, frozen=True, kw_only=True):
    """Forget a task."""

    NAME = "delete-task"
    LAYOUT = (Part(0x01), Number("task"))
    task: Seven


class AddToTask(SchedulerMessage, frozen=True, kw_only=True):
    """Put messages into a task, as their bytes."""

    NAME = "add-to-task"
    LAYOUT = (Part(0x02), Number("task"), Packed("data"))
    task: Seven
    data: bytes


class DelayTask(SchedulerMessage, frozen=True, kw_only=True):
    """In a task: go on after so many ms."""

    NAME = "delay-task"
    LAYOUT = (Part(0x03), Packed("time", number=True))
    time: Annotated[int, Range(0, 0xFFFFFFFF)]


class ScheduleTask(SchedulerMessage, frozen=True, kw_only=True):
    """Begin a task in so many ms."""

    NAME = "schedule-task"
    LAYOUT = (Part(0x04), Number("task"), Packed("time", number=True))
    task: Seven
    time: Annotated[int, Range(0, 0xFFFFFFFF)]


class QueryAllTasks(SchedulerMessage, frozen=True, kw_only=True):
    """Ask which tasks there are."""

    NAME = "query-all-tasks"
    LAYOUT = (Part(0x05),)


class QueryTask(SchedulerMessage, frozen=True, kw_only=True):
    """Ask how a task stands."""

    NAME = "query-task"
    LAYOUT = (Part(0x06), Number("task"))
    task: Seven


class SchedulerReset(SchedulerMessage, frozen=True, kw_only=True):
    """Forget all tasks."""

    NAME = "scheduler-reset"
    LAYOUT = (Part(0x07),)


class TaskError(SchedulerMessage, frozen=True, kw_only=True):
    """A task has failed: how it stood then, packed into its data."""

    NAME = "task-error"
    LAYOUT = (Part(0x08), Number("task"), Packed("data"))
    task: Seven
    data: bytes = b""


class AllTasks(SchedulerMessage, frozen=True, kw_only=True):
    """The tasks that there are."""

    NAME = "all-tasks"
    LAYOUT = (Part(0x09), Rest("tasks"))
    tasks: bytes = b""


class TaskState(SchedulerMessage, frozen=True, kw_only=True):
    """How a task stands. In its data: when it begins (4 bytes, ms), length and place (2 bytes each), its bytes."""

    NAME = "task-state"
    LAYOUT = (Part(0x0A), Number("task"), Packed("data"))
    task: Seven
    data: bytes = b""
