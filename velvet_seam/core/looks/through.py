"""What a part of a look acts through: the coverage or the brightness of another layer, or the brightness of its own
picture. So light is laid where a lantern shines, or where a sheet of clouds is bright."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.picture.gaussian import blurred
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Id, Part


class Through(Part):
    """Where a part acts, and how strongly: as much as a layer covers, or as bright as it is.

    ``layer`` is another layer of the shot, where it lies on the canvas; None is the picture that the part works on.
    """

    layer: Id | None = None
    of: Literal["coverage", "brightness"] = "brightness"
    invert: bool = False
    spread: Annotated[
        Animated,
        Bounds(0, 1000, "px", "Spread", "How soft its edge is where the part acts", shown=(0, 200), of="canvas"),
    ] = 0.0  # fmt: skip


def let_through(sigma: float, invert: bool, plane: Plane) -> Plane:
    """A plane spread by a Gaussian of so many pixels, and turned round."""
    soft = blurred(plane, sigma) if sigma > 0.05 else plane
    return np.asarray(255 - soft, np.uint8) if invert else soft
