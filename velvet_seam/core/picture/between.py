"""A picture between two frames of a clip: both mixed, or their pixels moved along the way."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.channels import most_of

Picture = NDArray[np.uint8]

STUDY = 480
"""Short side, in pixels, at which the motion between two frames is found."""


def mixed_frames(one: Picture, other: Picture, part: float) -> Picture:
    """Both pictures, ``part`` (0 to 1) of the second: (h, w, 4) uint8 RGBA, premultiplied.

    >>> dark, light = np.zeros((1, 1, 4), np.uint8), np.full((1, 1, 4), 200, np.uint8)
    >>> mixed_frames(dark, light, 0.25)[0, 0].tolist()
    [50, 50, 50, 50]
    """
    return np.asarray(cv2.addWeighted(one, 1 - part, other, part, 0), np.uint8)


def motion_between(one: Picture, other: Picture) -> NDArray[np.float32]:
    """How far each pixel of one picture moves to the other: (h, w, 2) float32, pixels, x then y.

    Dense inverse search (T. Kroeger et al., 2016), as OpenCV has it, on grey at a reduced size.
    """
    height, width = one.shape[:2]
    factor = min(1.0, STUDY / min(height, width))
    size = (max(16, round(width * factor)), max(16, round(height * factor)))
    grey = [
        cv2.resize(cv2.cvtColor(p, cv2.COLOR_RGBA2GRAY), size, interpolation=cv2.INTER_AREA)
        for p in (one, other)
    ]
    search = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    flow = search.calc(grey[0], grey[1], None)  # type: ignore[call-overload]
    flow = cv2.resize(flow, (width, height), interpolation=cv2.INTER_LINEAR)
    scale = np.array([width / size[0], height / size[1]], np.float32)
    return np.asarray(flow * scale, np.float32)


def flowed(one: Picture, other: Picture, part: float) -> Picture:
    """The picture ``part`` of the way (0 to 1) from one frame to the next, along the motion.

    Each frame's pixels are fetched from where the motion brings them from: a share ``part`` of it
    from the first, the rest from the second, and both are mixed. The motion at a pixel in between is
    taken to be that of the pixel itself, forth and back. Where the two disagree by more than they
    would by noise, what is uncovered or covered, the motion is not trusted and the nearer frame
    counts for more.
    """
    height, width = one.shape[:2]
    forth, back = motion_between(one, other), motion_between(other, one)
    across, down = np.meshgrid(
        np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32)
    )

    def fetched(picture: Picture, flow: NDArray[np.float32], share: float) -> NDArray[np.float32]:
        moved = cv2.remap(
            picture, across + flow[..., 0] * share, down + flow[..., 1] * share,
            cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE,
        )  # fmt: skip
        return np.asarray(moved, np.float32)

    early, late = fetched(one, back, part), fetched(other, forth, 1 - part)
    apart = most_of(np.abs(early - late))[..., None]
    # where both agree each counts by its nearness; where not, the nearer one alone, softly
    doubt = np.clip((apart - 24) / 72, 0, 1)
    share = part + doubt * (np.float32(part > 0.5) - part)
    return np.rint(early + (late - early) * share).astype(np.uint8)
