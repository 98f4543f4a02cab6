"""Composing: all layers joined in one pass, what lies below them held in floats.

The formulas are those of :mod:`velvet_seam.core.picture.blends`. Nothing is rounded between two
layers, so it does not matter where a stack is cut to keep what lies below a layer.

In linear light the planes hold light rather than display values: layers are taken there and the
finished picture back by the transfer function of sRGB (IEC 61966-2-1), and the same formulas act.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.adjust import ADJUST, Adjust
from velvet_seam.core.picture.blend import EVERYWHERE, NUMBER
from velvet_seam.core.picture.colour import to_linear
from velvet_seam.core.picture.join import TO_DISPLAY, TO_LIGHT
from velvet_seam.core.picture.join_rows import Layers, Tables, join_rows
from velvet_seam.core.picture.placement import Patch, PlanesPatch, repeated
from velvet_seam.core.picture.yuv import to_ycc

Below = NDArray[np.float32]
"""A picture under construction: (height, 3, width), for every row its R, G and B in 0 to 1; with a
fourth plane, its coverage, where it is not wholly covered. Premultiplied."""


_NONE = np.empty(0, np.float32)


@dataclass(frozen=True)
class Join:
    """How a patch joins what lies below it: a blend by its name, opacity 0 to 1."""

    patch: Patch | PlanesPatch | Adjust
    blend: str
    opacity: float


def _everywhere(join: Join, width: int, height: int) -> Join:
    """A layer that cuts also where it is not lies on the whole picture."""
    patch = join.patch
    if isinstance(patch, Adjust):
        return join
    if isinstance(patch, PlanesPatch):
        if NUMBER[join.blend] not in EVERYWHERE or (patch.planes.height, patch.planes.width) == (
            height,
            width,
        ):
            return join
        patch = Patch(patch.left, patch.top, patch.planes.rgba())
    if NUMBER[join.blend] not in EVERYWHERE or patch.pixels.shape[:2] == (height, width):
        return join
    pixels = np.zeros((height, width, 4), np.uint8)
    h, w = patch.pixels.shape[:2]
    left, top = patch.left, patch.top
    pixels[top : top + h, left : left + w] = patch.pixels
    return Join(Patch(0, 0, pixels), join.blend, join.opacity)


def _adjusting(one: Adjust, size: tuple[int, int]) -> tuple[tuple[int, ...], int, tuple[int, int]]:
    """Where an adjustment lies, the address of its coverage, and its table as the kernel reads it."""
    table = one.table.curves if one.table.lattice is None else one.table.lattice
    assert table is not None
    read = (table.ctypes.data, one.table.side)
    if one.cover is None:
        return (0, 0, *size, 0, -1, 0), 0, read
    h, w = one.cover.shape
    return (one.left, one.top, w, h, w, -1, 0), one.cover.ctypes.data, read


def _laid(joins: Sequence[Join], size: tuple[int, int]) -> tuple[Layers, list[NDArray[np.uint8]]]:
    """Layers as the kernel reads them, and the memory that it is given the addresses of."""
    patches = [join.patch for join in joins]
    held, addresses, folded, gains = [], [], [], []
    shapes: list[tuple[int, int, int]] = []
    spots = np.zeros((len(patches), 7), np.int64)
    tables = np.zeros((len(patches), 2), np.uint64)
    for k, patch in enumerate(patches):
        if isinstance(patch, Adjust):
            spots[k], address, tables[k] = _adjusting(patch, size)
            addresses.append(address)
            continue
        if isinstance(patch, PlanesPatch):
            one = patch.planes
            spots[k] = patch.left, patch.top, one.width, one.height, 0, len(shapes), 0
            shapes.append((*one.luma.shape, one.blue.shape[1]))
            folded.append(one.whereabouts()[:3])
            gains.append(one.k)
            addresses.append(0)
            continue
        rows = np.ascontiguousarray(repeated(patch.pixels))
        h, w = patch.pixels.shape[:2]
        flat = len(rows) == 1 and bool((rows == rows[0, 0]).all())
        spots[k] = patch.left, patch.top, w, h, w if len(rows) == h else 0, -1, flat
        held.append(rows)
        addresses.append(rows.ctypes.data)
    adjust = [isinstance(join.patch, Adjust) for join in joins]
    modes = np.array(
        [ADJUST if on else NUMBER[join.blend] for on, join in zip(adjust, joins, strict=True)],
        np.int64,
    )
    opacities = np.array([join.opacity for join in joins], np.float64)
    layers = Layers(
        np.array(addresses, np.uint64), spots, modes, opacities,
        np.array(folded, np.uint64).reshape(-1, 3), np.array(shapes, np.int64).reshape(-1, 3),
        np.array(gains, np.float32).reshape(-1, 6), tables,
    )  # fmt: skip
    return layers, held


_NO_BASE = np.empty((0, 0, 0), np.float32)
_FLOATS, _BYTES, _FRAME = range(3)
_WEIGHTS = to_ycc("709")


def _run(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None, form: int, linear: bool,
) -> tuple[NDArray[np.float32], NDArray[np.uint32], NDArray[np.uint8]]:  # fmt: skip
    joins = [_everywhere(join, width, height) for join in joins]
    layers, held = _laid(joins, (width, height))
    ground = np.array([c / 255 for c in colour], np.float32)
    if linear:
        ground = to_linear(ground).astype(np.float32)
    tables = Tables(TO_LIGHT, TO_DISPLAY, _WEIGHTS) if linear else Tables(_NONE, _NONE, _WEIGHTS)
    under = _NO_BASE if base is None else base
    planes, packed, frame = join_rows(under, ground, width, height, layers, form, tables)
    del held  # it was read until here
    return planes, packed, frame


def compose(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None = None, linear: bool = False,
) -> Below:  # fmt: skip
    """Join layers from bottom to top.

    Args:
        colour: the empty canvas below everything, R, G, B in 0 to 255.
        joins: layers from bottom to top; their patches lie wholly inside the picture.
        base: what has been joined already; takes the place of the empty canvas.
        linear: layers are joined in linear light; then ``base`` and the answer are light, too.
    """
    return _run(width, height, colour, joins, base, _FLOATS, linear)[0]


def compose_rgba8(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None = None, linear: bool = False,
) -> NDArray[np.uint8]:  # fmt: skip
    """The same, finished: (height, width, 4) uint8, premultiplied, each value rounded once.

    >>> grey = Patch(0, 0, np.array([[[0, 128, 255, 255]]], np.uint8))
    >>> compose_rgba8(1, 1, (255, 255, 255), [Join(grey, "multiply", 1.0)]).tolist()
    [[[0, 128, 255, 255]]]
    """
    packed = _run(width, height, colour, joins, base, _BYTES, linear)[1]
    return packed.view(np.uint8).reshape(height, width, 4)


def compose_yuv420(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None = None, linear: bool = False,
) -> NDArray[np.uint8]:  # fmt: skip
    """The same as the planes of a video frame, without a detour: what
    :func:`~velvet_seam.core.picture.yuv.rgba_to_yuv420` makes of the finished picture, to the bit.

    Returns:
        (height · 3/2, width) uint8: Y', then Cb, then Cr, each without gaps. Width and height are even.

    >>> compose_yuv420(2, 4, (255, 255, 255), [])[:, 0].tolist()
    [235, 235, 235, 235, 128, 128]
    """
    return np.asarray(_run(width, height, colour, joins, base, _FRAME, linear)[2])
