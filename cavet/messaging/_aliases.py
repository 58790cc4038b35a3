"""Topic aliases of version 5: numbers that stand for topics, one set in each direction, as long as a connection lasts.

Source: MQTT 5.0, section 3.3.2.3.4.
"""

from __future__ import annotations

from cavet.messaging._publication import find_property
from cavet.protocols.mqtt import Property


class AliasError(Exception):
    """An alias that must not be, or that stands for nothing: with the reason code for it."""

    def __init__(self, code: int, what: str) -> None:
        super().__init__(what)
        self.code = code


class AliasesIn:
    """What the other side's aliases stand for."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._topics: dict[int, str] = {}

    def resolve(self, topic: str, properties: tuple[Property, ...]) -> str:
        """The topic that is meant. Raises `AliasError`."""
        alias = find_property(properties, "topic_alias")
        if not isinstance(alias, int):
            return topic
        if not 1 <= alias <= self._most:
            raise AliasError(0x94, f"topic alias {alias}, expected 1 to {self._most}")  # [MQTT-3.2.2-18], [-3.1.2-27]
        if topic:
            self._topics[alias] = topic
        elif alias not in self._topics:
            raise AliasError(0x82, f"topic alias {alias} stands for nothing yet")
        return self._topics[alias]


class AliasesOut:
    """Our own aliases: the first topics that are said get one each, as many as the other side takes."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._numbers: dict[str, int] = {}

    def shorten(self, topic: str) -> tuple[str, tuple[Property, ...]]:
        """What to say for a topic: itself or nothing, and the property with its alias where it has one."""
        number = self._numbers.get(topic)
        if number is not None:
            return "", (Property("topic_alias", number),)
        if len(self._numbers) >= self._most:
            return topic, ()
        self._numbers[topic] = number = len(self._numbers) + 1
        return topic, (Property("topic_alias", number),)

    def take_back(self, topic: str) -> None:
        """The packet that was to give this topic its alias was not sent: the other side does not know of it."""
        if self._numbers and next(reversed(self._numbers)) == topic:
            del self._numbers[topic]
