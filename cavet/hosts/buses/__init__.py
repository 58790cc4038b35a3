"""The host's belief of what hangs on a bus: drivers that turn points into transactions."""

from cavet.hosts._picture import HELP, Picture, as_rows, read_picture, turned
from cavet.hosts.buses._calls import NO_ANSWER, Call, Calls, SpiPlace
from cavet.hosts.buses._driver import DeviceSettings, Driver, Owner
from cavet.hosts.buses._expander import ExpanderDriver
from cavet.hosts.buses._fleet import ON_SPI, Fleet
from cavet.hosts.buses._matrix import ChainDriver, MatrixDriver
from cavet.hosts.buses._panel import PanelDriver

__all__ = [
    "HELP",
    "NO_ANSWER",
    "ON_SPI",
    "Call",
    "Calls",
    "ChainDriver",
    "DeviceSettings",
    "Driver",
    "ExpanderDriver",
    "Fleet",
    "MatrixDriver",
    "Owner",
    "PanelDriver",
    "Picture",
    "SpiPlace",
    "as_rows",
    "read_picture",
    "turned",
]
