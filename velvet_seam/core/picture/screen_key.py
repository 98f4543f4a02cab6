"""The screen key: coverage by colour difference against the local colour of the screen.

With the pixel I, the screen S at that place, k the screen's strongest channel and D the colour
difference ``D(C) = C_k − max(other two)``, the raw coverage is ``a0 = 1 − D(I) / D(S)`` (the
colour-difference principle of P. Vlahos). Tolerance and softness stretch it to α; the foreground
is unmixed from the screen, premultiplied: ``αF = I − (1 − α)·S``; then despilled: the key channel
is at most the greater of the other two.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.colour import LUMA_709
from velvet_seam.core.picture.screen import CELL, STUDY


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _widen(surface, columns, shares):
    """The surface with a value for every column of the picture: (rows, 3 × width) float32."""
    out = np.empty((surface.shape[0], 3 * columns.size), np.float32)
    for y in nb.prange(surface.shape[0]):
        _widen_row(surface[y], columns, shares, out[y])
    return out


@nb.njit(error_model="numpy")
def _widen_row(row, columns, shares, to):
    width, last = columns.size, row.shape[0] - 1
    for c in range(3):
        at = np.uint64(c * width)
        for k in range(width):
            x = np.uint64(k)
            c0 = columns[x]
            s = row[c0, c]
            to[at + x] = s + (row[min(c0 + 1, last), c] - s) * shares[x]


@nb.njit(error_model="numpy")
def _between(one, other, share, to):
    """The screen along a row of the picture, from the rows of its surface above and below."""
    for f in range(to.size):
        to[f] = one[f] + (other[f] - one[f]) * share


@nb.njit(error_model="numpy")
def _key_row(row, light, k, low, gain, shade, clean, to):
    """The key of a row. A pixel is one uint32, red lowest, so that the loop runs in vectors;
    ``light`` is the screen's R', G' and B' along the row, one after the other."""
    zero, one, half = np.float32(0), np.float32(1), np.float32(0.5)
    full, unit, tiny = np.float32(255), np.float32(1 / 255), np.float32(0.02)
    i, j = (k + 1) % 3, (k + 2) % 3
    byte, top = np.uint32(255), np.uint32(24)
    bk, bi, bj = np.uint32(8 * k), np.uint32(8 * i), np.uint32(8 * j)
    lk, li, lj = np.float32(LUMA_709[k]), np.float32(LUMA_709[i]), np.float32(LUMA_709[j])
    ok, oi, oj = np.uint64(k * to.size), np.uint64(i * to.size), np.uint64(j * to.size)
    for n in range(to.size):
        x = np.uint64(n)
        sk, si, sj = light[ok + x], light[oi + x], light[oj + x]
        v = row[x]
        pk = np.float32(np.int32((v >> bk) & byte)) * unit
        pi = np.float32(np.int32((v >> bi) & byte)) * unit
        pj = np.float32(np.int32((v >> bj) & byte)) * unit
        pa = np.float32(np.int32(v >> top))
        ds = max(sk - max(si, sj), tiny)
        a = one - (pk - max(pi, pj)) / ds
        a = min(max((a - low) * gain, zero), one)
        rest = one - a
        fk = min(max(pk - rest * sk, zero), a)
        fi = min(max(pi - rest * si, zero), a)
        fj = min(max(pj - rest * sj, zero), a)
        fk -= clean * max(fk - max(fi, fj), zero)
        # a darkening of the screen becomes black with coverage
        lit = lk * sk + li * si + lj * sj
        dark = one - (lk * pk + li * pi + lj * pj) / max(lit, tiny)
        a += rest * shade * min(max(dark, zero), one)
        v = np.uint32(np.int32(fk * pa + half)) << bk
        v |= np.uint32(np.int32(fi * pa + half)) << bi
        v |= np.uint32(np.int32(fj * pa + half)) << bj
        to[x] = v | np.uint32(np.int32(min(a * pa, full) + half)) << top


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _key(picture, wide, lines, shares, first, last, k, low, gain, shade, clean):
    height, width = picture.shape
    out = np.zeros((height, width), np.uint32)
    for y in nb.prange(first, last):
        light = np.empty(3 * width, np.float32)
        _between(wide[lines[y]], wide[min(lines[y] + 1, wide.shape[0] - 1)], shares[y], light)
        _key_row(picture[y], light, k, low, gain, shade, clean, out[y])
    return out


def _places(size: int, step: float, cells: int) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """For every pixel along an axis the cell of the surface before it, and how far it is past it."""
    at = np.clip((np.arange(size) + 0.5) * step - 0.5, 0, cells - 1)
    cell = at.astype(np.int64)
    return cell, (at - cell).astype(np.float32)


def _step(picture: NDArray[np.uint8]) -> float:
    """Cells of the surface per pixel of the picture."""
    return min(1.0, STUDY / min(picture.shape[:2])) / CELL


def screen_light(picture: NDArray[np.uint8], surface: NDArray[np.float32]) -> NDArray[np.float32]:
    """A screen's surface with a value for every column of a picture: (rows, 3 × width) float32."""
    places = _places(picture.shape[1], _step(picture), surface.shape[1])
    return np.asarray(_widen(np.ascontiguousarray(surface), *places))


def screen_key(
    picture: NDArray[np.uint8],
    light: NDArray[np.float32],
    colour: tuple[int, int, int],
    *,
    tolerance: float,
    softness: float,
    keep_shadows: float,
    despill: float,
    rows: tuple[int, int] | None = None,
) -> NDArray[np.uint8]:
    """Key a screen out of a picture.

    Args:
        picture: (h, w, 4) uint8 RGBA, display-referred, premultiplied.
        light: the screen's colour over the picture, from :func:`screen_light`.
        colour: the screen's R, G, B in 0 to 255; says which channel is the key channel.
        tolerance: part of the way from screen to subject that still is screen, 0 to 1.
        softness: part of the way over which coverage rises to full, 0 to 1.
        keep_shadows, despill: strengths, 0 to 1.
        rows: first and last (excluded) row that is needed; the others stay clear.

    Returns:
        (h, w, 4) uint8 RGBA, premultiplied, the screen's colour unmixed from the edge.

    >>> from velvet_seam.core.picture.screen import screen_surface, study
    >>> card = np.full((40, 40, 4), (60, 160, 70, 255), np.uint8)
    >>> card[10:30, 10:30, :3] = (200, 120, 40)
    >>> light = screen_light(card, screen_surface(study(card), (60, 160, 70)))
    >>> keyed = screen_key(card, light, (60, 160, 70), tolerance=0.06, softness=0.86,
    ...                    keep_shadows=0, despill=1)
    >>> keyed[20, 20].tolist(), keyed[2, 2].tolist()
    ([200, 120, 40, 255], [0, 0, 0, 0])
    """
    between = rows or (0, picture.shape[0])
    lines = _places(picture.shape[0], _step(picture), light.shape[0])
    pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    keyed = _key(
        pixels, light, *lines, *between, int(np.argmax(colour)), np.float32(tolerance),
        np.float32(1 / max(softness, 1e-3)), np.float32(keep_shadows), np.float32(despill),
    )  # fmt: skip
    return keyed.view(np.uint8).reshape(picture.shape)
