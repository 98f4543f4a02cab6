"""When several takes show or sound the same: each against the first, and what is not sure by way of another one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from velvet_seam.core.register.in_time import InTime


@dataclass(frozen=True)
class Tied:
    """How one of several takes lies in time.

    Attributes:
        through: which take it was compared with: 0, the first, or one that is tied itself.
        found: what happens at ``t`` in that one happens at ``t + offset`` in this one.
    """

    through: int
    found: InTime


def tied(count: int, compare: Callable[[int, int], InTime]) -> dict[int, Tied]:
    """How the takes 1 to ``count - 1`` lie against take 0: a sure one, through as few others as can be; or, where there
    is none, what comparing it with take 0 said, which is not sure or says why it cannot be told.

    Two recorders that were never on at once are tied through a third that ran beside both.

    >>> def compare(a, b):
    ...     beside = abs(a - b) == 1
    ...     return InTime(1.0, beside, None, 0.9 if beside else 0.0, "" if beside else "common")
    >>> {n: one.through for n, one in tied(4, compare).items()}
    {1: 0, 2: 1, 3: 2}
    """
    sure: dict[int, Tied] = {}
    direct: dict[int, Tied] = {}
    known = [0]
    for through in known:  # grows while it is gone through
        for one in range(1, count):
            if one in sure:
                continue
            found = compare(through, one)
            if through == 0:
                direct[one] = Tied(0, found)
            if found.found and found.sure:
                sure[one] = Tied(through, found)
                known.append(one)
    return direct | sure
