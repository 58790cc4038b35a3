"""USB 2.0: the requests of the control pipe and the descriptors. Source: USB specification, revision 2.0, chapter 9."""

from cavet.protocols.usb import _ip as ip
from cavet.protocols.usb._codec import CODEC
from cavet.protocols.usb._descriptors import (
    ConfigurationDescriptor,
    DeviceDescriptor,
    EndpointDescriptor,
    InterfaceDescriptor,
    StringDescriptor,
    encode_descriptor,
)
from cavet.protocols.usb._requests import SETUP_BYTES, Carried, Setup, read_setup

__all__ = [
    "CODEC",
    "SETUP_BYTES",
    "Carried",
    "ConfigurationDescriptor",
    "DeviceDescriptor",
    "EndpointDescriptor",
    "InterfaceDescriptor",
    "Setup",
    "StringDescriptor",
    "encode_descriptor",
    "ip",
    "read_setup",
]
