"""How long a test waits for what has to come, and how it tries what has to be quick.

A busy machine may make anything late, so nothing is taken for lost before it is very late; and what has to be quick
may fail to be so some times, but not every time.
"""

PATIENCE = 300.0
"""Seconds that a test waits for what has to come."""

TRIES = 4


def quickest(attempt, seconds):
    """The least of what `attempt` takes, in seconds, of as many tries as it needs to be below `seconds`."""
    least = attempt()
    for _ in range(TRIES - 1):
        if least < seconds:
            break
        least = min(least, attempt())
    return least
