"""Line-up in place against pairs of takes with known truth, beside ready-made ways of doing it.

Each pair is made from one picture: both takes are seen through warps of their own, in other light, with noise, through
H.264, with other subjects standing before each. ``python -m bench.register`` draws its own pictures; with
``--pictures FOLDER`` it takes those of a folder, every third by name unseen while the method was made.
"""

from __future__ import annotations

import argparse
import os
import statistics
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from io import BytesIO
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.in_place import LinedUp, line_up
from velvet_seam.core.register.warps import GENERATORS, Matrix, Model, mapped

Colour = NDArray[np.uint8]
WIDTH, HEIGHT = 540, 960


@dataclass(frozen=True)
class Pair:
    """Two takes; ``truth`` from pixels of the first to those of the second; ``common``: how much of the picture shows
    the same background in both."""

    name: str
    model: Model
    first: Colour
    second: Colour
    truth: Matrix
    common: float
    unseen: bool


def drawn(seed: int, size: int = 1400) -> Colour:
    """A scene with structure of all sizes: ground, edges of things, lettering-like strokes."""
    rng = np.random.default_rng(seed)
    out = np.zeros((size, size, 3), np.float32)
    for level in range(1, 8):
        cells = 2 ** (level + 1)
        noise = rng.normal(0, 1, (cells, cells, 3)).astype(np.float32)
        out += cv2.resize(noise, (size, size), interpolation=cv2.INTER_CUBIC) / level**1.3
    out = 120 + 40 * out / out.std()
    for _ in range(60):
        colour = tuple(float(c) for c in rng.uniform(20, 235, 3))
        x, y = (int(one) for one in rng.uniform(0, size, 2))
        kind, r = rng.integers(3), int(rng.uniform(10, 140))
        if kind == 0:
            cv2.circle(out, (x, y), r, colour, -1, cv2.LINE_AA)
        elif kind == 1:
            box = cv2.boxPoints(((x, y), (r, 2.2 * r), float(rng.uniform(0, 90)))).astype(int)
            cv2.fillPoly(out, [box], colour, cv2.LINE_AA)
        else:
            end = x + int(rng.uniform(-300, 300)), y + int(rng.uniform(-300, 300))
            cv2.line(out, (x, y), end, colour, max(2, r // 12), cv2.LINE_AA)
    return np.clip(out, 4, 251).astype(np.uint8)


def pictures(folder: Path | None) -> list[tuple[str, Colour]]:
    if folder is None:
        return [(f"drawn {n}", drawn(n)) for n in range(12)]
    found = []
    for path in sorted(folder.iterdir()):
        picture = cv2.imread(str(path))
        if picture is not None and min(picture.shape[:2]) > 200:
            found.append((path.stem, picture))
    return found


def turned(nods: float, shakes: float, turn: float, grow: float, size: tuple[int, int]) -> Matrix:
    """A card turned about its middle in space, as a camera sees it: degrees about the horizontal and the vertical, then
    in the picture, radians."""
    a, b = np.radians(nods), np.radians(shakes)
    nod = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    shake = np.array([[np.cos(b), 0, np.sin(b)], [0, 1, 0], [-np.sin(b), 0, np.cos(b)]])
    roll = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
    lies = roll @ shake @ nod
    far = 1.3 * max(size) / grow
    seen = np.column_stack([lies[:, 0], lies[:, 1], [0, 0, far]])
    return np.asarray(np.diag([1.3 * max(size), 1.3 * max(size), 1]) @ seen / far)


def warp_of(
    model: Model, rng: np.random.Generator, much: float = 1.0, elsewhere: bool = False
) -> Matrix:
    """A warp of a model about the middle of the picture; of a plane, as it is seen from quite ``elsewhere``."""
    turn = np.radians(rng.uniform(-4, 4)) * much if model != "shift" else 0.0
    grow = np.exp(rng.uniform(-0.06, 0.06) * much) if model in ("stretch", "plane") else 1.0
    c, s = np.cos(turn) * grow, np.sin(turn) * grow
    out = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
    if model == "plane":
        out = out @ np.array(
            [[1 + rng.uniform(-0.03, 0.03), rng.uniform(-0.03, 0.03), 0], [0, 1, 0], [0, 0, 1]]
        )
        out[2, :2] = rng.uniform(-6e-5, 6e-5, 2)
    if elsewhere:
        nods, shakes = rng.uniform(-20, 20), rng.uniform(20, 40) * rng.choice([-1, 1])
        out = turned(nods, shakes, 3 * turn, grow, (WIDTH, HEIGHT))
    middle = np.array([[1, 0, WIDTH / 2], [0, 1, HEIGHT / 2], [0, 0, 1.0]])
    out = middle @ out @ np.linalg.inv(middle)
    shift = np.eye(3)
    shift[:2, 2] = rng.uniform(-30, 30, 2) * much
    return np.asarray(shift @ out)


def seen(picture: Colour, warp: Matrix, rng: np.random.Generator) -> NDArray[np.float32]:
    """What is seen of a picture that covers the whole view and more: four samples a pixel each way."""
    h, w = picture.shape[:2]
    zoom = max(WIDTH * 1.3 / w, HEIGHT * 1.3 / h)
    lay = np.array(
        [[zoom, 0, WIDTH / 2 - zoom * w / 2], [0, zoom, HEIGHT / 2 - zoom * h / 2], [0, 0, 1]]
    )
    fine = np.diag([4.0, 4.0, 1.0])
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    matrix = np.linalg.inv(half) @ fine @ warp @ lay @ half
    large = cv2.warpPerspective(
        picture.astype(np.float32), matrix, (4 * WIDTH, 4 * HEIGHT), flags=cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_REFLECT,
    )  # fmt: skip
    return np.asarray(cv2.resize(large, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA), np.float32)


def covered(
    view: NDArray[np.float32], part: float, other: Colour, rng: np.random.Generator
) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """A view with a subject of another picture's pixels over so much of it."""
    mask = np.zeros(view.shape[:2], np.uint8)
    for _ in range(200):
        if (mask > 0).mean() >= part:
            break
        centre = tuple(int(c) for c in rng.uniform((0, 0), (WIDTH, HEIGHT)))
        axes = tuple(int(a) for a in rng.uniform(40, 200, 2))
        cv2.ellipse(mask, centre, axes, float(rng.uniform(0, 180)), 0, 360, 255, -1)
    soft = cv2.GaussianBlur(mask.astype(np.float32) / 255, (0, 0), 1.5)[..., None]
    skin = cv2.resize(other, (WIDTH, HEIGHT)).astype(np.float32)
    skin = np.roll(skin, tuple(int(s) for s in rng.integers(0, 400, 2)), (0, 1))
    return view * (1 - soft) + skin * soft, mask > 0


def lit(view: NDArray[np.float32], rng: np.random.Generator) -> Colour:
    """In another light, with noise."""
    gain = 2 ** rng.uniform(-0.5, 0.5) * np.exp(rng.uniform(-0.08, 0.08, 3))
    display = 255 * np.clip(gain * (view.clip(0, 255) / 255) ** 2.2, 0, 1) ** (1 / 2.2)
    return np.clip(display + rng.normal(0, rng.uniform(1, 3.5), view.shape), 0, 255).astype(
        np.uint8
    )


def coded(picture: Colour) -> Colour:
    """Through H.264 and back, as a phone leaves it."""
    out = BytesIO()
    with av.open(out, "w", format="mp4") as made:
        stream = made.add_stream("libx264", Fraction(25), options={"crf": "23", "preset": "fast"})
        stream.width, stream.height, stream.pix_fmt = picture.shape[1], picture.shape[0], "yuv420p"
        for packet in stream.encode(av.VideoFrame.from_ndarray(picture, format="bgr24")):
            made.mux(packet)
        made.mux(stream.encode())
    out.seek(0)
    with av.open(out) as read:
        return next(read.decode(video=0)).to_ndarray(format="bgr24")


def pairs(
    found: list[tuple[str, Colour]], each: int, common: tuple[float, float], seed: int = 1, elsewhere: bool = False,
) -> Iterator[Pair]:  # fmt: skip
    """Pairs of every model and every picture, ``each`` of them; or of planes, seen from ``elsewhere``."""
    for number, (name, picture) in enumerate(found):
        others = [one for n, (_, one) in enumerate(found) if n != number]
        for model in ("plane",) if elsewhere else GENERATORS:
            for n in range(each):
                rng = np.random.default_rng([seed, number, n, list(GENERATORS).index(model)])
                # the first take of a plane is seen straight, so that the model holds between both
                a, b = warp_of("turn", rng, 0.3), warp_of(model, rng, elsewhere=elsewhere)
                views = seen(picture, a, rng), seen(picture, b @ a, rng)
                goal = rng.uniform(*common)
                each_part = (1 - goal) / 2
                one, mask = covered(
                    views[0], each_part, others[int(rng.integers(len(others)))], rng
                )
                two, mask_two = covered(
                    views[1], each_part, others[int(rng.integers(len(others)))], rng
                )
                back = cv2.warpPerspective(
                    (~mask_two).astype(np.uint8), b, (WIDTH, HEIGHT), flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP
                )  # fmt: skip
                share = float(((back > 0) & ~mask).mean())
                yield Pair(
                    name,
                    model,
                    coded(lit(one, rng)),
                    coded(lit(two, rng)),
                    b,
                    share,
                    number % 3 == 2,
                )


def grey(picture: Colour) -> NDArray[np.uint8]:
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY))


def off(warp: Matrix | None, truth: Matrix) -> float:
    """How far a warp is from the truth: pixels, root mean square over the picture."""
    if warp is None:
        return float("inf")
    at = (np.arange(9) + 0.5) / 9
    places = np.array([(x * WIDTH, y * HEIGHT) for y in at for x in at])
    return float(np.sqrt(((mapped(warp, places) - mapped(truth, places)) ** 2).sum(1).mean()))


def by_sift(first: NDArray[np.uint8], second: NDArray[np.uint8], model: Model) -> Matrix | None:
    finder = cv2.SIFT_create(3000)
    (ka, da), (kb, db) = (finder.detectAndCompute(one, None) for one in (first, second))
    if da is None or db is None or len(kb) < 2:
        return None
    good = [m for m, n in cv2.BFMatcher().knnMatch(da, db, k=2) if m.distance < 0.75 * n.distance]
    if len(good) < 4:
        return None
    a = np.array([ka[m.queryIdx].pt for m in good]) + 0.5
    b = np.array([kb[m.trainIdx].pt for m in good]) + 0.5
    if model == "plane":
        return cv2.findHomography(a, b, cv2.RANSAC, 2.0)[0]
    made, agree = cv2.estimateAffinePartial2D(a, b, ransacReprojThreshold=2.0)
    if made is None:
        return None
    if model == "shift":
        keep = agree[:, 0] > 0
        made = np.column_stack([np.eye(2), (b - a)[keep].mean(0)])
    return np.vstack([made, [0, 0, 1.0]])


def by_ecc(first: NDArray[np.uint8], second: NDArray[np.uint8], model: Model) -> Matrix | None:
    ways = {
        "shift": cv2.MOTION_TRANSLATION,
        "turn": cv2.MOTION_EUCLIDEAN,
        "stretch": cv2.MOTION_AFFINE,
        "plane": cv2.MOTION_HOMOGRAPHY,
    }
    size = 3 if model == "plane" else 2
    warp = np.eye(size, 3, dtype=np.float32)
    try:
        _, warp = cv2.findTransformECC(first, second, warp, ways[model], (3, 80, 1e-5), None, 5)
    except cv2.error:
        return None
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    whole = np.eye(3)
    whole[:size] = warp
    return half @ whole @ np.linalg.inv(half)


def by_phase(first: NDArray[np.uint8], second: NDArray[np.uint8], model: Model) -> Matrix | None:
    window = cv2.createHanningWindow((WIDTH, HEIGHT), cv2.CV_64F)
    (x, y), _ = cv2.phaseCorrelate(first.astype(np.float64), second.astype(np.float64), window)
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])


OTHERS: dict[str, Callable[..., Matrix | None]] = {
    "SIFT + RANSAC": by_sift, "ECC": by_ecc, "phase correlation": by_phase,
}  # fmt: skip


def _row(name: str, errors: list[float], cpu: list[float], refused: int) -> str:
    taken = sorted(one for one in errors if np.isfinite(one))
    if not taken:
        return f"    {name:18} nothing found"
    high = taken[min(len(taken) - 1, int(0.95 * len(taken)))]
    return (
        f"    {name:18} median {statistics.median(taken):8.3f} px, 95 % {high:8.3f}, worst {taken[-1]:9.3f}, "
        f"none from {refused:3d} of {len(errors)}, CPU {1000 * statistics.median(cpu):5.0f} ms"
    )


def measured(cases: list[Pair], others: bool = True) -> None:
    """Prints a table a model, seen and unseen pictures apart."""
    for unseen in (False, True):
        for model in GENERATORS:
            these = [one for one in cases if one.model == model and one.unseen == unseen]
            if not these:
                continue
            print(f"  {model}, {'unseen' if unseen else 'seen'}: {len(these)} pairs, "
                  f"{100 * min(c.common for c in these):.0f} to {100 * max(c.common for c in these):.0f} % in common")  # fmt: skip
            errors, cpu, said = [], [], []
            for one in these:
                begun = time.process_time()
                found = line_up(grey(one.first), grey(one.second), model)
                cpu.append(time.process_time() - begun)
                errors.append(off(found.warp, one.truth))
                said.append((found, errors[-1]))
            print(_row("this", errors, cpu, sum(not np.isfinite(e) for e in errors)))
            _residuals(said)
            for name, way in OTHERS.items() if others else ():
                errors, cpu = [], []
                for one in these:
                    begun = time.process_time()
                    errors.append(off(way(grey(one.first), grey(one.second), model), one.truth))
                    cpu.append(time.process_time() - begun)
                print(_row(name, errors, cpu, sum(not np.isfinite(e) for e in errors)))


def _residuals(said: list[tuple[LinedUp, float]]) -> None:
    ratios = sorted(e / f.residual for f, e in said if f.found)
    if ratios:
        within = sum(one <= 2 for one in ratios) / len(ratios)
        why = [f.why for f, _ in said if not f.found]
        print(f"      error over residual: median {statistics.median(ratios):.2f}, 95 % "
              f"{ratios[int(0.95 * (len(ratios) - 1))]:.2f}; within twice {100 * within:.0f} %; refused {why}")  # fmt: skip


def hopeless(found: list[tuple[str, Colour]]) -> Iterator[tuple[str, Colour, Colour]]:
    """Pairs that cannot be lined up: two scenes, nothing to see, one direction, what repeats itself."""
    rng = np.random.default_rng(5)
    same = np.eye(3)
    for _ in range(24):
        a, b = rng.choice(len(found), 2, replace=False)
        yield (
            "unrelated",
            lit(seen(found[a][1], same, rng), rng),
            lit(seen(found[b][1], same, rng), rng),
        )
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    for n in range(16):
        ramp = 120 + rng.uniform(-60, 60) * x / WIDTH + rng.uniform(-60, 60) * y / HEIGHT
        flat = np.repeat(ramp[..., None], 3, 2)
        yield "no structure", lit(flat, rng), lit(flat, rng)
        way = rng.uniform(0, np.pi)
        along = np.cos(way) * x + np.sin(way) * y
        lines = np.interp(
            along.ravel(), np.arange(-1200, 1200), np.cumsum(rng.normal(0, 6, 2400))
        ).reshape(x.shape)
        stripes = np.repeat((120 + lines - lines.mean())[..., None], 3, 2).clip(5, 250)
        yield "one direction", lit(stripes, rng), lit(np.roll(stripes, (3, 5), (0, 1)), rng)
        period = rng.uniform(18, 60, 2)
        kind = n % 3
        if kind == 0:
            wave = (
                120
                + 45 * np.sin(2 * np.pi * x / period[0])
                + 45 * np.sin(2 * np.pi * y / period[1])
            )
        elif kind == 1:
            wave = 60 + 120 * (((x // period[0]) + (y // period[1])) % 2)
        else:
            wave = 70 + 110 * (
                ((x + period[0] / 2 * ((y // period[1]) % 2)) % period[0] > 5) & (y % period[1] > 5)
            )
        tiles = np.repeat(wave[..., None], 3, 2).astype(np.float32)
        yield "periodic", lit(tiles, rng), lit(np.roll(tiles, (7, 11), (0, 1)), rng)


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__)
    ask.add_argument("--pictures", type=Path)
    ask.add_argument("--each", type=int, default=1)
    ask.add_argument("--alone", action="store_true", help="without the ready-made ways")
    ask.add_argument("--seed", type=int, default=1)
    given = ask.parse_args()
    found = pictures(given.pictures)
    cv2.setNumThreads(1)
    print(f"Line-up in place, {WIDTH} × {HEIGHT}; load {os.getloadavg()[0]:.1f}")
    print("35 % or more in common")
    measured(list(pairs(found, given.each, (0.4, 0.98), given.seed)), not given.alone)
    print("14 to 25 % in common")
    measured(list(pairs(found, given.each, (0.16, 0.24), given.seed + 1)), False)
    print("a plane seen from elsewhere, 20 to 40 degrees, 35 % or more in common")
    elsewhere = pairs(found, given.each, (0.4, 0.98), given.seed, elsewhere=True)
    measured(list(elsewhere), not given.alone)
    print("cannot be lined up: how many were refused, and why")
    kinds: dict[str, list[str]] = {}
    for kind, first, second in hopeless(found):
        for model in GENERATORS:
            kinds.setdefault(kind, []).append(line_up(grey(first), grey(second), model).why)
    for kind, why in kinds.items():
        reasons = {one: why.count(one) for one in sorted(set(why))}
        print(f"  {kind}: {sum(bool(one) for one in why)} of {len(why)} {reasons}")


if __name__ == "__main__":
    main()
