"""What a Modbus device does with a request: checks in the order of the standard's state diagrams, then the work.

Source: application protocol 1.1b3, section 6, a diagram for each function; section 7 for the exception codes.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from cavet.boards._circuit import PinRefusedError
from cavet.boards.firmware.modbus._counters import Counters
from cavet.boards.firmware.modbus._map import DeviceMap
from cavet.protocols import Message, Unreadable, modbus
from cavet.protocols.modbus import COILS, DISCRETE, HOLDING, INPUT

FUNCTION, ADDRESS, VALUE, FAILURE = 1, 2, 3, 4
MAX_QUEUE = 31
MAX_OBJECT_BYTES = 240
"""What identification objects take at most in one response, with two bytes each for their id and length."""
BASIC_OBJECTS, REGULAR_OBJECTS = 3, 0x80
REGULAR_CONFORMITY = 0x82
FUNCTIONS = frozenset(form.FUNCTION for form in modbus.REQUESTS)
UNCOUNTED = (modbus.GetCommEventCounter, modbus.GetCommEventLog)
"""Functions whose completion is no event. Source: section 6.9."""


class ExceptionError(Exception):
    """The request is refused, by the standard's code."""

    def __init__(self, code: int) -> None:
        self.code = code
        super().__init__(code)


class Identity(msgspec.Struct, frozen=True, kw_only=True):
    """What a device says of itself: the objects of its identification by their ids, its files, its queues."""

    unit: int
    objects: dict[int, bytes]
    files: dict[int, list[int]] = {}
    queues: dict[int, list[int]] = {}


class Server:
    """Answers requests. One for a board; all its links share the data and the counters."""

    def __init__(self, identity: Identity, device_map: DeviceMap) -> None:
        self.identity = identity
        self.map = device_map
        self.counters = Counters()
        self._files = {number: list(words) for number, words in identity.files.items()}
        self._handlers: dict[type[Message], Callable[[Any, float, int], Message | None]] = {
            modbus.ReadCoils: self._read_bits,
            modbus.ReadDiscreteInputs: self._read_bits,
            modbus.ReadHoldingRegisters: self._read_registers,
            modbus.ReadInputRegisters: self._read_registers,
            modbus.WriteSingleCoil: self._write_coil,
            modbus.WriteSingleRegister: self._write_register,
            modbus.WriteMultipleCoils: self._write_coils,
            modbus.WriteMultipleRegisters: self._write_registers,
            modbus.MaskWriteRegister: self._mask,
            modbus.ReadWriteMultipleRegisters: self._write_and_read,
            modbus.ReadFifoQueue: self._read_queue,
            modbus.ReadFileRecord: self._read_records,
            modbus.WriteFileRecord: self._write_records,
            modbus.ReadExceptionStatus: self._exception_status,
            modbus.Diagnostics: self._diagnose,
            modbus.GetCommEventCounter: self._count_events,
            modbus.GetCommEventLog: self._log_events,
            modbus.ReportServerId: self._report_id,
            modbus.ReadDeviceIdentification: self._identify,
        }

    def start(self, now: float) -> None:
        """As after power-on."""
        self.counters = Counters()
        self.map.start(now)

    def answer(
        self, request: Message, function: int, problems: tuple[str, ...], now: float, cause: int
    ) -> Message | None:
        """Do what is asked. Gives the response, `None` for none; raises `ExceptionError`.

        Every problem that reading a request can have is one of its quantity, byte count, length or value.
        """
        handler = self._handlers.get(type(request)) or self._handler_of_spoilt(request)
        if handler is None:
            is_cut = isinstance(request, Unreadable) and function in FUNCTIONS
            raise ExceptionError(VALUE if is_cut else FUNCTION)
        if problems:
            records = isinstance(request, modbus.ReadFileRecord | modbus.WriteFileRecord)
            raise ExceptionError(ADDRESS if records and not problems[0].startswith("byte count") else VALUE)
        try:
            return handler(request, now, cause)
        except PinRefusedError as refusal:
            raise ExceptionError(FAILURE) from refusal

    def _handler_of_spoilt(self, request: Message) -> Callable[[Any, float, int], Message | None] | None:
        """Who would do what is asked, if that could be: what may not be sent is of a form besides its own."""
        return next((self._handlers[form] for form in type(request).__mro__ if form in self._handlers), None)

    def _require(self, table: str, address: int, quantity: int) -> None:
        if not self.map.has(table, address, quantity):
            raise ExceptionError(ADDRESS)

    # bits and registers

    def _read_bits(self, request: modbus.ReadCoils, now: float, cause: int) -> Message:
        coils = not isinstance(request, modbus.ReadDiscreteInputs)
        table = COILS if coils else DISCRETE
        self._require(table, request.address, request.quantity)
        values = self.map.read(table, request.address, request.quantity, now)
        return (modbus.ReadCoilsResponse if coils else modbus.ReadDiscreteInputsResponse)(values=values)

    def _read_registers(self, request: modbus.ReadHoldingRegisters, now: float, cause: int) -> Message:
        holding = not isinstance(request, modbus.ReadInputRegisters)
        table = HOLDING if holding else INPUT
        self._require(table, request.address, request.quantity)
        values = self.map.read(table, request.address, request.quantity, now)
        form = modbus.ReadHoldingRegistersResponse if holding else modbus.ReadInputRegistersResponse
        return form(values=values)

    def _write_coil(self, request: modbus.WriteSingleCoil, now: float, cause: int) -> Message:
        self._require(COILS, request.address, 1)
        self.map.write(COILS, request.address, (int(request.value),), now, cause)
        return request

    def _write_register(self, request: modbus.WriteSingleRegister, now: float, cause: int) -> Message:
        self._require(HOLDING, request.address, 1)
        self.map.write(HOLDING, request.address, (request.value,), now, cause)
        return request

    def _write_coils(self, request: modbus.WriteMultipleCoils, now: float, cause: int) -> Message:
        self._require(COILS, request.address, len(request.values))
        self.map.write(COILS, request.address, request.values, now, cause)
        return modbus.WriteMultipleCoilsResponse(address=request.address, quantity=len(request.values))

    def _write_registers(self, request: modbus.WriteMultipleRegisters, now: float, cause: int) -> Message:
        self._require(HOLDING, request.address, len(request.values))
        self.map.write(HOLDING, request.address, request.values, now, cause)
        return modbus.WriteMultipleRegistersResponse(address=request.address, quantity=len(request.values))

    def _mask(self, request: modbus.MaskWriteRegister, now: float, cause: int) -> Message:
        self._require(HOLDING, request.address, 1)
        content = self.map.read(HOLDING, request.address, 1, now)[0]
        masked = content & request.and_mask | request.or_mask & ~request.and_mask & 0xFFFF
        self.map.write(HOLDING, request.address, (masked,), now, cause, meant=~request.and_mask)
        return request

    def _write_and_read(self, request: modbus.ReadWriteMultipleRegisters, now: float, cause: int) -> Message:
        """The write is done before the read. Section 6.17."""
        self._require(HOLDING, request.read_address, request.read_quantity)
        self._require(HOLDING, request.write_address, len(request.values))
        self.map.write(HOLDING, request.write_address, request.values, now, cause)
        values = self.map.read(HOLDING, request.read_address, request.read_quantity, now)
        return modbus.ReadWriteMultipleRegistersResponse(values=values)

    # queues and files

    def _read_queue(self, request: modbus.ReadFifoQueue, now: float, cause: int) -> Message:
        if request.address not in self.identity.queues:
            raise ExceptionError(ADDRESS)
        values = self.identity.queues[request.address]
        if len(values) > MAX_QUEUE:
            raise ExceptionError(VALUE)
        return modbus.ReadFifoQueueResponse(values=tuple(values))

    def _file(self, number: int, record: int, length: int) -> list[int]:
        words = self._files.get(number)
        if words is None or record + length > len(words):
            raise ExceptionError(ADDRESS)
        return words

    def _read_records(self, request: modbus.ReadFileRecord, now: float, cause: int) -> Message:
        groups = []
        for number, record, length in zip(
            request.file_number, request.record_number, request.record_length, strict=True
        ):
            groups.append(tuple(self._file(number, record, length)[record : record + length]))
        if sum(2 + 2 * len(group) for group in groups) > modbus.MAX_READ_RECORDS:
            raise ExceptionError(VALUE)  # the response would not fit into a unit
        return modbus.ReadFileRecordResponse(values=tuple(groups))

    def _write_records(self, request: modbus.WriteFileRecord, now: float, cause: int) -> Message:
        groups = list(zip(request.file_number, request.record_number, request.values, strict=True))
        for number, record, values in groups:
            self._file(number, record, len(values))
        for number, record, values in groups:
            self._files[number][record : record + len(values)] = values
        return request

    # the line's own functions

    def _exception_status(self, request: modbus.ReadExceptionStatus, now: float, cause: int) -> Message:
        """The first eight coils: which outputs these are is the device's own choice. Section 6.7."""
        status = 0
        for place, address in enumerate(self.map.existing(COILS, 8)):
            status |= self.map.read(COILS, address, 1, now)[0] << place
        return modbus.ReadExceptionStatusResponse(value=status)

    def _diagnose(self, request: modbus.Diagnostics, now: float, cause: int) -> Message | None:
        counters, number, data = self.counters, request.sub_function, request.data
        if number not in modbus.SUB_FUNCTIONS:
            raise ExceptionError(FUNCTION)
        if number == 0x00:
            return request
        if number == 0x01:
            if data not in (b"\xff\x00", b"\x00\x00"):
                raise ExceptionError(VALUE)
            listening = counters.listening
            counters.restart(clear_log=data[0] == 0xFF)
            return None if listening else request
        if number == 0x03:
            if len(data) != 2 or data[1]:
                raise ExceptionError(VALUE)
            return request
        if data != b"\x00\x00":
            raise ExceptionError(VALUE)
        if number == 0x04:
            counters.listen_only()
            return None
        if number == 0x0A:
            counters.clear()
        elif number == 0x14:
            counters.overruns = 0
        else:
            count = counters.by_sub_function(number)
            assert count is not None  # all other sub-functions ask for a count
            return modbus.Diagnostics(sub_function=number, data=count.to_bytes(2, "big"))
        return request

    def _count_events(self, request: modbus.GetCommEventCounter, now: float, cause: int) -> Message:
        return modbus.GetCommEventCounterResponse(status=0, event_count=self.counters.completed & 0xFFFF)

    def _log_events(self, request: modbus.GetCommEventLog, now: float, cause: int) -> Message:
        counters = self.counters
        return modbus.GetCommEventLogResponse(
            status=0,
            event_count=counters.completed & 0xFFFF,
            message_count=counters.messages & 0xFFFF,
            events=bytes(counters.events),
        )

    def _report_id(self, request: modbus.ReportServerId, now: float, cause: int) -> Message:
        """Its unit, FF for running, its name."""
        name = self.identity.objects.get(1, b"")
        return modbus.ReportServerIdResponse(data=bytes((self.identity.unit, 0xFF)) + name[:200])

    def _identify(self, request: modbus.ReadDeviceIdentification, now: float, cause: int) -> Message:
        objects = self.identity.objects
        first, code = request.object_id, request.read_device_id_code
        if code == 4:
            if first not in objects:
                raise ExceptionError(ADDRESS)
            wanted = [first]
        else:
            end = BASIC_OBJECTS if code == 1 else REGULAR_OBJECTS if code == 2 else 0x100
            known = [number for number in sorted(objects) if number < end]
            wanted = [number for number in known if number >= first] if first in known else known
        sent, size = [], 0
        for number in wanted:
            size += 2 + len(objects[number])
            if size > MAX_OBJECT_BYTES:
                break
            sent.append(modbus.IdObject(number, objects[number]))
        after = wanted[len(sent) :]
        return modbus.ReadDeviceIdentificationResponse(
            read_device_id_code=code,
            conformity_level=REGULAR_CONFORMITY + int(max(objects) >= REGULAR_OBJECTS),
            more_follows=0xFF if after else 0,
            next_object_id=after[0] if after else 0,
            objects=tuple(sent),
        )
