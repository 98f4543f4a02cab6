"""Masks that cut a moving subject, against how much of the subject they take away."""

from __future__ import annotations

import cv2
import numpy as np

from velvet_seam.core.analyse.mask_cut import cut_length, worst_cut

HEIGHT, WIDTH, FRAMES = 320, 180, 16


def subject(rng: np.random.Generator) -> np.ndarray:
    """A figure of a few limbs about (0, 0), as an outline of points; of 20 to 70 pixels."""
    size, limbs = rng.uniform(20, 70), rng.integers(3, 8)
    turn = np.linspace(0, 2 * np.pi, 120, endpoint=False)
    reach = size * (0.55 + 0.4 * np.sin(limbs * turn + rng.uniform(0, 6)) * rng.uniform(0, 1))
    return np.stack([reach * np.cos(turn) * rng.uniform(0.6, 1.4), reach * np.sin(turn)], 1)


def shown(points: np.ndarray, x: float, y: float, soft: float) -> np.ndarray:
    plane = np.zeros((HEIGHT, WIDTH), np.uint8)
    cv2.fillPoly(plane, [np.round(points + (x, y)).astype(np.int32)], 255)
    return np.asarray(cv2.GaussianBlur(plane, (0, 0), soft), np.uint8)


def case(seed: int) -> tuple[list[float], list[float]]:
    """Of one subject on its way and one mask: the cut, and the part that is taken away, at each frame."""
    rng = np.random.default_rng(seed)
    points = subject(rng)
    begin, way = rng.uniform((50, 90), (130, 230)), rng.uniform((-60, -110), (60, 110))
    if rng.random() < 0.35:
        way *= 0.05
    centre = begin + rng.uniform(-8, 8, 2)
    half = (
        np.abs(points).max(0) * rng.uniform(1.1, 1.9, 2)
        if rng.random() < 0.7
        else rng.uniform(15, 60, 2)
    )
    mask = np.zeros((HEIGHT, WIDTH), np.float32)
    corner = tuple(int(v) for v in centre - half), tuple(int(v) for v in centre + half)
    if rng.random() < 0.5:
        cv2.rectangle(mask, *corner, 1.0, -1)
    else:
        half_size = tuple(int(v) for v in half)
        cv2.ellipse(mask, tuple(int(v) for v in centre), half_size, 0, 0, 360, 1.0, -1)
    mask = cv2.GaussianBlur(mask, (0, 0), rng.uniform(0.5, 8))
    if rng.random() < 0.2:
        mask = 1 - mask
    lengths, lost = [], []
    for n in range(FRAMES):
        swing = (
            np.sin(n / FRAMES * np.pi * rng.choice([1, 1])) if seed % 3 == 0 else n / (FRAMES - 1)
        )
        before = shown(points, *(begin + way * swing), soft=1.0)
        after = np.round(before * mask).astype(np.uint8)
        lengths.append(cut_length(before, after))
        solid = before > 127
        lost.append(float((after[solid] < 127).mean()) if solid.any() else 0.0)
    return lengths, lost


def counted(seeds: range) -> tuple[int, int, int, int]:
    """Cuts, those told of; frames left whole, those told of falsely. In between nothing is claimed."""
    cuts = told = whole = false = 0
    for seed in seeds:
        lengths, lost = case(seed)
        partly = [part if part < 0.9 else 0.0 for part in lost]  # wholly gone is not cut
        said = worst_cut(lengths)
        if min(lost) < 0.01 and max(partly) > 0.06:
            cuts += 1
            told += said is not None
        elif max(lost) - min(lost) < 0.01:
            whole += 1
            false += said is not None
    return cuts, told, whole, false


def test_what_a_mask_takes_away_of_a_moving_subject_is_told_of():
    cuts, told, whole, false = counted(range(1000, 1150))
    assert cuts > 40
    assert whole > 30
    assert told >= 0.97 * cuts
    assert false == 0
