"""When two takes show or sound the same: what a line-up in time finds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Reason = Literal["", "silent", "short", "common", "still"]

WORDS: dict[str, str] = {
    "silent": "There is no sound in one of them, or it is silent.",
    "short": "They are too short to be compared.",
    "common": "What they have in common, if anything, cannot be told. Find the same moment in each by hand.",
    "still": "Too little moves in one of them to tell when.",
}  # fmt: skip
"""Why two takes are not lined up in time, in words."""


@dataclass(frozen=True)
class InTime:
    """What was found.

    Attributes:
        offset: seconds; what happens at ``t`` in the first happens at ``t + offset`` in the second.
        sure: whether nothing else fits nearly as well.
        other: the next best offset, where it is not sure.
        likeness: 0 to 1.
        why: the reason where nothing was found.
    """

    offset: float
    sure: bool
    other: float | None
    likeness: float
    why: Reason = ""

    @property
    def found(self) -> bool:
        return not self.why


def nothing(why: Reason) -> InTime:
    return InTime(0.0, False, None, 0.0, why)
