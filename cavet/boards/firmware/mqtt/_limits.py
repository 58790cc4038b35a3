"""What a broker allows its clients, so that none of them can take it down."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from cavet.protocols.mqtt import MAX_PACKET_BYTES


class BrokerSettings(msgspec.Struct, frozen=True, kw_only=True):
    """Who may come in, and how much of everything there may be. Sizes in bytes, times in seconds."""

    users: Mapping[str, str] = {}
    """Passwords by user names; with none, everyone may come in."""
    clients: int = 500
    sessions: int = 1000
    """Kept ones are counted too."""
    packet: int = MAX_PACKET_BYTES
    """The longest packet that it takes: no longer than the decoder keeps."""
    queue: int = 10_000
    """Messages that wait for one client."""
    queue_bytes: int = 1 << 24
    held_bytes: int = 1 << 28
    """For all clients together."""
    retained: int = 10_000
    retained_bytes: int = 1 << 26
    subscriptions: int = 1000
    """For one client."""
    received: int = 100
    """Messages of QoS 2 from one client of version 5 that it has not released."""
    aliases: int = 16
    flying: int = 1000
    """Messages to one client that it has not acknowledged."""
    connect_within: float = 10.0
    """How long it may take until a client says who it is."""

    def admits(self, user: str | None, password: bytes | None) -> bool:
        """Whether a user may come in."""
        if not self.users:
            return True

        import hmac  # here: it brings the system's cryptography along, and most brokers let everybody in

        known = self.users.get(user or "")
        right = hmac.compare_digest((known or "").encode(), password or b"")
        return right and known is not None
