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


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _widen(surface, width, step):
    """The surface with a value for every column of the picture: (3, rows, width) float32."""
    gh, gw = surface.shape[0], surface.shape[1]
    out = np.empty((3, gh, width), np.float32)
    for x in range(width):
        g = min(max((x + 0.5) * step - 0.5, 0.0), gw - 1.0)
        c0 = np.int32(g)
        c1 = min(c0 + 1, gw - 1)
        u = np.float32(g - c0)
        for y in range(gh):
            for c in range(3):
                s = surface[y, c0, c]
                out[c, y, x] = s + (surface[y, c1, c] - s) * u
    return out


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _key(picture, wide, step, first, last, k, tolerance, softness, keep_shadows, despill):
    """The key itself. A pixel is one uint32, red lowest, so that the inner loop runs in vectors."""
    h, w = picture.shape[0], picture.shape[1]
    gh = wide.shape[1]
    i, j = (k + 1) % 3, (k + 2) % 3
    out = np.zeros((h, w), np.uint32)
    zero, one, half = np.float32(0), np.float32(1), np.float32(0.5)
    full, unit = np.float32(255), np.float32(1 / 255)
    tiny = np.float32(0.02)
    low = np.float32(tolerance)
    gain = one / max(np.float32(softness), np.float32(1e-3))
    shade, clean = np.float32(keep_shadows), np.float32(despill)
    byte, top = np.uint32(255), np.uint32(24)
    bk, bi, bj = np.uint32(8 * k), np.uint32(8 * i), np.uint32(8 * j)
    lk, li, lj = np.float32(LUMA_709[k]), np.float32(LUMA_709[i]), np.float32(LUMA_709[j])
    for y in nb.prange(first, last):
        g = min(max((y + 0.5) * step - 0.5, 0.0), gh - 1.0)
        r0 = np.int32(g)
        r1 = min(r0 + 1, gh - 1)
        t = np.float32(g - r0)
        k0, k1 = wide[k, r0], wide[k, r1]
        i0, i1 = wide[i, r0], wide[i, r1]
        j0, j1 = wide[j, r0], wide[j, r1]
        row, to = picture[y], out[y]
        for x in range(w):
            sk = k0[x] + (k1[x] - k0[x]) * t
            si = i0[x] + (i1[x] - i0[x]) * t
            sj = j0[x] + (j1[x] - j0[x]) * t
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
    return out


def screen_light(picture: NDArray[np.uint8], surface: NDArray[np.float32]) -> NDArray[np.float32]:
    """A screen's surface with a value for every column of a picture: (3, rows, width) float32."""
    step = min(1.0, STUDY / min(picture.shape[:2])) / CELL
    return np.asarray(_widen(surface, picture.shape[1], step))


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
    step = min(1.0, STUDY / min(picture.shape[:2])) / CELL
    between = rows or (0, picture.shape[0])
    strongest = int(np.argmax(colour))
    pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    keyed = _key(
        pixels, light, step, *between, strongest, tolerance, softness, keep_shadows, despill
    )
    return keyed.view(np.uint8).reshape(picture.shape)
