"""USB 2.0: the requests of the control pipe and the descriptors. Source: USB specification, revision 2.0, chapter 9."""

from cavet.protocols.usb import _ip as ip
from cavet.protocols.usb._codec import CODEC, DataStage, StatusStage, TransferData, control_answer
from cavet.protocols.usb._descriptors import (
    ConfigurationDescriptor,
    DeviceDescriptor,
    EndpointDescriptor,
    InterfaceDescriptor,
    StringDescriptor,
    encode_descriptor,
)
from cavet.protocols.usb._requests import REQUESTS, SETUP_BYTES, Carried, Request, SetAddress, Setup, read_setup

__all__ = [
    "CODEC",
    "REQUESTS",
    "SETUP_BYTES",
    "Carried",
    "ConfigurationDescriptor",
    "DataStage",
    "DeviceDescriptor",
    "EndpointDescriptor",
    "InterfaceDescriptor",
    "Request",
    "SetAddress",
    "Setup",
    "StatusStage",
    "StringDescriptor",
    "TransferData",
    "control_answer",
    "encode_descriptor",
    "ip",
    "read_setup",
]
