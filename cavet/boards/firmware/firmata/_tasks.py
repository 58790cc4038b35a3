"""Tasks that a board keeps: messages that it acts on by itself, at their time.

What the protocol leaves open is done as most firmwares do: a task that ends without a delay is forgotten; one whose
last message is a delay begins anew after it. Source: protocol description, "Scheduler".
"""

from __future__ import annotations

from collections.abc import Callable
from math import inf

import msgspec

from cavet.boards._circuit import Circuit, PinRefusedError
from cavet.boards.firmware.firmata._feature import Feature, Handler, Say
from cavet.protocols import Message, Side, firmata

MAX_BYTES = 4096
"""So much may all tasks together hold."""
MAX_AT_ONCE = 64
"""So many messages of a task are acted on before others have their turn."""
LEAST_PAUSE = 0.001
"""No task waits for less, so that one that begins anew at once leaves time for others."""
Run = Callable[[Message, float, int], None]


class _Task(msgspec.Struct):
    length: int
    data: bytes = b""
    at: int = 0
    due: float = inf
    cause: int = 0


class Tasks(Feature):
    """The scheduler's part of the firmware. `run` acts on one message of a task."""

    def __init__(self, circuit: Circuit, say: Say, run: Run) -> None:
        self._run = run
        super().__init__(circuit, say)

    @property
    def handlers(self) -> dict[type[Message], Handler]:
        return {
            firmata.CreateTask: self._create,
            firmata.DeleteTask: self._delete,
            firmata.AddToTask: self._add,
            firmata.DelayTask: self._delay,
            firmata.ScheduleTask: self._schedule,
            firmata.QueryAllTasks: self._tell_all,
            firmata.QueryTask: self._tell_one,
            firmata.SchedulerReset: self._reset,
        }

    def forget(self, now: float) -> None:
        self._tasks: dict[int, _Task] = {}
        self._running: _Task | None = None

    def _create(self, message: firmata.CreateTask, now: float, cause: int) -> None:
        if message.task in self._tasks:
            self._fail(message.task, now, cause)
            return
        taken = sum(task.length for task in self._tasks.values())
        if taken + message.length > MAX_BYTES:
            raise PinRefusedError(f"task {message.task}: {message.length} bytes, there is room for {MAX_BYTES - taken}")
        self._tasks[message.task] = _Task(message.length)

    def _fail(self, number: int, now: float, cause: int) -> None:
        self._say(firmata.TaskError(task=number, data=self._state(number, now)), now, cause)

    def _state(self, number: int, now: float) -> bytes:
        """How a task stands: when it goes on (ms), its length, its place, its bytes; nothing of one there is not."""
        task = self._tasks.get(number)
        if task is None:
            return b""
        wait = 0 if task.due == inf else max(0, round(1000 * (task.due - now)))
        numbers = wait.to_bytes(4, "little") + task.length.to_bytes(2, "little") + task.at.to_bytes(2, "little")
        return numbers + task.data

    def _delete(self, message: firmata.DeleteTask, now: float, cause: int) -> None:
        if message.task not in self._tasks:
            self._fail(message.task, now, cause)
        self._tasks.pop(message.task, None)

    def _add(self, message: firmata.AddToTask, now: float, cause: int) -> None:
        task = self._tasks.get(message.task)
        if task is None or len(task.data) + len(message.data) > task.length:
            self._fail(message.task, now, cause)
            return
        task.data += message.data

    def _schedule(self, message: firmata.ScheduleTask, now: float, cause: int) -> None:
        task = self._tasks.get(message.task)
        if task is None:
            self._fail(message.task, now, cause)
            return
        task.at, task.due, task.cause = 0, now + max(LEAST_PAUSE, message.time / 1000), cause

    def _delay(self, message: firmata.DelayTask, now: float, cause: int) -> None:
        if self._running is None:
            raise PinRefusedError("delay-task stands in a task: nothing waits outside of one")
        self._running.due = now + max(LEAST_PAUSE, message.time / 1000)

    def _tell_all(self, message: firmata.QueryAllTasks, now: float, cause: int) -> None:
        self._say(firmata.AllTasks(tasks=bytes(sorted(self._tasks))), now, cause)

    def _tell_one(self, message: firmata.QueryTask, now: float, cause: int) -> None:
        self._say(firmata.TaskState(task=message.task, data=self._state(message.task, now)), now, cause)

    def _reset(self, message: firmata.SchedulerReset, now: float, cause: int) -> None:
        self._tasks.clear()

    def advance(self, now: float) -> float:
        if not self._tasks:
            return inf
        for number, task in list(self._tasks.items()):
            if task.due <= now and self._tasks.get(number) is task:
                self._go_on(number, task, now)
        return min((task.due for task in self._tasks.values()), default=inf)

    def _go_on(self, number: int, task: _Task, now: float) -> None:
        """Act on a task's messages up to its next delay."""
        task.due = inf
        self._running = task
        frames = firmata.decode_from(Side.HOST, task.data[task.at :])
        for done, frame in enumerate(frames):
            if done == MAX_AT_ONCE:
                task.due = now
                break
            task.at += len(frame.data)
            if not frame.readable:
                self._fail(number, now, task.cause)
                continue
            self._run(frame.message, now, task.cause)
            if task.due < inf or self._tasks.get(number) is not task:
                break
        self._running = None
        if self._tasks.get(number) is not task or task.at < len(task.data):
            return
        if task.due == inf:
            del self._tasks[number]  # it has ended, and does not begin anew
        task.at = 0
