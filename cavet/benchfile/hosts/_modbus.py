"""Modbus: points in tables, at addresses."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.benchfile._values import DATA_KEYS, value_form
from cavet.benchfile.hosts._protocol import ON_PINS, Constant, HostProtocol, PointTable
from cavet.hosts import ModbusSession, Point, RegisterPoint
from cavet.protocols.modbus import BITS, TABLES
from cavet.record import Tell
from cavet.settings import Key

WRITABLE = ("coils", "holding-registers")
WORDS = {"coils": "COIL", "discrete-inputs": "INPUT", "holding-registers": "HOLDING", "input-registers": "REGISTER"}


class ModbusProtocol(HostProtocol):
    """Modbus, in any framing."""

    name: ClassVar[str] = "modbus"
    HOST_KEYS: ClassVar[tuple[Key, ...]] = (
        Key(
            "unit",
            "whole",
            "Modbus: the unit that it talks to; 0 on a serial line for all at once, who do not answer",
            default=1,
            low=0,
            high=255,
        ),
        Key(
            "turnaround",
            "quantity",
            "Modbus: the pause after what was told to all",
            unit="s",
            default=0.1,
            low=0,
            high=10,
        ),
        Key(
            "in_flight",
            "whole",
            "Modbus over TCP: how many requests may wait for their answers at once",
            default=4,
            low=1,
            high=64,
        ),
        Key(
            "repeat_writes",
            "switch",
            "Modbus: whether a write is sent again when it is not known whether the first one was done",
            default=False,
        ),
    )
    POINT_KEYS: ClassVar[tuple[Key, ...]] = (
        Key("table", "word", "Modbus: in which table", choices=TABLES, default=None),
        Key("address", "whole", "Modbus: where it begins, from 0", default=None, low=0, high=65535),
        *DATA_KEYS,
    )
    PLACES: ClassVar[tuple[str, ...]] = ("table", "address")

    def session(self, host: HostSetup, link: LinkSetup, points: Sequence[RegisterPoint], tell: Tell) -> ModbusSession:
        return ModbusSession(host.name, points, host.settings, tell, framing=link.protocol, character=link.byte_seconds)

    def read_point(self, table: PointTable) -> Point | None:
        if not table.has("table", "in which table") or not table.has("address", "where it begins"):
            return None
        if not self._fits_table(table):
            return None
        form = value_form(table.table)
        address = table.table["address"]
        if address + form.size > 0x10000:
            table.wrong("address", found=address, expected=f"room for {form.size} registers")
            return None
        return RegisterPoint(**table.common(), table=table.table["table"], address=address, form=form)

    def _fits_table(self, table: PointTable) -> bool:
        kind, where, data = table.kind, table.table["table"], table.table["data"]
        if kind.is_output and where not in WRITABLE:
            table.wrong("table", found=where, expected="a table that can be written")
            return False
        is_bit = where in BITS or data == "bit"
        is_text = data == "text" and not is_bit
        if kind in ON_PINS or is_text != kind.is_text or is_bit != kind.is_switch:
            expected = "a single bit" if kind.is_switch else "text in registers" if kind.is_text else "a number"
            found = f"{data} in {where}"
            if kind in ON_PINS:
                found, expected = f"a {kind.value}", f"level, switch, contact or reading: only pins have {kind.value}s"
            table.wrong("kind", found=found, expected=expected)
            return False
        return True

    def limits(self, point: Point, host: HostSetup) -> tuple[float, float]:
        assert isinstance(point, RegisterPoint)
        return point.form.limits

    def constants_of(self, point: RegisterPoint, about: str) -> list[Constant]:
        form = "" if point.is_bit else f"{point.form.kind}, {point.form.word_order}; " if point.size > 1 else (
            f"{point.form.kind}; "
        )  # fmt: skip
        return [Constant(WORDS[point.table], point.address, f"{form}{about}")]

    def constants(self, host: HostSetup) -> list[Constant]:
        return [Constant("UNIT", host.settings.unit, "the board's unit")]
