"""What reaches beyond a layer's own edge: made of the layer as it lies on the canvas, after masks and crop."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.filled import filled
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import bounds_of
from velvet_seam.core.words import Part

Plane = NDArray[np.uint8]


@dataclass(frozen=True)
class Drawn:
    """What is drawn around a layer: ``function``, called with ``args`` and with the layer's patch, gives a patch;
    joined by a ``blend``, ``under`` the layer or over it. By the ``whole`` edge: it is called with :class:`Lies` and,
    after the patch, with one of all of the layer, too."""

    function: Callable[..., Patch | None]
    args: tuple[Any, ...]
    under: bool = True
    blend: str = "normal"
    whole: bool = False


@dataclass(frozen=True)
class Lies:
    """Where a picture of a ``size`` lies on one of all of the layer: ``left`` and ``top`` of its first pixel there, in
    pixels of that one, of which ``across`` and ``down`` go to one of its own; and where the layer's own top left
    ``corner`` is there."""

    size: tuple[int, int]
    left: float
    top: float
    across: float
    down: float
    corner: tuple[float, float]


class AroundBase(Part):
    """One thing around a layer. All lengths are pixels of the canvas."""

    label: ClassVar[str]
    says: ClassVar[str]
    find: ClassVar[str] = ""

    on: bool = False

    def drawn(self, at: At, per: float) -> Drawn | None:
        """What it draws at a frame, with ``per`` pixels to a pixel of the canvas; None where that is nothing."""
        raise NotImplementedError

    def reach(self, at: At) -> float:
        """How far beyond the layer's edge it reaches, canvas pixels."""
        raise NotImplementedError

    def by_whole_edge(self, at: At) -> bool:
        """Whether it depends on all of the layer's edge, also where that is not seen."""
        return False

    def numbers(self) -> tuple[str, ...]:
        """The names of its values."""
        return _numbers(type(self))


@cache
def _numbers(kind: type[AroundBase]) -> tuple[str, ...]:
    return tuple(name for name in kind.model_fields if bounds_of(kind, name))


def coverage(patch: Patch, around: int) -> Plane:
    """The coverage of a patch, with so many clear pixels around it."""
    alpha = cv2.extractChannel(patch.pixels, 3)
    wide = cv2.copyMakeBorder(alpha, around, around, around, around, cv2.BORDER_CONSTANT, value=0)
    return np.asarray(wide, np.uint8)


def painted(left: int, top: int, plane: Plane, rgb: tuple[int, int, int]) -> Patch:
    """A plane of coverage in one colour, as a patch."""
    return Patch(left, top, filled(plane, rgb))


def fainter(plane: Plane, part: float) -> Plane:
    """A plane at part of its coverage."""
    if part >= 1:
        return plane
    table = np.rint(np.arange(256) * max(part, 0.0)).astype(np.uint8)
    return np.asarray(cv2.LUT(plane, table), np.uint8)


Placing = Literal["outside", "centred", "inside"]
