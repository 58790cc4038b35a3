"""What a broker keeps of a client, over any number of its connections.

Source: MQTT 5.0, section 4.1; MQTT 3.1.1, section 3.1.2.4.
"""

from __future__ import annotations

from math import inf
from typing import TYPE_CHECKING

import msgspec

from cavet.boards.firmware.mqtt._limits import BrokerSettings
from cavet.messaging import Outbox, Publication

if TYPE_CHECKING:
    from cavet.boards.firmware.mqtt._visitor import Visitor


FOR_EVER = 0xFFFFFFFF
"""A session that does not expire. Source: 5.0, section 3.1.2.11.2."""


class Delivery(msgspec.Struct, frozen=True, gc=False):
    """How one message goes to one client: with the retain flag or not, by which of its numbered subscriptions."""

    retain: bool = False
    numbers: tuple[int, ...] = ()


PLAIN = Delivery()


class BrokerSession:
    """One client's subscriptions, and its messages on both ways."""

    def __init__(self, client_id: str, settings: BrokerSettings) -> None:
        self.client_id = client_id
        self.visitor: Visitor | None = None
        """Its connection, while there is one."""
        self.filters: set[str] = set()
        self.outbox: Outbox[Delivery] = Outbox(settings.queue, settings.queue_bytes)
        self.received: set[int] = set()
        """Identifiers of QoS 2 messages that it has sent and not released."""
        self.keeps = 0.0
        """How long it is kept behind its connection, in seconds; `inf` for as long as the broker is there."""
        self.ends_at = inf
        self.left_at = 0.0
        """When its last connection was shut."""
        self.will: Publication | None = None
        self.will_delay = 0.0
        self.will_lasts = inf
        self.will_at = inf

    def end_in(self, seconds: float) -> bool:
        """Take up how long it is to be kept from now on, below 0 for as before; tell whether it may be: none that was
        not to be kept can be then. Source: 5.0, section 3.14.2.2.2."""
        if seconds > 0 and not self.keeps:
            return False
        if seconds >= 0:
            self.keeps = inf if seconds == FOR_EVER else seconds
        return True

    @property
    def due(self) -> float:
        """When something is to be done about it."""
        return min(self.ends_at, self.will_at)
