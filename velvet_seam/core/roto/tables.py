"""How likely a colour is the subject's: tables of colours seen in it and around it."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

F32 = NDArray[np.float32]

BINS = 40
"""Along each of the three axes."""

_WIDE = 320 / BINS
"""Of a bin, in what is compared (:func:`~velvet_seam.core.roto.features.features`), which is below 307."""

_UNKNOWN = 1e-6
"""Part of either side that any colour is, seen or not."""


def bins(f: F32) -> NDArray[np.int32]:
    """The bin that every pixel of what is compared, (h, w, 3), lies in: (h, w) int32."""
    each = np.clip(f * np.float32(1 / _WIDE), 0, BINS - 1).astype(np.int32)
    return np.asarray((each[..., 0] * BINS + each[..., 1]) * BINS + each[..., 2], np.int32)


def table(where: NDArray[np.int32], weight: F32) -> F32:
    """How often each colour is seen, as a part of all, smoothed over neighbouring colours: (bins³,) float32.

    Args:
        where: bins of pixels.
        weight: how much each counts.
    """
    seen = np.bincount(where.ravel(), weight.ravel(), BINS**3).astype(np.float32)
    for _ in range(2):
        seen = _smoothed(seen)
    total = float(seen.sum())
    return seen / np.float32(total) if total > 0 else seen


def _smoothed(seen: F32) -> F32:
    """Means over three bins along every axis: what lies beyond is empty."""

    def along(flat: NDArray[Any], size: tuple[int, int]) -> NDArray[Any]:
        return cv2.blur(np.ascontiguousarray(flat), size, borderType=cv2.BORDER_CONSTANT)

    cube = along(seen.reshape(BINS * BINS, BINS), (3, 1)).reshape(BINS, BINS, BINS)
    turned = along(cube.transpose(1, 0, 2).reshape(BINS, -1), (1, 3)).reshape(BINS, BINS, BINS)
    return np.asarray(
        along(turned.transpose(1, 0, 2).reshape(BINS, -1), (1, 3)).ravel(), np.float32
    )


@kernel()
def _logit(where, keep, drop, unknown, most):
    out = np.empty(where.shape, np.float32)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            b = where[y, x]
            v = np.log((keep[b] + unknown) / (drop[b] + unknown))
            out[y, x] = min(max(v, -most), most)
    return out


def likelier(where: NDArray[np.int32], keep: F32, drop: F32, most: float = 3.0) -> F32:
    """How much likelier each pixel's colour is in the subject than around it: the logarithm, held within ± ``most``;
    (h, w) float32.

    >>> f = np.zeros((1, 2, 3), np.float32)
    >>> f[0, 1] = 200
    >>> at = bins(f)
    >>> tables = [table(at, np.array([[a, 1 - a]], np.float32)) for a in (1, 0)]
    >>> likelier(at, *tables).tolist()
    [[3.0, -3.0]]
    """
    return np.asarray(_logit(where, keep, drop, np.float32(_UNKNOWN), np.float32(most)))
