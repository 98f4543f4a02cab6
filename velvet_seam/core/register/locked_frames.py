"""Frames of a take from the hand, each laid where one of them is: what locking a layer off does to its place, done to the
pictures themselves."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.holding import Held
from velvet_seam.core.register.levels import Grey
from velvet_seam.core.register.warps import Matrix, apart, scaled

SHORT = 540
"""Frames are measured at this short side."""

STILL, MOST_OF = 0.5, 0.95
"""Pixels: where so many of the frames are no farther off the camera stands still, and they are left as they are. One that
has gone astray says nothing of it, and of a plate it is one voice among many."""

LEAST_FOUND = 0.7
"""Of all frames so many must be told; those that are not are left out."""

TRIED = 5
"""Frames spread over the take that are tried before all are measured."""

_HALF = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
"""From a pixel's number to the place of its middle."""


@dataclass(frozen=True)
class Locked:
    """``frames``: (n, h, w, 3) uint8; ``seen``: (n, h, w) bool, what of the picture each shows; ``kept``: (m,) bool, which of
    the m that were given they are; ``far``: how far the farther ones were off, pixels, root mean square."""

    frames: NDArray[np.uint8]
    seen: NDArray[np.bool_]
    kept: NDArray[np.bool_]
    far: float


def locked_frames(
    frames: NDArray[np.uint8], at: int, step: Callable[[int], None] = lambda done: None
) -> Locked | None:
    """Frames laid where the one at ``at`` is, which is left as it is. None where the camera stands still, and where too few
    show what that one does: then they are as they were.

    Args:
        frames: (n, h, w, 3) uint8, in the order of the take. They are laid where they lie in memory: of 4K sixty of them
            are 1.5 GB.
        at: the frame that the others are measured against.
        step: told how many are done.
    """
    size = frames.shape[2], frames.shape[1]
    found = _warps(frames, at, step)
    if found is None:
        return None
    far = float(np.quantile([apart(warp, np.eye(3), size) for warp in found.values()], MOST_OF))
    if far < STILL:
        return None
    kept = np.array([n in found for n in range(len(frames))])
    laid, seen = frames[: len(found)], np.empty((len(found), *frames.shape[1:3]), np.bool_)
    whole = np.full(frames.shape[1:3], 255, np.uint8)
    for k, n in enumerate(sorted(found)):
        if n == at:
            laid[k], seen[k] = frames[n], True
            continue
        lay = np.linalg.inv(_HALF) @ found[n] @ _HALF
        laid[k] = cv2.warpPerspective(
            frames[n], lay, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
        )  # fmt: skip
        seen[k] = (
            cv2.warpPerspective(whole, lay, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
            == 255
        )
    return Locked(laid, seen, kept, far)


def _warps(
    frames: NDArray[np.uint8], at: int, step: Callable[[int], None]
) -> dict[int, Matrix] | None:
    """By frame, from pixels of the one at ``at`` to its own; None as soon as too few can be told."""
    height, width = frames.shape[1:3]
    k = min(1.0, SHORT / min(height, width))
    small = max(1, round(width * k)), max(1, round(height * k))

    def grey(n: int) -> Grey:
        made = cv2.resize(frames[n], small, interpolation=cv2.INTER_AREA) if k < 1 else frames[n]
        return np.asarray(cv2.cvtColor(made, cv2.COLOR_RGB2GRAY), np.uint8)

    first, per, last = grey(at), width / small[0], len(frames) - 1
    tried = Held(first)  # a few first, for most that cannot be told is no take from the hand at all
    lost = sum(tried.warp_to(grey(last * n // (TRIED - 1))) is None for n in range(TRIED))
    if lost > (1 - LEAST_FOUND) * TRIED:
        return None
    found, most_lost, done = {at: np.eye(3)}, (1 - LEAST_FOUND) * len(frames), 1
    # from that frame on, and from it back: each begins where the one beside it was
    for order in (range(at + 1, len(frames)), range(at - 1, -1, -1)):
        held = Held(first)
        for n in order:
            warp = held.warp_to(grey(n))
            done += 1
            step(done)
            if warp is not None:
                found[n] = scaled(warp, per)
            elif done - len(found) > most_lost:
                return None
    return found
