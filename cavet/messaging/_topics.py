"""A tree of topics: which filters fit a topic, and which topics fit a filter.

Sources: MQTT 5.0 and 3.1.1, section 4.7.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterator
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")
MAX_FOUND = 1000
MAX_LEVELS = 200
"""So many levels of a topic or a filter are kept; a tree that strangers feed must not grow without bound."""


def levels_of(topic: str) -> list[str]:
    """The levels of a topic name or filter."""
    return topic.split("/")


class _Node(Generic[K, V]):
    __slots__ = ("children", "values")

    def __init__(self) -> None:
        self.children: dict[str, _Node[K, V]] = {}
        self.values: dict[K, V] = {}


class TopicTree(Generic[K, V]):
    """Values under filters (or under topics), each with a key that tells it from others at the same place."""

    def __init__(self) -> None:
        self._root: _Node[K, V] = _Node()
        self._found: dict[str, list[V]] = {}
        """What fitted the topics that were asked for since the last change."""

    def put(self, path: str, key: K, value: V) -> bool:
        """Keep a value; give whether there was none of this key at this place before."""
        self._found.clear()
        node = self._root
        for level in levels_of(path):
            child = node.children.get(level)
            if child is None:
                child = node.children[level] = _Node()
            node = child
        new = key not in node.values
        node.values[key] = value
        return new

    def get(self, path: str, key: K) -> V | None:
        """The value of this key at exactly this place."""
        node = self._root
        for level in levels_of(path):
            child = node.children.get(level)
            if child is None:
                return None
            node = child
        return node.values.get(key)

    def drop(self, path: str, key: K) -> bool:
        """Keep it no longer, nor the branches that hold nothing then; give whether it was there."""
        way = [self._root]
        levels = levels_of(path)
        for level in levels:
            child = way[-1].children.get(level)
            if child is None:
                return False
            way.append(child)
        if way[-1].values.pop(key, None) is None:
            return False
        self._found.clear()
        for node, level in zip(reversed(way[:-1]), reversed(levels), strict=True):
            child = node.children[level]
            if child.values or child.children:
                break
            del node.children[level]
        return True

    def fitting(self, topic: str) -> list[V]:
        """The values under all filters that fit a topic, as `_look` finds them."""
        found = self._found.get(topic)
        if found is None:
            if len(self._found) >= MAX_FOUND:
                self._found.clear()
            found = self._found[topic] = self._look(topic)
        return found

    def _look(self, topic: str) -> list[V]:
        """The values under all filters that fit a topic.

        A wildcard at the beginning fits no topic that begins with `$`. Source: [MQTT-4.7.2-1].
        """
        found: list[V] = []
        nodes = [self._root]
        levels = levels_of(topic)
        hidden = topic.startswith("$")
        for place, level in enumerate(levels):
            following: list[_Node[K, V]] = []
            for node in nodes:
                children = node.children
                if not children:
                    continue
                child = children.get(level)
                if child is not None:
                    following.append(child)
                if hidden and place == 0:
                    continue
                child = children.get("+")
                if child is not None:
                    following.append(child)
                child = children.get("#")
                if child is not None:
                    found += child.values.values()
            nodes = following
            if not nodes:
                return found
        for node in nodes:
            found += node.values.values()
            child = node.children.get("#")  # it stands for the parent level too
            if child is not None:
                found += child.values.values()
        return found

    def under(self, wanted: str) -> Iterator[V]:
        """The values at all topics that a filter fits."""
        levels = levels_of(wanted)
        nodes = [(self._root, True)]
        for place, level in enumerate(levels):
            if level == "#":
                for node, first in nodes:
                    yield from _all_under(node, skip_hidden=first)
                return
            following = []
            for node, first in nodes:
                if level == "+":
                    following += [
                        (child, False) for name, child in node.children.items() if not (first and name.startswith("$"))
                    ]
                elif level in node.children:
                    following.append((node.children[level], False))
            nodes = following
            if place == len(levels) - 1:
                for node, _ in nodes:
                    yield from node.values.values()


def _all_under(top: _Node[K, V], *, skip_hidden: bool) -> Iterator[V]:
    """All values at a node and below it, without calling itself: a topic may have very many levels."""
    waiting = [top]
    while waiting:
        node = waiting.pop()
        yield from node.values.values()
        waiting += [
            child for name, child in node.children.items() if not (skip_hidden and node is top and name.startswith("$"))
        ]


def fits(wanted: str, topic: str) -> bool:
    """Whether a filter fits a topic."""
    tree: TopicTree[int, bool] = TopicTree()
    tree.put(wanted, 0, True)
    return bool(tree.fitting(topic))
