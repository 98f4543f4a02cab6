"""Light wrap."""

from __future__ import annotations

from typing import Annotated, ClassVar

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.around.base import AroundBase, Drawn, coverage
from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.gaussian import blurred
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class LightWrap(AroundBase):
    """The blurred light of what lies below spills over the layer's rim, inside its coverage.

    c' = c + w · L · (α − c), with L the blurred light below and w = strength · min(1, 2(1 − A)), A the blurred
    coverage: so c ≤ c' ≤ α always, and deep inside nothing changes.
    """

    label: ClassVar[str] = "Light wrap"
    says: ClassVar[str] = "The light behind it spills over its rim"
    find: ClassVar[str] = "spill rim background light edge blend in"

    width: Annotated[
        Animated,
        Bounds(0, 500, "px", "Width", "How far over the rim the light comes", shown=(0, 80), of="canvas"),
    ] = 24.0  # fmt: skip
    strength: Annotated[
        Animated,
        Bounds(0, 300, "%", "Strength", "How much of the light comes over", shown=(0, 150)),
    ] = 60.0

    def drawn(self, at: At, per: float) -> Drawn | None:
        return None

    def wrapping(self, at: At, per: float) -> tuple[float, float] | None:
        """The deviation of its blurs in pixels, and its strength; None where it does nothing."""
        sigma, strength = at(self.width) * per / 2, at.part(self.strength)
        return (sigma, strength) if self.on and sigma > 0.2 and strength > 0 else None

    def reach(self, at: At) -> float:
        return 1.5 * at(self.width) + 2


@nb.njit(error_model="numpy")
def _wrap_row(row, light, soft, strength, to):
    one, two, half, unit = np.float32(1), np.float32(2), np.float32(0.5), np.float32(1 / 255)
    byte = np.uint32(255)
    for x in range(row.size):
        w = strength * min(one, two * (one - np.float32(np.int32(soft[x])) * unit)) * unit
        v, b = row[x], light[x]
        a = v >> np.uint32(24)
        cover = np.float32(np.int32(a))
        made = a
        for shift in (np.uint32(16), np.uint32(8), np.uint32(0)):
            c = np.float32(np.int32((v >> shift) & byte))
            c += min(w * np.float32(np.int32((b >> shift) & byte)), one) * (cover - c)
            made = made << np.uint32(8) | np.uint32(np.int32(c + half))
        to[x] = made


@kernel(parallel=True)
def _wrap(words, light, soft, strength):
    out = np.empty_like(words)
    for y in nb.prange(words.shape[0]):
        _wrap_row(words[y], light[y], soft[y], strength, out[y])
    return out


def wrapped(
    sigma: float,
    strength: float,
    patch: Patch | None,
    below: NDArray[np.uint8],
    left: int,
    top: int,
) -> Patch | None:
    """A patch with the light of a picture that lies below it spilling over its rim; ``left`` and ``top`` are the
    place of that picture's first pixel."""
    if patch is None:
        return None
    around = int(np.ceil(3 * sigma)) + 1
    h, w = patch.pixels.shape[:2]
    soft = blurred(coverage(patch, around), sigma, extend=False)[around:-around, around:-around]
    # beyond its edge what lies below goes on as it ends
    rows = np.arange(patch.top - top - around, patch.top - top + h + around).clip(0, len(below) - 1)
    columns = np.arange(patch.left - left - around, patch.left - left + w + around)
    columns = columns.clip(0, below.shape[1] - 1)
    if rows[-1] - rows[0] + 1 == len(rows) and columns[-1] - columns[0] + 1 == len(columns):
        piece = below[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    else:
        piece = below[rows[:, None], columns]
    light = blurred(np.ascontiguousarray(piece), sigma)[around:-around, around:-around]
    words, lit = (
        np.ascontiguousarray(one).view(np.uint32)[..., 0] for one in (patch.pixels, light)
    )
    made = np.asarray(_wrap(words, lit, np.ascontiguousarray(soft), np.float32(strength)))
    return Patch(patch.left, patch.top, made.view(np.uint8).reshape(h, w, 4))
