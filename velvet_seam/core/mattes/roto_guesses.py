"""First guesses of a roto's subject on a frame, as steps: people, what moves, what a screen leaves."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.mattes.roto_looks import RotoLooks
from velvet_seam.core.mattes.roto_strokes import Begin
from velvet_seam.core.people.guess import guess
from velvet_seam.core.picture.screen import measure_border
from velvet_seam.core.picture.screen_key import read_screen, screen_key
from velvet_seam.core.roto.features import solve_size
from velvet_seam.core.roto.moving import beside, moving, standing_out
from velvet_seam.core.roto.seen import Seen
from velvet_seam.core.steps import Footage, Step, step

F32 = NDArray[np.float32]


def guessed(begin: Begin, looks: RotoLooks, frame: int) -> tuple[Step, ...]:
    """How likely each pixel is the subject's, (h, w) float32, 0 to 1; none where strokes alone say it."""
    make = _GUESSES.get(begin)
    return () if make is None else (make(looks, frame),)


def _by_people(looks: RotoLooks, frame: int) -> Step:
    return step("roto-people", _people, (looks.footage, frame, looks.short))


def _people(footage: Footage, frame: int, short: int) -> F32:
    picture = footage.read(frame)
    height, width = picture.shape[:2]
    size = solve_size(height, width, short)[::-1]
    return np.asarray(cv2.resize(guess(picture).likely, size), np.float32)


def _by_movement(looks: RotoLooks, frame: int) -> Step:
    sides = beside(frame, *looks.scene(frame))
    there = [looks.seen(one) for one in sides if one is not None]
    has_before = sides[0] is not None
    moves = step("roto-movement", _movement, (has_before,), looks.seen(frame), *there)
    left = looks.residual(frame)
    return step("roto-standing-out", standing_out, (), moves, left) if left else moves


def _movement(has_before: bool, here: Seen, *sides: Seen) -> F32:
    before = sides[0] if has_before else None
    after = sides[has_before] if len(sides) > has_before else None
    return moving(here, before, after)


def _by_screen(looks: RotoLooks, frame: int) -> Step:
    return step("roto-screen", _screen, (looks.footage, frame, looks.short))


def _screen(footage: Footage, frame: int, short: int) -> F32:
    """What is left of a frame when the colour along its border is keyed as a screen."""
    picture = footage.read(frame)
    height, width = picture.shape[:2]
    size = solve_size(height, width, short)[::-1]
    small = np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)
    red, green, blue = (round(one) for one in measure_border([small]).colour)
    keyed = screen_key(small, read_screen(small, (red, green, blue)), (red, green, blue))
    return np.asarray(keyed[..., 3] / np.float32(255), np.float32)


_GUESSES: dict[Begin, Callable[[RotoLooks, int], Step]] = {
    "people": _by_people, "movement": _by_movement, "screen": _by_screen
}  # fmt: skip
