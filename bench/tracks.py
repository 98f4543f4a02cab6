"""Tracks against sequences with known truth, beside features followed by optical flow.

A card, or a part of the scene, moves as a known warp says; it is lit otherwise from frame to frame, with noise, through
H.264, and something may pass before it. ``python -m bench.tracks`` draws its own pictures; with ``--pictures FOLDER`` it
takes those of a folder, every third by name unseen while the method was made.
"""

from __future__ import annotations

import argparse
import os
import statistics
import time
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from io import BytesIO
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from bench.register import pictures, turned
from velvet_seam.core.register.tracking import Tracker
from velvet_seam.core.register.unfit import unfit
from velvet_seam.core.register.warps import Matrix, Model, mapped

Grey = NDArray[np.uint8]
HALF = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
KINDS = (
    "scene",
    "card",
    "point",
    "half",
    "gone",
    "leaves",
    "lit",
    "fast",
    "soft",
    "handled",
    "hidden",
    "turned",
)
SIZES = ((540, 960), (960, 540), (360, 640), (640, 640))


@dataclass(frozen=True)
class Sequence:
    """Frames, grey; ``truth``: for each the corners; ``seen``: how much of the region is to be seen, 0 to 1."""

    kind: str
    name: str
    model: Model
    frames: list[NDArray[np.uint8]]
    truth: list[NDArray[np.float64]]
    seen: list[float]
    unseen: bool


def greys(folder: Path | None) -> list[tuple[str, Grey]]:
    return [(name, cv2.cvtColor(one, cv2.COLOR_BGR2GRAY)) for name, one in pictures(folder)]


def _about(middle: NDArray[np.float64], matrix: Matrix) -> Matrix:
    there, back = np.eye(3), np.eye(3)
    there[:2, 2], back[:2, 2] = middle, -middle
    return np.asarray(there @ matrix @ back)


def _wave(
    rng: np.random.Generator, count: int, much: float, slow: float = 1.0
) -> NDArray[np.float64]:
    """A movement that begins at 0: a few sines, and a little of a hand's shake."""
    t = np.arange(count) / 25
    made = sum(
        rng.normal(0, 1) / f * np.sin(2 * np.pi * f * t * slow + rng.uniform(0, 6.3))
        for f in (0.13, 0.3, 0.7)
    )
    made = np.asarray(made) + 0.02 * np.cumsum(rng.normal(0, 1, count)) / np.sqrt(25)
    made -= made[0]
    return much * made / max(np.abs(made).max(), 1e-6)


def _moves(
    kind: str,
    rng: np.random.Generator,
    count: int,
    middle: NDArray[np.float64],
    size: tuple[int, int],
) -> list[Matrix]:
    """For each frame the warp from where the region lay at first."""
    width, _height = size
    fast = 1.8 if kind == "fast" else 1.0
    far = 0.32 if kind != "scene" else 0.12
    x, y = (_wave(rng, count, far * s, fast) for s in size)
    # never out of the picture, but where that is the case
    low, high = 0.2 * np.array(size) - middle, 0.8 * np.array(size) - middle
    if kind != "leaves":
        x, y = np.clip(x, low[0], high[0]), np.clip(y, low[1], high[1])
    else:
        x = x + np.interp(np.arange(count), [0.5 * count, 0.8 * count], [0, width])
    turn = np.radians(_wave(rng, count, 9 if kind in ("scene", "fast") else 25))
    grow = np.exp(_wave(rng, count, 0.08 if kind == "scene" else 0.3))
    if kind == "turned":
        return [
            _shifted(x[n], y[n]) @ _about(middle, turned(*about, size))
            for n, about in enumerate(zip(_wave(rng, count, 30), _wave(rng, count, 58), turn, grow, strict=True))
        ]  # fmt: skip
    tilt = [_wave(rng, count, 0.0 if kind in ("point", "fast") else 4e-4) for _ in range(2)]
    made = []
    for n in range(count):
        c, s = np.cos(turn[n]) * grow[n], np.sin(turn[n]) * grow[n]
        own = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
        own[2, :2] = tilt[0][n], tilt[1][n]
        made.append(_shifted(x[n], y[n]) @ _about(middle, own))
    return made


def _shifted(x: float, y: float) -> Matrix:
    shift = np.eye(3)
    shift[:2, 2] = x, y
    return shift


def ornamented(front: Grey, rng: np.random.Generator) -> Grey:
    """A picture in a frame of one ornament again and again."""
    made = front.copy()
    tall, wide = made.shape
    side = max(8, int(min(tall, wide) * rng.uniform(0.05, 0.09)))
    tile = cv2.GaussianBlur(rng.uniform(0, 255, (side, side)).astype(np.float32), (0, 0), side / 9)
    tile = np.clip(128 + 2.2 * (tile - tile.mean()), 0, 255).astype(np.uint8)
    tiled = np.tile(tile, (tall // side + 1, wide // side + 1))[:tall, :wide]
    edge = 2 * side
    inner = made[edge : tall - edge, edge : wide - edge].copy()
    made[:] = tiled
    made[edge : tall - edge, edge : wide - edge] = inner
    return made


def laid(picture: Grey, matrix: Matrix, size: tuple[int, int]) -> NDArray[np.float32]:
    """A picture as a warp lays it, two samples a pixel each way."""
    fine = np.diag([2.0, 2.0, 1.0])
    made = cv2.warpPerspective(
        picture.astype(np.float32), np.linalg.inv(HALF) @ fine @ matrix @ HALF, (2 * size[0], 2 * size[1]),
        flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT,
    )  # fmt: skip
    return np.asarray(cv2.resize(made, size, interpolation=cv2.INTER_AREA), np.float32)


def _filled(corners: NDArray[np.float64], size: tuple[int, int]) -> NDArray[np.float32]:
    mask = np.zeros((2 * size[1], 2 * size[0]), np.uint8)
    cv2.fillConvexPoly(mask, np.round(corners * 2 * 16).astype(np.int32), 255, cv2.LINE_AA, 4)
    return np.asarray(cv2.resize(mask, size, interpolation=cv2.INTER_AREA), np.float32) / 255


def sequence(
    kind: str, name: str, front: Grey, ground: Grey, other: Grey, seed: int, count: int = 100, unseen: bool = False,
) -> Sequence:  # fmt: skip
    rng = np.random.default_rng([seed, KINDS.index(kind)])
    if kind == "turned":
        front = ornamented(front, rng)
    size = SIZES[int(rng.integers(len(SIZES)))]
    width, height = size
    middle = np.array([width, height]) * rng.uniform(0.38, 0.62, 2)
    model: Model = "stretch" if kind in ("point", "soft", "hidden") else "plane"
    side = 24.0 if model == "stretch" else float(rng.uniform(45, 110))
    tall = side * (1 if model == "stretch" else float(rng.uniform(0.6, 1.6)))
    home = middle + np.array([[-side, -tall], [side, -tall], [side, tall], [-side, tall]])
    card = middle + 2.2 * (home - middle) if kind in ("point", "soft", "hidden") else home
    moves = _moves(kind, rng, count, middle, size)
    camera = _moves("scene", rng, count, np.array([width / 2, height / 2]), size)
    zoom = 1.5 * max(width / ground.shape[1], height / ground.shape[0])
    lay = np.array(
        [
            [zoom, 0, width / 2 - zoom * ground.shape[1] / 2],
            [0, zoom, height / 2 - zoom * ground.shape[0] / 2],
            [0, 0, 1],
        ]
    )
    # the card shows a part of its picture, as large as it comes to lie, so that it has grain of its own
    wide, high = np.ptp(card, 0)
    own = max(wide / front.shape[1], high / front.shape[0]) * float(rng.uniform(1.0, 1.6))
    if kind == "turned":  # with its frame
        own = max(wide / front.shape[1], high / front.shape[0])
    corner = rng.uniform(0, 1, 2) * np.maximum(
        np.array([front.shape[1], front.shape[0]]) * own - [wide, high], 0
    )
    onto = np.array([[own, 0, card[0, 0] - corner[0]], [0, own, card[0, 1] - corner[1]], [0, 0, 1]])
    light = np.exp(0.03 * rng.normal(0, 1, count)) * (
        np.exp(_wave(rng, count, 0.7)) if kind == "lit" else 1
    )
    out, truth, shares = BytesIO(), [], []
    with av.open(out, "w", format="mp4") as made:
        stream = made.add_stream("libx264", Fraction(25), options={"crf": "23", "preset": "fast"})
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        for n in range(count):
            parts = 4 if kind == "fast" else 1
            view = np.zeros((height, width), np.float32)
            for part in range(parts):
                move, cam = moves[n], camera[n]
                if kind == "fast" and n + 1 < count:
                    t = 0.5 * ((part + 0.5) / parts - 0.5)
                    after = moves[n + 1] if t >= 0 else moves[max(n - 1, 0)]
                    move = move + abs(t) * (after - move)
                if kind == "scene":
                    view += laid(front, move @ lay * 1.0, size)
                else:
                    below = laid(ground, cam @ lay, size)
                    mask = _filled(mapped(move, card), size)
                    view += below * (1 - mask) + laid(front, move @ onto, size) * mask
            view /= parts
            here = mapped(moves[n], home)
            cover = _before(kind, n, count, here, size)
            if cover is not None:
                skin = cv2.resize(other, size).astype(np.float32)
                view = view * (1 - cover) + skin * cover
            own_mask = _filled(here, size) > 0.5
            there = 1 - cover if cover is not None else np.ones((height, width))
            whole = max(cv2.contourArea(here.astype(np.float32)), 1)
            shares.append(float((there * own_mask).sum() / whole))
            truth.append(here)
            if kind == "soft":
                view = cv2.GaussianBlur(view, (0, 0), 1.6)
            display = 255 * np.clip(light[n] * (view.clip(0, 255) / 255) ** 2.2, 0, 1) ** (1 / 2.2)
            noisy = display + rng.normal(0, 2.5, display.shape)
            frame = av.VideoFrame.from_ndarray(
                np.clip(noisy, 0, 255).astype(np.uint8), format="gray"
            )
            frame = frame.reformat(format="yuv420p")
            for packet in stream.encode(frame):
                made.mux(packet)
        made.mux(stream.encode())
    out.seek(0)
    with av.open(out) as read:
        frames = [one.to_ndarray(format="gray") for one in read.decode(video=0)]
    return Sequence(kind, name, model, frames, truth, shares, unseen)


def _before(
    kind: str, n: int, count: int, here: NDArray[np.float64], size: tuple[int, int]
) -> NDArray[np.float32] | None:
    """What passes before the region, as coverage: half of it, all of it, or a hand from below."""
    low, high = here.min(0), here.max(0)
    span = high - low
    begin, end = 0.4 * count, 0.65 * count
    if kind not in ("half", "gone", "handled", "hidden") or not begin <= n < end:
        return None
    part = (n - begin) / (end - begin)
    mask = np.zeros((size[1], size[0]), np.float32)
    if kind == "half":
        reach = low[0] + span[0] * 0.5 * min(1, 4 * part, 4 * (1 - part))
        mask[:, : max(0, int(reach))] = 1
    elif kind in ("gone", "hidden"):
        reach = low[0] - 5 + (span[0] + 12) * min(1, 5 * part)
        left = low[0] - 6 + (span[0] + 14) * max(0, 5 * part - 4)
        mask[:, max(0, int(left)) : max(0, int(reach))] = 1
    else:
        tip = high[1] - span[1] * 0.6 * np.sin(np.pi * part)
        x = low[0] + span[0] * (0.2 + 0.6 * part)
        cv2.line(
            mask,
            (int(x), size[1] + 40),
            (int(x), int(tip)),
            1.0,
            max(8, int(0.35 * span[0])),
            cv2.LINE_AA,
        )
    return np.asarray(cv2.GaussianBlur(mask, (0, 0), 1.2))


def sequences(
    found: list[tuple[str, Grey]], each: int, seed: int = 1, kinds: tuple[str, ...] = KINDS
) -> Iterator[Sequence]:
    for kind in kinds:
        for n in range(each):
            rng = np.random.default_rng([seed, n, KINDS.index(kind), 77])
            last = n % 3 == 2
            pool = [one for i, one in enumerate(found) if (i % 3 == 2) == last]
            picks = rng.choice(len(pool), 3, replace=False)
            made = sequence(
                kind,
                pool[picks[0]][0],
                *(pool[p][1] for p in picks),
                seed=seed * 1000 + n,
                unseen=last,
            )
            yield made


def by_flow(one: Sequence) -> list[NDArray[np.float64] | None]:
    """Corners of the region followed from frame to frame by pyramidal Lucas and Kanade, and the warp that most of them
    say (RANSAC): what is ready-made."""
    home = one.truth[0]
    mask = np.zeros(one.frames[0].shape, np.uint8)
    cv2.fillConvexPoly(mask, home.astype(np.int32), 255)
    points = cv2.goodFeaturesToTrack(one.frames[0], 200, 0.01, 3, mask=mask)
    out: list[NDArray[np.float64] | None] = [home]
    if points is None or len(points) < 4:
        return out + [None] * (len(one.frames) - 1)
    first = points.copy()
    for before, after in zip(one.frames, one.frames[1:], strict=False):
        points, fine, _ = cv2.calcOpticalFlowPyrLK(
            before, after, points, None, winSize=(21, 21), maxLevel=4
        )
        keep = fine[:, 0] > 0
        points, first = points[keep], first[keep]
        if len(points) < 4:
            return out + [None] * (len(one.frames) - len(out))
        if one.model == "plane":
            warp, _ = cv2.findHomography(first, points, cv2.RANSAC, 2.0)
        else:
            warp, _ = cv2.estimateAffinePartial2D(first, points, ransacReprojThreshold=2.0)
            warp = None if warp is None else np.vstack([warp, [0, 0, 1]])
        out.append(None if warp is None else mapped(warp, home))
    return out


def by_this(one: Sequence) -> list[NDArray[np.float64] | None]:
    tracker = Tracker(one.frames[0], one.truth[0], one.model)
    return [one.truth[0]] + [tracker.step(frame).corners for frame in one.frames[1:]]


def off(one: Sequence, found: NDArray[np.float64], n: int) -> float:
    """Pixels: of a plane's corners, root mean square; of a point its middle."""
    away = found - one.truth[n]
    if one.model != "plane":
        return float(np.hypot(*away.mean(0)))
    return float(np.sqrt((away**2).sum(1).mean()))


@dataclass(frozen=True)
class Judged:
    """Pixels off where it is seen and found; frames in which it is said to be where it is not; frames in which it is seen
    but said to be lost; and frames in all."""

    errors: list[float]
    wrong: int
    missed: int
    frames: int


def judged(one: Sequence, found: list[NDArray[np.float64] | None]) -> Judged:
    """How far it is off where it is seen; how often it says that it is somewhere where it is not; and within how many
    frames it is said to be lost."""
    errors, wrong, missed = [], 0, 0
    for n in range(1, len(found)):
        here = found[n]
        if one.seen[n] < 0.05:
            wrong += here is not None and off(one, here, n) > 0.15 * float(
                np.ptp(one.truth[n], 0).max()
            )
        elif here is None:
            missed += one.seen[n] > 0.6
        else:
            error = off(one, here, n)
            errors.append(error)
            wrong += error > max(3.0, 0.1 * float(np.ptp(one.truth[n], 0).max()))
    return Judged(errors, wrong, missed, len(found) - 1)


def smooth(
    found: list[tuple[str, Grey]], seed: int = 3
) -> Iterator[tuple[str, NDArray[np.uint8], NDArray[np.float64]]]:
    """Regions that cannot be followed: without structure, or with lines in one direction only."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[:540, :960].astype(np.float32)
    box = np.array([[400, 200], [520, 200], [520, 320], [400, 320.0]])
    for n in range(12):
        ramp = 120 + rng.uniform(-70, 70) * x / 960 + rng.uniform(-70, 70) * y / 540
        blobs = cv2.GaussianBlur(rng.normal(0, 1, (540, 960)).astype(np.float32), (0, 0), 60)
        soft = ramp + (6 * blobs / blobs.std() if n % 2 else 0)
        yield (
            "sky",
            (soft + rng.normal(0, rng.uniform(0.5, 4), soft.shape)).clip(0, 255).astype(np.uint8),
            box,
        )
        way = rng.uniform(0, np.pi)
        along = np.cos(way) * (x - 460) + np.sin(way) * (y - 260)
        edge = 60 + 120 / (1 + np.exp(-along / rng.uniform(0.6, 3)))
        yield "an edge", (edge + rng.normal(0, 2, edge.shape)).clip(0, 255).astype(np.uint8), box


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--pictures", type=Path)
    parser.add_argument("--each", type=int, default=3, help="sequences of each kind")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--kinds", default=",".join(KINDS))
    parser.add_argument("--seen-only", action="store_true")
    parser.add_argument("--alone", action="store_true", help="without what is ready-made")
    given = parser.parse_args()
    cv2.setNumThreads(1)
    found = greys(given.pictures)
    print(f"machine load {os.getloadavg()[0]:.1f}; {len(found)} pictures")
    measured(list(_some(found, given)), others=not given.alone)
    refused = [(kind, unfit(grey, box)) for kind, grey, box in smooth(found)]
    print(f"  refused when set: {sum(bool(why) for _, why in refused)} of {len(refused)}")


def _some(found: list[tuple[str, Grey]], given: argparse.Namespace) -> Iterator[Sequence]:
    for one in sequences(found, given.each, given.seed, tuple(given.kinds.split(","))):
        if not (given.seen_only and one.unseen):
            yield one


def measured(cases: list[Sequence], others: bool = True) -> None:
    ways = {"this": by_this, "corners + flow": by_flow} if others else {"this": by_this}
    for unseen in (False, True):
        for kind in KINDS:
            these = [one for one in cases if one.kind == kind and one.unseen == unseen]
            if not these:
                continue
            whys = [unfit(one.frames[0], one.truth[0], one.model) for one in these]
            print(
                f"  {kind}, {'unseen' if unseen else 'seen'}: {len(these)} sequences"
                + (f", refused {whys}" if any(whys) else "")
            )
            for name, way in ways.items():
                begun = time.process_time()
                told = [judged(one, way(one)) for one in these]
                cpu = time.process_time() - begun
                errors = sorted(e for one in told for e in one.errors)
                frames = sum(one.frames for one in told)
                if not errors:
                    print(f"    {name:15} nothing found")
                    continue
                print(f"    {name:15} median {statistics.median(errors):6.3f} px, 95 % {errors[int(0.95 * (len(errors) - 1))]:7.3f}, "
                      f"wrong and not said {sum(o.wrong for o in told):3d}, said to be lost though seen {sum(o.missed for o in told):3d} "
                      f"of {frames} frames; CPU {100 * cpu / frames:5.2f} s for 100")  # fmt: skip


if __name__ == "__main__":
    main()
