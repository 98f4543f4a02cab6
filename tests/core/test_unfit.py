"""What can be followed at all: regions that are refused, as what they would be followed as."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from velvet_seam.core.register.unfit import SAID, unfit

BOX = np.array([[80, 60], [240, 60], [240, 180], [80, 180]], float)


def picture(*boxes: tuple[int, int, int, int], turned: float = 0) -> np.ndarray:
    """A grey card with grain, and lettered boxes on it."""
    rng = np.random.default_rng(7)
    grey = np.full((240, 320), 90.0)
    for x0, y0, x1, y1 in boxes:
        grey[y0:y1, x0:x1] += (
            50
            * (rng.random((-(-(y1 - y0) // 6), -(-(x1 - x0) // 6))) > 0.5)
            .repeat(6, 0)
            .repeat(6, 1)[: y1 - y0, : x1 - x0]
        )
    noisy = np.clip(grey + rng.normal(0, 2, grey.shape), 0, 255).astype(np.uint8)
    spin = cv2.getRotationMatrix2D((160, 120), turned, 1)
    return cv2.warpAffine(noisy, spin, (320, 240), borderMode=cv2.BORDER_REFLECT)


@pytest.mark.parametrize("turned", [0, 35, 90, 200])
def test_a_plane_needs_something_to_see_on_all_sides(turned: float):
    spin = cv2.getRotationMatrix2D((160, 120), turned, 1)
    box = BOX @ spin[:, :2].T + spin[:, 2]
    assert unfit(picture((84, 64, 236, 176), turned=turned), box, "plane") == ""
    one_side = picture((84, 64, 140, 176), turned=turned)
    assert unfit(one_side, box, "plane") == "side"
    assert unfit(one_side, box, "stretch") == ""  # its place, turn and size are known
    corners = picture((84, 64, 120, 90), (200, 150, 236, 176), (200, 64, 236, 90), turned=turned)
    assert unfit(corners, box, "plane") == ""


def test_bare_and_one_way_are_refused_as_anything():
    assert unfit(picture(), BOX) == unfit(picture(), BOX, "plane") == "structure"
    edge = np.where(np.arange(320) < 160, 60, 160).astype(np.uint8)[None].repeat(240, 0)
    assert unfit(edge, BOX, "plane") == "direction"
    assert set(SAID) == {"small", "outside", "structure", "direction", "side"}
