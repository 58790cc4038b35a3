"""No board at all: buses of the host's own, with what hangs on them."""

from __future__ import annotations

from math import inf

from cavet.boards._circuit import Circuit
from cavet.boards._running import CauseOf, Client, Firmware, Outgoing
from cavet.boards.buses import Outcome, SpiChip
from cavet.protocols import Frame
from cavet.protocols.buses import SPI, BusAnswer, BusCall, BusDecoder
from cavet.record import Kind, Tell, Topic
from cavet.wording import hex_pairs

USUAL_SPI_HERTZ = 1_000_000
"""How fast the host's SPI runs, where a call does not say."""


class BusesFirmware(Firmware):
    """Does transactions as they are called for, and answers each when it has passed on the wires."""

    def __init__(self, circuit: Circuit, tell: Tell) -> None:
        super().__init__()
        self._circuit = circuit
        self._tell = tell
        self._chips = [part for part in circuit.parts.values() if isinstance(part, SpiChip)]
        self._decoders: dict[Client, BusDecoder] = {}
        self._spi_free_at = 0.0

    def joined(self, client: Client, now: float) -> None:
        self._decoders[client] = BusDecoder()

    def left(self, client: Client, now: float) -> None:
        self._decoders.pop(client, None)

    def feed(self, client: Client, data: bytes, now: float, cause_of: CauseOf) -> None:
        decoder = self._decoders.get(client)
        for frame in decoder.feed(data) if decoder is not None else ():
            self._take(client, frame, now, cause_of(frame))

    def _take(self, client: Client, frame: Frame, now: float, cause: int) -> None:
        call = frame.message
        if not isinstance(call, BusCall):
            self._tell(Kind.REFUSED, Topic.BYTES, str(len(frame.data)), frame.data, cause, frame.problems[0])
            return
        taken = self._tell(Kind.TAKEN, Topic.MESSAGE, call.NAME, call.data, cause, _words(call))
        outcome = self._spi(call, now, taken) if call.bus == SPI else self._i2c(call, now, taken)
        if outcome.problem:
            taken = self._tell(Kind.REFUSED, Topic.BUS, "i2c", None, taken, outcome.problem)
        answer = BusAnswer(number=call.number, data=outcome.data, why=outcome.problem).packed()
        self._out.append(Outgoing(client, answer, taken, outcome.ends_at))

    def _i2c(self, call: BusCall, now: float, cause: int) -> Outcome:
        bus = self._circuit.bus
        if call.count and call.data:
            return bus.write_read(call.address, call.data, call.count, now, cause, ten_bit=call.ten_bit)
        if call.count:
            return bus.read(call.address, call.count, now, cause, ten_bit=call.ten_bit)
        return bus.write(call.address, call.data, now, cause, ten_bit=call.ten_bit)

    def _spi(self, call: BusCall, now: float, cause: int) -> Outcome:
        begin = max(now, self._spi_free_at)
        end = self._spi_free_at = begin + 8 * len(call.data) / (call.rate or USUAL_SPI_HERTZ)
        chip = next((chip for chip in self._chips if chip.chip == call.address), None)
        if chip is None:
            return Outcome((), bytes(len(call.data)), end)  # nobody drives the line: it reads 0
        read = chip.transfer(call.data, end, cause, mode=call.mode)
        note = f"chip select {call.address}, mode {call.mode}, {len(call.data)} bytes"
        self._tell(Kind.BUS, Topic.BUS, "spi", call.data, cause, note)
        return Outcome((), read, end)

    def advance(self, now: float) -> float:
        return inf


def _words(call: BusCall) -> str:
    if call.bus == SPI:
        return f"SPI chip {call.address}: {hex_pairs(call.data)}"
    written = f"write {hex_pairs(call.data)}" if call.data else ""
    read = f"read {call.count} bytes" if call.count else ""
    return f"0x{call.address:02X}: {', '.join(word for word in (written, read) if word) or 'call only'}"
