"""Two records laid beside one another: what happened in both, what only in one, and what at another time."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from cavet.record import Event, Value
from cavet.wording import counted, digits

Key = tuple[object, ...]


class Difference(msgspec.Struct, frozen=True):
    """What two records do not have in common. `same_until` is when the first of that happened, in s; `None` where
    nothing differs. `later` has what is in both, with by how many seconds it came later in the second one."""

    same_until: float | None
    only_a: tuple[Event, ...]
    only_b: tuple[Event, ...]
    later: tuple[tuple[Event, float], ...]

    @property
    def count(self) -> int:
        """How many events differ."""
        return len(self.only_a) + len(self.only_b) + len(self.later)

    @property
    def words(self) -> str:
        """Up to when they are the same, and how much differs then, if anything does."""
        if self.same_until is None:
            return "the same"
        differ = "differs" if self.count == 1 else "differ"
        return f"the same up to {digits(self.same_until, 8)} s, then {counted(self.count, 'event')} {differ}"


def compare(a: Iterable[Event], b: Iterable[Event], within: float = 0.0, shift: float = 0.0) -> Difference:
    """Compare what happened, without numbers, causes and notes. Times are the same when they differ by no more than
    `within`, in s; those of the second have `shift` added first.

    Of what happened several times, those at the same times go together first, then the others in their order.
    """
    of_a, of_b = _sorted(a, 0.0), _sorted(b, shift)
    only_a: list[Event] = []
    only_b: list[Event] = []
    later: list[tuple[Event, float]] = []
    for key in of_a.keys() | of_b.keys():
        left, right = _unmatched(of_a.get(key, []), of_b.get(key, []), within)
        both = min(len(left), len(right))
        later += [(one, t - one.t) for (_, one), (t, _) in zip(left, right, strict=False)]
        only_a += [event for _, event in left[both:]]
        only_b += [event for _, event in right[both:]]
    times = [event.t for event in only_a] + [event.t + shift for event in only_b]
    times += [min(event.t, event.t + by) for event, by in later]
    return Difference(
        min(times, default=None), _ordered(only_a), _ordered(only_b),
        tuple(sorted(later, key=lambda pair: pair[0].number)),
    )  # fmt: skip


def _ordered(events: list[Event]) -> tuple[Event, ...]:
    return tuple(sorted(events, key=lambda event: event.number))


Timed = list[tuple[float, Event]]


def _sorted(events: Iterable[Event], shift: float) -> dict[Key, Timed]:
    found: dict[Key, Timed] = {}
    for event in events:
        found.setdefault(_key(event), []).append((event.t + shift, event))
    return found


def _key(event: Event) -> Key:
    return (event.kind, event.board, event.topic, event.subject, *_exact(event.value), event.purpose, event.reason)


def _exact(value: Value) -> tuple[object, object]:
    """A value by which `true`, 1 and 1.0 are three."""
    return type(value).__name__, value


def _unmatched(a: Timed, b: Timed, within: float) -> tuple[Timed, Timed]:
    """What has nothing at its time on the other side."""
    left: Timed = []
    right: Timed = []
    i = j = 0
    while i < len(a) and j < len(b):
        apart = b[j][0] - a[i][0]
        if abs(apart) <= within + 1e-9:
            i, j = i + 1, j + 1
        elif apart > 0:
            left.append(a[i])
            i += 1
        else:
            right.append(b[j])
            j += 1
    return left + a[i:], right + b[j:]
