"""Somewhere else than around this machine: an address that a person names, to be asked who is there."""

from __future__ import annotations

import re

from cavet.benchfile import address_problem
from cavet.wording import WrongError
from cavet.workbench.screens.asking import AskScreen


class AddressScreen(AskScreen[str | None]):
    """Asks for an address. It gives it back: of a device, or HOST:PORT."""

    def __init__(self) -> None:
        super().__init__("who is at an address?")
        self.ask("at which address?", hint="HOST:PORT of a board, instrument, broker; or a device, as /dev/ttyUSB0")

    def take(self, answer: str) -> None:
        if answer.startswith("/dev/") or re.fullmatch(r"usb:[0-9A-Fa-f]{4}:[0-9A-Fa-f]{4}", answer):
            self.leave(answer)
            return
        if problem := address_problem(answer.removeprefix("usbip:")):
            raise WrongError("address", found=answer or "nothing", expected=f"{problem}, or a device under /dev")
        self.leave(answer)
