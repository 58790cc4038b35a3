"""Messages on their way to the other side, kept until it has them for certain.

Sources: MQTT 5.0, sections 4.3, 4.4 and 4.9; MQTT 3.1.1, sections 4.3 and 4.4.
"""

from __future__ import annotations

from collections import deque
from typing import Generic, TypeVar

import msgspec

from cavet.messaging._publication import Publication

R = TypeVar("R")
MAX_PACKET_ID = 0xFFFF


class Flight(msgspec.Struct, Generic[R]):
    """A message that was sent with an identifier, or waits to be. `ref` is its sender's own."""

    publication: Publication
    ref: R
    qos: int
    withdrawn: bool = False
    """Whether it is not worth being sent again, once the other side knows nothing of it."""
    released: bool = False
    """Whether the other side has said that it received it: from then on only its release is sent."""


class Outbox(Generic[R]):
    """A queue, and behind it what was sent and is not acknowledged: at most `quota` at a time.

    `most` and `most_bytes` bound what waits; a message beyond them is not taken.
    """

    def __init__(self, most: int, most_bytes: int) -> None:
        self.quota = MAX_PACKET_ID
        self.flying: dict[int, Flight[R]] = {}
        """By packet identifier, in the order in which they were sent first."""
        self.reserved: set[int] = set()
        """Identifiers in use for something else: subscriptions."""
        self.held = 0
        """About how many bytes wait."""
        self._most = most
        self._most_bytes = most_bytes
        self._waiting: deque[Flight[R]] = deque()
        self._last = 0

    @property
    def waits(self) -> int:
        """How many messages were not sent yet."""
        return len(self._waiting)

    def post(self, publication: Publication, qos: int, ref: R) -> bool:
        """Put a message behind those that wait; give whether there was room."""
        if len(self._waiting) >= self._most or self.held + publication.size > self._most_bytes:
            return False
        self._waiting.append(Flight(publication, ref, qos))
        self.held += publication.size
        return True

    @property
    def ready(self) -> bool:
        """Whether the next one may be sent."""
        return bool(self._waiting) and (not self._waiting[0].qos or len(self.flying) < self.quota)

    def depart(self) -> tuple[int | None, Flight[R]]:
        """Take the next one out, with its packet identifier where it needs one."""
        flight = self._waiting.popleft()
        self.held -= flight.publication.size
        if not flight.qos:
            return None, flight
        packet_id = self.free_id()
        self.flying[packet_id] = flight
        return packet_id, flight

    def free_id(self) -> int:
        """The next identifier that is not in use. Source: [MQTT-2.2.1-3]."""
        while True:
            self._last = self._last % MAX_PACKET_ID + 1
            if self._last not in self.flying and self._last not in self.reserved:
                return self._last

    def settle(self, packet_id: int, *, qos: int) -> Flight[R] | None:
        """A message of this QoS is acknowledged for good; give it, `None` where there is none such."""
        flight = self.flying.get(packet_id)
        if flight is None or flight.qos != qos:
            return None
        return self.flying.pop(packet_id)

    def release(self, packet_id: int) -> Flight[R] | None:
        """A message of QoS 2 was received; give it, `None` where there is none such."""
        flight = self.flying.get(packet_id)
        if flight is None or flight.qos != 2:
            return None
        flight.released = True
        return flight

    def take_back(self) -> list[Flight[R]]:
        """The other side knows nothing of them any more: what was sent waits again, before the others. Give those that
        it had received already, which can't be sent again without doubling them."""
        flights = list(self.flying.values())
        self.flying.clear()
        again = [flight for flight in flights if not flight.released and not flight.withdrawn]
        self._waiting.extendleft(reversed(again))
        self.held += sum(flight.publication.size for flight in again)
        return [flight for flight in flights if flight.released]

    def withdraw(self, ref: R) -> None:
        """What was posted for `ref` is not wanted any more: it is sent no more, unless the other side waits for it."""
        for flight in self.flying.values():
            flight.withdrawn = flight.withdrawn or flight.ref is ref
        kept = [flight for flight in self._waiting if flight.ref is not ref]
        self._waiting = deque(kept)
        self.held = sum(flight.publication.size for flight in kept)
