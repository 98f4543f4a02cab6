"""When two pieces of footage show or sound the same."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.problem import Problem
from velvet_seam.core.register.by_picture import Movement, by_picture
from velvet_seam.core.register.by_sound import RATE, by_sound
from velvet_seam.core.register.in_time import InTime, nothing
from velvet_seam.store.library import Library

By = Literal["sound", "picture"]

MOST_SECONDS = 15 * 60
MOST_FRAMES = 1_500
SMALL = 64
"""Shorter side of the pictures in which movement is measured."""


def together(library: Library, first: str, second: str, by: By) -> InTime:
    """When the second piece of footage shows or sounds what the first does.

    Raises:
        Problem: one of them is no clip, where pictures are asked for, or its file is not here.
    """
    if by == "sound":
        heard = [library.sound_of(one) for one in (first, second)]
        if any(one is None for one in heard):
            return nothing("silent")
        mono = [
            np.asarray(one[: MOST_SECONDS * RATE].mean(1), np.float32)
            for one in heard
            if one is not None
        ]
        return by_sound(mono[0], mono[1])
    rate = float(library.footage.get(first).probe.rate)
    curves = [_movement(library, one, rate) for one in (first, second)]
    return by_picture(curves[0], curves[1], rate)


def _movement(library: Library, identity: str, rate: float) -> NDArray[np.float64]:
    """How much moves from frame to frame of a clip, at a rate of frames a second."""
    item = library.footage.get(identity)
    if item.missing:
        raise Problem(f"{item.complaint} Nothing was changed.")
    if item.probe.kind != "clip":
        raise Problem(f"{item.name} is no clip: nothing moves in it. Nothing was changed.")
    material = library.materials(preview=True)(identity)
    return movement(material.read, item.probe.frames, float(item.probe.rate), rate)


def movement(
    read: Callable[[int], NDArray[np.uint8]], frames: int, own: float, rate: float
) -> NDArray[np.float64]:
    """How much moves from each frame to the next of a clip of ``own`` frames a second, at another rate."""
    moved = Movement()
    for number in range(min(frames, MOST_FRAMES)):
        picture = read(number)
        height, width = picture.shape[:2]
        k = SMALL / min(height, width)
        size = max(1, round(width * k)), max(1, round(height * k))
        small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
        moved.add(np.asarray(cv2.cvtColor(small, cv2.COLOR_RGBA2GRAY), np.uint8))
    curve = moved.curve
    if own == rate or len(curve) < 2:
        return curve
    at = np.arange(0, len(curve) - 1, own / rate)
    return np.asarray(np.interp(at, np.arange(len(curve)), curve))
