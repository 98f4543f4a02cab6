"""How like each pixel is to what was the subject elsewhere, and to what lay around it: the nearest of either, by colour and
what lies beside a pixel.

A place is looked for around where it should be, first over steps and then about the best place of either side. That a place
is told by what is most like it in a frame whose region is known is the idea of non-local means (A. Buades et al., 2005).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

F32 = NDArray[np.float32]

SIGNS = 8
"""Values of a pixel that are compared."""

AWAY = 0.3
"""What a pixel of distance from where a place should be counts beside a difference of signs, both squared."""

FAR = 1e3
"""The distance to a side of which nothing lies near."""


def signs(f: F32) -> F32:
    """What is compared of what :func:`~velvet_seam.core.roto.features.compared` gives, (h, w, 3): each pixel at half
    weight, the mean of nine, and how light grows to the right and downward; (h, w, 8) float32.

    >>> signs(np.full((2, 2, 3), 8, np.float32))[0, 0].tolist()
    [4.0, 4.0, 4.0, 8.0, 8.0, 8.0, 0.0, 0.0]
    """
    each = cv2.split(f)
    light = each[0] * np.float32(1 / 16)
    slopes = (cv2.Sobel(light, cv2.CV_32F, *way, ksize=3) for way in ((1, 0), (0, 1)))
    halves = (one * np.float32(0.5) for one in each)
    return np.asarray(cv2.merge([*halves, *(cv2.blur(one, (3, 3)) for one in each), *slopes]))


def steepness(f: F32) -> F32:
    """How much everything that is compared changes at each pixel of (h, w, 3): (h, w) float32."""
    grows = [np.abs(cv2.Sobel(f, cv2.CV_32F, *way, ksize=3)) for way in ((1, 0), (0, 1))]
    each = [one[..., c] for one in grows for c in range(3)]
    return np.asarray(each[0] + each[1] + each[2] + each[3] + each[4] + each[5], np.float32)


@dataclass(frozen=True)
class Search:
    """How far around a place is looked, in pixels, and over what steps at first."""

    reach: int
    step: int


@nb.njit(fastmath={"reassoc", "contract", "nsz"}, error_model="numpy")
def _apart(here, y, x, there, v, u):
    """The squared difference of all signs of two pixels, added up in any order: in vectors."""
    total = np.float32(0)
    for c in range(SIGNS):
        off = here[y, x, c] - there[v, u, c]
        total += off * off
    return total


@kernel()
def _nearest(rows, columns, here, there, side, to_y, to_x, reach, step, away, far):
    """The least squared distance of each place to either side; above 0 in ``side`` is the subject."""
    height, width = side.shape
    out = np.empty((2, rows.size), np.float32)
    at = np.empty((2, 2), np.int64)  # the best place of the background and of the subject
    for n in range(rows.size):
        y, x = rows[n], columns[n]
        middle_y, middle_x = (
            min(max(np.int64(np.floor(to_y[n] + np.float32(0.5))), 0), height - 1),
            min(max(np.int64(np.floor(to_x[n] + np.float32(0.5))), 0), width - 1),
        )
        out[0, n] = out[1, n] = far
        for s in range(2):
            at[s, 0], at[s, 1] = middle_y, middle_x
        for turn in range(1 if step == 1 else 3):  # over steps, then about the best of either side
            from_y = middle_y if turn == 0 else at[turn - 1, 0]
            from_x = middle_x if turn == 0 else at[turn - 1, 1]
            over, by = (reach, step) if turn == 0 else (1, 1)
            for dy in range(-over, over + 1, by):
                v = from_y + dy
                if v < 0 or v >= height:
                    continue
                for dx in range(-over, over + 1, by):
                    u = from_x + dx
                    if u < 0 or u >= width:
                        continue
                    total = away * np.float32((v - middle_y) ** 2 + (u - middle_x) ** 2)
                    total += _apart(here, y, x, there, v, u)
                    s = 1 if side[v, u] > 0 else 0
                    if total < out[s, n]:
                        out[s, n] = total
                        at[s, 0], at[s, 1] = v, u
    return out


def nearest(
    where: tuple[NDArray[np.int64], NDArray[np.int64]], here: F32, there: F32, side: F32, to: tuple[F32, F32], search: Search,
) -> tuple[F32, F32]:  # fmt: skip
    """How far apart each of some pixels is, in signs, from the pixel most like it around it, and in the subject.

    Args:
        where: rows and columns of the pixels in ``here``, (n,) each.
        here: (h, w, 8) the signs of the frame that they are in.
        there: (h', w', 8) the signs of the frame that they are looked for in.
        side: (h', w') above 0 where that frame is the subject.
        to: (n,) each, row and column in it around which they are looked for.
        search: how far.

    Returns:
        (n,) float32 each, :data:`FAR` where there is nothing of a side.
    """
    found = _nearest(
        *where, here, there, np.ascontiguousarray(side, np.float32), *(np.ascontiguousarray(one, np.float32) for one in to),
        search.reach, search.step, np.float32(AWAY), np.float32(FAR * FAR),
    )  # fmt: skip
    around, within = np.sqrt(found)
    return around, within
