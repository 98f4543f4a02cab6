"""What a blend says of itself, and the formulas that all of them stand on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numba as nb
import numpy as np

Formula = Callable[..., Any]

formula = nb.njit(inline="always", error_model="numpy")
"""Of a formula on float32: it is drawn into the loops that call it, so that they run in vectors."""

Cuts = Literal["", "inside", "outside", "bright", "dark", "either"]


@dataclass(frozen=True)
class Blend:
    """One way in which a layer joins what lies below it.

    With backdrop colour Cb, backdrop coverage αb, source colour Cs and source coverage αs, all 0 to 1, and
    the formula B (*Compositing and Blending Level 1*, W3C)::

        Cs' = (1 − αb)·Cs + αb·B(Cb, Cs)
        co  = αs·Cs' + (1 − αs)·αb·Cb          (source-over, premultiplied result)
        αo  = αs + αb·(1 − αs)

    Args:
        name: in documents; the first sixteen as in the specification.
        title, group, says: on screen: what it is called, where it stands on the wall, what it does.
        channel: B of one channel, ``(Cb, Cs)``.
        whole: B of a whole colour, ``(red, green, blue of the backdrop, of the source)``, instead.
        at_once: what it changes of a backdrop b that is wholly covered, by ``(b, s, α)`` with s = α·Cs
            premultiplied; so many times itself where s and α are. It needs no division, since α can be
            multiplied out: b + α·(B(b, Cs) − b). None where that does not help.
        black_idle: black changes nothing of what is wholly covered.
        cuts: it has no formula, and cuts what lies below by the layer's coverage or brightness.
    """

    name: str
    title: str
    group: str
    says: str
    channel: Formula | None = None
    whole: Formula | None = None
    at_once: Formula | None = None
    black_idle: bool = False
    cuts: Cuts = ""


@formula
def lum(r, g, b):
    """Luma of the specification."""
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@formula
def set_lum(r, g, b, to):
    """SetLum of the specification, with ClipColor; without branches, for vectors."""
    zero, one, tiny = np.float32(0), np.float32(1), np.float32(1e-9)
    d = to - lum(r, g, b)
    r, g, b = r + d, g + d, b + d
    low = min(r, g, b)
    k = to / max(to - low, tiny) if low < zero else one
    r, g, b = to + (r - to) * k, to + (g - to) * k, to + (b - to) * k
    high = max(r, g, b)
    k = (one - to) / max(high - to, tiny) if high > one else one
    return to + (r - to) * k, to + (g - to) * k, to + (b - to) * k


@formula
def set_sat(r, g, b, sat):
    """SetSat of the specification: the spread of the channels becomes ``sat``."""
    low = min(r, g, b)
    spread = max(r, g, b) - low
    k = sat / spread if spread > np.float32(0) else np.float32(0)
    return (r - low) * k, (g - low) * k, (b - low) * k
