"""The screen key: coverage and foreground of a picture before a screen.

With the pixel I, the screen S at that place, the foreground F nearby with its variance V, k the
screen's strongest channel and D(C) = C_k − max(other two):

1. Raw coverage ``a0 = (1 − D(I) / D(S)) / white`` (the colour-difference principle of P. Vlahos), at least what keeps
   the foreground inside the gamut; on a screen of little colour the distance from it.
2. Where neighbourhoods are wholly screen or wholly foreground, that is all.
3. Else I = αF + βS is solved in Y'CbCr by least squares, weighted by the inverse of noise plus a0²V
   (in the manner of Y.-Y. Chuang et al., 2001, with one Gaussian), with two weak priors: α = a0,
   and β = 1 − α, that is, the screen there is as light as its surface says. What β says beyond
   that is a shadow: g = β / (1 − α).
4. α is at least what keeps F = (I − (1 − α)gS) / α inside the gamut.
5. Tolerance and softness stretch α.
6. Compression, 4:2:0 above all, has blurred the edge: α is made crisp again by adding what it has more
   than its surroundings, α + c(α − Gα), which leaves an even veil as it is.
7. These estimates, and that all of a pixel is subject or screen, are weighed by what lies around
   (:mod:`~velvet_seam.core.picture.estimates`); the clips stretch the result.
8. The foreground is unmixed, ``αF = I − (1 − α)gS``.
9. Despill: D of the foreground is at most what the foreground nearby has of its own.
10. Where coverage is partial, its colour hears those beside it (:mod:`~velvet_seam.core.picture.edge_colour`); a
   shadow that is kept becomes black with coverage.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil
from typing import TypedDict, Unpack

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.picture.estimates import Estimates, weighed
from velvet_seam.core.picture.foreground import (
    MARGIN,
    Foreground,
    has_grey,
    local_foreground,
    ycc_of,
)
from velvet_seam.core.picture.key_rows import Judged, Known, Source, Wish, key_picture
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.picture.screen import CELL, screen_surface
from velvet_seam.core.picture.study import STUDY, places, size_of, study
from velvet_seam.core.picture.surroundings import facts
from velvet_seam.core.picture.unmix import BLOCK, REACH

CRISP = 0.5
"""How much of what coverage has more than its surroundings is added. On the clips of docs/quality.md
0.5 to 1 differ by 2 %; the least of them leaves a thread thinner than a pixel nearest to what it is."""


@dataclass(frozen=True)
class Screen:
    """All that is known of a picture before its key: the screen's ``surface``, from :func:`screen_surface`,
    what stands before it, and which ``estimates`` of coverage are believed where."""

    surface: NDArray[np.float32]
    foreground: Foreground
    estimates: Estimates

    @property
    def nbytes(self) -> int:
        return self.surface.nbytes + self.foreground.nbytes + self.estimates.nbytes


def _study_pixels(size: int, count: int) -> NDArray[np.int64]:
    """For every pixel along an axis the study pixel that it lies in."""
    return np.arange(size) * count // size


def _ends(cells: NDArray[np.int64], count: int) -> NDArray[np.int64]:
    """For every cell the first pixel past those that begin with it."""
    return np.searchsorted(cells, np.arange(count), side="right")


def _step(height: int, width: int) -> float:
    """Cells of the surface per pixel of the picture."""
    return min(1.0, STUDY / min(height, width)) / CELL


_NO_MASK = np.empty((0, 0), np.uint8)
_NO_PIXELS = np.empty((0, 0), np.uint32)
_NO_PLANES, _NO_GAINS = np.zeros(5, np.uint64), np.empty(0, np.float32)


def read_screen(picture: NDArray[np.uint8] | Planes, colour: tuple[int, int, int]) -> Screen:
    """What is to be known of a picture before its key.

    Args:
        picture: (h, w, 4) uint8 RGBA, display-referred, premultiplied; or as its codec holds it.
        colour: the screen's R, G, B in 0 to 255.
    """
    small = study(picture)
    surface = screen_surface(small, colour)
    # what is surely foreground lies farther from any edge than its coverage is made crisp by
    margin = max(MARGIN, ceil(REACH * _step(*size_of(picture)) * CELL))
    key = int(np.argmax(colour))
    foreground = local_foreground(small, surface, key, margin)
    given = facts(small, surface, foreground, key)
    return Screen(surface, foreground, weighed(given))


@dataclass(frozen=True)
class Loose:
    """A keyed picture that has been written only where something is left of it: ``pixels`` (h, w, 4) uint8
    RGBA, premultiplied, and ``held`` (h, 2) int32, the :func:`spans` of its rows. What a row that holds
    nothing says is not to be read."""

    pixels: NDArray[np.uint8]
    held: NDArray[np.int32]

    @property
    def nbytes(self) -> int:
        return self.pixels.nbytes + self.held.nbytes


class KeySettings(TypedDict, total=False):
    """See :func:`screen_key`."""

    tolerance: float
    softness: float
    clip: tuple[float, float]
    keep_shadows: float
    despill: float
    spill_to: str
    rows: tuple[int, int] | None
    crisp: float
    hold: float
    mask: Plane | None


def screen_key(
    picture: NDArray[np.uint8] | Planes, screen: Screen, colour: tuple[int, int, int],
    **settings: Unpack[KeySettings],
) -> NDArray[np.uint8]:  # fmt: skip
    """Key a screen out of a picture.

    Args:
        picture: (h, w, 4) uint8 RGBA, display-referred, premultiplied; or as its codec holds it, of which
            only rows that are needed then become pixels.
        screen: from :func:`read_screen`.
        colour: the screen's R, G, B in 0 to 255; says which channel is the key channel.
        tolerance: part of the way from screen to subject that still is screen, 0 to 1; 0.03
            where it is not given.
        softness: part of the way over which coverage rises to full, 0 to 1; 0.9.
        clip: coverage that becomes 0 and coverage that becomes 1; 0 and 1.
        keep_shadows, despill: strengths, 0 to 1; 0 and 1.
        spill_to: what takes the place of spill: ``dark`` (nothing), ``grey`` (the same light without
            colour) or ``below`` (what lies below shines through).
        rows: first and last (excluded) row that is needed; the others stay clear.
        crisp: how much an edge is sharpened; 0 leaves it as it was solved; :data:`CRISP`.
        hold: how much the weighed estimates count, 0 to 1; 1.
        mask: (h, w) uint8, what the coverage is multiplied by in the end; rows where it is 0 throughout
            are not keyed at all.

    Returns:
        (h, w, 4) uint8 RGBA, premultiplied, the screen's colour unmixed from the edge.

    >>> card = np.full((40, 40, 4), (60, 160, 70, 255), np.uint8)
    >>> card[10:30, 10:30, :3] = (200, 120, 40)
    >>> keyed = screen_key(card, read_screen(card, (60, 160, 70)), (60, 160, 70))
    >>> keyed[20, 20].tolist(), keyed[2, 2].tolist()
    ([200, 120, 40, 255], [0, 0, 0, 0])
    """
    return _keyed(picture, screen, colour, loose=False, **settings).pixels


def loose_key(
    picture: NDArray[np.uint8] | Planes, screen: Screen, colour: tuple[int, int, int],
    **settings: Unpack[KeySettings],
) -> Loose:  # fmt: skip
    """The same as :func:`screen_key`, written only where something is left."""
    return _keyed(picture, screen, colour, loose=True, **settings)


def _keyed(
    picture: NDArray[np.uint8] | Planes, screen: Screen, colour: tuple[int, int, int], *, loose: bool,
    tolerance: float = 0.03, softness: float = 0.90, clip: tuple[float, float] = (0.0, 1.0),
    keep_shadows: float = 0.0, despill: float = 1.0, spill_to: str = "dark",
    rows: tuple[int, int] | None = None, crisp: float = CRISP, hold: float = 1.0, mask: Plane | None = None,
) -> Loose:  # fmt: skip
    height, width = size_of(picture)
    between = rows or (0, height)
    if mask is not None:
        held = np.flatnonzero(mask.max(axis=1))
        first, last = (held[0], held[-1] + 1) if held.size else (0, 0)
        between = (max(between[0], int(first)), max(min(between[1], int(last)), 0))
        between = (min(between), between[1])
    near, core = screen.foreground.near, screen.foreground.core
    step, key = _step(height, width), int(np.argmax(colour))
    lines, shares = places(height, step, near.shape[0])
    columns, parts = places(width, step, near.shape[1])
    known = Known(
        np.ascontiguousarray(screen.surface), ycc_of(key), near, core, lines, shares,
        _study_pixels(height, core.shape[0]), _study_pixels(width, core.shape[1]), columns,
        np.pad(parts, (0, BLOCK), mode="edge"), _ends(columns, near.shape[1]),
    )  # fmt: skip
    if isinstance(picture, Planes):
        source = Source(_NO_PIXELS, picture.whereabouts(), picture.k)
    else:
        pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
        source = Source(pixels, _NO_PLANES, _NO_GAINS)
    weights, held_at = screen.estimates.weights, screen.estimates.held
    study_rows, study_columns = held_at.shape
    weight_lines, weight_shares = places(height, study_rows / height, study_rows)
    weight_columns, weight_parts = places(width, study_columns / width, study_columns)
    judged = Judged(
        weights, held_at, np.asarray(held_at.any(axis=1)), weight_lines, weight_shares,
        np.pad(weight_parts, (0, BLOCK), mode="edge"), _ends(weight_columns, study_columns),
    )  # fmt: skip
    wish = Wish(
        key, has_grey(screen.surface, key), np.float32(1 / screen.foreground.white), np.float32(tolerance),
        np.float32(1 / max(softness, 1e-3)),
        np.float32(keep_shadows), np.float32(despill), np.float32(spill_to == "grey"),
        np.float32(spill_to == "below"), np.float32(crisp), np.float32(hold), np.float32(clip[0]),
        np.float32(1 / max(clip[1] - clip[0], 1e-3)),
    )  # fmt: skip
    held_by = _NO_MASK if mask is None else np.ascontiguousarray(mask)
    keyed, inside = key_picture(
        source, height, width, known, judged, wish, *between, held_by, loose
    )
    return Loose(keyed.view(np.uint8).reshape(height, width, 4), inside)
