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


class Takes:
    """Footage that is compared by what is heard or moves in it; each is read once.

    Args:
        rate: frames a second at which movement is measured.
    """

    def __init__(self, library: Library, by: By, rate: float) -> None:
        self._library, self._by, self._rate = library, by, rate
        self._known: dict[str, NDArray[np.floating] | None] = {}

    def read(self, identity: str) -> NDArray[np.floating] | None:
        """What is heard, or how much moves from frame to frame; None where nothing is heard.

        Raises:
            Problem: it is no clip, where pictures are asked for, or its file is not here.
        """
        if identity not in self._known:
            read = self._heard if self._by == "sound" else self._movement
            self._known[identity] = read(identity)
        return self._known[identity]

    def compared(self, first: str, second: str) -> InTime:
        """When the second piece of footage shows or sounds what the first does."""
        one, other = self.read(first), self.read(second)
        if one is None or other is None:
            return nothing("silent")
        if self._by == "sound":
            return by_sound(one.astype(np.float32), other.astype(np.float32))
        return by_picture(one.astype(np.float64), other.astype(np.float64), self._rate)

    def _heard(self, identity: str) -> NDArray[np.floating] | None:
        heard = self._library.sound_of(identity)
        if heard is None:
            return None
        return np.asarray(heard[: MOST_SECONDS * RATE].mean(1), np.float32)

    def _movement(self, identity: str) -> NDArray[np.floating]:
        item = self._library.footage.get(identity)
        if item.missing:
            raise Problem(f"{item.complaint} Nothing was changed.")
        if item.probe.kind != "clip":
            raise Problem(f"{item.name} is no clip: nothing moves in it. Nothing was changed.")
        material = self._library.materials(preview=True)(identity)
        return movement(material.read, item.probe.frames, float(item.probe.rate), self._rate)


def together(library: Library, first: str, second: str, by: By) -> InTime:
    """When the second piece of footage shows or sounds what the first does.

    Raises:
        Problem: one of them is no clip, where pictures are asked for, or its file is not here.
    """
    rate = float(library.footage.get(first).probe.rate) if by == "picture" else 0.0
    return Takes(library, by, rate).compared(first, second)


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
