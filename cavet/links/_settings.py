"""The settings of a serial line."""

from __future__ import annotations

import re

import msgspec

from cavet.wording import WrongError


class SerialSettings(msgspec.Struct, frozen=True):
    """Rate in baud, and the form of a character: data bits, parity (N, E, O), stop bits."""

    rate: int = 57600
    data_bits: int = 8
    parity: str = "N"
    stop_bits: int = 1

    @classmethod
    def parse(cls, rate: int, text: str, place: str = "") -> SerialSettings:
        """Read the usual short form, `8N1`."""
        match = re.fullmatch(r"([5-8])([NEO])([12])", text.upper())
        if match is None:
            raise WrongError(place, found=text, expected="data bits, parity and stop bits, such as 8N1")
        return cls(rate, int(match[1]), match[2], int(match[3]))

    @property
    def form(self) -> str:
        """Its data bits, parity and stop bits, such as 8N1."""
        return f"{self.data_bits}{self.parity}{self.stop_bits}"

    @property
    def byte_seconds(self) -> float:
        """How long a character takes: ten bit times at 8N1."""
        bits = 1 + self.data_bits + (self.parity != "N") + self.stop_bits
        return bits / self.rate
