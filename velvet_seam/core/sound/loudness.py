"""Loudness as it is heard, and a mix brought to one without clipping."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.sound.decode import Sound
from velvet_seam.core.timing.rate import SOUND_RATE

POSTS = -14.0
"""LUFS: what the places that short videos are posted at bring them to."""

CEILING = 10 ** (-1.5 / 20)
"""The greatest sample of a mix that was brought to a loudness: 1.5 dB below full scale, room for what
coding adds and for what lies between samples."""

# Recommendation ITU-R BS.1770-4, tables 1 and 2: the head's effect and a high pass, at 48 kHz
_SHELF = (
    1.53512485958697,
    -2.69169618940638,
    1.19839281085285,
    -1.69065929318241,
    0.73248077421585,
)
_HIGH_PASS = (1.0, -2.0, 1.0, -1.99004745483398, 0.99007225036621)

_ATTACK = SOUND_RATE // 200
"""Samples in which the limiter comes in before a peak, and goes after it: 5 ms."""


@kernel()
def _filtered(x, b0, b1, b2, a1, a2):
    out = np.empty_like(x)
    for c in range(x.shape[1]):
        z1, z2 = 0.0, 0.0
        for n in range(x.shape[0]):
            y = b0 * x[n, c] + z1
            z1 = b1 * x[n, c] - a1 * y + z2
            z2 = b2 * x[n, c] - a2 * y
            out[n, c] = y
    return out


def loudness(sound: Sound) -> float:
    """Integrated loudness in LUFS, gated, after ITU-R BS.1770-4; −inf for silence and for what is
    shorter than 0.4 s.

    >>> tone = np.sin(2 * np.pi * 997 * np.arange(96000) / 48000).astype(np.float32)
    >>> abs(round(loudness(np.stack([tone, tone], 1)), 1))
    0.0
    """
    block, hop = SOUND_RATE * 2 // 5, SOUND_RATE // 10
    if len(sound) < block:
        return float("-inf")
    weighted = _filtered(_filtered(sound.astype(np.float64), *_SHELF), *_HIGH_PASS)
    power = np.concatenate([[0.0], np.cumsum((weighted**2).sum(axis=1))])
    starts = np.arange(0, len(sound) - block + 1, hop)
    blocks = (power[starts + block] - power[starts]) / block
    loud = blocks[blocks > _power(-70.0)]
    if not loud.size:
        return float("-inf")
    loud = loud[loud > 0.1 * loud.mean()]  # 10 LU below the mean
    return float(-0.691 + 10 * np.log10(loud.mean()))


def _power(lufs: float) -> float:
    return float(10 ** ((lufs + 0.691) / 10))


def brought_to(sound: Sound, lufs: float) -> Sound:
    """A mix at a loudness, its peaks held below :data:`CEILING`; silence stays silence.

    The limiter is a gain that comes in smoothly before a peak. What it takes is given again, so that
    the loudness holds, as far as the peaks leave room.
    """
    here = loudness(sound)
    if not np.isfinite(here):
        return sound
    made, gain = sound, lufs - here
    for _ in range(4):
        made = _limited(sound * np.float32(10 ** (gain / 20)))
        short = lufs - loudness(made)
        if abs(short) < 0.05:
            break
        gain += short
    return made


def _limited(sound: Sound) -> Sound:
    peak = np.abs(sound).max(axis=1)
    needed = np.minimum(1.0, CEILING / np.maximum(peak, 1e-9))
    if needed.min() >= 1:
        return sound
    # the least gain nearby, then its mean over as long: never above what any peak needs
    held = _least_nearby(needed, _ATTACK)
    window = np.hanning(2 * _ATTACK + 3)[1:-1]
    smooth = np.convolve(np.pad(held, _ATTACK, mode="edge"), window / window.sum(), "valid")
    return np.asarray(sound * smooth[:, None], np.float32)


def _least_nearby(values: NDArray[np.float64], reach: int) -> NDArray[np.float64]:
    """The least of all values up to ``reach`` away, by minima of doubling length."""
    padded = np.pad(values, reach, constant_values=1.0)
    width, span = 1, 2 * reach + 1
    least = padded
    while 2 * width <= span:
        least = np.minimum(least[: len(least) - width], least[width:])
        width *= 2
    rest = span - width
    return np.minimum(least[: len(values)], least[rest : rest + len(values)])
