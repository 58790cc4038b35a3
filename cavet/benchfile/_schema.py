"""Every table of the bench file. The reader, the documentation and the suggestions all come from these."""

from __future__ import annotations

from cavet.benchfile._broker import BrokerTable
from cavet.benchfile._file_table import FileTable
from cavet.benchfile._links import LinkTable
from cavet.benchfile._point_tables import PointTable
from cavet.benchfile._schema_belief import HostTable
from cavet.benchfile._schema_checks import CheckTable, DelaysTable, RestTable
from cavet.benchfile._schema_truth import BoardTable, ProfileTable, QuantityTable, ReflexTable
from cavet.benchfile._setup import BusWires, SupplyTable
from cavet.benchfile.boards import FIRMWARES
from cavet.benchfile.hosts import DeviceTable
from cavet.boards import Defect, PartSettings
from cavet.settings import Table

OF_FIRMWARES = tuple(dict.fromkeys(table for device in FIRMWARES.values() for table in device.TABLES))
"""The tables of boards that only some firmwares have."""
TABLES: tuple[type[Table], ...] = (
    FileTable, BoardTable, PartSettings, BusWires, SupplyTable, ReflexTable, *OF_FIRMWARES, LinkTable, BrokerTable,
    QuantityTable, Defect, HostTable, DeviceTable, PointTable, ProfileTable, CheckTable, RestTable, DelaysTable,
)  # fmt: skip

__all__ = [
    "TABLES", "BoardTable", "BrokerTable", "BusWires", "CheckTable", "DelaysTable", "DeviceTable", "FileTable",
    "HostTable", "LinkTable", "PointTable", "ProfileTable", "QuantityTable", "ReflexTable", "RestTable",
    "SupplyTable",
]  # fmt: skip
