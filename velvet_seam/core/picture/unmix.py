"""The kernels of the screen key: raw coverage, the solve, crisp edges, the unmixed foreground.

They work on some pixels of a row at a time; :mod:`velvet_seam.core.picture.screen_key` says what they
compute and puts them together.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from velvet_seam.core.picture.colour import LUMA_709

SEGMENT = 16
"""So many pixels of a row are looked at together: all screen, all foreground, or to be solved."""

RUN = 128
"""At most so many pixels, all of them to be solved, are solved together."""

BLOCK = 16
"""Short loops run to the next multiple of this many pixels. What they write past the end lands in room that
the next loop overwrites. Without it the last few pixels of each loop, done one by one, take longer than all
the others. Planes lie a multiple of it apart, too; else the compiler cannot rule out that two of them overlap,
and uses half the vector width."""

PLANE = RUN + BLOCK
"""From one plane of values of a run to the next."""

REACH = 6
"""Pixels that the filter of crisp edges reaches."""

RING = 16
"""Rows of coverage that are held for it."""

_SIGMA = 2.5
"""How far compression spreads an edge, in pixels."""

_bell = np.exp(-(np.arange(-REACH, REACH + 1) ** 2) / (2 * _SIGMA**2))
_G = tuple(float(v) for v in (_bell / _bell.sum())[REACH:])

_NOISE = 0.02**2
_LIGHT_PRIOR = 0.5
_RAW_PRIOR = 0.01
_LEAST_LIGHT, _MOST_LIGHT = 0.80, 1.08
_GAMUT_MARGIN = 0.02
_RAW_MARGIN, _RAW_DARK = 0.05, 0.10
"""By how much a pixel must be beyond what the screen could be mixed to, and the least light that is told it by: where
nothing is solved yet, noise must not be taken for a subject."""
COLOURED, _GREYER = 0.40, 0.20
"""D(S) / S_k from which on a screen has colour enough for the colour difference alone, and over how much less it
counts for nothing."""
_FAR_LIGHT, _FAR_CHROMA, _NEAR = 0.18, 0.05, 0.15
"""How far from a grey screen's Y', and its Cb and Cr, is wholly something else; and how far is still screen."""


@nb.njit(error_model="numpy")
def fill(row, at, length, value):
    for n in range(length):
        row[np.uint64(at) + np.uint64(n)] = value


@nb.njit(error_model="numpy", inline="always")
def raw_of(pk, pi, pj, sk, si, sj):
    """Raw coverage of a pixel before a screen, both with the key channel first: by the colour difference, and at least
    what keeps its foreground inside the gamut, which tells a subject of the screen's own hue."""
    zero, one = np.float32(0), np.float32(1)
    ds = max(sk - max(si, sj), np.float32(0.02))
    away = one - (pk - max(pi, pj)) / ds
    least = max(_beyond(pk, sk), max(_beyond(pi, si), _beyond(pj, sj)))
    return min(max(max(away, least), zero), one)


@nb.njit(error_model="numpy", inline="always")
def _beyond(p, s):
    """The least coverage by one channel, with room for noise."""
    room = max(s if p < s else np.float32(1) - s, np.float32(_RAW_DARK))
    return (abs(p - s) - np.float32(_RAW_MARGIN)) / room


@nb.njit(error_model="numpy", inline="always")
def grey_of(sk, si, sj):
    """How little colour a screen has, 0 to 1: as much counts the distance from it, not the colour difference."""
    ds = max(sk - max(si, sj), np.float32(0.02))
    grey = (np.float32(COLOURED) - ds / max(sk, np.float32(0.05))) * np.float32(1 / _GREYER)
    return min(max(grey, np.float32(0)), np.float32(1))


@nb.njit(error_model="numpy", inline="always")
def far_of(y, u, v):
    """How far a pixel is from a screen, 0 to 1, by how much its Y', Cb and Cr differ."""
    far = np.sqrt(
        y * y * np.float32(1 / _FAR_LIGHT**2) + (u * u + v * v) * np.float32(1 / _FAR_CHROMA**2)
    )
    return min(max(far - np.float32(_NEAR), np.float32(0)), np.float32(1))


@nb.njit(error_model="numpy", fastmath={"contract"})
def raw_row(row, above, below, share, k, to_ycc, grey, scale, to):
    """Raw coverage along a row; answers whether the row is wholly covered. A pixel is one uint32, red lowest, so
    that the loop runs in vectors; ``above`` and ``below`` are rows of the screen in planes; ``grey`` says whether the
    screen has little colour anywhere."""
    one, unit = np.float32(1), np.float32(1 / 255)
    i, j, width = (k + 1) % 3, (k + 2) % 3, to.size
    byte, every = np.uint32(255), np.uint32(0xFFFFFFFF)
    bk, bi, bj = np.uint32(8 * k), np.uint32(8 * i), np.uint32(8 * j)
    ak, ai, aj = np.uint64(k * width), np.uint64(i * width), np.uint64(j * width)
    wk, wi, wj = to_ycc[0, 0], to_ycc[0, 1], to_ycc[0, 2]
    uk, ui, uj = to_ycc[1, 0], to_ycc[1, 1], to_ycc[1, 2]
    vk, vi, vj = to_ycc[2, 0], to_ycc[2, 1], to_ycc[2, 2]
    for n in range(width):
        x = np.uint64(n)
        v = row[x]
        every &= v
        pk = np.float32(np.int32((v >> bk) & byte)) * unit
        pi = np.float32(np.int32((v >> bi) & byte)) * unit
        pj = np.float32(np.int32((v >> bj) & byte)) * unit
        sk = above[ak + x] + (below[ak + x] - above[ak + x]) * share
        si = above[ai + x] + (below[ai + x] - above[ai + x]) * share
        sj = above[aj + x] + (below[aj + x] - above[aj + x]) * share
        to[x] = min(raw_of(pk, pi, pj, sk, si, sj) * scale, one)
    if grey:
        for n in range(width):
            x = np.uint64(n)
            v = row[x]
            sk = above[ak + x] + (below[ak + x] - above[ak + x]) * share
            si = above[ai + x] + (below[ai + x] - above[ai + x]) * share
            sj = above[aj + x] + (below[aj + x] - above[aj + x]) * share
            dk = np.float32(np.int32((v >> bk) & byte)) * unit - sk
            di = np.float32(np.int32((v >> bi) & byte)) * unit - si
            dj = np.float32(np.int32((v >> bj) & byte)) * unit - sj
            far = far_of(
                wk * dk + wi * di + wj * dj,
                uk * dk + ui * di + uj * dj,
                vk * dk + vi * di + vj * dj,
            )
            to[x] += grey_of(sk, si, sj) * (min(far * scale, one) - to[x])
    return every >> np.uint32(24) == 255


@nb.njit(error_model="numpy")
def next_run(solved, begin, width):
    """The next pixels of a row to be solved, from ``begin`` on, at most :data:`RUN`: first, and the one
    after the last; both the width where there are none."""
    segment = begin // SEGMENT
    while segment < solved.size and not solved[segment]:
        segment += 1
    first, most = segment, min(segment + RUN // SEGMENT, solved.size)
    while segment < most and solved[segment]:
        segment += 1
    return min(first * SEGMENT, width), min(segment * SEGMENT, width)


@nb.njit(error_model="numpy")
def lights(above, below, share, k, first, length, to, plane):
    """The screen along some pixels of a row, its key channel first, as three planes from ``plane`` on."""
    width = above.size // 3
    for c in range(3):
        at, to_at = np.uint64((k + c) % 3 * width + first), np.uint64((plane + c) * PLANE)
        for n in range(length):
            m = np.uint64(n)
            one = above[at + m]
            to[to_at + m] = one + (below[at + m] - one) * share


@nb.njit(error_model="numpy", inline="always")
def _packed(ck, ci, cj, a, bk, bi, bj):
    full, half = np.float32(255), np.float32(0.5)
    v = np.uint32(np.int32(ck * full + half)) << bk
    v |= np.uint32(np.int32(ci * full + half)) << bi
    v |= np.uint32(np.int32(cj * full + half)) << bj
    return v | np.uint32(np.int32(a * full + half)) << np.uint32(24)


@nb.njit(error_model="numpy", inline="always")
def _cleaned(ck, ci, cj, a, own, despill, to_grey, to_below):
    """Despill of a premultiplied foreground. ``own``: the D that it may have of its own."""
    spill = max(ck - max(ci, cj) - own * a, np.float32(0)) * despill
    grey = spill * to_grey
    ck, ci, cj = min(ck - spill + grey, a), min(ci + grey, a), min(cj + grey, a)
    return ck, ci, cj, max(a - spill * to_below, max(ck, max(ci, cj)))


@nb.njit(error_model="numpy")
def solid(row, first, last, k, near, despill, to_grey, to_below, to):
    """Pixels that are surely all foreground: only cleaned. ``near``: the colour of a cell there."""
    byte, unit = np.uint32(255), np.float32(1 / 255)
    i, j = (k + 1) % 3, (k + 2) % 3
    bk, bi, bj = np.uint32(8 * k), np.uint32(8 * i), np.uint32(8 * j)
    own = max(near[0] - max(near[1], near[2]), np.float32(0))
    for n in range(last - first):
        x = np.uint64(first) + np.uint64(n)
        v = row[x]
        ck = np.float32(np.int32((v >> bk) & byte)) * unit
        ci = np.float32(np.int32((v >> bi) & byte)) * unit
        cj = np.float32(np.int32((v >> bj) & byte)) * unit
        ck, ci, cj, a = _cleaned(ck, ci, cj, np.float32(1), own, despill, to_grey, to_below)
        to[x] = _packed(ck, ci, cj, a, bk, bi, bj)


@nb.njit(error_model="numpy")
def gather(near, columns, parts, ends, above, below, share, raw, k, first, length, to):
    """All that the solve of some pixels needs, in planes that lie :data:`PLANE` values apart: six of the foreground
    nearby, the screen's key channel and the other two, the raw coverage.

    They lie in one array at distances known beforehand, so that the loop of the solve, which reads
    them all, runs in vectors: with an array for each, the check that none overlaps would be too long
    for the compiler."""
    last, begin = near.shape[0] - 1, 0
    while begin < length:  # pixels between the middles of the same two cells
        c0 = columns[first + begin]
        stop, c1 = min(ends[c0] - first, length), min(c0 + 1, last)
        s0, s1, s2 = near[c0, 0], near[c0, 1], near[c0, 2]
        s3, s4, s5 = near[c0, 3], near[c0, 4], near[c0, 5]
        d0, d1, d2 = near[c1, 0] - s0, near[c1, 1] - s1, near[c1, 2] - s2
        d3, d4, d5 = near[c1, 3] - s3, near[c1, 4] - s4, near[c1, 5] - s5
        at = np.uint64(first + begin)
        for n in range((stop - begin + BLOCK - 1) // BLOCK * BLOCK):
            m = np.uint64(begin) + np.uint64(n)
            p = parts[at + np.uint64(n)]
            to[m] = s0 + d0 * p
            to[np.uint64(PLANE) + m] = s1 + d1 * p
            to[np.uint64(2 * PLANE) + m] = s2 + d2 * p
            to[np.uint64(3 * PLANE) + m] = s3 + d3 * p
            to[np.uint64(4 * PLANE) + m] = s4 + d4 * p
            to[np.uint64(5 * PLANE) + m] = s5 + d5 * p
        begin = stop
    lights(above, below, share, k, first, length, to, 6)
    copy(raw, first, to, 9 * PLANE, length)


@nb.njit(error_model="numpy")
def copy(source, at, to, to_at, length):
    for n in range(length):
        m = np.uint64(n)
        to[np.uint64(to_at) + m] = source[np.uint64(at) + m]


@nb.njit(error_model="numpy", inline="always")
def _gamut(p, s, margin, dark):
    """The least coverage with which the foreground of a channel is neither below 0 nor above 1, as a
    numerator and a denominator."""
    one = np.float32(1)
    low, high = max(s, dark), max(one - s, dark)
    return max((low - p - margin) * high, (p - margin - s) * low), low * high


@nb.njit(error_model="numpy", fastmath={"contract"})
def solve(row, room, first, length, k, to_ycc, low, gain):
    """The solve for some pixels of a row, with what :func:`gather` has put together; all channels in
    the order key channel, i, j. Its results are the planes 10 to 12: coverage, g, and the D that
    the foreground has of its own."""
    i, j = (k + 1) % 3, (k + 2) % 3
    bk, bi, bj = np.uint32(8 * k), np.uint32(8 * i), np.uint32(8 * j)
    wk, wi, wj = to_ycc[0, 0], to_ycc[0, 1], to_ycc[0, 2]
    uk, ui, uj = to_ycc[1, 0], to_ycc[1, 1], to_ycc[1, 2]
    vk, vi, vj = to_ycc[2, 0], to_ycc[2, 1], to_ycc[2, 2]
    zero, one, tiny, unit = np.float32(0), np.float32(1), np.float32(1e-9), np.float32(1 / 255)
    margin, three = np.float32(_GAMUT_MARGIN), np.float32(3 / _NOISE)
    light_prior, raw_prior = np.float32(_LIGHT_PRIOR), np.float32(_RAW_PRIOR)
    dim, most = np.float32(_LEAST_LIGHT), np.float32(_MOST_LIGHT)
    dark, byte = np.float32(0.02), np.uint32(255)
    nearly, least_rest = np.float32(0.97), np.float32(0.03)
    for n in range(length):
        m = np.uint64(n)
        x = np.uint64(first) + m
        v, a0 = row[x], room[np.uint64(9 * PLANE) + m]
        pk = np.float32(np.int32((v >> bk) & byte)) * unit
        pi = np.float32(np.int32((v >> bi) & byte)) * unit
        pj = np.float32(np.int32((v >> bj) & byte)) * unit
        sk, si = room[np.uint64(6 * PLANE) + m], room[np.uint64(7 * PLANE) + m]
        sj, fk = room[np.uint64(8 * PLANE) + m], room[m]
        fi, fj = room[np.uint64(PLANE) + m], room[np.uint64(2 * PLANE) + m]
        py, sy, fy = (
            wk * pk + wi * pi + wj * pj,
            wk * sk + wi * si + wj * sj,
            wk * fk + wi * fi + wj * fj,
        )
        pu, su, fu = (
            uk * pk + ui * pi + uj * pj,
            uk * sk + ui * si + uj * sj,
            uk * fk + ui * fi + uj * fj,
        )
        pv, sv, fv = (
            vk * pk + vi * pi + vj * pj,
            vk * sk + vi * si + vj * sj,
            vk * fk + vi * fi + vj * fj,
        )
        # inverse variances of Y', Cb, Cr and both priors, all times the product of the variances: what
        # takes long here is to divide, and the solution is the same
        spread = a0 * a0 * three
        vary = one + spread * max(room[np.uint64(3 * PLANE) + m] - fy * fy, zero)
        varu = one + spread * max(room[np.uint64(4 * PLANE) + m] - fu * fu, zero)
        varv = one + spread * max(room[np.uint64(5 * PLANE) + m] - fv * fv, zero)
        hy, hu, hv = varu * varv, vary * varv, vary * varu
        every = hy * vary
        same = light_prior * every * (sy * sy + su * su + sv * sv)
        hinted = raw_prior * every
        aa = hy * fy * fy + hu * fu * fu + hv * fv * fv + same + hinted
        ab = hy * fy * sy + hu * fu * su + hv * fv * sv + same
        bb = hy * sy * sy + hu * su * su + hv * sv * sv + same
        at = hy * fy * py + hu * fu * pu + hv * fv * pv + same + hinted * a0
        bt = hy * sy * py + hu * su * pu + hv * sv * pv + same
        over = one / max(aa * bb - ab * ab, tiny)
        a = min(max((at * bb - bt * ab) * over, zero), one)
        beta = (aa * bt - ab * at) * over
        g = min(max(beta / max(one - a, least_rest), dim), most)
        room[np.uint64(10 * PLANE) + m] = a
        room[np.uint64(11 * PLANE) + m] = g if a < nearly else one
    for n in range(length):  # a loop of its own: a longer one waits for its own results
        m = np.uint64(n)
        v = row[np.uint64(first) + m]
        pk = np.float32(np.int32((v >> bk) & byte)) * unit
        pi = np.float32(np.int32((v >> bi) & byte)) * unit
        pj = np.float32(np.int32((v >> bj) & byte)) * unit
        a, g = room[np.uint64(10 * PLANE) + m], room[np.uint64(11 * PLANE) + m]
        gk, gi = g * room[np.uint64(6 * PLANE) + m], g * room[np.uint64(7 * PLANE) + m]
        (nk, dk), (ni, di) = _gamut(pk, gk, margin, dark), _gamut(pi, gi, margin, dark)
        nj, dj = _gamut(pj, g * room[np.uint64(8 * PLANE) + m], margin, dark)
        least = max(nk * di, ni * dk) * dj
        least = max(least, nj * dk * di) / (dk * di * dj)
        a = max(a, min(least, one))
        room[np.uint64(10 * PLANE) + m] = min(max((a - low) * gain, zero), one)
        most_else = max(room[np.uint64(PLANE) + m], room[np.uint64(2 * PLANE) + m])
        room[np.uint64(12 * PLANE) + m] = max(room[m] - most_else, zero)


@nb.njit(error_model="numpy", inline="always")
def _weighed(a, b, c, d, e, f, g):
    """Thirteen values weighed by the Gaussian: the middle one, and the sums of those on either side."""
    return (
        np.float32(_G[0]) * a + np.float32(_G[1]) * b + np.float32(_G[2]) * c
        + np.float32(_G[3]) * d + np.float32(_G[4]) * e + np.float32(_G[5]) * f
        + np.float32(_G[6]) * g
    )  # fmt: skip


@nb.njit(error_model="numpy", fastmath={"contract"})
def crisped(alpha, stride, y, height, first, length, by, tall, to):
    """Coverage of a run of pixels of a row, made crisp: α + by·(α − Gα).

    ``alpha`` is a ring of rows of ``stride`` values, each with :data:`REACH` more on either side;
    ``tall`` and ``to`` have the length of a row.
    """
    r = np.empty(2 * REACH + 1, np.uint64)
    for v in range(2 * REACH + 1):
        r[v] = np.uint64(min(max(y + v - REACH, 0), height - 1) % RING * stride + first)
    r0, r1, r2, r3, r4, r5, r6 = r[0], r[1], r[2], r[3], r[4], r[5], r[6]
    r7, r8, r9, r10, r11, r12 = r[7], r[8], r[9], r[10], r[11], r[12]
    for n in range(length + 2 * REACH):
        m = np.uint64(n)
        tall[m] = _weighed(
            alpha[r6 + m], alpha[r5 + m] + alpha[r7 + m], alpha[r4 + m] + alpha[r8 + m],
            alpha[r3 + m] + alpha[r9 + m], alpha[r2 + m] + alpha[r10 + m],
            alpha[r1 + m] + alpha[r11 + m], alpha[r0 + m] + alpha[r12 + m],
        )  # fmt: skip
    zero, one = np.float32(0), np.float32(1)
    at, reach, two = np.uint64(first), np.uint64(REACH), np.uint64(2)
    for n in range(length):
        m = np.uint64(n)
        i = m + reach
        soft = _weighed(
            tall[i], tall[i - np.uint64(1)] + tall[i + np.uint64(1)], tall[i - two] + tall[i + two],
            tall[i - np.uint64(3)] + tall[i + np.uint64(3)],
            tall[i - np.uint64(4)] + tall[i + np.uint64(4)],
            tall[i - np.uint64(5)] + tall[i + np.uint64(5)], tall[m] + tall[i + reach],
        )  # fmt: skip
        a = alpha[r6 + i]
        to[at + m] = min(max(a + by * (a - soft), zero), one)


@nb.njit(error_model="numpy", fastmath={"contract"})
def unmix(row, room, first, length, k, despill, to_grey, to_below, to):
    """The foreground of some pixels of a row, cleaned, premultiplied. ``room`` holds planes of the
    screen's key channel and the other two, coverage, g, and the D that the foreground may have."""
    i, j = (k + 1) % 3, (k + 2) % 3
    bk, bi, bj = np.uint32(8 * k), np.uint32(8 * i), np.uint32(8 * j)
    zero, one, unit, byte = np.float32(0), np.float32(1), np.float32(1 / 255), np.uint32(255)
    for n in range(length):
        m = np.uint64(n)
        x = np.uint64(first) + m
        v = row[x]
        pk = np.float32(np.int32((v >> bk) & byte)) * unit
        pi = np.float32(np.int32((v >> bi) & byte)) * unit
        pj = np.float32(np.int32((v >> bj) & byte)) * unit
        sk, si = room[m], room[np.uint64(PLANE) + m]
        sj, a = room[np.uint64(2 * PLANE) + m], room[np.uint64(3 * PLANE) + m]
        g, own = room[np.uint64(4 * PLANE) + m], room[np.uint64(5 * PLANE) + m]
        rest = one - a
        ck = min(max(pk - rest * g * sk, zero), a)
        ci = min(max(pi - rest * g * si, zero), a)
        cj = min(max(pj - rest * g * sj, zero), a)
        ck, ci, cj, a = _cleaned(ck, ci, cj, a, own, despill, to_grey, to_below)
        to[x] = _packed(ck, ci, cj, a, bk, bi, bj)


@nb.njit(error_model="numpy")
def shadow(row, above, below, share, shade, to):
    """A darkening of the screen becomes black with coverage, in what of each pixel of a row is screen."""
    width = row.size
    wr, wg, wb = np.float32(LUMA_709[0]), np.float32(LUMA_709[1]), np.float32(LUMA_709[2])
    zero, one, unit, byte = np.float32(0), np.float32(1), np.float32(1 / 255), np.uint32(255)
    full, half = np.float32(255), np.float32(0.5)
    for n in range(width):
        x = np.uint64(n)
        v = row[x]
        luma = wr * np.float32(np.int32(v & byte))
        luma += wg * np.float32(np.int32((v >> np.uint32(8)) & byte))
        luma = (luma + wb * np.float32(np.int32((v >> np.uint32(16)) & byte))) * unit
        over = wr * above[n] + wg * above[width + n] + wb * above[2 * width + n]
        under = wr * below[n] + wg * below[width + n] + wb * below[2 * width + n]
        screen = over + (under - over) * share
        dark = min(max(one - luma / max(screen, np.float32(0.02)), zero), one)
        cover = np.float32(np.int32(to[x] >> np.uint32(24)))
        cover += (full - cover) * shade * dark
        to[x] = (to[x] & np.uint32(0xFFFFFF)) | np.uint32(np.int32(cover + half)) << np.uint32(24)


@nb.njit(error_model="numpy")
def own_coverage(row, to):
    """Weigh a keyed row by the coverage that the picture itself has."""
    byte, half, unit = np.uint32(255), np.float32(0.5), np.float32(1 / 255)
    for x in range(to.size):
        keep = np.float32(np.int32(row[x] >> np.uint32(24))) * unit
        v, made = to[x], np.uint32(0)
        for shift in range(0, 32, 8):
            c = np.float32(np.int32((v >> np.uint32(shift)) & byte)) * keep + half
            made |= np.uint32(np.int32(c)) << np.uint32(shift)
        to[x] = made
