"""Messages with their units, written down from the application protocol's own examples where it has them."""

from cavet.protocols import Side
from cavet.protocols import modbus as m

HOST, BOARD = Side.HOST, Side.BOARD

UNITS = [
    ("6.1 read coils 20 to 38", HOST, m.ReadCoils(address=0x13, quantity=0x13), "01 00 13 00 13"),
    (
        "6.1 nineteen coils, as three bytes",
        BOARD,
        m.ReadCoilsResponse(values=(1, 0, 1, 1, 0, 0, 1, 1, 1, 1, 0, 1, 0, 1, 1, 0, 1, 0, 1, 0, 0, 0, 0, 0)),
        "01 03 CD 6B 05",
    ),
    ("6.2 read inputs 197 to 218", HOST, m.ReadDiscreteInputs(address=0xC4, quantity=0x16), "02 00 C4 00 16"),
    (
        "6.2 inputs",
        BOARD,
        m.ReadDiscreteInputsResponse(values=(0, 0, 1, 1, 0, 1, 0, 1)),
        "02 01 AC",
    ),
    ("6.3 read registers 108 to 110", HOST, m.ReadHoldingRegisters(address=0x6B, quantity=3), "03 00 6B 00 03"),
    (
        "6.3 registers",
        BOARD,
        m.ReadHoldingRegistersResponse(values=(0x022B, 0, 0x64)),
        "03 06 02 2B 00 00 00 64",
    ),
    ("6.4 read input register 9", HOST, m.ReadInputRegisters(address=8, quantity=1), "04 00 08 00 01"),
    ("6.4 input register", BOARD, m.ReadInputRegistersResponse(values=(10,)), "04 02 00 0A"),
    ("6.5 coil 173 on", HOST, m.WriteSingleCoil(address=0xAC, value=True), "05 00 AC FF 00"),
    ("6.5 echo, off", BOARD, m.WriteSingleCoil(address=0xAC, value=False), "05 00 AC 00 00"),
    ("6.6 register 2 to 3", HOST, m.WriteSingleRegister(address=1, value=3), "06 00 01 00 03"),
    ("6.7 exception status", HOST, m.ReadExceptionStatus(), "07"),
    ("6.7 exception outputs", BOARD, m.ReadExceptionStatusResponse(value=0x6D), "07 6D"),
    ("6.8 return query data", HOST, m.Diagnostics(sub_function=0, data=b"\xa5\x37"), "08 00 00 A5 37"),
    ("6.8 message count", BOARD, m.Diagnostics(sub_function=0x0B, data=b"\x00\x05"), "08 00 0B 00 05"),
    ("6.9 event counter", HOST, m.GetCommEventCounter(), "0B"),
    ("6.9 busy, 264 events", BOARD, m.GetCommEventCounterResponse(status=0xFFFF, event_count=0x108), "0B FF FF 01 08"),
    ("6.10 event log", HOST, m.GetCommEventLog(), "0C"),
    (
        "6.10 log of two events",
        BOARD,
        m.GetCommEventLogResponse(status=0, event_count=0x108, message_count=0x121, events=b"\x20\x00"),
        "0C 08 00 00 01 08 01 21 20 00",
    ),
    (
        "6.11 ten coils from 20",
        HOST,
        m.WriteMultipleCoils(address=0x13, values=(1, 0, 1, 1, 0, 0, 1, 1, 1, 0)),
        "0F 00 13 00 0A 02 CD 01",
    ),
    ("6.11 done", BOARD, m.WriteMultipleCoilsResponse(address=0x13, quantity=10), "0F 00 13 00 0A"),
    (
        "6.12 two registers from 2",
        HOST,
        m.WriteMultipleRegisters(address=1, values=(0x0A, 0x0102)),
        "10 00 01 00 02 04 00 0A 01 02",
    ),
    ("6.12 done", BOARD, m.WriteMultipleRegistersResponse(address=1, quantity=2), "10 00 01 00 02"),
    ("6.13 server id", HOST, m.ReportServerId(), "11"),
    ("6.13 an id, running", BOARD, m.ReportServerIdResponse(data=b"\x42\xff"), "11 02 42 FF"),
    (
        "6.14 two groups of records",
        HOST,
        m.ReadFileRecord(file_number=(4, 3), record_number=(1, 9), record_length=(2, 2)),
        "14 0E 06 00 04 00 01 00 02 06 00 03 00 09 00 02",
    ),
    (
        "6.14 their values",
        BOARD,
        m.ReadFileRecordResponse(values=((0x0DFE, 0x0020), (0x33CD, 0x0040))),
        "14 0C 05 06 0D FE 00 20 05 06 33 CD 00 40",
    ),
    (
        "6.15 write a record",
        HOST,
        m.WriteFileRecord(file_number=(4,), record_number=(7,), values=((0x06AF, 0x04BE, 0x100D),)),
        "15 0D 06 00 04 00 07 00 03 06 AF 04 BE 10 0D",
    ),
    ("6.16 mask", HOST, m.MaskWriteRegister(address=4, and_mask=0xF2, or_mask=0x25), "16 00 04 00 F2 00 25"),
    (
        "6.17 read six, write three",
        HOST,
        m.ReadWriteMultipleRegisters(read_address=3, read_quantity=6, write_address=0x0E, values=(255, 255, 255)),
        "17 00 03 00 06 00 0E 00 03 06 00 FF 00 FF 00 FF",
    ),
    (
        "6.17 what was read",
        BOARD,
        m.ReadWriteMultipleRegistersResponse(values=(0xFE, 0x0ACD, 1, 3, 13, 255)),
        "17 0C 00 FE 0A CD 00 01 00 03 00 0D 00 FF",
    ),
    ("6.18 queue at 1246", HOST, m.ReadFifoQueue(address=0x04DE), "18 04 DE"),
    ("6.18 two in it", BOARD, m.ReadFifoQueueResponse(values=(0x01B8, 0x1284)), "18 00 06 00 02 01 B8 12 84"),
    ("6.21 basic identification", HOST, m.ReadDeviceIdentification(read_device_id_code=1), "2B 0E 01 00"),
    (
        "6.21 two objects, more to follow",
        BOARD,
        m.ReadDeviceIdentificationResponse(
            read_device_id_code=1,
            more_follows=0xFF,
            next_object_id=2,
            objects=(m.IdObject(0, b"Cavet"), m.IdObject(1, b"Heron")),
        ),
        "2B 0E 01 01 FF 02 02 00 05 43 61 76 65 74 01 05 48 65 72 6F 6E",
    ),
    ("7 an illegal address", BOARD, m.ExceptionResponse(function=1, exception_code=2), "81 02"),
    ("4.1 a function of the user's own", HOST, m.OtherFunction(function=0x41, data=b"\x01\x02"), "41 01 02"),
    ("6.19 another interface", HOST, m.OtherFunction(function=0x2B, data=b"\x0d\x01"), "2B 0D 01"),
]
"""(section and name, who says it, message, function code and body)"""

FRAMES = [
    (m.RTU, "07 05 00 02 FF 00 2D 9C", m.WriteSingleCoil(unit=7, address=2, value=True)),
    (m.RTU, "01 03 00 00 00 0A C5 CD", m.ReadHoldingRegisters(unit=1, address=0, quantity=10)),
    (m.RTU, "11 03 00 6B 00 03 76 87", m.ReadHoldingRegisters(unit=0x11, address=0x6B, quantity=3)),
    (
        m.TCP,
        "00 01 00 00 00 06 11 03 00 6B 00 03",
        m.ReadHoldingRegisters(transaction=1, unit=0x11, address=0x6B, quantity=3),
    ),
    (m.ASCII, b":1103006B00037E\r\n".hex(), m.ReadHoldingRegisters(unit=0x11, address=0x6B, quantity=3)),
    (m.ASCII, b":F7031389000A60\r\n".hex(), m.ReadHoldingRegisters(unit=0xF7, address=0x1389, quantity=10)),
]
"""(framing, bytes, message)"""

SPOILT = [
    ("a wrong CRC", m.RTU, HOST, "07 05 00 02 FF 00 2D 9D", [("write-single-coil", "CRC: found 9D2D, expected 9C2D")]),
    (
        "noise before a frame",
        m.RTU,
        HOST,
        "00 FF 07 05 00 02 FF 00 2D 9C",
        [("unreadable", "no frame whose"), ("write-single-coil", "")],
    ),
    ("cut off", m.RTU, HOST, "07 05 00 02 FF", [("unreadable", "the stream ends inside a frame")]),
    (
        "a coil that is half on",
        m.TCP,
        HOST,
        "0001 0000 0006 07 05 0002 0F00",
        [("write-single-coil", "found 0x0F00, expected 0xFF00")],
    ),
    (
        "too many coils",
        m.TCP,
        HOST,
        "0001 0000 0006 07 01 0000 07D1",
        [("read-coils", "quantity: found 2001, expected 1 to 2000")],
    ),
    (
        "no registers",
        m.TCP,
        HOST,
        "0001 0000 0006 07 03 0000 0000",
        [("read-holding-registers", "quantity: found 0, expected 1 to 125")],
    ),
    (
        "a byte count that disagrees",
        m.TCP,
        HOST,
        "0001 0000 000A 07 10 0000 0002 03 0001 00",
        [("write-multiple-registers", "expected 4 for a quantity of 2")],
    ),
    (
        "a byte count with less behind it",
        m.TCP,
        HOST,
        "0001 0000 0008 07 10 0000 0001 02 00",
        [("write-multiple-registers", "found 2, but 1 bytes follow")],
    ),
    (
        "more than expected",
        m.TCP,
        HOST,
        "0001 0000 0007 07 03 0000 0001 00",
        [("read-holding-registers", "1 bytes more than expected")],
    ),
    ("less than expected", m.TCP, HOST, "0001 0000 0005 07 03 0000 00", [("unreadable", "ends before its quantity")]),
    (
        "another protocol",
        m.TCP,
        HOST,
        "0001 0005 0006 07 03 0000 0001",
        [("read-holding-registers", "protocol: found 5, expected 0")],
    ),
    (
        "an absurd length",
        m.TCP,
        HOST,
        "0001 0000 FFFF 07 03 0002 0000 0006 07 03 0000 0001",
        [("unreadable", "length: found 65535"), ("read-holding-registers", "")],
    ),
    (
        "a request with the error bit",
        m.TCP,
        HOST,
        "0001 0000 0003 07 83 02",
        [("unreadable", "83 is no function code of a request")],
    ),
    (
        "a wrong LRC",
        m.ASCII,
        HOST,
        b":1103006B00037F\r\n".hex(),
        [("read-holding-registers", "LRC: found 7F, expected 7E")],
    ),
    ("small letters", m.ASCII, HOST, b":1103006b00037e\r\n".hex(), [("read-holding-registers", "found small letters")]),
    ("LF alone", m.ASCII, HOST, b":1103006B00037E\n".hex(), [("read-holding-registers", "found LF alone")]),
    ("no hex", m.ASCII, HOST, b":11X3\r\n".hex(), [("unreadable", "pairs of hex digits")]),
    (
        "a colon inside",
        m.ASCII,
        HOST,
        b":1103:1103006B00037E\r\n".hex(),
        [("unreadable", "another colon"), ("read-holding-registers", "")],
    ),
    (
        "noise before a colon",
        m.ASCII,
        HOST,
        b"xy:1103006B00037E\r\n".hex(),
        [("unreadable", "no colon before it"), ("read-holding-registers", "")],
    ),
]
"""(name, framing, who says it, bytes, [(message, a part of its first problem or "" for none)])"""
