"""All rules, in the order in which their remarks are told; and what is well where none of them has anything to say."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from cavet.benchfile import Setup
from cavet.remarks._around import Around
from cavet.remarks._buses import addresses_twice, devices_at_nothing, pull_ups
from cavet.remarks._links import lines_too_slow, rates_differ, told_too_late, topics_differ, units_differ, units_twice
from cavet.remarks._pins import (
    converters_differ,
    inputs_float,
    inverted,
    modes_missing,
    outputs_against_each_other,
    pins_overloaded,
    pins_shared,
)
from cavet.remarks._points import (
    parts_without_point,
    points_at_nothing,
    points_swapped,
    points_to_another,
    starts_differ,
    units_of_values_differ,
)
from cavet.remarks._power import failsafes_trip, no_failsafe, reversals_without_pause, supplies_shared
from cavet.remarks._remark import Remark, Weight

Rule = Callable[[Around], Iterator[Remark]]
RULES: dict[Rule, str] = {
    points_swapped: "no points are crossed",
    points_to_another: "points lead to the parts that they name",
    points_at_nothing: "something is where each point is",
    devices_at_nothing: "each device is believed to be where it is",
    topics_differ: "topics are spelled alike",
    rates_differ: "both ends of each line run at one rate",
    units_differ: "each host asks the unit that its board is",
    units_of_values_differ: "numbers are in one unit at both ends",
    lines_too_slow: "lines have room for answers",
    told_too_late: "hosts wait until their boards tell",
    units_twice: "no two boards answer as one unit",
    modes_missing: "modes fit their pins",
    converters_differ: "readings count as their converters do",
    pins_shared: "each pin has one part",
    outputs_against_each_other: "no output against another",
    inputs_float: "no input floats",
    inverted: "on means on",
    pins_overloaded: "no pin and no board carries too much",
    supplies_shared: "what moves has its own supply",
    addresses_twice: "addresses on the buses differ",
    pull_ups: "the buses' edges are quick enough",
    starts_differ: "host and board start alike",
    reversals_without_pause: "bridges pause before they turn",
    no_failsafe: "what is heavy stops when its link is lost",
    failsafes_trip: "no failsafe takes a silent host for gone",
    parts_without_point: "each part has a point",
}
"""Each rule, and what is so where it has nothing to say."""
WEIGHTS = (Weight.WRONG, Weight.DOUBTFUL, Weight.NOTE)


def remarks_on(setup: Setup) -> list[Remark]:
    """What is to be said of a bench, what is wrong first."""
    around = Around(setup)
    found = [remark for rule in RULES for remark in rule(around)]
    return sorted(found, key=lambda remark: WEIGHTS.index(remark.weight))


def well(setup: Setup) -> list[str]:
    """What was looked at, and is well; nothing where there is nothing yet to look at."""
    if not setup.boards and not setup.links:
        return []
    around = Around(setup)
    return [words for rule, words in RULES.items() if next(iter(rule(around)), None) is None]
