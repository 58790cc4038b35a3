"""The messages of the application protocol, each with its field names, limits and layout.

Source: Modbus application protocol 1.1b3, section 6; the section of each function stands in its docstring.
Request and response of a function bear the same name; which is meant follows from who says it.
"""

from __future__ import annotations

from typing import Annotated, Any

from cavet.protocols._message import FieldError, Range, Words, Written
from cavet.protocols.modbus._base import (
    EXCEPTIONS,
    SUB_FUNCTIONS,
    U8,
    U16,
    BitList,
    ModbusMessage,
    Quantity,
    RegisterList,
    require_length,
    settle_quantity,
)
from cavet.protocols.modbus._groups import (
    EventLog,
    Objects,
    Queue,
    ReadGroups,
    ReadRecords,
    RecordGroups,
    read_groups,
    read_objects,
    read_words,
    write_groups,
    write_objects,
)
from cavet.protocols.modbus._pieces import (
    Bits,
    CoilValue,
    Constant,
    Number,
    Octets,
    Registers,
    read_coil,
)

Groups = Annotated[
    tuple[tuple[int, ...], ...], Written("registers with commas, groups parted by /", read_groups, write=write_groups)
]


class ReadCoils(ModbusMessage, frozen=True, kw_only=True):
    """Read 1 to 2000 coils. Section 6.1."""

    NAME, FUNCTION = "read-coils", 0x01
    LAYOUT = (Number("address"), Number("quantity"))
    address: U16
    quantity: Annotated[int, Range(1, 2000)]


class ReadCoilsResponse(ModbusMessage, frozen=True, kw_only=True):
    """The coils, eight a byte. Section 6.1."""

    NAME, FUNCTION = "read-coils", 0x01
    LAYOUT = (Bits(),)
    values: BitList

    def __post_init__(self) -> None:
        require_length(self, "values", 1, 2000)
        super().__post_init__()


class ReadDiscreteInputs(ReadCoils, frozen=True, kw_only=True):
    """Read 1 to 2000 discrete inputs. Section 6.2."""

    NAME, FUNCTION = "read-discrete-inputs", 0x02


class ReadDiscreteInputsResponse(ReadCoilsResponse, frozen=True, kw_only=True):
    """The discrete inputs, eight a byte. Section 6.2."""

    NAME, FUNCTION = "read-discrete-inputs", 0x02


class ReadHoldingRegisters(ModbusMessage, frozen=True, kw_only=True):
    """Read 1 to 125 holding registers. Section 6.3."""

    NAME, FUNCTION = "read-holding-registers", 0x03
    LAYOUT = (Number("address"), Number("quantity"))
    address: U16
    quantity: Annotated[int, Range(1, 125)]


class ReadHoldingRegistersResponse(ModbusMessage, frozen=True, kw_only=True):
    """The holding registers. Section 6.3."""

    NAME, FUNCTION = "read-holding-registers", 0x03
    LAYOUT = (Registers(),)
    values: RegisterList

    def __post_init__(self) -> None:
        require_length(self, "values", 1, 125)
        super().__post_init__()


class ReadInputRegisters(ReadHoldingRegisters, frozen=True, kw_only=True):
    """Read 1 to 125 input registers. Section 6.4."""

    NAME, FUNCTION = "read-input-registers", 0x04


class ReadInputRegistersResponse(ReadHoldingRegistersResponse, frozen=True, kw_only=True):
    """The input registers. Section 6.4."""

    NAME, FUNCTION = "read-input-registers", 0x04


class WriteSingleCoil(ModbusMessage, frozen=True, kw_only=True):
    """Switch one coil; the response is an echo. Section 6.5."""

    NAME, FUNCTION = "write-single-coil", 0x05
    LAYOUT = (Number("address"), CoilValue())
    address: U16
    value: Annotated[bool, Written("on or off", read_coil)]


class WriteSingleRegister(ModbusMessage, frozen=True, kw_only=True):
    """Write one holding register; the response is an echo. Section 6.6."""

    NAME, FUNCTION = "write-single-register", 0x06
    LAYOUT = (Number("address"), Number("value"))
    address: U16
    value: U16


class ReadExceptionStatus(ModbusMessage, frozen=True, kw_only=True):
    """Read the eight exception outputs; serial line only. Section 6.7."""

    NAME, FUNCTION = "read-exception-status", 0x07


class ReadExceptionStatusResponse(ModbusMessage, frozen=True, kw_only=True):
    """The exception outputs, one a bit. Section 6.7."""

    NAME, FUNCTION = "read-exception-status", 0x07
    LAYOUT = (Number("value", size=1),)
    value: U8


class Diagnostics(ModbusMessage, frozen=True, kw_only=True):
    """Tests of the serial line, and its counters; the response has the same form. Section 6.8."""

    NAME, FUNCTION = "diagnostics", 0x08
    LAYOUT = (Number("sub_function"), Octets("data", counted=False))
    sub_function: Annotated[int, Range(0, 0xFFFF), Words(SUB_FUNCTIONS)]
    data: bytes = b"\x00\x00"

    def __post_init__(self) -> None:
        if len(self.data) % 2 or not 2 <= len(self.data) <= 250:
            raise FieldError("diagnostics.data", found=f"{len(self.data)} bytes", expected="2 to 250, an even number")
        super().__post_init__()


class GetCommEventCounter(ModbusMessage, frozen=True, kw_only=True):
    """Ask for the status word and the count of completed messages; serial line only. Section 6.9."""

    NAME, FUNCTION = "get-comm-event-counter", 0x0B


class GetCommEventCounterResponse(ModbusMessage, frozen=True, kw_only=True):
    """The status word, FFFF while busy, and the event count. Section 6.9."""

    NAME, FUNCTION = "get-comm-event-counter", 0x0B
    LAYOUT = (Number("status"), Number("event_count"))
    status: U16
    event_count: U16


class GetCommEventLog(ModbusMessage, frozen=True, kw_only=True):
    """Ask for the log of events; serial line only. Section 6.10."""

    NAME, FUNCTION = "get-comm-event-log", 0x0C


class GetCommEventLogResponse(ModbusMessage, frozen=True, kw_only=True):
    """Status, counts, and up to 64 event bytes, the latest first. Section 6.10."""

    NAME, FUNCTION = "get-comm-event-log", 0x0C
    LAYOUT = (EventLog(),)
    status: U16
    event_count: U16
    message_count: U16
    events: Annotated[bytes, Range(0, 64)] = b""


class WriteMultipleCoils(ModbusMessage, frozen=True, kw_only=True):
    """Switch 1 to 1968 coils. Section 6.11."""

    NAME, FUNCTION = "write-multiple-coils", 0x0F
    LAYOUT = (Number("address"), Bits(counted=True))
    address: U16
    quantity: Quantity = None
    values: BitList

    def __post_init__(self) -> None:
        require_length(self, "values", 1, 1968)
        settle_quantity(self)
        super().__post_init__()


class WriteMultipleCoilsResponse(ModbusMessage, frozen=True, kw_only=True):
    """Where, and how many were switched. Section 6.11."""

    NAME, FUNCTION = "write-multiple-coils", 0x0F
    LAYOUT = (Number("address"), Number("quantity"))
    address: U16
    quantity: Annotated[int, Range(1, 1968)]


class WriteMultipleRegisters(ModbusMessage, frozen=True, kw_only=True):
    """Write 1 to 123 holding registers. Section 6.12."""

    NAME, FUNCTION = "write-multiple-registers", 0x10
    LAYOUT = (Number("address"), Registers(counted=True))
    address: U16
    quantity: Quantity = None
    values: RegisterList

    def __post_init__(self) -> None:
        require_length(self, "values", 1, 123)
        settle_quantity(self)
        super().__post_init__()


class WriteMultipleRegistersResponse(ModbusMessage, frozen=True, kw_only=True):
    """Where, and how many were written. Section 6.12."""

    NAME, FUNCTION = "write-multiple-registers", 0x10
    LAYOUT = (Number("address"), Number("quantity"))
    address: U16
    quantity: Annotated[int, Range(1, 123)]


class ReportServerId(ModbusMessage, frozen=True, kw_only=True):
    """Ask what the server is; serial line only. Section 6.13."""

    NAME, FUNCTION = "report-server-id", 0x11


class ReportServerIdResponse(ModbusMessage, frozen=True, kw_only=True):
    """Identity, run indicator and more, as the device defines it. Section 6.13."""

    NAME, FUNCTION = "report-server-id", 0x11
    LAYOUT = (Octets("data"),)
    data: Annotated[bytes, Range(0, 250)] = b""


class ReadFileRecord(ModbusMessage, frozen=True, kw_only=True):
    """Read groups of a file's records. Section 6.14."""

    NAME, FUNCTION = "read-file-record", 0x14
    LAYOUT = (ReadGroups(),)
    file_number: Annotated[tuple[int, ...], Written("file numbers with commas, 1 to 65535", read_words(1, 0xFFFF))]
    record_number: Annotated[tuple[int, ...], Written("record numbers with commas, 0 to 9999", read_words(0, 9999))]
    record_length: Annotated[tuple[int, ...], Written("lengths in registers with commas", read_words(1, 0xFFFF))]

    def __post_init__(self) -> None:
        sizes = {len(self.file_number), len(self.record_number), len(self.record_length)}
        if len(sizes) != 1 or not 1 <= len(self.file_number) <= 35:
            found = f"{len(self.file_number)}, {len(self.record_number)} and {len(self.record_length)}"
            raise FieldError("read-file-record", found=found, expected="three lists of equal length, 1 to 35 groups")
        super().__post_init__()


MAX_READ_RECORDS = 0xF5
"""How many bytes a response can have behind its byte count. Source: application protocol 1.1b3, section 6.14."""


class ReadFileRecordResponse(ModbusMessage, frozen=True, kw_only=True):
    """The groups that were read. Section 6.14."""

    NAME, FUNCTION = "read-file-record", 0x14
    LAYOUT = (ReadRecords(),)
    values: Groups

    def __post_init__(self) -> None:
        size = sum(2 + 2 * len(group) for group in self.values)
        if size > MAX_READ_RECORDS:
            expected = f"at most {MAX_READ_RECORDS} bytes in all"
            raise FieldError("read-file-record.values", found=f"{size} bytes", expected=expected)
        super().__post_init__()


class WriteFileRecord(ModbusMessage, frozen=True, kw_only=True):
    """Write groups of a file's records; the response is an echo. Section 6.15."""

    NAME, FUNCTION = "write-file-record", 0x15
    LAYOUT = (RecordGroups(),)
    file_number: Annotated[tuple[int, ...], Written("file numbers with commas, 1 to 65535", read_words(1, 0xFFFF))]
    record_number: Annotated[tuple[int, ...], Written("record numbers with commas, 0 to 9999", read_words(0, 9999))]
    values: Groups

    def __post_init__(self) -> None:
        sizes = {len(self.file_number), len(self.record_number), len(self.values)}
        if len(sizes) != 1 or not self.values:
            found = f"{len(self.file_number)}, {len(self.record_number)} and {len(self.values)}"
            raise FieldError("write-file-record", found=found, expected="three lists of equal length")
        size = sum(7 + 2 * len(group) for group in self.values)
        if not 9 <= size <= 0xFB:
            raise FieldError("write-file-record.values", found=f"{size} bytes", expected="9 to 251 bytes in all")
        super().__post_init__()


class MaskWriteRegister(ModbusMessage, frozen=True, kw_only=True):
    """Change single bits of a register: (content AND and_mask) OR (or_mask AND NOT and_mask). Section 6.16."""

    NAME, FUNCTION = "mask-write-register", 0x16
    LAYOUT = (Number("address"), Number("and_mask"), Number("or_mask"))
    address: U16
    and_mask: U16 = 0xFFFF
    or_mask: U16 = 0


class ReadWriteMultipleRegisters(ModbusMessage, frozen=True, kw_only=True):
    """Write up to 121 registers, then read up to 125, in one go. Section 6.17."""

    NAME, FUNCTION = "read-write-multiple-registers", 0x17
    LAYOUT = (Number("read_address"), Number("read_quantity"), Number("write_address"), Registers(counted=True))
    read_address: U16
    read_quantity: Annotated[int, Range(1, 125)]
    write_address: U16
    quantity: Quantity = None
    values: RegisterList

    def __post_init__(self) -> None:
        require_length(self, "values", 1, 121)
        settle_quantity(self)
        super().__post_init__()


class ReadWriteMultipleRegistersResponse(ReadHoldingRegistersResponse, frozen=True, kw_only=True):
    """The registers that were read. Section 6.17."""

    NAME, FUNCTION = "read-write-multiple-registers", 0x17


class ReadFifoQueue(ModbusMessage, frozen=True, kw_only=True):
    """Read the queue of registers at an address. Section 6.18."""

    NAME, FUNCTION = "read-fifo-queue", 0x18
    LAYOUT = (Number("address"),)
    address: U16


class ReadFifoQueueResponse(ModbusMessage, frozen=True, kw_only=True):
    """Up to 31 registers of the queue. Section 6.18."""

    NAME, FUNCTION = "read-fifo-queue", 0x18
    LAYOUT = (Queue(),)
    values: RegisterList = ()

    def __post_init__(self) -> None:
        require_length(self, "values", 0, 31)
        super().__post_init__()


class ReadDeviceIdentification(ModbusMessage, frozen=True, kw_only=True):
    """Ask for the device's identification: 1 basic, 2 regular, 3 extended, 4 one object. Section 6.21."""

    NAME, FUNCTION = "read-device-identification", 0x2B
    LAYOUT = (Constant("mei_type", 0x0E), Number("read_device_id_code", size=1), Number("object_id", size=1))
    read_device_id_code: Annotated[int, Range(1, 4)]
    object_id: U8 = 0


class ReadDeviceIdentificationResponse(ModbusMessage, frozen=True, kw_only=True):
    """Objects of the identification, and whether more follow. Section 6.21."""

    NAME, FUNCTION = "read-device-identification", 0x2B
    LAYOUT = (
        Constant("mei_type", 0x0E),
        Number("read_device_id_code", size=1),
        Number("conformity_level", size=1),
        Number("more_follows", size=1, meaning="FF: ask again, from next_object_id on"),
        Number("next_object_id", size=1),
        Objects(),
    )
    read_device_id_code: Annotated[int, Range(1, 4)]
    conformity_level: U8 = 0x01
    more_follows: U8 = 0
    next_object_id: U8 = 0
    objects: Annotated[
        tuple[Any, ...], Written("ID:@text or ID:hex with commas", read_objects, write=write_objects)
    ] = ()


class ExceptionResponse(ModbusMessage, frozen=True, kw_only=True):
    """The server refuses, and says why. Section 7."""

    NAME = "exception"
    function: Annotated[int, Range(1, 0x7F)]
    exception_code: Annotated[int, Range(0, 0xFF), Words(EXCEPTIONS)]


class OtherFunction(ModbusMessage, frozen=True, kw_only=True):
    """A function that is not among the public ones: its bytes as they are. Section 4.1."""

    NAME = "other-function"
    function: Annotated[int, Range(1, 0x7F)]
    data: Annotated[bytes, Range(0, 252)] = b""


ECHOED = (WriteSingleCoil, WriteSingleRegister, Diagnostics, MaskWriteRegister, WriteFileRecord)
"""Functions whose response has the form of the request."""
REQUESTS: tuple[type[ModbusMessage], ...] = (
    ReadCoils, ReadDiscreteInputs, ReadHoldingRegisters, ReadInputRegisters, ReadExceptionStatus, GetCommEventCounter,
    GetCommEventLog, WriteMultipleCoils, WriteMultipleRegisters, ReportServerId, ReadFileRecord,
    ReadWriteMultipleRegisters, ReadFifoQueue, ReadDeviceIdentification, *ECHOED,
)  # fmt: skip
RESPONSES: tuple[type[ModbusMessage], ...] = (
    ReadCoilsResponse, ReadDiscreteInputsResponse, ReadHoldingRegistersResponse, ReadInputRegistersResponse,
    ReadExceptionStatusResponse, GetCommEventCounterResponse, GetCommEventLogResponse, WriteMultipleCoilsResponse,
    WriteMultipleRegistersResponse, ReportServerIdResponse, ReadFileRecordResponse, ReadWriteMultipleRegistersResponse,
    ReadFifoQueueResponse, ReadDeviceIdentificationResponse, *ECHOED,
)  # fmt: skip
