"""Encoders. Source: protocol description 2.7, "Encoder"."""

from __future__ import annotations

from typing import Annotated

from cavet.protocols._message import Range
from cavet.protocols.firmata._messages import Pin, SysexMessage
from cavet.protocols.firmata._packed import Part, Positions
from cavet.protocols.firmata._pieces import Number

ENCODER = 0x61


class EncoderMessage(SysexMessage, frozen=True, kw_only=True):
    """A message about encoders."""

    COMMAND = ENCODER


class EncoderAttach(EncoderMessage, frozen=True, kw_only=True):
    """Put an encoder on two pins."""

    NAME = "encoder-attach"
    LAYOUT = (Part(0x00), Number("encoder"), Number("pin_a"), Number("pin_b"))
    encoder: Annotated[int, Range(0, 63)]
    pin_a: Pin
    pin_b: Pin


class EncoderReportPosition(EncoderMessage, frozen=True, kw_only=True):
    """Ask where an encoder stands."""

    NAME = "encoder-report-position"
    LAYOUT = (Part(0x01), Number("encoder"))
    encoder: Annotated[int, Range(0, 63)]


class EncoderReportPositions(EncoderMessage, frozen=True, kw_only=True):
    """Ask where all encoders stand."""

    NAME = "encoder-report-positions"
    LAYOUT = (Part(0x02),)


class EncoderReset(EncoderMessage, frozen=True, kw_only=True):
    """Count from 0 again."""

    NAME = "encoder-reset"
    LAYOUT = (Part(0x03), Number("encoder"))
    encoder: Annotated[int, Range(0, 63)]


class EncoderReportAuto(EncoderMessage, frozen=True, kw_only=True):
    """Tell at every sampling interval where all encoders stand, or no more."""

    NAME = "encoder-report-auto"
    LAYOUT = (Part(0x04), Number("value"))
    value: Annotated[int, Range(0, 1)]


class EncoderDetach(EncoderMessage, frozen=True, kw_only=True):
    """Take an encoder off its pins."""

    NAME = "encoder-detach"
    LAYOUT = (Part(0x05), Number("encoder"))
    encoder: Annotated[int, Range(0, 63)]


class EncoderPosition(EncoderMessage, frozen=True, kw_only=True):
    """Where encoders stand."""

    NAME = "encoder-position"
    LAYOUT = (Positions("positions"),)
    positions: Annotated[tuple[tuple[int, int], ...], Positions.written()]
