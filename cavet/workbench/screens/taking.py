"""What is around is taken into the bench: as the place of a link that is there, or as a board of its own."""

from __future__ import annotations

from typing import Any

from cavet.benchfile import BenchFile, LinkSetup
from cavet.workbench.screens.asking import AskScreen
from cavet.workbench.wiring.changing import Change, changed

PLACES = {"serial": "port", "tcp": "address", "i2c": "i2c", "usb": "address"}
"""What is around, by the key of a link that says where it is."""
KINDS = {"serial": "serial", "tcp": "tcp", "i2c": "buses", "usb": "usb"}
LEARN = "a board of its own, from what it tells"


class TakeScreen(AskScreen[Change | str | None]):
    """Asks what it is to this bench. It gives back the bench with it, or `LEARN`."""

    def __init__(self, file: BenchFile, kind: str, address: str, known: dict[str, Any] | None) -> None:
        super().__init__(f"take in {address}")
        self._file = file
        self._kind = kind
        self._address = address.removeprefix("usb:") if kind == "usb" else address
        self._known = known or {}
        self._links: list[LinkSetup] = [link for link in file.setup.links.values() if link.kind == KINDS.get(kind)]
        links = [f"the place of the link {link.name}, to the {link.board}" for link in self._links]
        self.ask("what is it to this bench?", [*links, *([LEARN] if kind in ("serial", "tcp") else [])])

    @property
    def can_be_answered(self) -> bool:
        """Whether there is anything that it can be."""
        return bool(self._choices)

    def take(self, answer: str) -> None:
        if answer == LEARN:
            self.leave(LEARN)
            return
        link = self._links[self._cursor]
        changes: list[tuple[tuple[str, ...], Any]] = [(("links", link.name, PLACES[self._kind]), self._address)]
        if self._kind == "serial" and "baud" in self._known:
            changes.append((("links", link.name, "rate"), self._known["baud"]))
        words = f"{link.name} goes to {self._address}"
        self.leave(Change(changed(self._file, changes), words, board=link.board))
