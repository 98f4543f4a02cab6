"""A frame as roto looks at it: what is compared, and its light for following movement."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.features import SHORT, compared, lab_of, solve_size

F32 = NDArray[np.float32]


@dataclass(frozen=True)
class Seen:
    """``lab``: (h, w, 3) uint8 from :func:`~velvet_seam.core.roto.features.lab_of`; bytes, since many frames are kept.

    ``moved``, where other frames were looked at: (h, w) uint8, the level of what the camera's movement leaves over of each
    pixel, from :func:`~velvet_seam.core.roto.moved.levels`.
    """

    lab: NDArray[np.uint8]
    moved: NDArray[np.uint8] | None = None

    @property
    def f(self) -> F32:
        """What is compared, (h, w, 3) float32."""
        return compared(self.lab)

    @property
    def light(self) -> NDArray[np.uint8]:
        """(h, w) uint8."""
        return np.ascontiguousarray(self.lab[..., 0])

    def within(self, box: tuple[slice, slice]) -> Seen:
        """A part of it."""
        moved = None if self.moved is None else np.ascontiguousarray(self.moved[box])
        return Seen(np.ascontiguousarray(self.lab[box]), moved)

    def halved(self) -> Seen:
        """Its colours at half the size."""
        height, width = self.lab.shape[:2]
        size = (max(1, width // 2), max(1, height // 2))
        return Seen(np.asarray(cv2.resize(self.lab, size, interpolation=cv2.INTER_AREA), np.uint8))

    @property
    def nbytes(self) -> int:
        return self.lab.nbytes + (0 if self.moved is None else self.moved.nbytes)


def seen(picture: NDArray[np.uint8], short: int = SHORT) -> Seen:
    """What is seen of a picture (h, w, 4) uint8, at the size whose short side has so many pixels."""
    height, width = picture.shape[:2]
    return Seen(lab_of(picture, solve_size(height, width, short)))


def flow(here: Seen, there: Seen, smooth: bool = True) -> F32:
    """Where each pixel of one frame lies in another: (h, w, 2) float32, by how many pixels it has moved. By dense inverse
    search (T. Kroeger et al., 2016); it need not be ``smooth`` where it is only where something else begins."""
    if min(here.light.shape) < 16:  # too small for its patches
        return np.zeros((*here.light.shape, 2), np.float32)
    none = np.zeros((*here.light.shape, 2), np.float32)
    finder = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    # less than half the time of what is preset, and regions are carried as well (docs/quality.md)
    finder.setPatchStride(4)
    finder.setGradientDescentIterations(16)
    finder.setVariationalRefinementIterations(2 if smooth else 0)
    return np.asarray(finder.calc(here.light, there.light, none), np.float32)
