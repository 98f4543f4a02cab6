"""Sharpening."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.looks.base import Area, Ground, Work
from velvet_seam.core.picture.gaussian import blurred
from velvet_seam.core.picture.mixing import apart
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class Sharpen(Area):
    """What a picture has more than its own blur is added again (an unsharp mask)."""

    label: ClassVar[str] = "Sharpen"
    says: ClassVar[str] = "Crisper edges and detail"
    find: ClassVar[str] = "unsharp crisp detail clarity"

    kind: Literal["sharpen"] = "sharpen"
    amount: Annotated[
        Animated, Bounds(0, 500, "%", "Amount", "How much of the detail is added", shown=(0, 200))
    ] = 60.0
    radius: Annotated[
        Animated,
        Bounds(0.2, 200, "px", "Radius", "How coarse what counts as detail is; large ones make shapes stand out",
               step=0.1, shown=(0.2, 20), of="canvas"),
    ] = 2.0  # fmt: skip

    def work(self, at: At, ground: Ground) -> Work | None:
        amount, sigma = at.part(self.amount), at(self.radius) * ground.per
        if not amount or sigma <= 0.2:
            return None
        return Work(_sharpened, (amount, sigma))

    def reach(self, at: At) -> float:
        return 3 * at(self.radius)


def _sharpened(amount: float, sigma: float, picture: Picture) -> Picture:
    soft = blurred(np.ascontiguousarray(picture), sigma)
    return apart(picture, soft, amount)
