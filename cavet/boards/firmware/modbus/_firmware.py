"""The board's side of Modbus, on any number of links of any framing."""

from __future__ import annotations

from collections.abc import Callable
from math import inf

from cavet.boards._running import CauseOf, Client, Firmware, Outgoing
from cavet.boards.firmware.modbus._lines import Heard, Line, Pieces, StreamLine, line_for, unit_of, words_of
from cavet.boards.firmware.modbus._server import UNCOUNTED, ExceptionError, Server
from cavet.protocols import Frame, Message, as_found, modbus
from cavet.record import Kind, Tell, Topic
from cavet.wording import listed

BROADCAST = 0
TCP_SELF = (0, 255)
"""Over TCP these stand for the device at the address itself. Source: messaging on TCP/IP 1.0b, section 4.4.2.1."""
SERVER_BUSY, NO_SUCH_UNIT = 6, 11
RESTART, SET_DELIMITER = 0x01, 0x03


class ModbusFirmware(Firmware):
    """Hears requests, lets the server do them, answers."""

    def __init__(self, server: Server, tell: Tell) -> None:
        super().__init__()
        self._server = server
        self.is_busy: Callable[[float], bool] | None = None
        """Whether it refuses what it is asked just now, as a server does that is busy."""
        self._tell = tell
        self._lines: dict[Client, Line] = {}
        self._timed: dict[Client, Line] = {}
        """Those on which a time runs: the others need no look when it has passed."""
        self._cause_of: dict[Client, CauseOf] = {}
        self._pieces: dict[Client, Pieces] = {}
        """Of lines that are shared, where a message is cut."""

    def start(self, now: float) -> None:
        """Begin anew."""
        self._server.start(now)

    def joined(self, client: Client, now: float) -> None:
        """A program is there."""
        self._lines[client] = line_for(client.protocol, client.character)

    def heeds(self, client: Client, data: bytes, now: float) -> bool:
        """What comes in pieces tells its unit in the first of them."""
        if not client.others:
            return True
        pieces = self._pieces.setdefault(client, Pieces(client))
        if pieces.begin(data, now):
            unit = unit_of(client.protocol, data)
            pieces.heeded = unit == BROADCAST or self._looks_after(client, unit)
        return pieces.heeded

    def _looks_after(self, client: Client, unit: int | None) -> bool:
        """Whether what is for a unit is this board's affair: its own, or nobody's where it leads."""
        return self._is_its(client, unit) or (client.leads and unit not in client.others)

    def _is_its(self, client: Client, unit: int | None) -> bool:
        """Whether it is this board's unit; what stands for the device at a network address is who leads there."""
        if client.protocol == "modbus-tcp" and unit in TCP_SELF:
            return client.leads
        return unit == self._server.identity.unit

    def unfinished(self, client: Client) -> bytes:
        line = self._lines.get(client)
        rest = line.unfinished() if line is not None else b""
        return rest if self._looks_after(client, unit_of(client.protocol, rest)) else b""

    def left(self, client: Client, now: float) -> None:
        """It is gone: nothing comes any more behind its last frame."""
        line = self._lines.get(client)
        for request in line.advance(inf) if line is not None else ():
            self._take(client, request, now)
        self._lines.pop(client, None)
        self._timed.pop(client, None)
        self._cause_of.pop(client, None)
        self._pieces.pop(client, None)

    def feed(self, client: Client, data: bytes, now: float, cause_of: CauseOf) -> None:
        line = self._lines.get(client)
        if line is None:
            return  # it came in one piece with what broke the connection
        self._cause_of[client] = cause_of
        for request in line.feed(data, now):
            self._take(client, request, now)
        self.is_done = line.due == inf
        if not self.is_done:
            self._timed[client] = line
        if line.broken is not None:
            del self._lines[client]
            self._timed.pop(client, None)
            if client.leads:
                self._hang_up(client, line.broken, now, cause_of)

    def _hang_up(self, client: Client, rest: Frame, now: float, cause_of: CauseOf) -> None:
        """What came can be no Modbus."""
        note = f"{rest.problems[0]}; the connection is shut"
        refused = self._tell(Kind.REFUSED, Topic.BYTES, str(len(rest.data)), rest.data, cause_of(rest), note)
        self._out.append(Outgoing(client, b"", refused, now, hangs_up=True))

    def advance(self, now: float) -> float:
        due = inf
        for client, line in list(self._timed.items()):
            for request in line.advance(now):
                self._take(client, request, now)
            if line.due == inf:
                self._timed.pop(client, None)
            due = min(due, line.due)
        return due

    def _take(self, client: Client, heard: Heard, now: float) -> None:
        mine = self._is_its(client, heard.unit)
        broadcast = heard.unit == BROADCAST and client.protocol != "modbus-tcp"
        if heard.spoiled:
            self._server.counters.spoiled()
        else:
            self._server.counters.heard(mine=mine, broadcast=broadcast)
        if not mine and (heard.spoiled or not broadcast) and not self._looks_after(client, heard.unit):
            return  # others on the line have that unit, or tell that nobody has
        cause = self._cause_of[client](heard.frame)
        if heard.spoiled:
            self._tell(Kind.REFUSED, Topic.BYTES, str(len(heard.frame.data)), heard.frame.data, cause, heard.spoiled)
            return
        if not mine and not broadcast:
            self._for_another(client, heard, now, cause)
            return
        message = heard.frame.message
        name = message.NAME if heard.frame.readable else f"function {heard.function:02X}"
        taken = self._tell(Kind.TAKEN, Topic.MESSAGE, name, heard.frame.data, cause, words_of(message))
        self._do(client, heard, now, taken, answers=not broadcast)

    def _for_another(self, client: Client, heard: Heard, now: float, cause: int) -> None:
        units = sorted({self._server.identity.unit, *client.others})
        here = f"on this line are {listed(units, 'and')}" if client.others else f"this is unit {units[0]}"
        why = f"it is for unit {heard.unit}; {here}"
        self._tell(Kind.REFUSED, Topic.MESSAGE, heard.frame.message.NAME, heard.frame.data, cause, why)
        if client.protocol == "modbus-tcp":
            self._say(client, heard, _exception(heard, NO_SUCH_UNIT), now, cause)

    def _do(self, client: Client, heard: Heard, now: float, taken: int, *, answers: bool) -> None:
        counters = self._server.counters
        request = heard.frame.message
        if counters.listening and not (isinstance(request, modbus.Diagnostics) and request.sub_function == RESTART):
            counters.silent()
            self._tell(Kind.REFUSED, Topic.BOARD, "", None, taken, "it only listens, until it is restarted")
            return
        if self.is_busy is not None and self.is_busy(now):
            self._refuse(client, heard, SERVER_BUSY, now, taken, answers=answers)
            return
        try:
            answer = self._server.answer(request, heard.function, heard.frame.problems, now, taken)
        except ExceptionError as refusal:
            self._refuse(client, heard, refusal.code, now, taken, answers=answers)
            return
        if answer is None or not answers:
            counters.silent()
            return
        counters.answered(0, counts=not isinstance(request, UNCOUNTED))
        self._say(client, heard, answer, now, taken)
        if isinstance(request, modbus.Diagnostics) and request.sub_function == SET_DELIMITER:
            self._change_delimiter(client, request.data[:1])

    def _change_delimiter(self, client: Client, delimiter: bytes) -> None:
        """From the next frame on, another character than LF ends one. Source: section 6.8.1, sub-function 03."""
        line = self._lines[client]
        if isinstance(line, StreamLine):
            line.delimiter = delimiter

    def _refuse(self, client: Client, heard: Heard, code: int, now: float, taken: int, *, answers: bool) -> None:
        problems = f": {heard.frame.problems[0]}" if heard.frame.problems else ""
        why = f"exception {code:02X}, {modbus.EXCEPTIONS[code]}{problems}"
        refused = self._tell(Kind.REFUSED, Topic.MESSAGE, heard.frame.message.NAME, code, taken, why)
        if answers:
            self._server.counters.answered(code, counts=False)
            self._say(client, heard, _exception(heard, code), now, refused)
        else:
            self._server.counters.silent()

    def _say(self, client: Client, heard: Heard, answer: Message, now: float, cause: int) -> None:
        assert isinstance(answer, modbus.ModbusMessage)  # the server answers with nothing else
        data = self._lines[client].wrap(answer, heard)
        told = self._tell(Kind.TOLD, Topic.MESSAGE, answer.NAME, data, cause)
        self._out.append(Outgoing(client, data, told, now))


def _exception(heard: Heard, code: int) -> Message:
    """The answer that refuses. It bears the request's function, even one that no request may have."""
    fields = {"function": heard.function & 0x7F, "exception_code": code, "transaction": 0, "unit": 0}
    return as_found(modbus.ExceptionResponse, fields)
