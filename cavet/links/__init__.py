"""What carries the bytes: serial devices, pseudo-terminals, TCP, and wires in memory; paced, and able to lose."""

from cavet.links._coming import Coming
from cavet.links._dial import DialEnd
from cavet.links._end import BoardEnd, Caller, ControlEnd, HostEnd, Listener, NamedEnd, StalledError, Welcome
from cavet.links._ledger import Ledger, Passage, event_at
from cavet.links._memory import MemoryBoard, MemoryLink
from cavet.links._pty import PtyEnd
from cavet.links._remote import RemotePort
from cavet.links._serial import SerialEnd
from cavet.links._settings import SerialSettings
from cavet.links._shared import SharedLine
from cavet.links._tap import Tap, TappedEnd
from cavet.links._tcp import SEVERAL, TcpClientEnd, TcpServerEnd, host_port
from cavet.links._tls import Tls
from cavet.links._url import SCHEMES, UrlEnd
from cavet.links._usb import UsbEnd, words
from cavet.links._usbip import UsbIpEnd
from cavet.links._usbip_client import exported_in
from cavet.links._wire import Losses, Wire

__all__ = [
    "SCHEMES",
    "SEVERAL",
    "BoardEnd",
    "Caller",
    "Coming",
    "ControlEnd",
    "DialEnd",
    "HostEnd",
    "Ledger",
    "Listener",
    "Losses",
    "MemoryBoard",
    "MemoryLink",
    "NamedEnd",
    "Passage",
    "PtyEnd",
    "RemotePort",
    "SerialEnd",
    "SerialSettings",
    "SharedLine",
    "StalledError",
    "Tap",
    "TappedEnd",
    "TcpClientEnd",
    "TcpServerEnd",
    "Tls",
    "UrlEnd",
    "UsbEnd",
    "UsbIpEnd",
    "Welcome",
    "Wire",
    "event_at",
    "exported_in",
    "host_port",
    "words",
]
