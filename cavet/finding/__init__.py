"""Around this machine: what is there, and who it is. Asked with harmless questions only, and never for long."""

from cavet.finding._around import Found, kernel_buses, nearby, serial_ports, usb_devices
from cavet.finding._bench import bench_from
from cavet.finding._learning import bench_at
from cavet.finding._reachable import open_ports, topics_at
from cavet.finding._scan import scan_board, scan_kernel_bus
from cavet.finding._who import PROTOCOLS, Known, Line, who

__all__ = [
    "PROTOCOLS",
    "Found",
    "Known",
    "Line",
    "bench_at",
    "bench_from",
    "kernel_buses",
    "nearby",
    "open_ports",
    "scan_board",
    "scan_kernel_bus",
    "serial_ports",
    "topics_at",
    "usb_devices",
    "who",
]
