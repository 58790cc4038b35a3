"""What is around this machine, looked at again and again; and who it is, where somebody asks."""

from __future__ import annotations

import asyncio
from time import monotonic
from typing import Any

from cavet.faults import FORESEEN
from cavet.finding import Found, bench_at, nearby, who
from cavet.units import show_duration

NEWS_SECONDS = 60.0


class Around:
    """What is there, and what has come and gone since."""

    PAUSE = 0.5
    """How often it is looked again, in s."""

    def __init__(self) -> None:
        self.found: list[Found] = []
        self.told: dict[str, str] = {}
        """What those said who were asked, by their addresses."""
        self.known: dict[str, dict[str, Any]] = {}
        """The same, as it was learned."""
        self._asked = ""
        self.version = 0
        self._named: list[Found] = []
        self._looked_at: float | None = None
        self._came: dict[str, float] = {}
        self._gone: dict[str, float] = {}

    @property
    def looked(self) -> str:
        """When it was looked, in words."""
        return "looked just now: what comes and goes is marked" if self._looked_at is not None else "looking"

    async def look(self) -> None:
        """Look again, beside the screen."""
        found = [*await asyncio.to_thread(nearby), *self._named]
        first, now = self._looked_at is None, monotonic()
        before, after = ({each.address for each in some} for some in (self.found, found))
        for address in after - before if not first else ():
            self._came[address] = now
            self._gone.pop(address, None)
        for address in before - after:
            self._gone[address] = now
            self._came.pop(address, None)
        if found != self.found or first:
            self.version += 1
        self.found, self._looked_at = found, now

    def news(self) -> dict[str, str]:
        """What came, and what is gone, for a minute."""
        now = monotonic()
        words = {}
        for since, word in ((self._came, "came"), (self._gone, "gone for")):
            for address, at in since.items():
                if now - at < NEWS_SECONDS:
                    ago = show_duration(round(now - at))
                    words[address] = f"+ came {ago} ago" if word == "came" else f"− {word} {ago}"
        return words

    def name(self, address: str) -> None:
        """Something that is not around this machine is to stand among what is."""
        kind = "serial" if address.startswith("/") else "usb" if address.startswith("usb") else "tcp"
        if all(each.address != address for each in self.found):
            self._named.append(Found(kind=kind, address=address, description="named by you"))
            self.found = [*self.found, self._named[-1]]
            self.version += 1

    async def ask(self, address: str) -> None:
        """Ask who is there; what was learned stands in its row."""
        self.told[address] = "asking …"
        self.version += 1
        self._asked = address
        try:
            known = await asyncio.to_thread(lambda: asyncio.run(who(address)))
            self.known[address] = known
            told = [
                known["protocol"],
                known.get("version"),
                known.get("name") or known.get("idn"),
                known.get("product"),
            ]
            if known.get("unit") is not None:
                told.append(f"unit {known['unit']}")
            self.told[address] = ", ".join(str(word) for word in told if word)
        except FORESEEN as error:
            self.told[address] = str(error).partition(": ")[2]
        self._asked = ""
        self.version += 1

    async def learn(self, address: str) -> str:
        """A bench for who is at an address. Raises `WrongError`, `UnreachableError`."""
        self._asked = address
        known = self.known.get(address)
        try:
            return await asyncio.to_thread(lambda: asyncio.run(bench_at(address, "found", known)))
        finally:
            self._asked = ""

    def break_off(self) -> bool:
        """Wait no longer for who was asked; tell whether anybody was."""
        asked, self._asked = self._asked, ""
        if asked in self.told:
            self.told[asked] = "broken off"
            self.version += 1
        return bool(asked)
