"""Blends that join premultiplied pixels with what is wholly covered in one pass.

Over a backdrop b that is wholly covered, blending and source-over of the specification (see
:mod:`velvet_seam.core.picture.blend`) come to ``b + α·(B(b, Cs) − b)``. With the premultiplied colour
``s = α·Cs`` that is ``s + (1 − α)·b`` for normal, and for many of the others what is added to b needs no
division, since α can be multiplied out::

    multiply b·(s − α)            screen s·(1 − b)              overlay (2s − α)·min(b, 1 − b)
    darken min(s − αb, 0)         lighten max(s − αb, 0)        difference |αb − s| − αb
    exclusion s − 2sb             plus-lighter s                add min(s, α − αb)
    subtract −min(s, αb)          linear-burn max(s − α, −αb)   linear-light 2s − α, held in −αb to α − αb
    hard-light, soft-light (2s − α)·f(b), with an f for either sign of 2s − α
    pin-light min(2s − αb, 0) up to 2s = α, max(2s − α − αb, 0) above

Each is so many times itself when s and α are, so that opacity is multiplied into both beforehand.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numba as nb
import numpy as np

from velvet_seam.core.picture.blend import ADDING, MODES
from velvet_seam.core.picture.spans import any_of

STRETCH = 128
"""Pixels that are looked at together for any that changes something."""

_inline = nb.njit(inline="always", error_model="numpy")


@_inline
def _multiply(b, s, a):
    return b * (s - a)


@_inline
def _screen(b, s, a):
    return s * (np.float32(1) - b)


@_inline
def _overlay(b, s, a):
    return (s + s - a) * min(b, np.float32(1) - b)


@_inline
def _darken(b, s, a):
    return min(s - a * b, np.float32(0))


@_inline
def _lighten(b, s, a):
    return max(s - a * b, np.float32(0))


@_inline
def _hard_light(b, s, a):
    t = s + s - a
    return t * (b if t <= np.float32(0) else np.float32(1) - b)


@_inline
def _soft_light(b, s, a):
    t = s + s - a
    low = ((np.float32(16) * b - np.float32(12)) * b + np.float32(3)) * b
    lift = low if b <= np.float32(0.25) else np.sqrt(b) - b
    return t * (b - b * b if t <= np.float32(0) else lift)


@_inline
def _difference(b, s, a):
    return abs(a * b - s) - a * b


@_inline
def _exclusion(b, s, a):
    return s - (s + s) * b


@_inline
def _plus_lighter(b, s, a):
    return s


@_inline
def _add(b, s, a):
    return min(s, a - a * b)


@_inline
def _subtract(b, s, a):
    return -min(s, a * b)


@_inline
def _linear_burn(b, s, a):
    return max(s - a, -a * b)


@_inline
def _linear_light(b, s, a):
    return min(max(s + s - a, -a * b), a - a * b)


@_inline
def _pin_light(b, s, a):
    t = s + s
    return min(t - a * b, np.float32(0)) if t <= a else max(t - a - a * b, np.float32(0))


@_inline
def _normal(b, s, a):
    """Where a pixel is clear or whole, exactly nothing or exactly itself."""
    return s + b * (np.float32(1) - a)


def _changed(change: Callable[[Any, Any, Any], Any]) -> Any:
    """What a backdrop becomes by what a blend changes of it."""

    @_inline
    def become(b, s, a):
        return min(max(b + change(b, s, a), np.float32(0)), np.float32(1))

    return become


def _pass(become: Callable[[Any, Any, Any], Any]) -> Any:
    """A loop over packed pixels that joins them with planes R, G, B of ``p`` values each, from ``left`` on.
    ``share`` is the opacity over 255; stretches without any of the bits ``seen`` change nothing. Where all
    are of one colour there is nothing to unpack, and what depends on the colour alone is found once."""

    @nb.njit(error_model="numpy", fastmath={"contract"})
    def run_of_one(pixel, to, left, p, n, share):
        a = np.float32(np.int32(pixel >> np.uint32(24))) * share
        for channel in range(3):
            value = (pixel >> np.uint32(8 * channel)) & np.uint32(255)
            s, at = min(np.float32(np.int32(value)) * share, a), np.uint64(left + channel * p)
            for k in range(n):
                i = at + np.uint64(k)
                to[i] = become(to[i], s, a)

    @nb.njit(error_model="numpy", fastmath={"contract"})
    def run(row, at, to, left, p, n, share, seen, one_colour):
        if one_colour:
            run_of_one(row[at], to, left, p, n, share)
            return
        byte = np.uint32(255)
        eight, sixteen, top = np.uint32(8), np.uint32(16), np.uint32(24)
        for begin in range(0, n, STRETCH):
            length, first = min(STRETCH, n - begin), at + np.uint64(begin)
            if not any_of(row, first, length, seen):
                continue
            r, g = np.uint64(left + begin), np.uint64(left + begin + p)
            b = np.uint64(left + begin + 2 * p)
            for k in range(length):
                i = np.uint64(k)
                pixel = row[first + i]
                a = np.float32(np.int32(pixel >> top)) * share
                red = min(np.float32(np.int32(pixel & byte)) * share, a)
                green = min(np.float32(np.int32((pixel >> eight) & byte)) * share, a)
                blue = min(np.float32(np.int32((pixel >> sixteen) & byte)) * share, a)
                to[r + i] = become(to[r + i], red, a)
                to[g + i] = become(to[g + i], green, a)
                to[b + i] = become(to[b + i], blue, a)

    return run


ONE_PASS = tuple(
    MODES.index(name)
    for name in ("normal", "multiply", "screen", "overlay", "darken", "lighten", "hard-light",
                 "soft-light", "difference", "exclusion", "plus-lighter", "add", "subtract", "linear-burn",
                 "linear-light", "pin-light")
)  # fmt: skip
"""The blends that are joined so."""

(NORMAL, _MULTIPLY, _SCREEN, _OVERLAY, _DARKEN, _LIGHTEN, _HARD_LIGHT, _SOFT_LIGHT, _DIFFERENCE,
 _EXCLUSION, _PLUS_LIGHTER, _ADD, _SUBTRACT, _LINEAR_BURN, _LINEAR_LIGHT, _PIN_LIGHT) = ONE_PASS  # fmt: skip

_pass_normal = _pass(_normal)
_pass_multiply = _pass(_changed(_multiply))
_pass_screen = _pass(_changed(_screen))
_pass_overlay = _pass(_changed(_overlay))
_pass_darken = _pass(_changed(_darken))
_pass_lighten = _pass(_changed(_lighten))
_pass_hard_light = _pass(_changed(_hard_light))
_pass_soft_light = _pass(_changed(_soft_light))
_pass_difference = _pass(_changed(_difference))
_pass_exclusion = _pass(_changed(_exclusion))
_pass_plus_lighter = _pass(_changed(_plus_lighter))
_pass_add = _pass(_changed(_add))
_pass_subtract = _pass(_changed(_subtract))
_pass_linear_burn = _pass(_changed(_linear_burn))
_pass_linear_light = _pass(_changed(_linear_light))
_pass_pin_light = _pass(_changed(_pin_light))


@nb.njit(error_model="numpy")
def joined_at_once(mode, row, at, to, left, p, n, opacity, one_colour):
    """Join ``n`` packed pixels, which may all be of ``one_colour``, with planes by one of :data:`ONE_PASS`."""
    share = np.float32(opacity) * np.float32(1.0 / 255.0)
    # light on black: most of it changes nothing
    seen = np.uint32(0xFFFFFF) if mode in ADDING else np.uint32(0xFFFFFFFF)
    if mode == NORMAL:
        _pass_normal(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _MULTIPLY:
        _pass_multiply(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _SCREEN:
        _pass_screen(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _OVERLAY:
        _pass_overlay(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _DARKEN:
        _pass_darken(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _LIGHTEN:
        _pass_lighten(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _HARD_LIGHT:
        _pass_hard_light(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _SOFT_LIGHT:
        _pass_soft_light(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _DIFFERENCE:
        _pass_difference(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _EXCLUSION:
        _pass_exclusion(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _PLUS_LIGHTER:
        _pass_plus_lighter(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _ADD:
        _pass_add(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _SUBTRACT:
        _pass_subtract(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _LINEAR_BURN:
        _pass_linear_burn(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _LINEAR_LIGHT:
        _pass_linear_light(row, at, to, left, p, n, share, seen, one_colour)
    elif mode == _PIN_LIGHT:
        _pass_pin_light(row, at, to, left, p, n, share, seen, one_colour)
