"""Who gets what: subscriptions, shared ones too, and retained messages.

Sources: MQTT 5.0, sections 3.3.1.3, 3.8.3.1, 4.7 and 4.8; MQTT 3.1.1, sections 3.3.1.3 and 4.7.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

import msgspec

from cavet.boards.firmware.mqtt._limits import BrokerSettings
from cavet.boards.firmware.mqtt._packet_rules import Reason
from cavet.boards.firmware.mqtt._session import PLAIN, BrokerSession, Delivery
from cavet.messaging import MAX_LEVELS, Publication, TopicTree, levels_of
from cavet.protocols.mqtt import Filter

SHARE = "$share/"
NO_LOCAL, AS_PUBLISHED = 0x04, 0x08
Deliver = Callable[[BrokerSession, Publication, int, Delivery], bool]
"""Hands a message over to a session, at a QoS; gives whether it was taken."""
Copy = tuple[int, bool, tuple[int, ...]]
"""How a client gets a message: at most at this QoS, with the retain flag or not, with these subscriptions' numbers."""


class Subscription(msgspec.Struct, frozen=True, eq=False):
    """One client's wish for a filter. `options` is its byte as in version 5; `number` its identifier, 0 for none."""

    session: BrokerSession
    options: int
    number: int

    @property
    def qos(self) -> int:
        """The greatest quality of service with which it is served."""
        return self.options & 3


class Group:
    """A shared subscription: each message goes to one of its members, in turn."""

    def __init__(self) -> None:
        self._members: dict[str, Subscription] = {}

    def put(self, subscription: Subscription) -> bool:
        new = subscription.session.client_id not in self._members
        self._members[subscription.session.client_id] = subscription
        return new

    def drop(self, client_id: str) -> bool:
        return self._members.pop(client_id, None) is not None

    @property
    def empty(self) -> bool:
        """Whether nobody is in it any more."""
        return not self._members

    def choose(self) -> Subscription | None:
        """The one whose turn it is: of those that are connected; if none is, of those whose sessions are kept."""
        chosen = next((one for one in self._members.values() if one.session.visitor is not None), None)
        chosen = chosen or next(iter(self._members.values()), None)
        if chosen is not None:  # it goes to the end of the line
            self._members[chosen.session.client_id] = self._members.pop(chosen.session.client_id)
        return chosen


class Post:
    """Passes messages on."""

    def __init__(self, settings: BrokerSettings, deliver: Deliver) -> None:
        self._settings = settings
        self._deliver = deliver
        self._wanted: TopicTree[tuple[str, str], Subscription | Group] = TopicTree()
        self._kept: TopicTree[str, Publication] = TopicTree()
        self._kept_count = self._kept_bytes = 0

    # subscriptions

    def subscribe_to(
        self, session: BrokerSession, filters: Iterable[Filter], version: int, number: int
    ) -> tuple[list[int], list[tuple[str, int]]]:
        """Take up subscriptions; give the code of each, and the filters whose retained messages are due, with their
        quality. Source: 5.0, section 3.8.3.1."""
        codes: list[int] = []
        new = []
        for wanted in filters:
            there = wanted.filter in session.filters
            is_full = not there and len(session.filters) >= self._settings.subscriptions
            if is_full or len(levels_of(wanted.filter)) > MAX_LEVELS:
                codes.append(Reason.TOO_MANY)
                continue
            options = wanted.options if version == 5 else wanted.options & 3
            self.subscribe(session, wanted.filter, options, number)
            codes.append(options & 3)
            handling = options >> 4 & 3
            if handling == 0 or (handling == 1 and not there):
                new.append((wanted.filter, options & 3))
        return codes, new

    def subscribe(self, session: BrokerSession, wanted: str, options: int, number: int) -> bool:
        """Keep a subscription in the place of one of the same filter; give whether there was none."""
        session.filters.add(wanted)
        subscription = Subscription(session, options, number)
        name, path = _share(wanted)
        if not name:
            return self._wanted.put(path, ("", session.client_id), subscription)
        group = self._wanted.get(path, (name, ""))
        if not isinstance(group, Group):
            group = Group()
            self._wanted.put(path, (name, ""), group)
        return group.put(subscription)

    def unsubscribe(self, session: BrokerSession, wanted: str) -> bool:
        """End a subscription; give whether there was one."""
        session.filters.discard(wanted)
        name, path = _share(wanted)
        if not name:
            return self._wanted.drop(path, ("", session.client_id))
        group = self._wanted.get(path, (name, ""))
        if not isinstance(group, Group):
            return False
        there = group.drop(session.client_id)
        if group.empty:
            self._wanted.drop(path, (name, ""))
        return there

    def forget(self, session: BrokerSession) -> None:
        """End all of a session's subscriptions."""
        for wanted in list(session.filters):
            self.unsubscribe(session, wanted)

    # messages

    def pass_on(self, publication: Publication, sender: BrokerSession | None, now: float) -> int:
        """Give a message to all who want it; give how many copies were taken. Keep it, if it is to be retained.

        A client gets one copy for all its own subscriptions, and one more for each shared one in which it is its
        turn. Source: 5.0, sections 3.3.4 and 4.8.2.
        """
        if publication.retain:
            self._retain(publication, now)
        found = self._wanted.fitting(publication.topic)
        if not found:
            return 0
        if len(found) == 1 and isinstance(found[0], Subscription) and not publication.retain:
            return self._pass_to_one(found[0], publication, sender)
        own: dict[BrokerSession, Copy] = {}
        shared: list[tuple[BrokerSession, Copy]] = []
        for one in found:
            if isinstance(one, Group):
                if chosen := one.choose():
                    shared.append((chosen.session, _copy(chosen, publication.retain)))
            elif not (one.options & NO_LOCAL and one.session is sender):
                copy, older = _copy(one, publication.retain), own.get(one.session)
                own[one.session] = _merged(older, copy) if older is not None else copy
        count = 0
        for session, (qos, retain, numbers) in (*own.items(), *shared):
            delivery = Delivery(retain, numbers) if retain or numbers else PLAIN
            count += self._deliver(session, publication, min(qos, publication.qos), delivery)
        return count

    def _pass_to_one(self, only: Subscription, publication: Publication, sender: BrokerSession | None) -> int:
        if only.options & NO_LOCAL and only.session is sender:
            return 0
        delivery = Delivery(False, (only.number,)) if only.number else PLAIN
        return self._deliver(only.session, publication, min(only.qos, publication.qos), delivery)

    def _retain(self, publication: Publication, now: float) -> None:
        """An empty payload ends it. Source: [MQTT-3.3.1-6], [MQTT-3.3.1-7] (5.0), [MQTT-3.3.1-10] (3.1.1)."""
        older = self._kept.get(publication.topic, "")
        if older is not None:
            self._drop_kept(older)
        fits = self._kept_count < self._settings.retained
        if publication.payload and fits and self._kept_bytes + publication.size <= self._settings.retained_bytes:
            self._kept.put(publication.topic, "", publication)
            self._kept_count += 1
            self._kept_bytes += publication.size

    def _drop_kept(self, publication: Publication) -> None:
        self._kept.drop(publication.topic, "")
        self._kept_count -= 1
        self._kept_bytes -= publication.size

    def retained(self, wanted: str, now: float) -> Iterator[Publication]:
        """The retained messages for a new subscription; a shared one gets none. Source: 5.0, section 4.8.2."""
        if _share(wanted)[0]:
            return
        for publication in list(self._kept.under(wanted)):
            if publication.expires > now:
                yield publication
            else:
                self._drop_kept(publication)


def _copy(subscription: Subscription, retain: bool) -> Copy:
    numbers = (subscription.number,) if subscription.number else ()
    return subscription.qos, retain and bool(subscription.options & AS_PUBLISHED), numbers


def _merged(one: Copy, other: Copy) -> Copy:
    """Two subscriptions of one client that fit: one message, at the higher QoS, with the numbers of both."""
    return max(one[0], other[0]), one[1] or other[1], one[2] + other[2]


def _share(wanted: str) -> tuple[str, str]:
    """The name of a shared subscription, "" for others; and the filter itself."""
    if not wanted.startswith(SHARE):
        return "", wanted
    name, _, path = wanted[len(SHARE) :].partition("/")
    return f"{SHARE}{name}", path
