"""Modbus: points in tables, at addresses."""

from collections.abc import Sequence
from typing import Annotated, ClassVar

from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.benchfile._values import DataKeys
from cavet.benchfile.hosts._protocol import ON_PINS, Constant, HostProtocol, PointTables
from cavet.hosts import ModbusSession, Point, RegisterPoint
from cavet.protocols.modbus import BITS, TABLES, WRITABLE
from cavet.record import Tell
from cavet.settings import Meaning, Table

WORDS = {"coils": "COIL", "discrete-inputs": "INPUT", "holding-registers": "HOLDING", "input-registers": "REGISTER"}


class ModbusPlace(DataKeys, kw_only=True):
    """Where a point is, with Modbus."""

    ABOUT = "Modbus"
    table: Annotated[str | None, Meaning("in which table", TABLES)] = None
    address: Annotated[int | None, Meaning("where it begins, from 0", low=0, high=65535)] = None


class ModbusProtocol(HostProtocol):
    """Modbus, in any framing."""

    name: ClassVar[str] = "modbus"
    POINT: ClassVar[type[Table]] = ModbusPlace

    def session(self, host: HostSetup, link: LinkSetup, points: Sequence[RegisterPoint], tell: Tell) -> ModbusSession:
        return ModbusSession(host.name, points, host.settings, tell, framing=link.protocol, character=link.byte_seconds)

    def read_point(self, tables: PointTables) -> Point | None:
        place = tables.own(ModbusPlace)
        if place is None:
            return None
        where, address = place.table, place.address
        if not tables.has("table", where, "in which table") or not tables.has("address", address, "where it begins"):
            return None
        assert where is not None and address is not None  # they are there
        if not self._fits_table(tables, where, place.data):
            return None
        form = place.form(where)
        if address + form.size > 0x10000:
            tables.wrong("address", found=address, expected=f"room for {form.size} registers")
            return None
        return RegisterPoint(**tables.common(), table=where, address=address, form=form)

    def _fits_table(self, tables: PointTables, where: str, data: str) -> bool:
        kind = tables.kind
        if kind.is_output and where not in WRITABLE:
            tables.wrong("table", found=where, expected="a table that can be written")
            return False
        is_bit = where in BITS or data == "bit"
        is_text = data == "text" and not is_bit
        if kind in ON_PINS or is_text != kind.is_text or is_bit != kind.is_switch:
            expected = "a single bit" if kind.is_switch else "text in registers" if kind.is_text else "a number"
            found = f"{data} in {where}"
            if kind in ON_PINS:
                found, expected = f"a {kind.value}", f"level, switch, contact or reading: only pins have {kind.value}s"
            tables.wrong("kind", found=found, expected=expected)
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
