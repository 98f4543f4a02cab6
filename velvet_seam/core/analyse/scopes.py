"""Instruments of a picture: levels, waveform and hues, drawn as small pictures; and what is lost in black and white.

Counts are of every pixel in rows that are looked at. A level is brightened by the root of its count, so that few
pixels are seen beside many.
"""

from __future__ import annotations

from collections.abc import Callable

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.colour import LUMA_709

Picture = NDArray[np.uint8]

WIDTH, HEIGHT = 512, 220
"""Of the drawn instruments, pixels; hues are square."""

GROUND = (46, 42, 45)
LINE = (84, 78, 82)
CHANNELS = ((214, 92, 84), (110, 180, 110), (104, 140, 214))
"""Red, green and blue, as they are drawn; where all meet it is light."""

DARKEST, BRIGHTEST = 1, 254
"""Up to the one and from the other on, a channel is lost."""


@kernel()
def _levels(picture, counts):
    """Counts of each level: R, G, B."""
    for y in range(picture.shape[0]):
        row = picture[y]
        for x in range(row.shape[0]):
            if row[x, 3] > 127:
                counts[0, row[x, 0]] += 1
                counts[1, row[x, 1]] += 1
                counts[2, row[x, 2]] += 1


@kernel()
def _columns(picture, counts):
    """Counts of each level in each of so many columns, for each channel."""
    wide, width = counts.shape[2], picture.shape[1]
    for y in range(picture.shape[0]):
        row = picture[y]
        for x in range(width):
            if row[x, 3] > 127:
                at = x * wide // width
                for c in range(3):
                    counts[c, row[x, c], at] += 1


@kernel()
def _hues(picture, counts):
    """Counts over Cb and Cr (ITU-R BT.709), 256 × 256, Cr upwards."""
    side = np.float32(counts.shape[0])
    for y in range(picture.shape[0]):
        row = picture[y]
        for x in range(row.shape[0]):
            if row[x, 3] > 127:
                r, g, b = np.float32(row[x, 0]), np.float32(row[x, 1]), np.float32(row[x, 2])
                luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
                cb = (b - luma) / np.float32(1.8556 * 255) + np.float32(0.5)
                cr = (r - luma) / np.float32(1.5748 * 255) + np.float32(0.5)
                i = min(max(np.int32(cb * side), 0), counts.shape[0] - 1)
                j = min(max(np.int32((np.float32(1) - cr) * side), 0), counts.shape[0] - 1)
                counts[j, i] += 1


@kernel()
def _lost(picture):
    """Pixels that are counted, those lost in black, and those in white: where any channel is."""
    seen, black, white = 0, 0, 0
    for y in range(picture.shape[0]):
        row = picture[y]
        for x in range(row.shape[0]):
            if row[x, 3] > 127:
                seen += 1
                low = min(min(row[x, 0], row[x, 1]), row[x, 2])
                high = max(max(row[x, 0], row[x, 1]), row[x, 2])
                black += high <= DARKEST
                white += low >= BRIGHTEST
    return seen, black, white


def lost(picture: Picture) -> tuple[float, float]:
    """How much of a picture is wholly black, and how much wholly white: per cent of what is covered.

    >>> lost(np.array([[[0, 0, 0, 255], [9, 9, 9, 255], [255, 255, 255, 255], [0, 0, 0, 0]]], np.uint8))
    (33.3, 33.3)
    """
    seen, black, white = _lost(np.ascontiguousarray(picture))
    if not seen:
        return 0.0, 0.0
    return round(100 * black / seen, 1), round(100 * white / seen, 1)


BINS = 64


def levels(picture: Picture, coverage: Picture | None = None) -> list[list[float]]:
    """Shares of the pixels from black to white, in 64 steps, for luma, red, green and blue; of those that are covered
    by half, where ``coverage``, (h, w), is given.

    >>> [one[0] for one in levels(np.zeros((4, 4, 4), np.uint8))]
    [1.0, 1.0, 1.0, 1.0]
    """
    seen = picture[..., :3].reshape(-1, 3) if coverage is None else picture[coverage >= 128][:, :3]
    if not len(seen):
        return [[0.0] * BINS for _ in range(4)]
    luma = np.rint(seen @ np.array(LUMA_709, np.float32)).astype(np.uint8)
    planes = (luma, *seen.T)
    counts = [np.bincount(one // (256 // BINS), minlength=BINS) / len(seen) for one in planes]
    return [[round(float(share), 5) for share in one] for one in counts]


def _ground(width: int, height: int) -> Picture:
    out = np.empty((height, width, 4), np.uint8)
    out[...] = (*GROUND, 255)
    return out


def _lightened(
    base: Picture, strength: NDArray[np.float32], colours: tuple[tuple[int, int, int], ...]
) -> Picture:
    """Light of three colours screened onto a ground, each as strong as its plane says, 0 to 1."""
    keep = np.ones((*base.shape[:2], 3), np.float32)
    for plane, colour in zip(strength, colours, strict=True):
        keep *= 1 - plane[..., None] * (np.array(colour, np.float32) / 255)
    out = base.copy()
    out[..., :3] = 255 - (255 - base[..., :3]) * keep
    return out


def histogram(picture: Picture) -> Picture:
    """How many pixels have each level, black at the left."""
    counts = np.zeros((3, 256), np.int64)
    _levels(np.ascontiguousarray(picture), counts)
    inner = counts[:, 2:254].max() if counts.any() else 1
    high = np.sqrt(np.minimum(counts / max(inner, 1), 1.0)) * (HEIGHT - 6)
    across = np.interp((np.arange(WIDTH) + 0.5) / WIDTH * 256 - 0.5, np.arange(256), np.arange(256))
    tall = np.stack([np.interp(across, np.arange(256), one) for one in high])
    up = (HEIGHT - np.arange(HEIGHT) - 0.5)[:, None]
    planes = np.clip(tall[:, None, :] - up + 0.5, 0, 1).astype(np.float32)
    base = _ground(WIDTH, HEIGHT)
    for n in (1, 2, 3):
        base[:, WIDTH * n // 4, :3] = LINE
    return _lightened(base, planes * 0.8, CHANNELS)


def waveform(picture: Picture) -> Picture:
    """Levels of the three channels along the width of the picture, white at the top."""
    counts = np.zeros((3, 256, WIDTH // 2), np.int32)
    _columns(np.ascontiguousarray(picture), counts)
    per = max(1.0, picture.shape[0] * picture.shape[1] / (WIDTH // 2))
    strength = np.minimum(np.sqrt(counts / per) * 4.5, 1).astype(np.float32)
    rows = (255 - np.arange(HEIGHT) * 255 // (HEIGHT - 1)).astype(np.int64)
    planes = np.repeat(strength[:, rows, :], 2, axis=2)
    base = _ground(WIDTH, HEIGHT)
    for n in (0.25, 0.5, 0.75):
        base[round(n * HEIGHT), :, :3] = LINE
    return _lightened(base, planes, CHANNELS)


def vectorscope(picture: Picture) -> Picture:
    """Hues and how strong they are: Cb to the right, Cr upwards, grey in the middle."""
    side = HEIGHT
    counts = np.zeros((side, side), np.int32)
    _hues(np.ascontiguousarray(picture), counts)
    strength = np.minimum(np.sqrt(counts / max(1.0, picture.shape[0] * picture.shape[1] / 6000)), 1)
    j, i = np.mgrid[:side, :side].astype(np.float32)
    cb, cr = (i + 0.5) / side - 0.5, 0.5 - (j + 0.5) / side
    luma = 0.62
    red, blue = luma + 1.5748 * cr, luma + 1.8556 * cb
    green = (luma - 0.2126 * red - 0.0722 * blue) / 0.7152
    colour = np.dstack([red, green, blue]).clip(0.1, 1)
    base = np.empty((side, WIDTH, 4), np.uint8)
    base[...] = (*GROUND, 255)
    left = (WIDTH - side) // 2
    square = base[:, left : left + side, :3].astype(np.float32)
    far = np.hypot(cb, cr)
    for ring in (0.125, 0.25, 0.375, 0.5):
        square[np.abs(far - ring) < 0.6 / side] = LINE
    square[:, side // 2] = square[side // 2] = LINE
    square += strength[..., None] * (255 * colour - square)
    base[:, left : left + side, :3] = square
    return base


SCOPES: dict[str, Callable[[Picture], Picture]] = {
    "histogram": histogram, "waveform": waveform, "vectorscope": vectorscope,
}  # fmt: skip
"""All instruments by their names."""


@nb.njit(error_model="numpy")
def _mark_row(row, y, to):
    for x in range(row.shape[0]):
        low = min(min(row[x, 0], row[x, 1]), row[x, 2])
        high = max(max(row[x, 0], row[x, 1]), row[x, 2])
        stripe = (x + y) % 8 < 4
        for c in range(4):
            to[x, c] = row[x, c]
        if high <= DARKEST and stripe:
            to[x, 0], to[x, 1], to[x, 2] = np.uint8(70), np.uint8(120), np.uint8(230)
        elif low >= BRIGHTEST and stripe:
            to[x, 0], to[x, 1], to[x, 2] = np.uint8(214), np.uint8(140), np.uint8(20)


@kernel(parallel=True)
def _marked(picture):
    out = np.empty_like(picture)
    for y in nb.prange(picture.shape[0]):
        _mark_row(picture[y], y, out[y])
    return out


def marked(picture: Picture) -> Picture:
    """A picture with stripes where it is lost: blue in black, gold in white."""
    return np.asarray(_marked(np.ascontiguousarray(picture)))
