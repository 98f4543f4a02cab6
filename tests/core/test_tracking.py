"""Tracks against what was drawn: a card in a frame of ornaments, turned away from the camera until little of it is seen."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from bench.register import drawn, turned
from bench.tracks import laid, ornamented
from velvet_seam.core.register.tracking import Tracker
from velvet_seam.core.register.warps import mapped

SIZE, FRAMES = (400, 300), 36
FAR, NEAR = (400, 300), (250, 190)
"""A camera that is near sees lines run together more, as if the picture were a part of a smaller one."""


def take(
    seed: int, camera: tuple[int, int], nods: float, shakes: float, turn: float, home: np.ndarray
) -> tuple[list[np.ndarray], list[np.ndarray]]:
    """Frames of a card that turns in space before a wall, and its corners in each."""
    rng = np.random.default_rng(seed)
    front = ornamented(cv2.cvtColor(drawn(900 + seed), cv2.COLOR_BGR2GRAY), rng)
    wall = cv2.cvtColor(drawn(950 + seed), cv2.COLOR_BGR2GRAY)
    tall, wide = front.shape
    onto = cv2.getPerspectiveTransform(
        np.array([[0, 0], [wide, 0], [wide, tall], [0, tall]], np.float32), home.astype(np.float32)
    )
    middle, frames, truth = home.mean(0), [], []
    there, back = np.eye(3), np.eye(3)
    there[:2, 2], back[:2, 2] = middle, -middle
    for n in range(FRAMES):
        part = n / (FRAMES - 1)
        lies = turned(nods * part, shakes * part, turn * part, 1 + 0.1 * part, camera)
        there[:2, 2] = middle + [40 * part, 12 * np.sin(5 * part)]
        move = there @ lies @ back
        mask = cv2.fillConvexPoly(np.zeros(SIZE[::-1], np.float32), np.round(mapped(move, home) * 16).astype(int), 1, cv2.LINE_AA, 4)  # fmt: skip
        view = wall[:300, :400] * (1 - mask) + laid(front, move @ onto, SIZE) * mask
        frames.append(np.clip(view + rng.normal(0, 2.5, view.shape), 0, 255).astype(np.uint8))
        truth.append(mapped(move, home))
    return frames, truth


@pytest.mark.parametrize(
    ("seed", "camera", "nods", "shakes", "turn"),
    [(2, FAR, 14, 60, 0.25), (1, FAR, 45, -58, 0), (1, NEAR, 50, 20, 0.3), (1, NEAR, 45, -58, 0)],
)
def test_a_card_that_turns_away_is_followed_on_its_ornaments(
    seed: int, camera: tuple[int, int], nods: float, shakes: float, turn: float
):
    """Its perspective is kept from frame to frame, and no ornament is taken for the next one."""
    home = np.array([[100.0, 60], [300, 60], [300, 240], [100, 240]])
    frames, truth = take(seed, camera, nods, shakes, turn, home)
    tracker = Tracker(frames[0], home)
    for n, frame in enumerate(frames[1:], 1):
        found = tracker.step(frame).corners
        assert found is not None, n
        assert np.abs(found - truth[n]).max() < 1.3, n
