"""The host's ends of links, by what a link is and where its board is to be found."""

from __future__ import annotations

from cavet.benchfile import UsbDevice
from cavet.benchfile._setup import LinkSetup, Setup, split_address
from cavet.links import SCHEMES, HostEnd, SerialEnd, TcpClientEnd, UrlEnd, UsbEnd, UsbIpEnd

USUAL_OUT, USUAL_IN = 0x02, 0x81


def over_memory(setup: Setup, link: LinkSetup, host: HostEnd) -> HostEnd:
    """The end of a wire in memory; a USB device is one that is exported over it."""
    return UsbIpEnd(host, *_usb_endpoints(setup, link)) if link.kind == "usb" else host


def elsewhere(setup: Setup, link: LinkSetup, address: str) -> HostEnd:
    """The end of a link that leaves this process, to an address."""
    if link.kind == "usb":
        return _usb_end(setup, link, address)
    if link.kind == "buses":
        from cavet.links.system_bus import SystemBusEnd  # here, since few hosts have buses of the system

        return SystemBusEnd(address, link.spi)
    if link.kind == "serial":
        return UrlEnd(address, link.settings) if address.startswith(SCHEMES) else SerialEnd(address, link.settings)
    where, port = split_address(address)
    return TcpClientEnd(where, port, link.tls.client(f"links.{link.name}") if link.tls is not None else None)


def _usb_endpoints(setup: Setup, link: LinkSetup) -> tuple[int, int]:
    """The endpoints that hear and say: those of the board that is described, else the usual ones."""
    board = setup.boards.get(link.board)
    if board is None or not isinstance(board.device, UsbDevice):
        return USUAL_OUT, USUAL_IN
    return board.device.identity.out_endpoint, board.device.identity.in_endpoint


def _usb_end(setup: Setup, link: LinkSetup, address: str) -> HostEnd:
    out, in_ = _usb_endpoints(setup, link)
    if address.startswith("usbip:"):
        host_name, port = split_address(address.removeprefix("usbip:"))
        return UsbIpEnd(TcpClientEnd(host_name, port), out, in_)
    return UsbEnd(address, out, in_)
