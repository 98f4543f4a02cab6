"""Passes of made-up takes with known camera: a scene with depth, unequal speeds, players elsewhere on each pass.

``python -m bench.passes [--pictures FOLDER]``: every third picture unseen while the method was made.
"""

from __future__ import annotations

import argparse
import os
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.tracks import Grey, greys
from velvet_seam.core.register.passes import Pass, camera_path, passes_of, same_frames, small_of

SIZE = (270, 480)


@dataclass(frozen=True)
class Take:
    """Frames, grey; ``camera``: where it is in each, 0 to 1 of its way; ``legs``: first and last of each pass; ``way``: pixels that the far scene slides by."""

    name: str
    frames: list[Grey]
    camera: NDArray[np.float64]
    legs: list[tuple[int, int]]
    way: float
    unseen: bool


def take(
    name: str, far: Grey, near: Grey, player: Grey, seed: int, count: int = 4, deep: bool = True, unseen: bool = False,
    wide: bool = False,
) -> Take:  # fmt: skip
    """A camera that slides to and fro, or always begins anew from the left; it rests in between."""
    rng = np.random.default_rng(seed)
    width, height = SIZE[::-1] if wide else SIZE
    camera, legs = [0.0] * int(rng.integers(3, 12)), []
    back = bool(rng.integers(2))
    here = 0.0
    for leg in range(count):
        long = int(rng.integers(34, 80))
        pace = 1 + 0.5 * np.sin(np.linspace(0, rng.uniform(2, 7), long) + rng.uniform(0, 6))
        ramp = np.minimum(1, np.minimum(np.arange(1, long + 1), np.arange(long, 0, -1)) / 6)
        went = np.cumsum(pace * ramp)
        went = went / went[-1] * rng.uniform(0.93, 1.0)
        goal = went if leg % 2 == 0 or back else 1 - went
        if back and leg:  # quickly back to where it began
            fast = int(rng.integers(8, 14))
            camera += list(np.linspace(here, 0, fast))
        legs.append((len(camera), len(camera) + long - 1))
        camera += list(goal)
        here = goal[-1]
        camera += [here] * int(rng.integers(3, 10))
    way = rng.uniform(0.5, 1.1) * width
    at = np.array(camera)
    bob = np.cumsum(rng.normal(0, 0.25, len(at)))
    zoom = max(2.4 * width / far.shape[1], 1.2 * height / far.shape[0])
    ground = cv2.resize(
        far, None, fx=zoom, fy=zoom, interpolation=cv2.INTER_AREA if zoom < 1 else cv2.INTER_CUBIC
    )
    front = cv2.resize(near, ground.shape[::-1], interpolation=cv2.INTER_AREA)
    posts = np.zeros_like(front)
    for x in rng.uniform(0, front.shape[1], 7):
        posts[:, int(x) : int(x) + int(rng.uniform(8, 26))] = 255
    stands = rng.uniform(0.1 * width, way + 0.7 * width, count)
    frames = []
    for n, a in enumerate(at):
        lit = 1 + 0.06 * np.sin(n / 9)
        shift = np.array([[1, 0, -a * way - 20], [0, 1, -30 + bob[n]]])
        view = cv2.warpAffine(
            ground, shift, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT
        ).astype(np.float32)
        if deep:
            closer = np.array([[1, 0, -1.7 * a * way - 20], [0, 1, -30 + 1.7 * bob[n]]])
            mask = (
                cv2.warpAffine(
                    posts,
                    closer,
                    (width, height),
                    flags=cv2.INTER_LINEAR,
                    borderMode=cv2.BORDER_REFLECT,
                )[..., None][..., 0]
                / 255.0
            )
            view = (
                view * (1 - mask)
                + cv2.warpAffine(front, closer, (width, height), borderMode=cv2.BORDER_REFLECT)
                * mask
            )
        leg = max((k for k, (first, _) in enumerate(legs) if first <= n), default=0)
        # a player stands in the scene, and walks about in it a little
        scene = stands[leg] + 0.06 * width * np.sin(n / 11)
        x, w, high = int(scene - a * way), int(0.2 * width), int(0.5 * height)
        left, right = max(x, 0), min(x + w, width)
        if right > left:
            view[height - high :, left:right] = cv2.resize(player, (w, high))[
                :, left - x : right - x
            ]
        frames.append(np.clip(view * lit + rng.normal(0, 2, view.shape), 0, 255).astype(np.uint8))
    return Take(name, frames, at, legs, way, unseen)


def takes(found: list[tuple[str, Grey]], each: int, seed: int = 1) -> Iterator[Take]:
    for n in range(each):
        rng = np.random.default_rng([seed, n])
        last = n % 3 == 2
        pool = [one for i, one in enumerate(found) if (i % 3 == 2) == last]
        picks = rng.choice(len(pool), 3, replace=False)
        yield take(pool[picks[0]][0], *(pool[p][1] for p in picks), seed=seed * 100 + n, count=int(rng.integers(3, 6)),
                   deep=n % 2 == 0, unseen=last, wide=n % 4 == 1)  # fmt: skip


def truth(one: Take, a: Pass, b: Pass) -> NDArray[np.float64]:
    """For each frame of a pass the frame of another at which the camera is where it is."""
    numbers = np.arange(b.first, b.last + 1)
    there = one.camera[b.first : b.last + 1]
    order = np.argsort(there, kind="stable")
    return np.interp(one.camera[a.first : a.last + 1], there[order], numbers[order])


def judged(one: Take) -> tuple[int, int, list[float], float]:
    """Passes that were found and that there are; how far off each matched frame is, in frames; CPU a frame, ms."""
    begun = time.process_time()
    path = camera_path(one.frames.__getitem__, range(len(one.frames)))
    found = passes_of(path, one.frames[0].shape[::-1])
    hits = 0
    whole: list[Pass] = []
    for first, last in one.legs:
        for got in found:
            shared = min(last, got.last) - max(first, got.first) + 1
            if shared > 0.8 * (last - first + 1) and shared > 0.8 * got.length:
                hits += 1
                whole.append(got)
    errors: list[float] = []
    smalls = {n: small_of(frame) for n, frame in enumerate(one.frames)}
    for other in whole[1:]:
        at, _ = same_frames(smalls.__getitem__, whole[0], other)
        want = truth(one, whole[0], other)
        a = one.camera[whole[0].first : whole[0].last + 1]
        b = one.camera[other.first : other.last + 1]
        # where the other pass has been at all, and the camera was not at rest
        inside = (a > b.min() + 0.02) & (a < b.max() - 0.02)
        errors += list(np.abs(at - want)[inside])
    spent = 1000 * (time.process_time() - begun) / len(one.frames)
    extra = len(found) - hits if len(found) > hits else 0
    return hits - extra, len(one.legs), errors, spent


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--pictures", type=Path)
    parser.add_argument("--each", type=int, default=6)
    parser.add_argument("--seed", type=int, default=1)
    given = parser.parse_args()
    cv2.setNumThreads(1)
    found = greys(given.pictures)
    print(f"machine load {os.getloadavg()[0]:.1f}; {len(found)} pictures")
    measured(list(takes(found, given.each, given.seed)))


def measured(cases: list[Take]) -> None:
    for unseen in (False, True):
        hits, all_, errors, cpu = 0, 0, [], []
        for one in (case for case in cases if case.unseen == unseen):
            got, there, off, spent = judged(one)
            print(f"    {one.name:16} {got} of {there} passes, {len(one.frames)} frames, matched to "
                  f"{np.median(off) if off else float('nan'):.3f} frames, 95 % {np.quantile(off, 0.95) if off else float('nan'):.3f}; {spent:.1f} ms a frame", flush=True)  # fmt: skip
            hits, all_, errors, cpu = hits + got, all_ + there, errors + off, [*cpu, spent]
        if all_:
            print(f"  {'unseen' if unseen else 'seen'}: {hits} of {all_} passes found; frames within {np.median(errors):.3f} at the middle, "
                  f"{np.quantile(errors, 0.95):.3f} at 95 %; CPU {np.median(cpu):.1f} ms a frame")  # fmt: skip


if __name__ == "__main__":
    main()
