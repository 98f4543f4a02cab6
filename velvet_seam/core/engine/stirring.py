"""Where a layer is at a frame: its place, and what arrival, leave and stirring make of it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from velvet_seam.core.passages import Ground, Spot, way_of
from velvet_seam.core.passages.base import Size
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.motion import Stir
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.ease import eased
from velvet_seam.core.timing.noise import noise, smooth_noise


def spot_at(layer: Layer, frame: float, rate: float, size: Size, canvas: Size) -> Spot:
    """Where a layer is at a shot frame, or between two.

    Args:
        size: width and height of its source in source pixels.
        canvas: of the canvas.
    """
    at = At(frame - layer.span.first)
    place = layer.place
    x, y = at(place.x), at(place.y)
    scale, rotation = at.part(place.scale), at(place.rotation)
    spot, ground = Spot(x, y, scale, rotation), Ground(size, canvas)
    for passage, apart in ((layer.arrive, at.frame), (layer.leave, layer.span.last - frame)):
        apart += passage.done
        frames = at(passage.frames)
        if passage.way == "cut" or apart >= frames:
            continue
        here = eased(passage.ease, min(max(apart / frames, 0), 1))
        spot = way_of(passage.way).at(spot, here, passage is layer.arrive, ground)
    if layer.stir.still:
        return spot
    dx, dy, turn, light = stirred(layer.stir, at, rate, layer.age)
    return replace(
        spot,
        x=spot.x + dx,
        y=spot.y + dy,
        rotation=spot.rotation + turn,
        opacity=spot.opacity * light,
    )


def stirred(stir: Stir, at: At, rate: float, age: int = 0) -> tuple[float, float, float, float]:
    """Pixels across and down, degrees and a factor of the opacity, at a frame of a layer of some age."""
    own = at.frame + age
    seconds = own / rate
    beat = seconds * at.mean(stir.rate, age)
    far, turn = at(stir.shake), at(stir.turn)
    jump, flicker = at(stir.jitter), at.part(stir.flicker)
    number, seed = int(np.floor(own)), at.whole(stir.seed)
    dx = far * smooth_noise(seed, 0, beat) + jump * noise(seed, 10, number)
    dy = far * smooth_noise(seed, 1, beat) + jump * noise(seed, 11, number)
    dim = flicker * (0.5 + 0.5 * noise(seed, 12, number))
    return dx, dy, turn * smooth_noise(seed, 2, beat), 1 - dim
