"""The demo composite in plain NumPy, float64, straight from the formulas; slow and obvious.

Written without the kernels: keying, masking, placing and blending are all done again here. Only
reading, and what is known of a screen beforehand (its light, the foreground nearby, how estimates of coverage
weigh, each as a grid), are taken from the program.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from math import ceil

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter, uniform_filter

from velvet_seam.core.engine.plan import Footage
from velvet_seam.core.masks import BoxMask, Mask
from velvet_seam.core.mattes import ScreenKey
from velvet_seam.core.picture.estimates import weighed
from velvet_seam.core.picture.foreground import MARGIN, local_foreground
from velvet_seam.core.picture.key_rows import CLEAR
from velvet_seam.core.picture.screen import CELL, screen_surface
from velvet_seam.core.picture.study import STUDY, study
from velvet_seam.core.picture.surroundings import facts
from velvet_seam.core.picture.unmix import SEGMENT
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources import ColourSource
from velvet_seam.core.timing.animated import value_at
from velvet_seam.core.words import colour_to_rgb

Image = NDArray[np.float64]


def bilinear(grid: Image, rows: NDArray, columns: NDArray) -> Image:
    """A grid at fractional places, held at its border."""
    r = np.clip(rows, 0, grid.shape[0] - 1)
    c = np.clip(columns, 0, grid.shape[1] - 1)
    r0, c0 = np.floor(r).astype(int), np.floor(c).astype(int)
    r1, c1 = np.minimum(r0 + 1, grid.shape[0] - 1), np.minimum(c0 + 1, grid.shape[1] - 1)
    u, v = (r - r0)[:, None, None], (c - c0)[None, :, None]
    top = grid[r0][:, c0] * (1 - v) + grid[r0][:, c1] * v
    low = grid[r1][:, c0] * (1 - v) + grid[r1][:, c1] * v
    return top * (1 - u) + low * u


def luma_chroma(c: Image) -> Image:
    """Y', Cb, Cr of BT.709."""
    y = c @ np.array([0.2126, 0.7152, 0.0722])
    return np.stack([y, (c[..., 2] - y) / 1.8556, (c[..., 0] - y) / 1.5748], -1)


def keyed(picture: NDArray[np.uint8], key: ScreenKey, at: int) -> Image:
    """The screen key of one picture: RGBA, premultiplied, 0 to 1."""
    h, w = picture.shape[:2]
    colour = colour_to_rgb(key.colour)
    small = study(picture)
    grid = screen_surface(small, colour)
    k = int(np.argmax(colour))
    others = [(k + 1) % 3, (k + 2) % 3]
    step = min(1.0, STUDY / min(h, w)) / CELL
    near = local_foreground(small, grid, k, max(MARGIN, ceil(6 * step * CELL)))
    rows, columns = (np.arange(h) + 0.5) * step - 0.5, (np.arange(w) + 0.5) * step - 0.5
    s = bilinear(grid.astype(float), rows, columns)
    f, var = np.empty_like(s), bilinear(near.near[..., 3:].astype(float), rows, columns)
    f[..., [k, *others]] = bilinear(near.near[..., :3].astype(float), rows, columns)
    c = picture[..., :3] / 255

    def difference(x: Image) -> Image:
        return x[..., k] - x[..., others].max(-1)

    cy, sy, fy = luma_chroma(c), luma_chroma(s), luma_chroma(f)
    ds = np.maximum(difference(s), 0.02)
    beyond = np.maximum(
        (s - c - 0.05) / np.maximum(s, 0.1), (c - s - 0.05) / np.maximum(1 - s, 0.1)
    )
    raw = np.clip(np.maximum(1 - difference(c) / ds, beyond.max(-1)), 0, 1)
    # on a screen of little colour the distance counts in place of the colour difference
    grey = np.clip((0.40 - ds / np.maximum(s[..., k], 0.05)) / 0.20, 0, 1)
    far = np.clip(np.sqrt((((cy - sy) / [0.18, 0.05, 0.05]) ** 2).sum(-1)) - 0.15, 0, 1)
    raw = raw / near.white * (1 - grey) + grey * far / near.white
    raw = np.clip(raw, 0, 1)
    weight = 1 / (4e-4 + 3 * raw[..., None] ** 2 * np.maximum(var - fy**2, 0))
    same = 0.5 / 4e-4 * (sy**2).sum(-1)
    aa = (weight * fy * fy).sum(-1) + same + 0.01 / 4e-4
    ab = (weight * fy * sy).sum(-1) + same
    bb = (weight * sy * sy).sum(-1) + same
    right_a = (weight * fy * cy).sum(-1) + same + 0.01 / 4e-4 * raw
    right_b = (weight * sy * cy).sum(-1) + same
    det = np.maximum(aa * bb - ab * ab, 1e-9)
    a = np.clip((right_a * bb - right_b * ab) / det, 0, 1)
    beta = (aa * right_b - ab * right_a) / det
    g = np.where(a < 0.97, np.clip(beta / np.maximum(1 - a, 0.03), 0.8, 1.08), 1)[..., None] * s
    low, high = np.maximum(g, 0.02), np.maximum(1 - g, 0.02)
    least = np.maximum((low - c - 0.02) / low, (c - 0.02 - g) / high).max(-1)
    a = np.maximum(a, np.minimum(least, 1))
    a = np.clip((a - value_at(key.tolerance, at) / 100) / (value_at(key.softness, at) / 100), 0, 1)
    # segments that are all screen, and all foreground
    own = np.maximum(difference(f), 0)
    cells = (
        np.clip(rows, 0, len(grid) - 1).astype(int),
        np.clip(columns, 0, grid.shape[1] - 1).astype(int),
    )
    down, across = (np.arange(n) * m // n for n, m in zip((h, w), near.core.shape, strict=True))
    estimates = weighed(facts(small, grid, near, k))
    held, solved = estimates.held > 0, np.empty((h, w), bool)
    for begin in range(0, w, SEGMENT):
        end = min(begin + SEGMENT, w)
        screen = raw[:, begin:end].max(1) <= CLEAR
        clear = screen & ~held[down, across[begin] : across[end - 1] + 1].any(1)
        core = near.core[down, across[begin] : across[end - 1] + 1].all(1) & ~screen
        a[screen, begin:end] = 0
        a[core, begin:end] = 1
        solved[:, begin:end] = ~(clear | core)[:, None]
        first = near.near[cells[0], cells[1][begin]]
        own[core, begin:end] = np.maximum(first[core, 0] - first[core, 1:3].max(1), 0)[:, None]
    # what compression has blurred is made crisp again
    soft = gaussian_filter(a, 2.5, mode="nearest", radius=6)
    crisp = np.clip(a + 0.5 * (a - soft), 0, 1)
    # the estimates, weighed by what lies around
    weights = estimates.weights.astype(float)
    down, across = (
        (np.arange(n) + 0.5) * m / n - 0.5 for n, m in zip((h, w), small.shape, strict=False)
    )
    most = np.clip(a + 3 * (crisp - a), 0, 1)
    every = [crisp, a, np.ones_like(a), np.minimum(2 * a, 1), np.maximum(2 * a - 1, 0), most]
    made = np.minimum(1.03 * (bilinear(weights, down, across) * np.stack(every, -1)).sum(-1), 1)
    made = np.where(solved, made, crisp)
    a = crisp + value_at(key.hold, at) / 100 * (made - crisp)
    out = np.clip(c - (1 - a)[..., None] * g, 0, a[..., None])
    spill = np.maximum(difference(out) - own * a, 0) * value_at(key.despill, at) / 100
    out[..., k] -= spill
    if key.spill_to == "grey":
        out = np.minimum(out + spill[..., None], a[..., None])
    return np.concatenate([heard(out, a), a[..., None]], -1)


def heard(out: Image, a: Image) -> Image:
    """Premultiplied colours, those of partly covered pixels drawn towards what the nine around each have; of pixels in
    8 bits, as they are kept."""
    out, a = np.rint(out * 255) / 255, np.rint(a * 255) / 255
    own, weight = out / np.maximum(a, 1e-9)[..., None], a[..., None] ** 3

    def mean(values: Image) -> Image:
        around = uniform_filter(values * weight, (3, 3, 0), mode="nearest")
        return around / np.maximum(uniform_filter(weight, (3, 3, 0), mode="nearest"), 1e-9)

    colour = mean(own)
    vary = np.maximum((mean(own**2) - colour**2).mean(-1), 0) + 1e-4
    by = np.where(a < 1, 0.0025 / (a * a * vary + 0.0025), 0)[..., None]
    return np.clip(out + (colour * a[..., None] - out) * by, 0, a[..., None])


def masked(image: Image, mask: Mask, at: int, layer: Layer, width: float, height: float) -> Image:
    assert isinstance(mask, BoxMask)
    h, w = image.shape[:2]
    kx, ky = w / width, h / height
    cx, cy = (value_at(mask.x, at) + width / 2) * kx, (value_at(mask.y, at) + height / 2) * ky
    hw, hh = value_at(mask.width, at) / 2 * kx, value_at(mask.height, at) / 2 * ky
    dx = np.abs(np.arange(w) + 0.5 - cx)[None] - hw
    dy = np.abs(np.arange(h) + 0.5 - cy)[:, None] - hh
    outside = np.hypot(np.maximum(dx, 0), np.maximum(dy, 0))
    distance = np.where((dx > 0) & (dy > 0), outside, np.maximum(dx, dy))
    per = kx / (value_at(layer.place.scale, at) / 100)
    inner, outer = value_at(mask.feather_in, at) * per, value_at(mask.feather_out, at) * per
    if inner + outer < 1:
        inner, outer = 0.5 + (inner - outer) / 2, 0.5 + (outer - inner) / 2
    keep = np.clip((outer - distance) / (inner + outer), 0, 1)
    return image * (1 - keep if mask.use == "garbage" else keep)[..., None]


def overlap(size: int, scale: float, shift: float, count: int) -> Image:
    """How much of each of ``count`` canvas pixels each source pixel covers: a matrix."""
    edges = (np.arange(count + 1) - shift) / scale
    low, high = edges[:-1, None], edges[1:, None]
    index = np.arange(size)[None]
    return np.clip(np.minimum(high, index + 1) - np.maximum(low, index), 0, None) * scale


def placed(image: Image, layer: Layer, at: int, shot: Shot, width: float, height: float) -> Image:
    """Area average, then bicubic where the layer is turned; for layers that are not enlarged."""
    cw, ch = round(shot.canvas.width / 2), round(shot.canvas.height / 2)
    scale = value_at(layer.place.scale, at) / 200
    rows, columns = image.shape[:2]
    sx, sy = scale * width / columns, scale * height / rows
    assert max(sx, sy) <= 1
    x, y = value_at(layer.place.x, at) / 2, value_at(layer.place.y, at) / 2
    turn = np.radians(value_at(layer.place.rotation, at))
    if turn == 0:
        across = overlap(columns, sx, x - scale * width / 2, cw)
        down = overlap(rows, sy, y - scale * height / 2, ch)
        return np.einsum("jy,yxc,ix->jic", down, image, across, optimize=True)
    w, h = round(columns * sx), round(rows * sy)
    across, down = overlap(columns, w / columns, 0, w), overlap(rows, h / rows, 0, h)
    small = np.einsum("jy,yxc,ix->jic", down, image, across, optimize=True)
    reach_x, reach_y = sx * columns / w, sy * rows / h
    px, py = np.arange(cw)[None] + 0.5 - x, np.arange(ch)[:, None] + 0.5 - y
    u = (px * np.cos(turn) + py * np.sin(turn)) / reach_x + w / 2
    v = (py * np.cos(turn) - px * np.sin(turn)) / reach_y + h / 2
    out = np.zeros((ch, cw, 4))
    for row in range(-1, 3):
        for column in range(-1, 3):
            i, j = np.floor(u - 0.5) + column, np.floor(v - 0.5) + row
            weight = keys(u - 0.5 - i) * keys(v - 0.5 - j)
            tap = small[np.clip(j, 0, h - 1).astype(int), np.clip(i, 0, w - 1).astype(int)]
            out += weight[..., None] * tap
    inside = np.clip(np.minimum(u, w - u) * reach_x + 0.5, 0, 1)
    inside = inside * np.clip(np.minimum(v, h - v) * reach_y + 0.5, 0, 1)
    coverage = np.clip(out[..., 3:], 0, 1)
    return np.concatenate([np.clip(out[..., :3], 0, coverage), coverage], -1) * inside[..., None]


def keys(t: Image) -> Image:
    """The cubic of R. Keys with a = −½ at a distance ``t``."""
    t = np.abs(t)
    near = 1.5 * t**3 - 2.5 * t**2 + 1
    far = -0.5 * t**3 + 2.5 * t**2 - 4 * t + 2
    return np.where(t <= 1, near, np.where(t < 2, far, 0))


def blend(mode: str, b: Image, s: Image) -> Image:
    if mode == "screen":
        return b + s - b * s
    if mode == "soft-light":
        d = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b))
        return np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (d - b))
    assert mode == "normal"
    return s


def reference_picture(shot: Shot, frame: int, footage: Callable[[str], Footage]) -> Image:
    """A frame of the demo shot at half size: (height, width, 3), 0 to 255."""
    size = (round(shot.canvas.height / 2), round(shot.canvas.width / 2), 3)
    out = np.broadcast_to(np.array(colour_to_rgb(shot.canvas.background)) / 255, size).copy()
    for layer in shot.layers:
        if not layer.span.holds(frame):
            continue
        at = frame - layer.span.first
        if isinstance(layer.source, ColourSource):
            flat = np.array([*colour_to_rgb(layer.source.colour), 255]) / 255
            image = np.broadcast_to(flat, (*size[:2], 4))
        else:
            source = footage(layer.source.footage)
            time = layer.time.source_in + Fraction(at) / shot.rate
            picture = source.read(source.frame_at(time))
            image = picture / 255
            for key in layer.seam.matte:
                assert isinstance(key, ScreenKey)
                image = keyed(picture, key, at)
            for mask in layer.seam.masks:
                image = masked(image, mask, at, layer, source.width, source.height)
            image = placed(image, layer, at, shot, source.width, source.height)
        a = image[..., 3:]
        s = np.divide(image[..., :3], a, out=np.zeros(size), where=a > 1e-9)
        strength = a * value_at(layer.seam.opacity, at) / 100
        out = strength * blend(layer.seam.blend, out, np.clip(s, 0, 1)) + (1 - strength) * out
    return out * 255
