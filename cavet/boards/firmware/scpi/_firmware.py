"""The instrument's side of SCPI over IEEE 488.2: messages are carried out unit by unit, for several clients at once.

Source: IEEE 488.2-1992, sections 6 (message exchange), 10 (common commands) and 12 (operation complete).

No link of ours has a controller that asks to talk: a response is sent as soon as the line to the client is free. So a
response counts as read once the line has taken it; a query is interrupted when another message comes while a response
still waits behind one that the line has not finished. UNTERMINATED can't arise.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from functools import lru_cache, partial
from math import inf

from cavet.boards._circuit import Circuit, PinRefusedError
from cavet.boards._running import CauseOf, Client, Firmware, Outgoing, rest_of
from cavet.boards.firmware.scpi import _data as data
from cavet.boards.firmware.scpi._commands import Commands
from cavet.boards.firmware.scpi._status import OPERATION_COMPLETE, SETTLING, VOLTAGE, Register, Status
from cavet.boards.firmware.scpi._tree import Headers, Pattern
from cavet.boards.parts import Part, Supply
from cavet.protocols import Frame, Side, scpi
from cavet.protocols.scpi import Datum, FaultError, QueryUnit, Unit
from cavet.record import Kind, Reason, Tell, Topic
from cavet.wording import plain

VERSION = "1999.0"
MAX_WAITING_UNITS = 4096
MAX_OUTPUT_BYTES = 1 << 16
LOOK_SECONDS = 0.001
"""How often it is looked whether a busy line is free for a response that waits."""
MAX_SERVICE = 0xFF
REMEMBERED = 1024
"""So many headers are known without being looked for."""
INTERRUPTED, DEADLOCKED, AFTER_INDEFINITE, OVERRUN = -410, -430, -440, -363

Values = tuple[Datum, ...]
PRESET = Pattern.parse("STATus:PRESet")


class _Talk:
    """One client: its input buffer, what it is being answered, and what waits to be sent."""

    def __init__(self) -> None:
        self.decoder = scpi.ScpiDecoder(Side.HOST)
        self.units: deque[tuple[Frame, int]] = deque()
        self.answers: list[str] = []
        """Responses of the message under way."""
        self.size = 0
        self.queue: bytes = b""
        """The output queue: a response message that the line has not taken yet."""
        self.cause: int | None = None
        self.fresh = True
        """Whether the next unit begins a message."""
        self.indefinite = False
        """Whether this message has asked for a response of no known end, behind which no other can stand."""
        self.deadlocked = False
        self.waits: Callable[[], str | None] | None = None
        """Set while it waits for all that moves to be done; gives the response that is due then."""


class ScpiFirmware(Firmware):
    """Hears program messages, does them, answers."""

    def __init__(self, circuit: Circuit, tell: Tell, identity: str, commands: Commands) -> None:
        super().__init__()
        self._circuit = circuit
        self._tell = tell
        self._identity = identity
        self._commands = commands
        parts = list(circuit.parts.values())
        self._movers = [part for part in parts if type(part).busy is not Part.busy]
        self._supplies = [part for part in parts if isinstance(part, Supply)]
        self._moves = False
        """Whether something still moved when it was last looked."""
        self._talks: dict[Client, _Talk] = {}
        self._unfinished: dict[Client, _Talk] = {}
        """Those in which something waits: the others need no look when time has passed."""
        self._common: dict[str, Callable[[_Talk, Values, float, int], None]] = {
            "*CLS": self._clear, "*ESE": self._enable_events, "*OPC": self._complete, "*RST": self._reset,
            "*SRE": self._enable_service, "*WAI": self._wait,
        }  # fmt: skip
        self._common_queries: dict[str, Callable[[_Talk], str | None]] = {
            "*ESE": lambda talk: str(self.status.event_enable),
            "*ESR": lambda talk: str(self.status.take_event()),
            "*IDN": self._identify,
            "*OPC": self._ask_complete,
            "*SRE": lambda talk: str(self.status.service_enable),
            "*STB": lambda talk: str(self.status.byte(answers_wait=bool(talk.answers or talk.queue))),
            "*TST": lambda talk: "0",
        }
        self._power_on()

    def _power_on(self) -> None:
        self.status = Status()
        self._completes = False
        """Whether *OPC waits to set its bit."""
        self._system = self._system_queries()
        self._registers = self._register_patterns()
        self._query_of = lru_cache(REMEMBERED)(self._find_query)
        """A program asks the same few things over and over."""

    # what every instrument has

    def _system_queries(self) -> Headers[Callable[[], str]]:
        status = self.status
        queries: list[tuple[Pattern, Callable[[], str]]] = [
            (Pattern.parse("SYSTem:ERRor[:NEXT]?"), lambda: _error(*status.next_error())),
            (Pattern.parse("SYSTem:ERRor:COUNt?"), lambda: str(status.errors)),
            (Pattern.parse("SYSTem:ERRor:ALL?"), lambda: ",".join(_error(*error) for error in self._all_errors())),
            (Pattern.parse("SYSTem:ERRor:CODE[:NEXT]?"), lambda: str(status.next_error()[0])),
            (Pattern.parse("SYSTem:ERRor:CODE:ALL?"), lambda: ",".join(str(code) for code, _ in self._all_errors())),
            (Pattern.parse("SYSTem:VERSion?"), lambda: VERSION),
        ]
        return Headers(queries)

    def _all_errors(self) -> list[tuple[int, str]]:
        """Those in the queue, oldest first, which is empty then; of an empty one that there is none."""
        return [self.status.next_error() for _ in range(max(1, self.status.errors))]

    def _register_patterns(self) -> Headers[tuple[Register, str]]:
        """STATus:OPERation and :QUEStionable, each with what of it is asked or set."""
        found = []
        for name, register in (("OPERation", self.status.operation), ("QUEStionable", self.status.questionable)):
            found += [
                (Pattern.parse(f"STATus:{name}[:EVENt]?"), (register, "event")),
                (Pattern.parse(f"STATus:{name}:CONDition?"), (register, "condition")),
                (Pattern.parse(f"STATus:{name}:ENABle"), (register, "enable")),
                (Pattern.parse(f"STATus:{name}:PTRansition"), (register, "positive")),
                (Pattern.parse(f"STATus:{name}:NTRansition"), (register, "negative")),
            ]
        return Headers(found)

    # the board's life

    def start(self, now: float) -> None:
        """Begin anew, as after power-on."""
        self._commands.start(now)
        self._power_on()

    def joined(self, client: Client, now: float) -> None:
        """A program is there."""
        self._talks[client] = _Talk()

    def unfinished(self, client: Client) -> bytes:
        return rest_of(self._talks[client].decoder)

    def left(self, client: Client, now: float) -> None:
        """It is gone, and with it all that it was still to be answered."""
        self._talks.pop(client, None)
        self._unfinished.pop(client, None)

    def feed(self, client: Client, data: bytes, now: float, cause_of: CauseOf) -> None:
        talk = self._talks[client]
        self._look(now)
        for frame in talk.decoder.feed(data):
            if len(talk.units) >= MAX_WAITING_UNITS:
                self._fault(OVERRUN, cause_of(frame), "too much waits to be done")
                continue
            talk.units.append((frame, cause_of(frame)))
            self._work(client, talk, now)
        self.is_done = talk.waits is None and not talk.queue
        if not self.is_done:
            self._unfinished[client] = talk

    @property
    def restless(self) -> bool:
        return self._moves or bool(self._unfinished)

    def advance(self, now: float) -> float:
        if self._moves:
            self._look(now)
        due = inf
        for client, talk in list(self._unfinished.items()):
            if talk.waits is not None and not self._pending(now):
                self._go_on(talk)
                self._work(client, talk, now)
            if talk.queue:
                self._flush(client, talk, now)
            if talk.queue:
                due = now + LOOK_SECONDS
            elif talk.waits is None:
                del self._unfinished[client]
        return due

    def _pending(self, now: float) -> bool:
        """Whether something still moves: what does not want to be called does not."""
        awake = [part for part in self._movers if part.wake < inf]
        return bool(awake) and any(part.busy(now) for part in awake)

    def _look(self, now: float) -> None:
        """Take the condition of what it works."""
        self._moves = pending = self._pending(now)
        self.status.operation.set(SETTLING if pending else 0)
        limiting = bool([part for part in self._supplies if part.limiting])
        self.status.questionable.set(VOLTAGE if limiting else 0)
        if self._completes and not pending:
            self._completes = False
            self.status.event |= OPERATION_COMPLETE

    def _go_on(self, talk: _Talk) -> None:
        """All that moved is done: answer what has waited for it."""
        waits, talk.waits = talk.waits, None
        answer = waits() if waits is not None else None
        try:
            if answer is not None:
                self._add(talk, answer)
        except FaultError as fault:
            self._fault(fault.number, talk.cause, fault.what)

    # carrying messages out

    def _work(self, client: Client, talk: _Talk, now: float) -> None:
        """Do units until there are none, or one has to wait."""
        while talk.units and talk.waits is None:
            frame, cause = talk.units.popleft()
            if talk.fresh:
                self._begin(client, talk, now, cause)
            self._do_unit(talk, frame, now, cause)
            if not isinstance(frame.message, QueryUnit):
                self._look(now)
            talk.fresh = frame.data.endswith(b"\n")
            if talk.waits is not None and not self._pending(now):
                self._go_on(talk)
            if talk.fresh and talk.waits is None:
                self._end(client, talk, now)
        if talk.fresh and talk.waits is None and talk.answers:
            self._end(client, talk, now)

    def _begin(self, client: Client, talk: _Talk, now: float, cause: int) -> None:
        """A new message begins; the response to the one before should have been read by now."""
        if talk.queue:
            self._flush(client, talk, now)
        if talk.queue:
            talk.queue = b""
            self._fault(INTERRUPTED, cause, "a message came before the response was read")
        talk.indefinite = talk.deadlocked = False

    def _end(self, client: Client, talk: _Talk, now: float) -> None:
        """The message is over: its responses are one message."""
        if talk.answers:
            talk.queue = ";".join(talk.answers).encode("latin-1", "replace") + b"\n"
            talk.answers, talk.size = [], 0
            self._flush(client, talk, now)

    def _flush(self, client: Client, talk: _Talk, now: float) -> None:
        if client.unread() == 0 and not (self._out and any(outgoing.client is client for outgoing in self._out)):
            told = self._tell(Kind.TOLD, Topic.MESSAGE, "response", talk.queue, talk.cause)
            self._out.append(Outgoing(client, talk.queue, told, now))
            talk.queue = b""

    def _do_unit(self, talk: _Talk, frame: Frame, now: float, cause: int) -> None:
        unit = frame.message
        if not isinstance(unit, Unit):
            self._fault(OVERRUN, cause, frame.problems[0])
            return
        if frame.problems:
            error, _, detail = frame.problems[0].partition("; ")
            self._fault(int(error.split()[0]), cause, detail)
            return
        if not unit.header:
            return  # an empty message
        asks = isinstance(unit, QueryUnit)
        words = f"{unit.header}{'?' if asks else ''}"
        said = _in_words(unit.values) if unit.values else ""
        taken = self._tell(Kind.TAKEN, Topic.MESSAGE, words, frame.data, cause, said)
        talk.cause = taken
        try:
            if asks:
                self._ask(talk, unit)
            else:
                self._command(talk, unit, now, taken)
        except FaultError as fault:
            self._fault(fault.number, taken, fault.what)
        except PinRefusedError as refusal:
            self._fault(-200, taken, str(refusal))

    def _fault(self, number: int, cause: int | None, what: str) -> None:
        self.status.fault(number)
        text = f"{number} {scpi.TEXTS[number]}"
        reason = Reason.UNREADABLE if number in scpi.COMMAND_ERRORS else Reason.NONE
        words = f"{text}: {plain(what, 60)}" if what else text
        self._tell(Kind.REFUSED, Topic.BOARD, "", number, cause, words, reason=reason)

    def _ask(self, talk: _Talk, unit: Unit) -> None:
        if talk.indefinite:
            raise FaultError(AFTER_INDEFINITE)
        if talk.deadlocked:
            return
        answer = self._answer(talk, unit)
        if answer is not None:
            self._add(talk, answer)

    def _add(self, talk: _Talk, answer: str) -> None:
        talk.size += len(answer) + 1
        if talk.size > MAX_OUTPUT_BYTES:
            talk.answers, talk.size, talk.deadlocked = [], 0, True
            raise FaultError(DEADLOCKED, "more responses to one message than the output queue holds")
        talk.answers.append(answer)

    def _answer(self, talk: _Talk, unit: Unit) -> str | None:
        if unit.nodes[0].startswith("*"):
            if unit.nodes[0] not in self._common_queries:
                raise FaultError(-113, unit.nodes[0])
            data.require(unit.values, 0, 0)
            return self._common_queries[unit.nodes[0]](talk)
        return self._query_of(unit.nodes, unit.suffixes)(unit.values)

    def _find_query(self, nodes: tuple[str, ...], suffixes: tuple[int | None, ...]) -> Callable[[Values], str]:
        """What answers a query of this header. Raises `FaultError`."""
        for _, query, _ in self._system.fitting(nodes, suffixes):
            return partial(_without_data, query)
        for _, (register, which), _ in self._registers.fitting(nodes, suffixes):
            return partial(_without_data, partial(_content, register, which))
        return partial(self._commands.answer, *self._commands.find(nodes, suffixes, asks=True))

    def _command(self, talk: _Talk, unit: Unit, now: float, taken: int) -> None:
        if unit.nodes[0].startswith("*"):
            if unit.nodes[0] not in self._common:
                raise FaultError(-113, unit.nodes[0])
            self._common[unit.nodes[0]](talk, unit.values, now, taken)
            return
        if PRESET.match(unit.nodes, unit.suffixes) is not None:
            data.require(unit.values, 0, 0)
            self.status.operation.preset()
            self.status.questionable.preset()
            return
        for pattern, (register, which), _ in self._registers.fitting(unit.nodes, unit.suffixes):
            if not pattern.only_query:
                data.require(unit.values, 1, 1)
                setattr(register, which, data.whole(unit.values[0], 0xFFFF) & 0x7FFF)
                return
        command, place = self._commands.find(unit.nodes, unit.suffixes, asks=False)
        self._commands.do(command, place, unit.values, now, taken)
        if not command.overlapped and self._pending(now):
            talk.waits = lambda: None

    # common commands

    def _clear(self, talk: _Talk, values: Values, now: float, taken: int) -> None:
        data.require(values, 0, 0)
        self.status.clear()
        self._completes = False

    def _enable_events(self, talk: _Talk, values: Values, now: float, taken: int) -> None:
        data.require(values, 1, 1)
        self.status.event_enable = data.whole(values[0], 0xFF)

    def _enable_service(self, talk: _Talk, values: Values, now: float, taken: int) -> None:
        """Bit 6 is not one that can be enabled. Source: 488.2, section 10.34."""
        data.require(values, 1, 1)
        self.status.service_enable = data.whole(values[0], MAX_SERVICE) & ~0x40

    def _complete(self, talk: _Talk, values: Values, now: float, taken: int) -> None:
        data.require(values, 0, 0)
        self._completes = True

    def _reset(self, talk: _Talk, values: Values, now: float, taken: int) -> None:
        data.require(values, 0, 0)
        self._completes = False
        self._commands.reset(now, taken)

    def _wait(self, talk: _Talk, values: Values, now: float, taken: int) -> None:
        data.require(values, 0, 0)
        talk.waits = lambda: None

    def _identify(self, talk: _Talk) -> str:
        talk.indefinite = True
        return self._identity

    def _ask_complete(self, talk: _Talk) -> None:
        talk.waits = lambda: "1"


def _without_data(query: Callable[[], str], values: Values) -> str:
    data.require(values, 0, 0)
    return query()


def _content(register: Register, which: str) -> str:
    return str(register.take_event() if which == "event" else getattr(register, which))


def _error(number: int, text: str) -> str:
    return f"{number},{data.quoted(text)}"


def _in_words(values: Values) -> str:
    return plain(", ".join(f"{datum.value}{f' {datum.unit}' if datum.unit else ''}" for datum in values), 80)
