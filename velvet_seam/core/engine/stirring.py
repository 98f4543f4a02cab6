"""Where a layer is at a frame: its place, and what arrival, leave and stirring make of it."""

from __future__ import annotations

from dataclasses import dataclass
from math import cos, radians, sin

import numpy as np

from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.motion import Stir
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.ease import eased

Size = tuple[int, int]


@dataclass(frozen=True)
class Spot:
    """Canvas pixels of the layer's middle, a factor, degrees clockwise, a factor of its opacity, and
    for a wipe the side it comes from with the part of the layer that is uncovered."""

    x: float
    y: float
    scale: float
    rotation: float
    opacity: float
    wipe: tuple[str, float] | None


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
    opacity, wipe = 1.0, None
    for passage, apart in ((layer.arrive, at.frame), (layer.leave, layer.span.last - frame)):
        frames = at(passage.frames)
        if passage.way == "cut" or apart >= frames:
            continue
        here = eased(passage.ease, min(max(apart / frames, 0), 1))
        kind, _, side = passage.way.partition("-")
        if kind in ("fade", "turn"):
            opacity *= here
        if kind == "turn":
            rotation -= 90 * (1 - here) if passage is layer.arrive else -90 * (1 - here)
        if kind == "grow":
            scale *= max(here, 0.0)
        if kind == "slide":
            dx, dy = _outside(x, y, scale, rotation, side, size, canvas)
            x, y = x + dx * (1 - here), y + dy * (1 - here)
        if kind == "wipe":
            wipe = (side, here)
    stir = layer.stir
    if not stir.still:
        dx, dy, turn, light = stirred(stir, at, rate)
        x, y, rotation, opacity = x + dx, y + dy, rotation + turn, opacity * light
    return Spot(x, y, scale, rotation, opacity, wipe)


def _outside(
    x: float, y: float, scale: float, rotation: float, side: str, size: Size, canvas: Size
) -> tuple[float, float]:
    """How far a layer has to go to be just outside a side of the canvas."""
    c, s = abs(cos(radians(rotation))), abs(sin(radians(rotation)))
    wide = (size[0] * c + size[1] * s) * scale / 2
    high = (size[0] * s + size[1] * c) * scale / 2
    return {
        "left": (-wide - x, 0.0), "right": (canvas[0] + wide - x, 0.0),
        "up": (0.0, -high - y), "down": (0.0, canvas[1] + high - y),
    }[side]  # fmt: skip


def stirred(stir: Stir, at: At, rate: float) -> tuple[float, float, float, float]:
    """Pixels across and down, degrees and a factor of the opacity, at a frame of the layer."""
    seconds = at.frame / rate
    beat = seconds * at(stir.rate)
    far, turn = at(stir.shake), at(stir.turn)
    jump, flicker = at(stir.jitter), at.part(stir.flicker)
    number, seed = int(np.floor(at.frame)), at.whole(stir.seed)
    dx = far * smooth_noise(seed, 0, beat) + jump * noise(seed, 10, number)
    dy = far * smooth_noise(seed, 1, beat) + jump * noise(seed, 11, number)
    dim = flicker * (0.5 + 0.5 * noise(seed, 12, number))
    return dx, dy, turn * smooth_noise(seed, 2, beat), 1 - dim


def noise(seed: int, lane: int, number: int) -> float:
    """A number from −1 to 1 that looks like chance and is always the same: Philox of the three, so
    that any frame can be asked for by itself.

    >>> noise(1, 0, 5) == noise(1, 0, 5), noise(1, 0, 5) == noise(2, 0, 5)
    (True, False)
    """
    key = (seed << 8 | lane) & 0xFFFFFFFFFFFFFFFF
    bits = np.random.Philox(key=key, counter=number & 0xFFFFFFFFFFFFFFFF)
    return float(bits.random_raw() / 2**63 - 1)


def smooth_noise(seed: int, lane: int, at: float) -> float:
    """Noise between whole numbers, −1 to 1, without a jerk: a cubic through the numbers beside it
    (E. Catmull and R. Rom, 1974), held inside."""
    whole = int(np.floor(at))
    a, b, c, d = (noise(seed, lane, whole + k) for k in (-1, 0, 1, 2))
    t = at - whole
    value = b + 0.5 * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)))
    return min(1.0, max(-1.0, value))
