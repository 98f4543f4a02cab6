"""Red and blue shifted apart."""

from __future__ import annotations

from math import cos, radians, sin
from typing import Annotated, ClassVar, Literal

import cv2
import numpy as np

from velvet_seam.core.looks.base import Area, Ground, Group, Work
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class ChannelSplit(Area):
    """Red shifted one way, blue the other; green stays. Coverage grows to hold all three."""

    label: ClassVar[str] = "Channel split"
    says: ClassVar[str] = "Red and blue fringes, as of a bad print"
    find: ClassVar[str] = "chromatic aberration rgb glitch print fringe misregistration"
    group: ClassVar[Group] = "surface"

    kind: Literal["channel-split"] = "channel-split"
    apart: Annotated[
        Animated,
        Bounds(0, 1000, "px", "Apart", "How far red and blue lie from green, in pixels of the canvas", step=0.5,
               shown=(0, 60), of="canvas"),
    ] = 8.0  # fmt: skip
    angle: Annotated[
        Animated,
        Bounds(-3600, 3600, "°", "Angle", "In which direction red lies, clockwise from the right", shown=(-180, 180)),
    ] = 0.0  # fmt: skip

    def work(self, at: At, ground: Ground) -> Work | None:
        far, turn = at(self.apart) * ground.per, radians(at(self.angle))
        if not far:
            return None
        return Work(_split, (far * cos(turn), far * sin(turn)))

    def reach(self, at: At) -> float:
        return at(self.apart) + 2


def _moved(plane: Picture, dx: float, dy: float) -> Picture:
    matrix = np.array([[1, 0, dx], [0, 1, dy]])
    size = plane.shape[1], plane.shape[0]
    return np.asarray(
        cv2.warpAffine(
            plane, matrix, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        ),
        np.uint8,
    )


def _split(dx: float, dy: float, picture: Picture) -> Picture:
    red, green, blue, alpha = (np.ascontiguousarray(picture[..., c]) for c in range(4))
    red, blue = _moved(red, dx, dy), _moved(blue, -dx, -dy)
    if alpha.min() < 255:
        alpha = np.maximum(alpha, np.maximum(_moved(alpha, dx, dy), _moved(alpha, -dx, -dy)))
    return np.asarray(cv2.merge([red, green, blue, alpha]), np.uint8)
