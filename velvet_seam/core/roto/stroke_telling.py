"""What strokes tell of every pixel of the frame that they are painted on, for a small network to weigh.

Colour, how near a pixel is to either kind of stroke along the picture, and how like what lies under them: each misleads
somewhere. How much each counts where was learnt from strokes of a simulated hand on many things whose coverage is known
(``stroke_telling.npz``; ``python -m bench.fit_strokes`` finds the numbers anew).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.likeness import nearest_marked, signs, steepness

F32 = NDArray[np.float32]
Where = NDArray[np.bool_]

NAMES = (
    "depth", "edge", "nearness", "colour", "colour around", "colour farther around", "stroke colour", "stroke colour around",
    "likeness", "likeness around", "strangeness", "away from keep", "away from drop",
)  # fmt: skip
"""What is told of a pixel, in its order."""

FACTS = len(NAMES)


def facts(
    f: F32, keep: Where, drop: Where, inside: F32, colours: tuple[F32, F32], near: F32
) -> F32:
    """What strokes tell of every pixel.

    Args:
        f: (h, w, 3) what is compared, from :func:`~velvet_seam.core.roto.features.features`.
        keep: (h, w) where strokes keep.
        drop: (h, w) where they drop, or what is taken for that.
        inside: (h, w) how far inside the region that was found by plain rules each pixel is, in pixels.
        colours: (h, w) how much likelier its colour is the subject's, within ± 3, by that region and by strokes alone.
        near: (h, w) how near it is to what is kept rather than to what is dropped, 1 to 0.

    Returns:
        (h · w, :data:`FACTS`) float32, each within about ± 1.
    """
    learnt, own = (one / np.float32(3) for one in colours)
    on, off = (nearest_marked(signs(f), one) for one in (keep, drop))
    like = (off - on) / (off + on + np.float32(3))
    steep = steepness(f)
    wide = np.float32(0.15 * min(f.shape[:2]))
    away = [
        np.tanh(cv2.distanceTransform((~one).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5) / wide)
        for one in (keep, drop)
    ]

    def around(plane: F32, size: int) -> F32:
        return np.asarray(cv2.blur(plane, (size, size)), np.float32)

    every = (
        np.clip(inside, -16, 16) / np.float32(16), np.tanh(steep / (2 * steep.mean() + np.float32(1e-3))), 2 * near - 1,
        learnt, around(learnt, 5), around(learnt, 15), own, around(own, 5),
        like, around(like, 5), np.tanh(np.minimum(on, off) / np.float32(20)), *away,
    )  # fmt: skip
    return np.stack([one.ravel() for one in every], 1, dtype=np.float32)
