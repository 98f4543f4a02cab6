"""What stands before a plain ground, white, grey or black, and the shadows it throws on it."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.channels import mean_of, most_of, rgb_of
from velvet_seam.core.roto.dividing import crossings, divided
from velvet_seam.core.roto.features import features, solve_size
from velvet_seam.core.roto.first import inside_of

F32 = NDArray[np.float32]
Where = NDArray[np.bool_]

RING = 0.06
"""Of the short side: pixels so near the border tell what the ground is."""

ORDERS, LEAST, SOME = (1, 3, 3, 6, 6, 6), 20, 90
"""Terms of the ground's light in every round, in which what lies on it is chosen anew; pixels that there must be; and pixels
along the short side that are looked at."""

NEAR_LIGHT, NEAR_COLOUR = 0.06, 0.04
"""How far a pixel of the ground may be from its light, above it, and from its colour; display-referred, 0 to 1."""

DEEPEST = 0.75
"""Of the ground's light a shadow takes so much at most."""

LIT, STEEP, LIT_PIECES = 0.05, 0.07, 40
"""So near the ground's light it is lit; a change of light from a pixel to the next that is larger ends what a shadow may be;
so many pieces of lit ground are begun from."""

LIGHT, COLOUR, SHADE = 0.04, 0.035, 0.60
"""What counts as much as one: a difference of light, of colour, and of light where it may be a shadow."""

SMOOTH = 2.0
"""What an edge costs."""

VERY_LIKE, LIKE, LEAST_HOLE = 0.05, 0.6, 0.001
"""A hole shows the ground itself: so near it in light and colour lies so much of it; and it is at least such a part of what
encloses it. Else it is white cloth, or a highlight."""


@dataclass(frozen=True)
class Before:
    """``inside``: (h, w) how far inside the subject each pixel is, in pixels, below 0 outside; ``shade``: (h, w) 0 to 1,
    how much of the ground's light is missing there; both at the size of ``solve_size``."""

    inside: F32
    shade: F32

    @property
    def nbytes(self) -> int:
        return self.inside.nbytes + self.shade.nbytes


def before_ground(picture: NDArray[np.uint8], differs: float = 1.0) -> Before:
    """What stands before the plain ground of a picture (h, w, 4) uint8.

    The ground's light is a quadratic over the picture, fitted to what looks like the border, darker pixels left out: they
    are shadows, or not the ground. A shadow takes light and leaves colour, and has no edge. What differs otherwise is the
    subject; and so is what it encloses, unless that is the ground again.

    Args:
        differs: how much something must differ from the ground; more leaves less of the subject.
    """
    size = solve_size(*picture.shape[:2])
    small = cv2.resize(rgb_of(picture), size[::-1], interpolation=cv2.INTER_AREA)
    rgb = small.astype(np.float32) * np.float32(1 / 255)
    ground = ground_of(rgb)
    light, rest = _compared(rgb, ground)
    may_shade = (light < 0) & (light > -DEEPEST) & _reached(light)
    by_light = np.where(may_shade, np.abs(light) / SHADE, np.abs(light) / LIGHT)
    apart = np.hypot(by_light, rest / COLOUR) / np.float32(max(differs, 0.05))
    r = np.clip(1.0 - apart, -3.0, 1.0).astype(np.float32)
    region = divided(r, crossings(features(picture, size)), SMOOTH) > 0.5
    region = _closed(np.asarray(region), np.abs(light) + rest < VERY_LIKE)
    shade = np.where(region, 0, np.clip(-light, 0, 1))
    return Before(inside_of(region), _spread(shade.astype(np.float32), region))


def ground_of(rgb: F32) -> F32:
    """The colours of the plain ground behind a picture (h, w, 3), 0 to 1, wherever something stands before it, too."""
    terms = _terms(*rgb.shape[:2])
    every = max(1, min(rgb.shape[:2]) // SOME)
    weights = _fitted(np.ascontiguousarray(rgb[::every, ::every]), terms[::every, ::every])
    if weights is None:
        return rgb
    return np.clip(terms[..., : len(weights)] @ weights, 0, 1).astype(np.float32)


def _terms(height: int, width: int) -> F32:
    """Of every pixel 1, x, y, x², xy, y², with x and y from -1 to 1: (h, w, 6)."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    x, y = x / max(width - 1, 1) * 2 - 1, y / max(height - 1, 1) * 2 - 1
    return np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], -1).astype(np.float32)


def _fitted(rgb: F32, terms: F32) -> F32 | None:
    """What each of the terms weighs in the ground's colours, (1, 3 or 6, 3); none where there is too little of it."""
    near, weights = _along_border(rgb), None
    for order in ORDERS:
        if near.sum() < LEAST:
            break
        at = terms[near][:, :order]
        weights, *_ = np.linalg.lstsq(
            at.T @ at + 1e-3 * np.eye(order, dtype=np.float32), at.T @ rgb[near], rcond=None
        )
        off = rgb - np.clip(terms[..., :order] @ weights, 0, 1)
        above = mean_of(off)
        along = most_of(np.abs(off - above[..., None]))
        near = (above < NEAR_LIGHT) & (above > -NEAR_LIGHT / 3) & (along < NEAR_COLOUR)
    return None if weights is None else np.asarray(weights, np.float32)


def _along_border(rgb: F32) -> Where:
    """Pixels along the border of the most common brightness, and of the colour that goes with it."""
    height, width = rgb.shape[:2]
    ring = max(2, round(RING * min(height, width)))
    border = np.ones((height, width), bool)
    border[ring:-ring, ring:-ring] = False
    luma = mean_of(rgb)
    counts, edges = np.histogram(luma[border], 40, (0, 1))
    most = np.argmax(np.convolve(counts, np.ones(3), "same"))
    near = border & (np.abs(luma - (edges[most] + edges[most + 1]) / 2) < 2 * NEAR_LIGHT)
    if not near.any():
        return near
    colour = np.median(rgb[near] - luma[near][:, None], axis=0)
    return near & (most_of(np.abs(rgb - luma[..., None] - colour)) < NEAR_COLOUR)


def _compared(rgb: F32, ground: F32) -> tuple[F32, F32]:
    """How much lighter each pixel is than the ground, as a part of it where it is light, and how far its colour is from
    the ground's at that light."""
    light, there = mean_of(rgb), mean_of(ground)
    part = light / np.maximum(there, 0.02)
    more = (light - there) / np.maximum(there, 0.35)
    rest = most_of(np.abs(rgb - ground * part[..., None]))
    return np.asarray(more, np.float32), np.asarray(rest, np.float32)


def _reached(light: F32) -> Where:
    """What is reached from the lit ground by small changes of light: a shadow begins softly, grey cloth with an edge."""
    lit = (np.abs(light) < LIT).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(lit, connectivity=4)
    height, width = light.shape
    plane = np.ascontiguousarray(np.clip(light, -1, 1))
    mask = np.zeros((height + 2, width + 2), np.uint8)
    for n in np.argsort(-stats[1:, cv2.CC_STAT_AREA])[:LIT_PIECES] + 1:
        y, x = np.unravel_index(int(np.argmax(labels == n)), labels.shape)
        if not mask[y + 1, x + 1]:
            cv2.floodFill(
                plane, mask, (int(x), int(y)), 0, STEEP, STEEP, cv2.FLOODFILL_MASK_ONLY | 4
            )
    return np.asarray(mask[1:-1, 1:-1] > 0)


def _closed(region: Where, on_ground: Where) -> Where:
    """A region with what it encloses, but for holes through which the ground is seen."""
    count, labels = cv2.connectedComponents((~region).astype(np.uint8), connectivity=4)
    if count < 2:
        return region
    border = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
    sizes = np.bincount(labels.ravel(), minlength=count)
    like = np.bincount(labels.ravel(), on_ground.ravel(), minlength=count) / np.maximum(sizes, 1)
    filled = (like < LIKE) | (sizes < LEAST_HOLE * max(int(region.sum()), 1))
    filled[border] = False
    filled[0] = False
    return np.asarray(region | filled[labels])


def _spread(shade: F32, region: Where) -> F32:
    """A shadow goes on below the edge of what throws it."""
    weight = (~region).astype(np.float32)
    near = cv2.blur(shade * weight, (9, 9)) / np.maximum(cv2.blur(weight, (9, 9)), 1e-3)
    return np.asarray(np.where(region, near, shade), np.float32)
