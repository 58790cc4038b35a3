"""The bench file: its keys, reading it and what is wrong with it, changing and saving it; the set-up it comes to."""

from cavet.benchfile._bus_reading import line_names
from cavet.benchfile._check_reading import CheckSettings, DelaysCheck, RestCheck
from cavet.benchfile._editing import Edits, edited
from cavet.benchfile._elsewhere import as_recorded, with_addresses
from cavet.benchfile._file import BenchFile, check_text, load_bench
from cavet.benchfile._file_table import ENDING, name_of, stem_of
from cavet.benchfile._kernel_reading import GPIO, I2C, SERIAL, SPI, KernelDevice, is_device_path, kernel_device
from cavet.benchfile._places import find_places
from cavet.benchfile._plan_file import PlanFile, load_plan, read_plan_text, shipped_plans
from cavet.benchfile._profiles import find_profile, shipped_profiles
from cavet.benchfile._reloading import changes_between
from cavet.benchfile._renaming import renamed, renamed_text, section_of, sort_of
from cavet.benchfile._schema import TABLES
from cavet.benchfile._schema_plan import PLAN_TABLES
from cavet.benchfile._setup import OWN, BoardSetup, HostSetup, LinkSetup, Setup, address_problem, split_address
from cavet.benchfile._starting import KINDS as START_KINDS
from cavet.benchfile._starting import start_text
from cavet.benchfile._tables import bench_rows, board_rows, constants, register_rows
from cavet.benchfile._toml import read_text
from cavet.benchfile.boards import (
    FIRMWARES,
    Device,
    FormatDevice,
    ModbusDevice,
    Place,
    PlaceKey,
    PlaceKind,
    ScpiDevice,
    StationDevice,
    UsbDevice,
)
from cavet.benchfile.hosts import PROTOCOLS, Constant, line_share

__all__ = [
    "ENDING",
    "FIRMWARES",
    "GPIO",
    "I2C",
    "OWN",
    "PLAN_TABLES",
    "PROTOCOLS",
    "SERIAL",
    "SPI",
    "START_KINDS",
    "TABLES",
    "BenchFile",
    "BoardSetup",
    "CheckSettings",
    "Constant",
    "DelaysCheck",
    "Device",
    "Edits",
    "FormatDevice",
    "HostSetup",
    "KernelDevice",
    "LinkSetup",
    "ModbusDevice",
    "Place",
    "PlaceKey",
    "PlaceKind",
    "PlanFile",
    "RestCheck",
    "ScpiDevice",
    "Setup",
    "StationDevice",
    "UsbDevice",
    "address_problem",
    "as_recorded",
    "bench_rows",
    "board_rows",
    "changes_between",
    "check_text",
    "constants",
    "edited",
    "find_places",
    "find_profile",
    "is_device_path",
    "kernel_device",
    "line_names",
    "line_share",
    "load_bench",
    "load_plan",
    "name_of",
    "read_plan_text",
    "read_text",
    "register_rows",
    "renamed",
    "renamed_text",
    "section_of",
    "shipped_plans",
    "shipped_profiles",
    "sort_of",
    "split_address",
    "start_text",
    "stem_of",
    "with_addresses",
]
