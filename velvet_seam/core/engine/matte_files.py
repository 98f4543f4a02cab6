"""A layer's matte as files, for use elsewhere: coverage and foreground, 16-bit PNG at source size."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.engine.engine import MEGABYTE, Engine
from velvet_seam.core.engine.plan import Planner
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.steps import Footage

FULL = 65535


def planes(cut: NDArray[np.uint8]) -> tuple[NDArray[np.uint16], NDArray[np.uint16]]:
    """Coverage, (h, w), and unpremultiplied colour, (h, w, 3) R G B, in 16 bits.

    >>> coverage, colour = planes(np.array([[[100, 50, 0, 128]]], np.uint8))
    >>> coverage.tolist(), colour.tolist()
    ([[32896]], [[[51199, 25600, 0]]])
    """
    alpha = cut[..., 3].astype(np.float64)
    straight = cut[..., :3] / np.maximum(alpha, 1)[..., None]
    colour = np.rint(np.minimum(straight, 1) * FULL).astype(np.uint16)
    return np.rint(alpha / 255 * FULL).astype(np.uint16), colour


def write_mattes(
    shot: Shot, layer_id: str, folder: Path, footage: Callable[[str], Footage],
    frames: range | None = None, each: Callable[[int], None] | None = None,
) -> int:  # fmt: skip
    """Write ``000040-coverage.png`` and ``000040-foreground.png`` for shot frames of a layer.

    What is fixed to the canvas, masks and mattes of other layers, is not part of it.

    Returns:
        How many frames were written.

    Raises:
        Problem: the layer is not there, or has none of the frames.
    """
    layer = shot.layer(layer_id)
    wanted = [
        n for n in (frames or range(layer.span.first, layer.span.last + 1)) if layer.span.holds(n)
    ]
    if not wanted:
        raise Problem(
            f"{layer.name} is in the shot from frame {layer.span.first} to {layer.span.last}; none of "
            "the frames asked for lies there."
        )
    engine = Engine(footage, cache_bytes=256 * MEGABYTE, passing=True)
    planner = Planner(shot, Sheet.of(shot), footage)
    for frame in wanted:
        coverage, colour = planes(engine.picture(planner.cut(layer, frame)))
        for name, plane in (("coverage", coverage), ("foreground", colour[..., ::-1])):
            path = folder / f"{frame:06}-{name}.png"
            part = path.with_name(path.stem + ".part.png")
            if not cv2.imwrite(str(part), plane):
                raise Problem(f"{path.name} could not be written there. What is written stays.")
            part.replace(path)
        if each:
            each(frame)
    return len(wanted)
