"""The bench: its file, and the whole set-up put together and running."""

from cavet.bench._building import BROKER
from cavet.bench._diagnosis import Diagnosis, StageState
from cavet.bench._file import BenchFile, load_bench
from cavet.bench._host_side import HostLink
from cavet.bench._naming import AddressNames, address_names
from cavet.bench._plan import OWN, BoardPlan, HostPlan, LinkPlan, Plan, address_problem
from cavet.bench._running import Carrier, Endpoint, RunningBench
from cavet.bench._schema import SECTIONS, Key, Section
from cavet.bench._standing import Standing, Standings

__all__ = [
    "BROKER",
    "OWN",
    "SECTIONS",
    "AddressNames",
    "BenchFile",
    "BoardPlan",
    "Carrier",
    "Diagnosis",
    "Endpoint",
    "HostLink",
    "HostPlan",
    "Key",
    "LinkPlan",
    "Plan",
    "RunningBench",
    "Section",
    "StageState",
    "Standing",
    "Standings",
    "address_names",
    "address_problem",
    "load_bench",
]
