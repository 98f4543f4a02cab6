"""Whether a mask cuts through the subject of a key, at other frames than the one it was drawn on."""

from __future__ import annotations

from collections.abc import Sequence
from math import sqrt

import numpy as np
from numpy.typing import NDArray

CUT, TIMES = 0.12, 1.5
"""A mask's edge that runs through the subject for this part of its size more than where it does least, and for
so many times of that, is told of."""

TRACE = 0.02
"""Less of the subject than this, taken or left, is no cut: a nick at its edge, or a trace of it."""


def cut_length(before: NDArray[np.uint8], after: NDArray[np.uint8]) -> float:
    """How long a mask's edge runs through a subject, in parts of the subject's size.

    ``before`` and ``after`` are coverages (rows × columns, 0 to 255) without and with the masks. The
    subject is what is more than half covered before; the edge is where the mask leaves half of it, so
    that a feather counts as a firm edge in its middle. The subject's size is the square root of its
    area. Nothing is cut where the mask passes beside the subject, or leaves (almost) nothing of it.

    >>> whole = np.zeros((40, 40), np.uint8)
    >>> whole[10:30, 10:30] = 255
    >>> half = whole.copy()
    >>> half[:, 20:] = 0
    >>> cut_length(whole, half)  # the edge runs from its top to its bottom
    1.0
    >>> cut_length(whole, whole)
    0.0
    """
    subject = before > 127
    area = int(subject.sum())
    if area < 16:
        return 0.0
    left = subject & (after.astype(np.uint16) * 2 >= before)
    gone = subject & ~left
    if not TRACE <= int(gone.sum()) / area <= 1 - TRACE:
        return 0.0
    edge = (left[1:] & gone[:-1]).sum() + (left[:-1] & gone[1:]).sum()
    edge += (left[:, 1:] & gone[:, :-1]).sum() + (left[:, :-1] & gone[:, 1:]).sum()
    return float(edge) / sqrt(area)


def worst_cut(lengths: Sequence[float]) -> int | None:
    """Which of some frames is cut the most, where it is cut clearly more than others are.

    What is cut alike everywhere is meant so: a stick that a subject is held by, the end of a card.

    >>> worst_cut([0.05, 0.06, 0.5, 0.3])
    2
    >>> worst_cut([0.4, 0.42, 0.41]) is None
    True
    """
    if not lengths:
        return None
    at = max(range(len(lengths)), key=lambda n: lengths[n])
    least = min(lengths)
    return at if lengths[at] > max(least + CUT, least * TIMES) else None
