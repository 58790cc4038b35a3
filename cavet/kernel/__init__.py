"""Programs of others on simulated buses: what they ask of the kernel's devices is answered by a bench.

A small shim in C stands before the C library's calls (`shim/`, compiled with the machine's own compiler at first use).
It hands what is done with a mapped device over a Unix socket to a server beside the bench, which answers as the
kernel's documents say.
"""

from cavet.kernel._mapping import Mapping, mappings_of
from cavet.kernel._serving import kernel_devices

__all__ = ["Mapping", "kernel_devices", "mappings_of"]
