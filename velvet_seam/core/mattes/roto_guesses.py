"""What is asked of a frame before a roto's subject is looked for there, as steps: first guesses of it (people, what moves,
what a screen leaves), and what the camera's movement leaves over."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.mattes.roto_strokes import Begin
from velvet_seam.core.people.guess import guess
from velvet_seam.core.picture.screen import measure_border
from velvet_seam.core.picture.screen_key import read_screen, screen_key
from velvet_seam.core.roto.features import solve_size
from velvet_seam.core.roto.moving import beside, moving, standing_out
from velvet_seam.core.roto.residual import around, residual
from velvet_seam.core.roto.seen import Seen, seen
from velvet_seam.core.steps import Footage, Step, step

F32 = NDArray[np.float32]


def seen_step(footage: Footage, frame: int) -> Step:
    """A frame as roto looks at it."""
    return step("roto-seen", _seen, (footage, frame))


def _seen(footage: Footage, frame: int) -> Seen:
    return seen(footage.read(frame))


def guessed(begin: Begin, footage: Footage, frame: int, cuts: tuple[int, ...]) -> tuple[Step, ...]:
    """How likely each pixel is the subject's, (h, w) float32, 0 to 1; none where strokes alone say it."""
    make = _GUESSES.get(begin)
    return () if make is None else (make(footage, frame, cuts),)


def _by_people(footage: Footage, frame: int, cuts: tuple[int, ...]) -> Step:
    return step("roto-people", _people, (footage, frame))


def _people(footage: Footage, frame: int) -> F32:
    picture = footage.read(frame)
    size = solve_size(*picture.shape[:2])[::-1]
    return np.asarray(cv2.resize(guess(picture).likely, size), np.float32)


def scene_ends(footage: Footage, frame: int, cuts: tuple[int, ...]) -> tuple[int, int]:
    """The first and the last frame of what lies between two cuts."""
    scene = bisect_right(cuts, frame)
    first = cuts[scene - 1] if scene else 0
    return first, (cuts[scene] if scene < len(cuts) else footage.frames) - 1


def residual_steps(footage: Footage, frame: int, cuts: tuple[int, ...]) -> tuple[Step, ...]:
    """What the camera's movement leaves over of each pixel, (h / 2, w / 2) float32; none where there is no other frame to ask."""
    if footage.frames < 2:
        return ()
    rate = footage.frames / footage.length
    before, after = around(frame, *scene_ends(footage, frame, cuts), rate)
    if not before and not after:
        return ()
    there = [seen_step(footage, one) for one in (*before, *after)]
    return (step("roto-residual", _residual, (len(before),), seen_step(footage, frame), *there),)


def _residual(earlier: int, here: Seen, *there: Seen) -> F32:
    return residual(here, list(there[:earlier]), list(there[earlier:]))


def _by_movement(footage: Footage, frame: int, cuts: tuple[int, ...]) -> Step:
    sides = beside(frame, *scene_ends(footage, frame, cuts))
    there = [seen_step(footage, one) for one in sides if one is not None]
    moves = step(
        "roto-movement", _movement, (sides[0] is not None,), seen_step(footage, frame), *there
    )
    left = residual_steps(footage, frame, cuts)
    return step("roto-standing-out", standing_out, (), moves, *left) if left else moves


def _movement(has_before: bool, here: Seen, *sides: Seen) -> F32:
    before = sides[0] if has_before else None
    after = sides[has_before] if len(sides) > has_before else None
    return moving(here, before, after)


def _by_screen(footage: Footage, frame: int, cuts: tuple[int, ...]) -> Step:
    return step("roto-screen", _screen, (footage, frame))


def _screen(footage: Footage, frame: int) -> F32:
    """What is left of a frame when the colour along its border is keyed as a screen."""
    picture = footage.read(frame)
    size = solve_size(*picture.shape[:2])[::-1]
    small = np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)
    red, green, blue = (round(one) for one in measure_border([small]).colour)
    keyed = screen_key(small, read_screen(small, (red, green, blue)), (red, green, blue))
    return np.asarray(keyed[..., 3] / np.float32(255), np.float32)


_GUESSES: dict[Begin, Callable[[Footage, int, tuple[int, ...]], Step]] = {
    "people": _by_people, "movement": _by_movement, "screen": _by_screen
}  # fmt: skip
