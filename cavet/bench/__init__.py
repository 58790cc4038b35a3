"""The bench: its file, and the whole set-up put together and running."""

from cavet.bench._asking import (
    LOOK_SECONDS,
    MOVE_SECONDS,
    Heard,
    ask_and_follow,
    check_link,
    read_afresh,
    until_ready,
    value_for,
)
from cavet.bench._building import BROKER, build_world
from cavet.bench._bus_reading import line_names
from cavet.bench._by_hand import Answer
from cavet.bench._check_reading import CheckPlan, DelaysPlan, RestPlan
from cavet.bench._devices import ModbusPlan, ScpiPlan
from cavet.bench._diagnosis import Diagnosis, StageState
from cavet.bench._editing import Edits, edited
from cavet.bench._elsewhere import with_addresses
from cavet.bench._endpoint import Carrier, Endpoint, places_of, simulated_boards, variables_of
from cavet.bench._file import BenchFile, check_text, load_bench, write_whole
from cavet.bench._format_reading import FormatPlan
from cavet.bench._host_side import HostLink
from cavet.bench._kernel_reading import GPIO, I2C, SERIAL, SPI, KernelDevice, is_device_path, kernel_device
from cavet.bench._meaning import Meanings, Telling, meanings
from cavet.bench._meddling import FAULTS
from cavet.bench._naming import AddressNames, address_names
from cavet.bench._origins import SIDES, LinkStream, LinkStreams, Origins
from cavet.bench._past import PastBench, PastStandings
from cavet.bench._places import find_places
from cavet.bench._plan import OWN, BoardPlan, HostPlan, LinkPlan, Plan, address_problem, split_address
from cavet.bench._plan_file import PlanFile, load_plan, read_plan_text, shipped_plans
from cavet.bench._profiles import find_profile, shipped_profiles
from cavet.bench._reloading import changes_between
from cavet.bench._renaming import renamed, renamed_text, section_of, sort_of
from cavet.bench._running import RunningBench
from cavet.bench._saying import Said, find_host, say
from cavet.bench._schema import SECTIONS, Key, Section
from cavet.bench._schema_plan import PLAN_SECTIONS
from cavet.bench._spoiling import LOOKS as SPOILING_LOOKS
from cavet.bench._spoiling import Spoiling, read_spoiling, request_in, spoiled
from cavet.bench._spoken import ONE_AT_A_TIME, Spoken, UsbSpoken, spoken
from cavet.bench._standing import Standing, Standings
from cavet.bench._starting import KINDS as START_KINDS
from cavet.bench._starting import start_text
from cavet.bench._svd import SvdReader
from cavet.bench._tables import Constant, bench_rows, board_rows, constants, register_rows
from cavet.bench._tape import LinkTape, Placed, Tape
from cavet.bench._then import PastTrails
from cavet.bench._thread import BenchThread, LoopThread
from cavet.bench._toml import read_text
from cavet.bench._walk import Walk, Walked

__all__ = [
    "BROKER",
    "FAULTS",
    "GPIO",
    "I2C",
    "LOOK_SECONDS",
    "MOVE_SECONDS",
    "ONE_AT_A_TIME",
    "OWN",
    "PLAN_SECTIONS",
    "SECTIONS",
    "SERIAL",
    "SIDES",
    "SPI",
    "SPOILING_LOOKS",
    "START_KINDS",
    "AddressNames",
    "Answer",
    "BenchFile",
    "BenchThread",
    "BoardPlan",
    "Carrier",
    "CheckPlan",
    "Constant",
    "DelaysPlan",
    "Diagnosis",
    "Edits",
    "Endpoint",
    "FormatPlan",
    "Heard",
    "HostLink",
    "HostPlan",
    "KernelDevice",
    "Key",
    "LinkPlan",
    "LinkStream",
    "LinkStreams",
    "LinkTape",
    "LoopThread",
    "Meanings",
    "ModbusPlan",
    "Origins",
    "PastBench",
    "PastStandings",
    "PastTrails",
    "Placed",
    "Plan",
    "PlanFile",
    "RestPlan",
    "RunningBench",
    "Said",
    "ScpiPlan",
    "Section",
    "Spoiling",
    "Spoken",
    "StageState",
    "Standing",
    "Standings",
    "SvdReader",
    "Tape",
    "Telling",
    "UsbSpoken",
    "Walk",
    "Walked",
    "address_names",
    "address_problem",
    "ask_and_follow",
    "bench_rows",
    "board_rows",
    "build_world",
    "changes_between",
    "check_link",
    "check_text",
    "constants",
    "edited",
    "find_host",
    "find_places",
    "find_profile",
    "is_device_path",
    "kernel_device",
    "line_names",
    "load_bench",
    "load_plan",
    "meanings",
    "places_of",
    "read_afresh",
    "read_plan_text",
    "read_spoiling",
    "read_text",
    "register_rows",
    "renamed",
    "renamed_text",
    "request_in",
    "say",
    "section_of",
    "shipped_plans",
    "shipped_profiles",
    "simulated_boards",
    "sort_of",
    "split_address",
    "spoiled",
    "spoken",
    "start_text",
    "until_ready",
    "value_for",
    "variables_of",
    "with_addresses",
    "write_whole",
]
