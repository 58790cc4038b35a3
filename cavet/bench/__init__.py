"""The bench: its file, and the whole set-up put together and running."""

from cavet.bench._file import BenchFile, load_bench
from cavet.bench._plan import BoardPlan, HostPlan, LinkPlan, Plan
from cavet.bench._host_side import HostLink
from cavet.bench._running import Carrier, Endpoint, RunningBench
from cavet.bench._schema import SECTIONS, Key, Section

__all__ = [
    "SECTIONS",
    "BenchFile",
    "BoardPlan",
    "Carrier",
    "Endpoint",
    "HostLink",
    "HostPlan",
    "Key",
    "LinkPlan",
    "Plan",
    "RunningBench",
    "Section",
    "load_bench",
]
